/** Reads the filter of a subscription, in any of its languages, into one predicate with places. */
import { nearest } from '../base/similar.ts';
import { put } from '../base/values.ts';
import type { Attribute, Predicate } from '../conditions/predicate.ts';
import { parseSelector } from '../conditions/selector.ts';
import type { Reading } from './reading.ts';
import { type JsonSchema, type Shape, constant as constantShape, field, list, mapOf, text } from './shape.ts';
import type { Located, Place } from '../syntax/place.ts';
import type { Json } from '../syntax/render.ts';
import {
  type Entry,
  type ListNode,
  type MapNode,
  type Node,
  type ScalarNode,
  isNothing,
  offsetIn,
} from '../syntax/tree.ts';

export interface FilterValue {
  readonly predicate: Predicate;
  /** The filter as it is written, with the values that its parameters have. */
  readonly said: Json;
  readonly place: Place;
}

const DIALECTS = ['selector', 'match', 'exact', 'prefix', 'suffix', 'all', 'any', 'not'];
/** Nesting deeper than this is refused; walks over predicates may then be recursive. */
const DEEPEST = 100;

const attributes: JsonSchema = {
  type: 'object',
  minProperties: 1,
  additionalProperties: { type: ['string', 'number', 'boolean'] },
};
const filters: JsonSchema = { type: 'array', items: { $ref: '#/$defs/filter' } };

/** The published schema of one filter; it refers to itself as `#/$defs/filter`. */
export const FILTER_SCHEMA: JsonSchema = {
  type: 'object',
  minProperties: 1,
  maxProperties: 1,
  additionalProperties: false,
  properties: {
    selector: { type: 'string', description: 'a Jakarta Messaging 3.1 message selector' },
    match: { ...attributes, description: 'all listed properties or headers are equal, in type and value' },
    exact: { ...attributes, description: 'all listed attributes have exactly this text (CloudEvents)' },
    prefix: { ...attributes, description: 'all listed attributes begin with this text (CloudEvents)' },
    suffix: { ...attributes, description: 'all listed attributes end with this text (CloudEvents)' },
    all: { ...filters, description: 'every one of these filters admits the message' },
    any: { ...filters, description: 'at least one of these filters admits the message' },
    not: { $ref: '#/$defs/filter', description: 'this filter does not admit the message' },
  },
};

/** What a filter may say, for completion; it is read by hand, since it contains itself. */
const says = (dialect: string) =>
  (FILTER_SCHEMA['properties'] as Record<string, { description?: string }>)[dialect]?.description ??
  'this filter does not admit the message';
const attributesOf = (dialect: string) =>
  field({ ...mapOf(constantShape(), 'parameter'), names: 'an attribute' }, says(dialect));

/** A filter, or a list of which any admits the message. */
export const filter: Shape<FilterValue> = {
  schema: { anyOf: [{ $ref: '#/$defs/filter' }, filters] },
  get items() {
    return filter;
  },
  get fields() {
    return {
      selector: field({ ...text('a message selector'), names: 'a selector' }, says('selector')),
      match: attributesOf('match'),
      exact: attributesOf('exact'),
      prefix: attributesOf('prefix'),
      suffix: attributesOf('suffix'),
      all: field(list(filter), says('all')),
      any: field(list(filter), says('any')),
      not: field(filter, says('not')),
    };
  },
  read(node, reading) {
    const read = node.kind === 'list' ? listOf(node, 'any', reading, 0) : one(node, reading, 0);
    return read && { ...read, place: reading.place(node) };
  },
};

/** A filter that was read. */
interface Read {
  readonly predicate: Predicate;
  readonly said: Json;
}

function listOf(node: ListNode, op: 'all' | 'any', reading: Reading, depth: number): Read | undefined {
  const of: Predicate[] = [];
  const said: Json[] = [];
  let failed = false;
  for (const item of node.items) {
    const read = one(item, reading, depth + 1);
    if (!read) {
      failed = true;
      continue;
    }
    of.push(read.predicate);
    said.push(read.said);
  }
  if (failed) return undefined;
  if (of.length === 0) {
    reading.report('empty-filter', node, 'This list of filters is empty; put a filter in it or remove it.');
    return undefined;
  }
  return { predicate: { op, of, place: reading.place(node) }, said: { [op]: said } };
}

function one(node: Node, reading: Reading, depth: number): Read | undefined {
  if (depth > DEEPEST) {
    reading.report('too-deep', node, `Filters nest at most ${DEEPEST} levels.`);
    return undefined;
  }
  if (node.kind !== 'map' || node.entries.length === 0) {
    reading.report('wrong-type', node, `Expected a filter here: a map with one of ${DIALECTS.join(', ')}.`);
    return undefined;
  }
  if (node.entries.length > 1) {
    reading.report(
      'two-filters',
      node.entries[1]!.key,
      'One filter speaks one language; join several with `all` or `any`.',
    );
    return undefined;
  }
  const { name: dialect, key, value } = node.entries[0] as Entry;
  switch (dialect) {
    case 'selector':
      return selector(value, reading);
    case 'match':
      return each(dialect, value, reading, (of, constant, place) => ({
        op: 'equals',
        of,
        value: constant.value,
        place,
      }));
    case 'exact':
      return each(dialect, value, reading, (of, constant, place) => ({
        op: 'equals',
        of,
        value: String(constant.value),
        place,
      }));
    case 'prefix':
    case 'suffix':
      return each(dialect, value, reading, (of, constant, place) => ({
        op: dialect,
        of,
        value: String(constant.value),
        place,
      }));
    case 'all':
    case 'any':
      if (value.kind === 'list') return listOf(value, dialect, reading, depth);
      reading.report('wrong-type', value, `\`${dialect}\` takes a list of filters.`);
      return undefined;
    case 'not': {
      const of = one(value, reading, depth + 1);
      return (
        of && {
          predicate: { op: 'not', of: of.predicate, place: reading.place(value) },
          said: { not: of.said },
        }
      );
    }
    default: {
      const hint = nearest(dialect, DIALECTS);
      reading.report(
        'unknown-key',
        key,
        `There is no filter language \`${dialect}\`.${hint ? ` Did you mean \`${hint}\`?` : ` Known: ${DIALECTS.join(', ')}.`}`,
      );
      return undefined;
    }
  }
}

function each(
  dialect: string,
  node: Node,
  reading: Reading,
  make: (of: Attribute, constant: Located<string | number | boolean | null>, place: Place) => Predicate,
): Read | undefined {
  if (node.kind !== 'map' || node.entries.length === 0) {
    reading.report('wrong-type', node, 'Expected names with their values, as in { subject: delay }.');
    return undefined;
  }
  const of: Predicate[] = [];
  const said: Record<string, Json> = {};
  const seen = new Set<string>();
  for (const [index, entry] of node.entries.entries()) {
    if (seen.has(entry.name))
      reading.report('declared-twice', entry.key, `\`${entry.name}\` stands twice in this filter.`);
    seen.add(entry.name);
    const constant = oneValue.read(entry.value, reading);
    if (!constant) return undefined;
    const place = entryPlace(reading, node, index);
    of.push(make({ in: 'either', name: entry.name }, constant, place));
    put(said, entry.name, constant.value);
  }
  const predicate: Predicate = of.length === 1 ? of[0]! : { op: 'all', of, place: reading.place(node) };
  return { predicate, said: { [dialect]: said } };
}

/** The place of a key with its value. */
function entryPlace(reading: Reading, map: MapNode, index: number): Place {
  const { key, value } = map.entries[index]!;
  return {
    ...reading.place(map),
    from: offsetIn(map, index, key),
    to: offsetIn(map, index, value) + value.length,
  };
}

const oneValue = constantShape();
const selectorText = text('a message selector');

function selector(node: Node, reading: Reading): Read | undefined {
  if (isNothing(node)) {
    reading.report('wrong-type', node, 'Expected a selector here, as in "severity >= 3".');
    return undefined;
  }
  const value = selectorText.read(node, reading);
  if (!value) return undefined;
  const result = parseSelector(value.value);
  if (result.ok)
    return { predicate: { ...result.predicate, place: value.place }, said: { selector: value.value } };
  const { message, start, end } = result.problem;
  const scalar = node as ScalarNode;
  // inside a scalar written as it reads, the offsets are the document's; otherwise point at the whole
  const verbatim = scalar.length - (scalar.quoted ? 2 : 0) === value.value.length && !value.from;
  const base = scalar.quoted ? 1 : 0;
  const place = reading.place(scalar);
  reading.report(
    'bad-selector',
    verbatim ? { ...place, from: base + start, to: Math.min(base + end, scalar.length) } : place,
    `${message} (column ${start + 1} of the selector)`,
  );
  return undefined;
}
