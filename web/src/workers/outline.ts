/** What a topology declares, as lists: the outline, and the message types with their samples. */
import { kindOf } from '@vondle/core/brokers';
import { keptSamples, samplesOf } from '@vondle/core/analysis';
import { sameOrder, type Items, type MessageType } from '@vondle/core/topology';
import type { RoutingGraph } from '@vondle/core/routing';
import type { FieldView, MessageView, OutlineGroup, PublishView, Troubles } from './views.ts';

type Kinds = readonly (readonly [kind: string, items: Items<unknown> | undefined])[];

/** A group, and what it was made of. */
interface Known {
  readonly kinds: Kinds;
  /** What is wrong with things of this group, as one text. */
  readonly troubles: string;
  readonly group: OutlineGroup;
}

/** Everything that is declared, by broker and kind, again and again: a group that stays is the same object. */
export class Outline {
  private known = new Map<string, Known>();

  /** @param troubles what is wrong with each thing, by its id */
  of({ topology: { declared } }: RoutingGraph, troubles: ReadonlyMap<string, Troubles>): OutlineGroup[] {
    const before = this.known;
    this.known = new Map();
    const groups: OutlineGroup[] = [];
    const troublesOf = byGroup(troubles);
    const add = (title: string, kinds: Kinds, broker = '') => {
      const wrong = kinds.map(([kind]) => troublesOf.get(`${kind}:${broker}`) ?? '').join('|');
      const was = before.get(title);
      const stays =
        was?.troubles === wrong &&
        was.kinds.length === kinds.length &&
        was.kinds.every(([kind, items], i) => kind === kinds[i]![0] && sameNames(items, kinds[i]![1]));
      const group = stays ? was.group : { title, items: itemsOf(kinds, broker, troubles) };
      if (group.items.length === 0) return;
      this.known.set(title, { kinds, troubles: wrong, group });
      groups.push(group);
    };
    for (const [broker, { value }] of declared.brokers ?? []) {
      add(broker, kindOf(value).resources(value), broker);
    }
    add('links', [['link', declared.links]]);
    add('spreads', [['spread', declared.spreads]]);
    add('messages', [['message', declared.messages]]);
    add('apps', [['app', declared.apps]]);
    add('tenants', [['tenant', declared.tenants]]);
    return groups;
  }
}

function itemsOf(
  kinds: Kinds,
  broker: string,
  troubles: ReadonlyMap<string, Troubles>,
): OutlineGroup['items'] {
  return kinds.flatMap(([kind, map]) =>
    [...(map?.keys() ?? [])].map((name) => {
      const id = `${kind}:${broker ? `${broker}/` : ''}${name}`;
      return { id, name, kind, ...troubles.get(id) };
    }),
  );
}

const sameNames = (a: Items<unknown> | undefined, b: Items<unknown> | undefined): boolean =>
  a === b || (a !== undefined && b !== undefined && sameOrder(a, b));

/** Troubles as texts, by kind and broker: `queue:mainland`, `app:`. */
function byGroup(troubles: ReadonlyMap<string, Troubles>): Map<string, string> {
  const found = new Map<string, string>();
  for (const [id, { worst, findings }] of troubles) {
    const colon = id.indexOf(':');
    const slash = id.indexOf('/');
    const group = slash < 0 ? id.slice(0, colon + 1) : id.slice(0, slash);
    found.set(group, `${found.get(group) ?? ''} ${id} ${worst} ${findings}`);
  }
  return found;
}

/** The message types with their samples, and who publishes each where. */
export function messagesOf({ topology }: RoutingGraph): MessageView[] {
  const publishes = new Map<string, PublishView[]>();
  for (const { name: app, value } of topology.declared.apps?.values() ?? []) {
    for (const { message, to, via } of value.publishes?.items ?? []) {
      const list = publishes.get(message?.value ?? '') ?? [];
      list.push({ app, to: to?.value ?? '', via: via?.value ?? '' });
      publishes.set(message?.value ?? '', list);
    }
  }
  const kept = keptSamples(topology);
  return [...topology.messages.values()].map((type) => ({
    id: type.id,
    key: type.key?.value ?? '',
    labels: [...type.labels],
    samples: [
      ...samplesOf(type),
      ...kept
        .filter(({ message }) => message.type === type.id)
        .map(({ name, message, sendings }) => {
          const from = sendings[0]?.from?.replace(/^app:/, '');
          return { name, message, kept: true as const, ...(from ? { from } : {}) };
        }),
    ],
    fields: fieldsOf(type),
    publishes: publishes.get(type.id) ?? [],
  }));
}

/** Its headers and properties, as a form asks for them: what must be there first. */
function fieldsOf(type: MessageType): FieldView[] {
  const fields = (['headers', 'properties'] as const).flatMap((of) =>
    [...type[of]].map(([name, { schema }]): FieldView => {
      const field = { name, of, required: type.required.has(name) };
      if ('const' in schema) return { ...field, fixed: schema['const'] };
      if (Array.isArray(schema['enum'])) return { ...field, values: schema['enum'] };
      if (schema['type'] === 'boolean') return { ...field, values: [true, false] };
      if (schema['type'] !== 'integer' && schema['type'] !== 'number') return field;
      const [least, most] = [schema['minimum'], schema['maximum']];
      return {
        ...field,
        number: {
          whole: schema['type'] === 'integer',
          ...(typeof least === 'number' ? { least } : {}),
          ...(typeof most === 'number' ? { most } : {}),
        },
      };
    }),
  );
  return fields.sort((a, b) => Number(b.required) - Number(a.required));
}
