/**
 * The smallest changes of a message that make a condition come out as wanted. One solution for each
 * way the condition can be met, smallest first; a change found here is always tried out before it
 * is told, so that an attribute two conditions disagree about is never promised.
 */
import { put } from '../base/values.ts';
import { evaluate, termValue } from './evaluate.ts';
import type { Message } from './message.ts';
import {
  type Attribute,
  type LikePart,
  type Predicate,
  type Relation,
  type Term,
  FLIPPED,
} from './predicate.ts';
import { wordsMatch, wordsOf } from './words.ts';

/** One attribute's new value; undefined takes it away. */
export interface Assignment {
  readonly attribute: Attribute;
  readonly value: string | number | boolean | undefined;
}

export type Solution = readonly Assignment[];

/** More ways than this are not looked into. */
const MOST = 12;

/**
 * @param wanted what the condition shall be
 * @returns ways to get there, fewest assignments first; [[]] when it is so already, [] when none is known
 */
export function solve(predicate: Predicate, message: Message, wanted = true): Solution[] {
  if (evaluate(predicate, message) === wanted) return [[]];
  const found = ways(predicate, message, wanted).filter(
    (solution) => evaluate(predicate, assign(message, solution)) === wanted,
  );
  return found.sort((a, b) => a.length - b.length).slice(0, MOST);
}

/** @returns the message with some attributes changed. */
export function assign(message: Message, solution: Solution): Message {
  let { key } = message;
  const headers = { ...message.headers };
  const properties = { ...message.properties };
  for (const { attribute, value } of solution) {
    if (attribute.in === 'key') key = value === undefined ? '' : String(value);
    else {
      const inProperties =
        attribute.in === 'property' ||
        (attribute.in === 'either' &&
          (Object.hasOwn(properties, attribute.name) || isProperty(attribute.name)));
      const record = inProperties ? properties : headers;
      if (value === undefined) delete record[attribute.name];
      else put(record, attribute.name, value);
    }
  }
  return { ...message, key, headers, properties };
}

/** Names that are properties of every message; others are headers where a filter does not say. */
function isProperty(name: string): boolean {
  return ['type', 'subject', 'correlationId', 'messageId', 'priority', 'timestamp', 'deliveryMode'].includes(
    name,
  );
}

function ways(predicate: Predicate, message: Message, wanted: boolean): Solution[] {
  switch (predicate.op) {
    case 'always':
    case 'never':
      return [];
    case 'not':
      return solve(predicate.of, message, !wanted);
    case 'all':
      return wanted ? every(predicate.of, message, true) : some(predicate.of, message, false);
    case 'any':
      return wanted ? some(predicate.of, message, true) : every(predicate.of, message, false);
    case 'words': {
      const { of } = predicate;
      if (!wanted) return [[{ attribute: of, value: `${message.key}.x` }], [{ attribute: of, value: 'x' }]];
      const value = nearestKey(predicate.pattern, wordsOf(of.in === 'key' ? message.key : ''));
      return [[{ attribute: of, value }]];
    }
    case 'equals':
      if (wanted)
        return predicate.value === null ? [] : [[{ attribute: predicate.of, value: predicate.value }]];
      return [[{ attribute: predicate.of, value: undefined }]];
    case 'present':
      return [[{ attribute: predicate.of, value: wanted ? 'x' : undefined }]];
    case 'prefix':
    case 'suffix':
    case 'in': {
      const value = predicate.op === 'in' ? predicate.values[0] : predicate.value;
      return [[{ attribute: predicate.of, value: wanted ? value : '' }]];
    }
    case 'like':
      return [[{ attribute: predicate.of, value: wanted ? likeText(predicate.pattern) : '' }]];
    case 'null':
      return [[{ attribute: predicate.of, value: wanted ? undefined : 'x' }]];
    case 'holds':
      return predicate.of.is === 'attribute' ? [[{ attribute: predicate.of.of, value: wanted }]] : [];
    case 'between': {
      const low = constantOf(predicate.low, message);
      if (predicate.term.is !== 'attribute' || typeof low !== 'number') return [];
      return [[{ attribute: predicate.term.of, value: wanted ? low : low - 1 }]];
    }
    case 'compare':
      return [
        ...compareWays(predicate.left, predicate.relation, predicate.right, message, wanted),
        ...compareWays(predicate.right, FLIPPED[predicate.relation], predicate.left, message, wanted),
      ];
  }
}

const NEGATED: Record<Relation, Relation> = {
  '=': '<>',
  '<>': '=',
  '<': '>=',
  '<=': '>',
  '>': '<=',
  '>=': '<',
};

function compareWays(
  left: Term,
  relation: Relation,
  right: Term,
  message: Message,
  wanted: boolean,
): Solution[] {
  if (left.is !== 'attribute') return [];
  const other = constantOf(right, message);
  if (other === undefined) return [];
  const to = (value: string | number | boolean): Solution[] => [[{ attribute: left.of, value }]];
  const meant = wanted ? relation : NEGATED[relation];
  if (meant === '=') return to(other);
  if (meant === '<>')
    return to(typeof other === 'number' ? other + 1 : typeof other === 'boolean' ? !other : `${other}x`);
  if (typeof other !== 'number') return [];
  // the value nearest to the bound: on it, or the next whole number beyond
  return to(meant === '>' ? Math.floor(other) + 1 : meant === '<' ? Math.ceil(other) - 1 : other);
}

function constantOf(term: Term, message: Message): string | number | boolean | undefined {
  const value = termValue(term, message)?.value;
  if (typeof value !== 'bigint') return value;
  return Number.isSafeInteger(Number(value)) ? Number(value) : undefined;
}

/** All parts at once: the ways of each joined, part after part on the message changed so far. */
function every(parts: readonly Predicate[], message: Message, wanted: boolean): Solution[] {
  let solutions: Solution[] = [[]];
  for (const part of parts) {
    solutions = solutions
      .flatMap((solution) =>
        solve(part, assign(message, solution), wanted).map((more) => [...solution, ...more]),
      )
      .slice(0, MOST);
  }
  return solutions;
}

function some(parts: readonly Predicate[], message: Message, wanted: boolean): Solution[] {
  return parts.flatMap((part) => solve(part, message, wanted));
}

function likeText(pattern: readonly LikePart[]): string {
  return pattern.map((part) => (typeof part === 'string' ? part : part.any === 'one' ? 'x' : '')).join('');
}

/** A key that fits a pattern, keeping the words there are wherever the pattern leaves them free. */
export function nearestKey(pattern: readonly string[], words: readonly string[]): string {
  const fixed = pattern.filter((word) => word !== '#').length;
  // a single empty word cannot be written (the empty key has no words): then a `#` has to take one more
  for (const more of [0, 1]) {
    // how many words the first `#` takes, so that a key long enough keeps its length
    let spare = Math.max(0, words.length - fixed) + more;
    const made: string[] = [];
    for (const word of pattern) {
      if (word === '#') for (; spare > 0; spare--) made.push(words[made.length] ?? 'x');
      else made.push(word === '*' ? words[made.length] || 'x' : word);
    }
    const key = made.join('.');
    if (wordsMatch(pattern, wordsOf(key))) return key;
  }
  return pattern.map((word) => (word === '*' || word === '#' ? 'x' : word)).join('.');
}
