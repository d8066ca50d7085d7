import type { Message } from './message.ts';
import {
  type LikePart,
  type Operation,
  type Predicate,
  type Relation,
  type SelectorNumber,
  type Term,
  type Truth,
  attributeValue,
  stepsOf,
} from './predicate.ts';
import { wordsMatch, wordsOf } from './words.ts';

/**
 * Whether a message meets a condition.
 * @returns true, false, or undefined where the selector language says unknown (Jakarta Messaging 3.1
 * §3.8.1.2); only true admits a message.
 */
export function evaluate(predicate: Predicate, message: Message): Truth {
  switch (predicate.op) {
    case 'always':
      return true;
    case 'never':
      return false;
    case 'all': {
      let truth: Truth = true;
      for (const part of predicate.of) {
        const each = evaluate(part, message);
        if (each === false) return false;
        if (each === undefined) truth = undefined;
      }
      return truth;
    }
    case 'any': {
      let truth: Truth = false;
      for (const part of predicate.of) {
        const each = evaluate(part, message);
        if (each === true) return true;
        if (each === undefined) truth = undefined;
      }
      return truth;
    }
    case 'not': {
      const truth = evaluate(predicate.of, message);
      return truth === undefined ? undefined : !truth;
    }
    case 'compare':
      return compare(
        predicate.relation,
        termValue(predicate.left, message),
        termValue(predicate.right, message),
      );
    case 'between': {
      const value = termValue(predicate.term, message);
      const low = compare('>=', value, termValue(predicate.low, message));
      const high = compare('<=', value, termValue(predicate.high, message));
      if (low === false || high === false) return false;
      return low === undefined || high === undefined ? undefined : true;
    }
    case 'in': {
      const value = present(attributeValue(predicate.of, message));
      if (value === undefined) return undefined;
      return typeof value === 'string' && predicate.values.includes(value);
    }
    case 'like': {
      const value = present(attributeValue(predicate.of, message));
      if (value === undefined) return undefined;
      return typeof value === 'string' && like(predicate.pattern, [...value]);
    }
    case 'null':
      return present(attributeValue(predicate.of, message)) === undefined;
    case 'holds': {
      const value = termValue(predicate.of, message);
      return value?.is === 'boolean' ? value.value : undefined;
    }
    case 'equals': {
      const value = attributeValue(predicate.of, message);
      return value !== undefined && value === predicate.value;
    }
    case 'present':
      return attributeValue(predicate.of, message) !== undefined;
    case 'prefix': {
      const value = attributeValue(predicate.of, message);
      return typeof value === 'string' && value.startsWith(predicate.value);
    }
    case 'suffix': {
      const value = attributeValue(predicate.of, message);
      return typeof value === 'string' && value.endsWith(predicate.value);
    }
    case 'words': {
      const value = attributeValue(predicate.of, message);
      return typeof value === 'string' && wordsMatch(predicate.pattern, wordsOf(value));
    }
  }
}

/** @returns whether a filter admits a message: unknown does not. */
export function admits(predicate: Predicate, message: Message): boolean {
  return evaluate(predicate, message) === true;
}

/** A selector's value; undefined is NULL. */
export type SelectorValue =
  | SelectorNumber
  | { readonly is: 'string'; readonly value: string }
  | { readonly is: 'boolean'; readonly value: boolean }
  | undefined;

/** A null property and an absent one are the same to a selector. */
function present(value: unknown): unknown {
  return value === null ? undefined : value;
}

/** @returns the value of a term for a message, undefined for NULL. */
export function termValue(term: Term, message: Message): SelectorValue {
  switch (term.is) {
    case 'constant':
      return typeof term.value === 'string'
        ? { is: 'string', value: term.value }
        : { is: 'boolean', value: term.value };
    case 'number':
      return term;
    case 'attribute': {
      const value = attributeValue(term.of, message);
      if (typeof value === 'bigint') return { is: 'number', value };
      if (typeof value === 'number')
        return { is: 'number', value: Number.isInteger(value) && inLong(value) ? BigInt(value) : value };
      if (typeof value === 'string') return { is: 'string', value };
      if (typeof value === 'boolean') return { is: 'boolean', value };
      return undefined;
    }
    case 'negate': {
      const value = termValue(term.of, message);
      if (value?.is !== 'number') return undefined;
      // integers have no negative zero
      return typeof value.value === 'bigint' ? long(-value.value) : { ...value, value: -value.value };
    }
    case 'arithmetic': {
      const { first, steps } = stepsOf(term);
      let value = termValue(first, message);
      for (const { op, right } of steps) {
        const other = termValue(right, message);
        if (value?.is !== 'number' || other?.is !== 'number') return undefined;
        value = arithmetic(op, value, other);
      }
      return value;
    }
  }
}

/** Whether a whole number can be an integer of 64 bits: beyond, it is a double. */
const inLong = (value: number): boolean => value >= -(2 ** 63) && value < 2 ** 63;

const long = (value: bigint): SelectorNumber => ({ is: 'number', value: BigInt.asIntN(64, value) });

/**
 * Java's binary numeric promotion (JLS §5.6.2): integers stay integers of 64 bits, wrap round and divide towards
 * zero; with a double all is double, else with a float all is float.
 */
function arithmetic(op: Operation['op'], left: SelectorNumber, right: SelectorNumber): SelectorValue {
  const [a, b] = [left.value, right.value];
  if (typeof a === 'bigint' && typeof b === 'bigint') {
    if (op === '/') return b === 0n ? undefined : long(a / b);
    return long(op === '+' ? a + b : op === '-' ? a - b : a * b);
  }
  const single = [left, right].every((each) => each.single || typeof each.value === 'bigint');
  const round = single ? Math.fround : (value: number) => value;
  const [x, y] = [round(Number(a)), round(Number(b))];
  const value = round(op === '+' ? x + y : op === '-' ? x - y : op === '*' ? x * y : x / y);
  return { is: 'number', value, ...(single ? { single } : {}) };
}

/** @returns two numbers as Java compares them: of an integer and a float the integer is made a float first */
function promoted(left: SelectorNumber, right: SelectorNumber): [number | bigint, number | bigint] {
  const [a, b] = [left.value, right.value];
  if (typeof a === typeof b) return [a, b];
  const round = left.single || right.single ? Math.fround : (value: number) => value;
  return [round(Number(a)), round(Number(b))];
}

/**
 * A selector comparison. Values of unlike types compare false whatever the relation; strings and
 * booleans know only `=` and `<>` (§3.8.1.1).
 */
export function compare(relation: Relation, left: SelectorValue, right: SelectorValue): Truth {
  if (left === undefined || right === undefined) return undefined;
  if (left.is !== right.is) return false;
  const [a, b] =
    left.is === 'number' && right.is === 'number' ? promoted(left, right) : [left.value, right.value];
  switch (relation) {
    case '=':
      return a === b;
    case '<>':
      return a !== b;
    default:
      if (left.is !== 'number') return false;
  }
  switch (relation) {
    case '<':
      return a < b;
    case '<=':
      return a <= b;
    case '>':
      return a > b;
    case '>=':
      return a >= b;
  }
}

/** LIKE, greedy with one step back to the last `%`: linear but for that. */
function like(pattern: readonly LikePart[], text: readonly string[]): boolean {
  const units: (string | 'one' | 'many')[] = [];
  const fixed: boolean[] = [];
  for (const part of pattern) {
    if (typeof part === 'string') {
      for (const char of part) {
        units.push(char);
        fixed.push(true);
      }
    } else {
      units.push(part.any);
      fixed.push(false);
    }
  }
  let at = 0;
  let p = 0;
  let manyAt = -1;
  let reach = 0;
  while (at < text.length) {
    if (p < units.length && !fixed[p] && units[p] === 'many') {
      manyAt = p++;
      reach = at;
    } else if (p < units.length && (fixed[p] ? units[p] === text[at] : true)) {
      p++;
      at++;
    } else if (manyAt >= 0) {
      p = manyAt + 1;
      at = ++reach;
    } else {
      return false;
    }
  }
  while (p < units.length && !fixed[p] && units[p] === 'many') p++;
  return p === units.length;
}
