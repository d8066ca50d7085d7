/**
 * The pieces the language is described with. One description gives the reader (typed values with
 * their places, and findings) and the published JSON Schema, so the two cannot part.
 *
 * A shape reads a node and never throws: what is wrong becomes a finding, and the value is left out.
 */
import { nearest } from '../base/similar.ts';
import { byteLength, parseDuration, parseRate, parseSize } from '../base/values.ts';
import { stretchOf } from '../incremental/changed.ts';
import { Layered } from '../incremental/layered.ts';
import { remembered } from '../incremental/memory.ts';
import { type Whole, keptBare, keptOf } from '../incremental/pieces.ts';
import { oursFor } from './elsewhere.ts';
import { writing } from './finding.ts';
import {
  type Likely,
  choiceLikely,
  durationLikely,
  flagLikely,
  idLikely,
  numberLikely,
  rateLikely,
  sizeLikely,
} from './likely.ts';
import type { Fragment, Reading } from './reading.ts';
import { type Located, type Place, placeOf } from '../syntax/place.ts';
import { typedScalar } from '../syntax/scalars.ts';
import { type Entry, type Node, type ScalarNode, isNothing, keyText, toJson } from '../syntax/tree.ts';

export type JsonSchema = { readonly [key: string]: unknown };

export interface Shape<T> {
  read(node: Node, reading: Reading): T | undefined;
  /** Present where the same name in several documents adds up instead of clashing. */
  merge?(fragments: readonly Fragment[], reading: Reading): T | undefined;
  readonly schema: JsonSchema;
  /** The fields of an object shape, for completion and the reference. */
  readonly fields?: Readonly<Record<string, Field<unknown>>>;
  /** The shape of a map's or list's items. */
  readonly items?: Shape<unknown>;
  /** Of a map from names to things: the keys are names somebody gave. */
  readonly byName?: true;
  /** Of a shape that is one of several, each by the value of one key. */
  readonly variants?: Readonly<Record<string, Shape<unknown>>>;
  readonly values?: readonly string[];
  /** What a scalar names, as a phrase: `a message type`, `a queue or exchange`. */
  readonly names?: string;
}

/** @returns a shape that is read as a whole or not at all: what lacks a part would say something else */
export const wholly = <T>(shape: Shape<T>): Shape<T> => ({
  ...shape,
  read(node, reading) {
    const before = reading.findings.length;
    const value = shape.read(node, reading);
    // of what is declared twice the first counts
    const failed = reading.findings.slice(before).some(({ check }) => check !== 'language/declared-twice');
    return failed ? undefined : value;
  },
});

export type Infer<S> = S extends Shape<infer T> ? T : never;

function scalarShape<T>(
  expected: string,
  schema: JsonSchema,
  parse: (text: string, node: ScalarNode) => T | undefined,
  likely: Likely,
  values?: readonly string[],
): Shape<Located<T>> {
  return {
    schema,
    ...(values ? { values } : {}),
    read(node, reading) {
      if (node.kind !== 'scalar' || (node.value === null && !node.quoted)) {
        reading.report('wrong-type', node, `Expected ${expected} here, not ${kindOf(node)}.`);
        return undefined;
      }
      const substituted = reading.substitute(node, keyText(node));
      if (!substituted) return undefined;
      const value = parse(substituted.text, node);
      if (value === undefined) {
        const made = substituted.from
          ? ` (made from ${substituted.from.map((p) => `\`${p}\``).join(', ')})`
          : '';
        const meant = likely(substituted.text, node);
        const [hint] = meant;
        const at = reading.place(node);
        // what is made from a parameter is put right where the parameter has its value
        const mends = substituted.from
          ? []
          : [...new Set([...meant, ...(values ?? [])])].map((each) => writing(at, each));
        reading.report(
          'wrong-value',
          node,
          `Expected ${expected}, not \`${clip(substituted.text)}\`${made}.${hint ? ` Did you mean \`${hint}\`?` : ''}`,
          mends.length ? { mends } : {},
        );
        return undefined;
      }
      const place = reading.place(node);
      return substituted.from ? { value, place, from: substituted.from } : { value, place };
    },
  };
}

function clip(text: string): string {
  return text.length > 60 ? `${text.slice(0, 57)}…` : text;
}

function kindOf(node: Node): string {
  if (node.kind === 'map') return 'a map';
  if (node.kind === 'list') return 'a list';
  return node.value === null ? 'nothing' : `\`${clip(node.source)}\``;
}

const nothingLikely: Likely = () => [];

/** Free text. */
export const text = (expected = 'text'): Shape<Located<string>> =>
  scalarShape(expected, { type: ['string', 'number', 'boolean'] }, (value) => value, nothingLikely);

/** Text of at most 255 UTF-8 bytes, the limit of an AMQP 0-9-1 short string (§4.2.5.3). */
export const shortText = (expected: string): Shape<Located<string>> => {
  const inner = text(expected);
  return {
    ...inner,
    schema: { type: ['string', 'number', 'boolean'], maxLength: 255 },
    read(node, reading) {
      const value = inner.read(node, reading);
      if (value && byteLength(value.value) > 255) {
        reading.report(
          'too-long',
          node,
          `This is ${byteLength(value.value)} bytes long; brokers take at most 255.`,
        );
        return undefined;
      }
      return value;
    },
  };
};

export const ID = /^[a-z][a-z0-9-]*$/;

/** The id of a broker, app, message, link, spread, tenant or environment. */
export const id = (of: string): Shape<Located<string>> => ({
  ...scalarShape(
    `the id of ${of} (small letters, digits and hyphens, a letter first)`,
    { type: 'string', pattern: ID.source },
    (value) => (ID.test(value) ? value : undefined),
    idLikely,
  ),
  names: of,
});

export const flag = (): Shape<Located<boolean>> => ({
  ...scalarShape(
    '`true` or `false`',
    { type: 'boolean' },
    (value, node) => {
      const typed = node.quoted ? undefined : typedScalar(value);
      return typeof typed === 'boolean' ? typed : undefined;
    },
    flagLikely,
  ),
  values: ['true', 'false'],
});

export const integer = (minimum = 0, maximum = Number.MAX_SAFE_INTEGER): Shape<Located<number>> =>
  scalarShape(
    maximum === Number.MAX_SAFE_INTEGER
      ? `a whole number of at least ${minimum}`
      : `a whole number from ${minimum} to ${maximum}`,
    { type: 'integer', minimum, maximum },
    (value) => {
      const n = /^-?\d+$/.test(value) ? Number(value) : NaN;
      return n >= minimum && n <= maximum ? n : undefined;
    },
    numberLikely(minimum, maximum),
  );

export const number = (minimum = 0): Shape<Located<number>> =>
  scalarShape(
    `a number of at least ${minimum}`,
    { type: 'number', minimum },
    (value) => {
      const n = /^-?\d+(\.\d+)?$/.test(value) ? Number(value) : NaN;
      return n >= minimum ? n : undefined;
    },
    numberLikely(minimum),
  );

export const duration = (): Shape<Located<number>> =>
  scalarShape(
    'a duration such as `30s`, `10m` or `PT10M`',
    { type: 'string', format: 'vondle-duration' },
    parseDuration,
    durationLikely,
  );

export const size = (): Shape<Located<number>> =>
  scalarShape(
    'a size such as `64KiB` or a number of bytes',
    { type: ['string', 'integer'] },
    parseSize,
    sizeLikely,
  );

export const rate = (): Shape<Located<number>> =>
  scalarShape('a rate such as `40/s`, `10/min` or `5/h`', { type: 'string' }, parseRate, rateLikely);

export const choice = <T extends string>(...values: T[]): Shape<Located<T>> =>
  scalarShape(
    values.map((value) => `\`${value}\``).join(' or '),
    { enum: values },
    (value) => ((values as string[]).includes(value) ? (value as T) : undefined),
    choiceLikely(values),
    values,
  );

/** A key or value of a constant map: text, number, truth value or null, kept with its type. */
export const constant = (): Shape<Located<string | number | boolean | null>> => ({
  schema: { type: ['string', 'number', 'boolean', 'null'] },
  read(node, reading) {
    if (node.kind !== 'scalar') {
      reading.report('wrong-type', node, `Expected one value here, not ${kindOf(node)}.`);
      return undefined;
    }
    const place = reading.place(node);
    if (typeof node.value !== 'string') return { value: node.value, place };
    const substituted = reading.substitute(node, node.value);
    if (!substituted) return undefined;
    const { text: made, from } = substituted;
    if (!from) return { value: made, place };
    // a plain `${x}` takes the type its text has, as if it had been written there
    const value = node.quoted ? made : typedScalar(made);
    return { value, place, from };
  },
});

/** Reports keys that stand twice in one map: the first one counts. */
function repeatsIn(node: Node, reading: Reading): void {
  if (node.kind === 'list') node.items.forEach((item) => repeatsIn(item, reading));
  if (node.kind !== 'map') return;
  const seen = new Set<string>();
  for (const { name, key, value } of node.entries) {
    if (seen.has(name))
      reading.report(
        'declared-twice',
        key,
        `\`${clip(name)}\` stands twice in this map. The first one counts.`,
      );
    else repeatsIn(value, reading);
    seen.add(name);
  }
}

/** Any JSON data. `more` is put beside its schema, to say what it means. */
export const json = (schema: JsonSchema = {}): Shape<Located<unknown>> => ({
  schema,
  read(node, reading) {
    repeatsIn(node, reading);
    const from = new Set<string>();
    const value = toJson(node, (scalar) => {
      if (typeof scalar.value !== 'string') return scalar.value;
      const made = reading.substitute(scalar, scalar.value);
      made?.from?.forEach((name) => from.add(name));
      if (!made) return scalar.value;
      return made.from && !scalar.quoted ? typedScalar(made.text) : made.text;
    });
    const place = reading.place(node);
    return from.size ? { value, place, from: [...from] } : { value, place };
  },
});

/** JSON data that must be a map. */
export const jsonMap = (schema: JsonSchema = {}): Shape<Located<Readonly<Record<string, unknown>>>> => ({
  schema: { type: 'object', ...schema },
  read(node, reading) {
    if (node.kind !== 'map') {
      reading.report('wrong-type', node, `Expected a map here, not ${kindOf(node)}.`);
      return undefined;
    }
    return json().read(node, reading) as Located<Record<string, unknown>>;
  },
});

export interface List<T> {
  readonly items: readonly T[];
  readonly place: Place;
}

/** A list; with `orOne`, a single item may stand for a list of one. With `adds`, documents add to it. */
export function list<T>(item: Shape<T>, options: { orOne?: boolean; adds?: boolean } = {}): Shape<List<T>> {
  const array = { type: 'array', items: item.schema };
  const shape = {};
  const read = (node: Node, reading: Reading) => reading.remember(shape, node, () => readList(node, reading));
  const readList = (node: Node, reading: Reading): List<T> | undefined => {
    const items: T[] = [];
    if (node.kind === 'list') {
      for (const each of node.items) {
        const value = item.read(each, reading);
        if (value !== undefined) items.push(value);
      }
    } else if (isNothing(node)) {
      // an empty section, being written
    } else if (options.orOne) {
      const value = item.read(node, reading);
      if (value !== undefined) items.push(value);
    } else {
      reading.report('wrong-type', node, `Expected a list here, not ${kindOf(node)}.`);
      return undefined;
    }
    return { items, place: reading.place(node) };
  };
  /** A document's list: as it was before, but where items are otherwise. */
  const again = (was: Fragment | undefined, { doc, node }: Fragment, reading: Reading) => {
    reading.doc = doc;
    return reading.remember(
      shape,
      node,
      () => (was?.doc === doc && rewritten(was.node, node, reading)) || readList(node, reading),
    );
  };
  const rewritten = (was: Node, now: Node, reading: Reading): List<T> | undefined => {
    const known = keptBare<List<T>>(was, shape);
    if (!known || was.kind !== 'list' || now.kind !== 'list') return undefined;
    if (known.items.length !== was.items.length) return undefined;
    const { from, before, now: end } = stretchOf(was.items, now.items);
    if (end - from > MOST_REWRITTEN) return undefined;
    return reading.tried(() => {
      const come = now.items.slice(from, end).map((each) => item.read(each, reading));
      if (come.some((each) => each === undefined)) return undefined;
      const items = known.items.toSpliced(from, before - from, ...(come as T[]));
      return { items, place: reading.place(now) };
    });
  };
  return {
    schema: options.orOne ? { anyOf: [item.schema, array] } : array,
    items: item,
    read,
    ...(options.adds
      ? {
          merge(fragments, reading) {
            return reading.together(shape, fragments, (before) => {
              const lists = fragments.flatMap(
                (fragment, i) => again(earlierOf(before, fragments, i), fragment, reading) ?? [],
              );
              const [first, second] = lists;
              if (!second) return first;
              return (
                first && {
                  items: first.items.concat(...lists.slice(1).map(({ items }) => items)),
                  place: first.place,
                }
              );
            });
          },
        }
      : {}),
  };
}

/** One named thing of a map: its name, where the name stands, and what was declared. */
export interface Item<T> {
  readonly name: string;
  readonly key: Place;
  readonly value: T;
}

export type Items<T> = ReadonlyMap<string, Item<T>>;

/** What names a map takes: ids of our own, or a broker's free text. */
export type NameRule = 'id' | 'resource' | 'parameter';

/** The item of what was declared under a name: one object for as long as both stand as they did. */
function itemOf<T>(value: T, name: string, doc: string, key: ScalarNode): Item<T> {
  if (typeof value !== 'object' || value === null) return { name, key: placeOf(doc, key), value };
  return itemOfObject(value, name, doc, key) as Item<T>;
}

const itemOfObject = remembered(
  (value: object, name: string, doc: string, key: ScalarNode): Item<object> => ({
    name,
    key: placeOf(doc, key),
    value,
  }),
  (item, _, name, doc, key) => item.name === name && item.key.doc === doc && item.key.node === key,
);

/** More of a list or map otherwise than this, and it is read anew. */
const MOST_REWRITTEN = 50;

/** @returns what stood in the place of a fragment when these were put together last */
const earlierOf = (
  before: Whole<Fragment> | undefined,
  fragments: readonly Fragment[],
  i: number,
): Fragment | undefined => (before?.pieces.length === fragments.length ? before.pieces[i] : undefined);

/** What was declared, with the name of its variant: one object for as long as it stays what it was. */
const toldApart = remembered(
  (value: object, chosen: string) => ({ ...value, variant: chosen }),
  ({ variant: known }, _, chosen) => known === chosen,
);

/** A map from names to things of one shape; several documents may each add names. */
export function mapOf<T>(item: Shape<T>, rule: NameRule): Shape<Items<T>> {
  const shape = {};
  const merge = (fragments: readonly Fragment[], reading: Reading): Items<T> | undefined => {
    const [first, second] = fragments;
    if (item.merge) return first && !second ? alone(first, reading) : mergeAll(fragments, reading);
    if (first && !second)
      return reading.together<Items<T>>(shape, fragments, (before) =>
        again(earlierOf(before, fragments, 0), first, reading),
      );
    return reading.together<Items<T>>(
      shape,
      fragments,
      (before) =>
        (before && changed(before, fragments, reading)) ??
        joined(fragments, reading) ??
        mergeAll(fragments, reading),
    );
  };
  const alone = (fragment: Fragment, reading: Reading) => again(undefined, fragment, reading);
  /** A document's part: as it was before, but for the entries that are otherwise. */
  const again = (was: Fragment | undefined, fragment: Fragment, reading: Reading): Items<T> | undefined => {
    const { doc, node } = fragment;
    reading.doc = doc;
    return reading.remember(
      shape,
      node,
      () => (was?.doc === doc && rewritten(was.node, fragment, reading)) || mergeAll([fragment], reading),
    );
  };
  const rewritten = (was: Node, { doc, node }: Fragment, reading: Reading): Items<T> | undefined => {
    const known = keptBare<Items<T>>(was, shape);
    if (!known || was.kind !== 'map' || node.kind !== 'map') return undefined;
    if (was.entries.length !== node.entries.length) return undefined;
    const otherwise = node.entries.filter((entry, i) => entry !== was.entries[i]);
    if (otherwise.length > MOST_REWRITTEN) return undefined;
    if (node.entries.some((entry, i) => entry !== was.entries[i] && entry.name !== was.entries[i]!.name))
      return undefined;
    return reading.tried(() => {
      const changes = new Map<string, Item<T>>();
      for (const { name, key, value: written } of otherwise) {
        const value = item.read(written, reading);
        if (value === undefined) return undefined;
        changes.set(name, itemOf(value, name, doc, key));
      }
      return Layered.on(known).with(changes);
    });
  };
  /** What came of the parts before with what changed in them; undefined where names came, went or moved. */
  const changed = (
    { pieces: parts, value }: Whole<Fragment, Items<T>>,
    fragments: readonly Fragment[],
    reading: Reading,
  ): Items<T> | undefined => {
    if (parts.length !== fragments.length) return undefined;
    const findings = reading.findings.length;
    const changes = new Map<string, Item<T>>();
    for (const [i, fragment] of fragments.entries()) {
      const was = parts[i]!;
      const now = again(was, fragment, reading);
      if (was.node === fragment.node && was.doc === fragment.doc) continue;
      const known = keptOf<Items<T>>(was.node, shape);
      if (!known || !now || !changesOf(known, now, changes)) {
        // all of it is read once more, and its findings are told then
        reading.findings.length = findings;
        return undefined;
      }
    }
    return Layered.on(value!).with(changes);
  };
  /** Each document's part read by itself; undefined where a name is declared in two, which is a finding. */
  const joined = (fragments: readonly Fragment[], reading: Reading): Items<T> | undefined => {
    const seen = new Set<string>();
    for (const { node } of fragments) {
      if (node.kind !== 'map') continue;
      const names = (node.names ??= new Set(node.entries.map(({ name }) => name)));
      for (const name of names) {
        if (seen.has(name)) return undefined;
        seen.add(name);
      }
    }
    const result = new Map<string, Item<T>>();
    for (const fragment of fragments)
      for (const [name, each] of alone(fragment, reading) ?? []) result.set(name, each);
    return result;
  };
  const mergeAll = (fragments: readonly Fragment[], reading: Reading): Items<T> => {
    const result = new Map<string, Item<T>>();
    for (const [name, found] of gather(fragments, reading)) {
      const { doc, entry } = found[0]!;
      reading.doc = doc;
      const fits = nameFits(name, entry, rule, reading);
      let value: T | undefined;
      if (item.merge) {
        const parts = once(found, name, reading, true);
        value = reading.under(name, () => item.merge!(parts, reading));
      } else {
        once(found, name, reading, false);
        reading.doc = doc;
        value = item.read(entry.value, reading);
      }
      // under a wrong name it is read for what else is wrong, and counts for nothing
      if (value !== undefined && fits) {
        result.set(name, itemOf(value, name, doc, entry.key));
      }
    }
    return result;
  };
  const names =
    rule === 'id'
      ? { pattern: ID.source }
      : rule === 'resource'
        ? { minLength: 1, maxLength: 255 }
        : { minLength: 1 };
  return {
    schema: {
      type: ['object', 'null'],
      propertyNames: names,
      additionalProperties: item.schema,
    },
    items: item,
    byName: true,
    read: (node, reading) => alone({ doc: reading.doc, node }, reading),
    merge,
  };
}

/** Collects what of a map's items is otherwise. @returns false where its names are not what they were */
function changesOf<T>(was: Items<T>, now: Items<T>, changes: Map<string, Item<T>>): boolean {
  if (was.size !== now.size) return false;
  const names = was.keys();
  for (const [name, item] of now) {
    if (names.next().value !== name) return false;
    const before = was.get(name)!;
    if (before !== item) changes.set(name, item);
  }
  return true;
}

function nameFits(name: string, entry: Entry, rule: NameRule, reading: Reading): boolean {
  if (rule === 'id' && !ID.test(name)) {
    const [meant] = idLikely(name);
    reading.report(
      'bad-name',
      entry.key,
      `\`${clip(name)}\` is no id: ids are small letters, digits and hyphens, a letter first.${meant ? ` Did you mean \`${meant}\`?` : ''}`,
      meant ? { mends: [writing(reading.place(entry.key), meant)] } : {},
    );
    return false;
  }
  if (name === '') {
    reading.report('bad-name', entry.key, 'This name is empty.');
    return false;
  }
  if (rule === 'resource' && byteLength(name) > 255) {
    reading.report(
      'too-long',
      entry.key,
      `This name is ${byteLength(name)} bytes long; brokers take at most 255.`,
    );
    return false;
  }
  return true;
}

interface Found {
  readonly doc: string;
  readonly entry: Entry;
}

/** All entries of some maps by name, in order of first appearance. */
function gather(fragments: readonly Fragment[], reading: Reading): Map<string, Found[]> {
  const byName = new Map<string, Found[]>();
  for (const { doc, node } of fragments) {
    reading.doc = doc;
    if (isNothing(node)) continue;
    if (node.kind !== 'map') {
      reading.report('wrong-type', node, `Expected a map here, not ${kindOf(node)}.`);
      continue;
    }
    for (const entry of node.entries) {
      const { name } = entry;
      const found = byName.get(name);
      if (found) found.push({ doc, entry });
      else byName.set(name, [{ doc, entry }]);
    }
  }
  return byName;
}

/**
 * Reports what is declared more than once: always within one document, and across documents too
 * unless the parts add up.
 * @returns the parts that count, each document's first.
 */
function once(found: readonly Found[], name: string, reading: Reading, addsUp: boolean): Fragment[] {
  const kept: Fragment[] = [];
  const seen = new Map<string, Found>();
  for (const each of found) {
    const clash = seen.get(each.doc) ?? (addsUp ? undefined : seen.values().next().value);
    if (clash) {
      reading.doc = each.doc;
      const where = clash.doc === each.doc ? 'further up in this document' : `in ${clash.doc}`;
      reading.report(
        'declared-twice',
        each.entry.key,
        `\`${clip(name)}\` is declared twice: it also stands ${where}. The first one counts.`,
        {
          related: [
            {
              place: placeOf(clash.doc, clash.entry.key),
              message: 'the first declaration',
            },
          ],
        },
      );
    } else {
      kept.push({ doc: each.doc, node: each.entry.value });
      seen.set(each.doc, each);
    }
  }
  return kept;
}

/** A field of an object: its shape, a sentence for people, and whether it must be there. */
export interface Field<T> {
  readonly shape: Shape<T>;
  readonly about: string;
  readonly required?: boolean;
  /** What holds where it is not stated, in words; a value is set as code: `true`. */
  readonly otherwise?: string;
  /** May stand in every document, with the same value. */
  readonly repeats?: boolean;
}

export function field<T>(
  shape: Shape<T>,
  about: string,
  more: Omit<Field<T>, 'shape' | 'about'> = {},
): Field<T> {
  return { shape, about, ...more };
}

export type Fields = Readonly<Record<string, Field<unknown>>>;

/** An object as read: every field that was there and right, the place of each key, and its own. */
export type ObjectOf<F extends Fields> = {
  readonly [K in keyof F]?: F[K] extends Field<infer T> ? T : never;
} & {
  readonly place: Place;
  /** Fields that are written but could not be read. */ readonly unread?: readonly string[];
};

/**
 * A map with known keys. With `adds`, several documents may each state some of them.
 * A missing required key is a finding, but the object is still read, so that what refers to it
 * does not fail as well.
 */
export function object<F extends Fields>(fields: F, options: { adds?: boolean } = {}): Shape<ObjectOf<F>> {
  const names = Object.keys(fields);
  const required = names.filter((name) => fields[name]!.required);

  const finish = (
    result: Record<string, unknown>,
    present: readonly string[],
    at: Node,
    reading: Reading,
  ) => {
    for (const name of required) {
      if (!present.includes(name))
        reading.report(
          'missing-key',
          headOf(at, reading),
          `\`${name}\` is missing here: ${fields[name]!.about}.`,
        );
    }
    return result as ObjectOf<F>;
  };
  const unknownKey = ({ name, key }: Entry, reading: Reading) => {
    const ours = oursFor(name, names);
    const hint = ours ?? nearest(name, names);
    const mends = hint ? [writing(reading.place(key), hint)] : undefined;
    const instead = ours
      ? ` Here that is \`${ours}\`: ${fields[ours]!.about}.`
      : hint
        ? ` Did you mean \`${hint}\`?`
        : ` Known: ${names.join(', ')}.`;
    reading.report(
      'unknown-key',
      key,
      `\`${clip(name)}\` means nothing here.${instead}`,
      mends ? { mends } : {},
    );
  };

  // the plain path: one map in one document, no grouping needed
  const shape = {};
  const read = (node: Node, reading: Reading) =>
    reading.remember(shape, node, () => readObject(node, reading));
  const readObject = (node: Node, reading: Reading): ObjectOf<F> | undefined => {
    const place = reading.place(node);
    const result: Record<string, unknown> = { place };
    if (isNothing(node)) return finish(result, [], node, reading);
    if (node.kind !== 'map') {
      reading.report('wrong-type', node, `Expected a map here, not ${kindOf(node)}.`);
      return undefined;
    }
    // there are very many small ones: a list is searched sooner than a set is made
    const present: string[] = [];
    const unread: string[] = [];
    for (const entry of node.entries) {
      const { name } = entry;
      const known = Object.hasOwn(fields, name) ? fields[name] : undefined;
      if (!known) {
        unknownKey(entry, reading);
      } else if (present.includes(name)) {
        const first = node.entries.find((other) => other.name === name)!;
        once(
          [first, entry].map((each) => ({ doc: reading.doc, entry: each })),
          name,
          reading,
          false,
        );
      } else {
        present.push(name);
        const value = known.shape.read(entry.value, reading);
        if (value !== undefined) result[name] = value;
        else unread.push(name);
      }
    }
    if (unread.length) result['unread'] = unread;
    return finish(result, present, node, reading);
  };

  const merge = (fragments: readonly Fragment[], reading: Reading): ObjectOf<F> | undefined =>
    reading.together(shape, fragments, () => mergeAll(fragments, reading));
  const mergeAll = (fragments: readonly Fragment[], reading: Reading): ObjectOf<F> | undefined => {
    const [first] = fragments;
    if (!first) return undefined;
    reading.doc = first.doc;
    const result: Record<string, unknown> = { place: reading.place(first.node) };
    const present: string[] = [];
    for (const [name, found] of gather(fragments, reading)) {
      const known = Object.hasOwn(fields, name) ? fields[name] : undefined;
      if (!known) {
        for (const { doc, entry } of found) {
          reading.doc = doc;
          unknownKey(entry, reading);
        }
        continue;
      }
      present.push(name);
      const agree =
        known.repeats && found.every(({ entry }) => sameScalar(entry.value, found[0]!.entry.value));
      const kept = once(found, name, reading, Boolean(known.shape.merge) || Boolean(agree));
      reading.doc = kept[0]!.doc;
      const value = known.shape.merge
        ? reading.under(name, () => known.shape.merge!(kept, reading))
        : known.shape.read(kept[0]!.node, reading);
      if (value !== undefined) result[name] = value;
    }
    reading.doc = first.doc;
    return finish(result, present, first.node, reading);
  };

  return {
    schema: {
      type: ['object', 'null'],
      properties: Object.fromEntries(
        Object.entries(fields).map(([name, { shape, about }]) => [
          name,
          { description: about, ...shape.schema },
        ]),
      ),
      additionalProperties: false,
      ...(required.length && !options.adds ? { required } : {}),
    },
    fields,
    read,
    ...(options.adds ? { merge } : {}),
  };
}

function sameScalar(a: Node, b: Node): boolean {
  return a.kind === 'scalar' && b.kind === 'scalar' && a.value === b.value;
}

/** Where to point for a thing as a whole: its first line, not all of it. */
function headOf(node: Node, reading: Reading): Place {
  if (node.kind === 'map' && node.entries[0]) return reading.place(node.entries[0].key);
  return { ...reading.place(node), to: Math.max(node.length, 1) };
}

/** One of several object shapes, told apart by the value of one key. */
export function variant<V extends Record<string, Shape<unknown>>>(
  by: string,
  variants: V,
): Shape<{ [K in keyof V]: Infer<V[K]> & { readonly variant: K } }[keyof V]> {
  type Result = { [K in keyof V]: Infer<V[K]> & { readonly variant: K } }[keyof V];
  const names = Object.keys(variants);
  const whole = {};
  const likeliest = (fragments: readonly Fragment[]): string => {
    const keys = fragments.flatMap(({ node }) =>
      node.kind === 'map' ? node.entries.map(({ name }) => name) : [],
    );
    const fits = (name: string) =>
      keys.filter((key) => Object.hasOwn(variants[name]!.fields ?? {}, key)).length;
    return names.reduce((best, name) => (fits(name) > fits(best) ? name : best));
  };
  const merge = (fragments: readonly Fragment[], reading: Reading): Result | undefined =>
    reading.together(whole, fragments, () => mergeAll(fragments, reading));
  const mergeAll = (fragments: readonly Fragment[], reading: Reading): Result | undefined => {
    const [first] = fragments;
    if (!first) return undefined;
    let chosen: string | undefined;
    let stated: { readonly doc: string; readonly node: Node } | undefined;
    for (const { doc, node } of fragments) {
      const entry = node.kind === 'map' ? node.entries.find(({ name }) => name === by) : undefined;
      if (!entry || stated) continue;
      stated = { doc, node: entry.value };
      if (entry.value.kind === 'scalar' && names.includes(String(entry.value.value)))
        chosen = String(entry.value.value);
    }
    if (!chosen) {
      const known = names.map((name) => `\`${name}\``).join(' or ');
      // what else is wrong is told too, by the kind that its keys are of
      chosen = likeliest(fragments);
      const said = `\`${by}\` is ${known}. It is read as \`${chosen}\` until then.`;
      reading.doc = stated?.doc ?? first.doc;
      if (!stated)
        reading.report('missing-key', headOf(first.node, reading), `\`${by}\` is missing here: ${said}`);
      else {
        const at = reading.place(stated.node);
        const mends = [chosen, ...names.filter((name) => name !== chosen)].map((name) => writing(at, name));
        reading.report('wrong-value', stated.node, said, stated.node.kind === 'scalar' ? { mends } : {});
      }
    }
    const told = reading.findings.length;
    const shape = variants[chosen]!;
    const value = shape.merge ? shape.merge(fragments, reading) : shape.read(first.node, reading);
    // the wrong kind is told already
    for (let i = reading.findings.length - 1; i >= told && stated; i--)
      if (reading.findings[i]!.place.node === stated.node) reading.findings.splice(i, 1);
    return value === undefined ? undefined : (toldApart(value as object, chosen) as Result);
  };
  return {
    schema: {
      type: 'object',
      // a document may add to a broker that another one declares, so the key need not be in each
      anyOf: Object.values(variants).map((shape) => shape.schema),
    },
    variants,
    read: (node, reading) => merge([{ doc: reading.doc, node }], reading),
    merge,
  };
}
