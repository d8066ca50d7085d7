import { nearest } from '../base/similar.ts';
import { remembered, sameItems } from '../incremental/memory.ts';
import type { ExampleDecl, MessageTypeDecl } from '../language/message.ts';
import type { Reading } from '../language/reading.ts';
import type { Item, Items } from '../language/shape.ts';
import type { Located, Place } from '../syntax/place.ts';
import { type Schemas, withSchemas } from './schemas.ts';

/** The domain of a header or property: a JSON Schema, and where it is declared. */
export interface Domain {
  readonly schema: Readonly<Record<string, unknown>>;
  readonly place: Place;
  /** The message type that declares it, which may be an ancestor. */
  readonly declaredBy: string;
}

/** A message type with what it inherits. */
export interface MessageType {
  readonly id: string;
  readonly place: Place;
  readonly decl: MessageTypeDecl;
  /** Itself and every type it extends, nearest first. */
  readonly lineage: readonly string[];
  readonly key?: Located<string>;
  readonly headers: ReadonlyMap<string, Domain>;
  readonly properties: ReadonlyMap<string, Domain>;
  readonly required: ReadonlySet<string>;
  readonly body?: Located<Readonly<Record<string, unknown>>>;
  readonly labels: ReadonlySet<string>;
  /** No message of this type may be lost on its way. */
  readonly mustArrive: boolean;
  readonly examples: readonly ExampleDecl[];
}

/** Types extend each other in at most so long a line: each has all that those before it have. */
const DEEPEST_LINE = 100;

function reportDeep(reading: Reading, place: Place): void {
  reading.report(
    'extends-too-deep',
    place,
    `Message types extend each other in a line of more than ${DEEPEST_LINE} here; this one is left out. Let it extend one nearer to the first.`,
  );
}

/**
 * Works out what every message type inherits: headers, properties, body, labels and required names
 * from each type it extends, its own first. Unknown parents and cycles are reported and left out.
 */
export function resolveMessages(
  declared: Items<MessageTypeDecl>,
  reading: Reading,
  schemas: Schemas,
): Map<string, MessageType> {
  const done = new Map<string, MessageType>();
  const open: string[] = [];
  const depths = new Map<string, number>();

  const resolve = (item: Item<MessageTypeDecl>): MessageType => {
    const known = done.get(item.name);
    if (known) return known;
    open.push(item.name);
    const { value: decl } = item;
    const parents: MessageType[] = [];
    for (const parent of decl.extends?.items ?? []) {
      const target = declared.get(parent.value);
      reading.doc = parent.place.doc;
      if (!target) {
        const hint = nearest(parent.value, declared.keys());
        reading.report(
          'unknown-reference',
          parent.place,
          `There is no message type \`${parent.value}\`.${hint ? ` Did you mean \`${hint}\`?` : ''}`,
        );
      } else if (open.includes(parent.value)) {
        const cycle = [...open.slice(open.indexOf(parent.value)), parent.value];
        reading.report(
          'extends-cycle',
          parent.place,
          `Message types extend each other in a circle: ${cycle.join(' → ')}.`,
        );
      } else if (open.length > DEEPEST_LINE) reportDeep(reading, parent.place);
      else {
        const resolved = resolve(target);
        if (depths.get(parent.value)! >= DEEPEST_LINE) reportDeep(reading, parent.place);
        else parents.push(resolved);
      }
    }
    open.pop();
    depths.set(item.name, 1 + Math.max(0, ...parents.map(({ id }) => depths.get(id)!)));
    const { type } = typeOf(decl, item, parents, schemas);
    done.set(item.name, type);
    return type;
  };

  for (const item of declared.values()) resolve(item);
  // in order of declaration, not of inheritance
  return new Map([...declared.keys()].map((name) => [name, done.get(name)!]));
}

/** A declaration with what it inherits: one object for as long as it and its parents stay. */
const typeOf = remembered(
  (decl: MessageTypeDecl, item: Item<MessageTypeDecl>, parents: readonly MessageType[], schemas: Schemas) => {
    const merged = (
      pick: (type: MessageType) => ReadonlyMap<string, Domain>,
      own: MessageTypeDecl['headers'],
    ) => {
      const result = new Map<string, Domain>();
      for (const parent of [...parents].reverse())
        for (const [name, domain] of pick(parent)) result.set(name, domain);
      for (const [name, { value }] of own ?? []) {
        const schema = withSchemas(value.value, value.place.doc, schemas);
        result.set(name, { schema, place: value.place, declaredBy: item.name });
      }
      return result;
    };
    const key = decl.key ?? parents.find((parent) => parent.key)?.key;
    const own = decl.body && {
      ...decl.body,
      value: withSchemas(decl.body.value, decl.body.place.doc, schemas),
    };
    const body = own ?? parents.find((parent) => parent.body)?.body;
    const type: MessageType = {
      id: item.name,
      place: item.key,
      decl,
      lineage: [...new Set([item.name, ...parents.flatMap((parent) => parent.lineage)])],
      ...(key ? { key } : {}),
      ...(body ? { body } : {}),
      headers: merged((parent) => parent.headers, decl.headers),
      properties: merged((parent) => parent.properties, decl.properties),
      required: new Set([
        ...(decl.required?.items ?? []).map((name) => name.value),
        ...parents.flatMap((parent) => [...parent.required]),
      ]),
      labels: new Set([
        ...(decl.labels?.items ?? []).map((label) => label.value),
        ...parents.flatMap((parent) => [...parent.labels]),
      ]),
      mustArrive: decl.mustArrive?.value ?? parents.some((parent) => parent.mustArrive),
      examples: decl.examples?.items ?? [],
    };
    return { type, parents, schemas };
  },
  ({ type, parents: known, schemas: then }, _, { name, key }, parents, schemas) =>
    type.id === name && type.place === key && then === schemas && sameItems(known, parents),
);
