/**
 * The one form every filter language is read into, so that evaluating, explaining and (for all
 * messages at once) solving are written once. Leaves test one attribute wherever the filter's own
 * language allows it; only arithmetic between attributes escapes that.
 */
import type { Message } from './message.ts';
import type { Place } from '../syntax/place.ts';

/** What a condition looks at. `either` is the property of that name, or without one the header. */
export type Attribute =
  | { readonly in: 'key' }
  | { readonly in: 'header'; readonly name: string }
  | { readonly in: 'property'; readonly name: string }
  | { readonly in: 'either'; readonly name: string };

export type Constant = string | number | boolean | null;

/**
 * A number as selectors reckon with it (Jakarta Messaging 3.1 §3.8.1.1): a bigint is an integer of 64 bits, a
 * number is a double, or with `single` a float of 32 bits.
 */
export interface SelectorNumber {
  readonly is: 'number';
  readonly value: number | bigint;
  readonly single?: true;
}

/** A value in a comparison. */
export type Term =
  | { readonly is: 'attribute'; readonly of: Attribute }
  | { readonly is: 'constant'; readonly value: string | boolean }
  | SelectorNumber
  | { readonly is: 'negate'; readonly of: Term }
  | {
      readonly is: 'arithmetic';
      readonly op: '+' | '-' | '*' | '/';
      readonly left: Term;
      readonly right: Term;
    };

export type Relation = '=' | '<>' | '<' | '<=' | '>' | '>=';

/** A comparison with its sides changed over. */
export const FLIPPED: Readonly<Record<Relation, Relation>> = {
  '=': '=',
  '<>': '<>',
  '<': '>',
  '<=': '>=',
  '>': '<',
  '>=': '<=',
};

/** One piece of a LIKE pattern: fixed text, `_` (any one character) or `%` (any number). */
export type LikePart = string | { readonly any: 'one' | 'many' };

interface Declared {
  /** Where the condition stands in the documents. */
  readonly place?: Place;
}

/** A condition on a message; true, false or (where a selector meets a missing value) unknown. */
export type Predicate = Declared &
  (
    | { readonly op: 'always' }
    // `why` as a phrase; `unread` where what is written could not be read, so that nothing is proved by it
    | { readonly op: 'never'; readonly why?: string; readonly unread?: true }
    | { readonly op: 'all' | 'any'; readonly of: readonly Predicate[] }
    | { readonly op: 'not'; readonly of: Predicate }
    // the selector's conditions: three-valued
    | { readonly op: 'compare'; readonly relation: Relation; readonly left: Term; readonly right: Term }
    | { readonly op: 'between'; readonly term: Term; readonly low: Term; readonly high: Term }
    | { readonly op: 'in'; readonly of: Attribute; readonly values: readonly string[] }
    | {
        readonly op: 'like';
        readonly of: Attribute;
        readonly pattern: readonly LikePart[];
        readonly text: string;
      }
    | { readonly op: 'null'; readonly of: Attribute }
    | { readonly op: 'holds'; readonly of: Term }
    // every other language's: two-valued, a missing attribute is simply no match
    | { readonly op: 'equals'; readonly of: Attribute; readonly value: Constant }
    | { readonly op: 'present'; readonly of: Attribute }
    | { readonly op: 'prefix' | 'suffix'; readonly of: Attribute; readonly value: string }
    | {
        readonly op: 'words';
        readonly of: Attribute;
        readonly pattern: readonly string[];
        readonly text: string;
      }
  );

/** One step of a sum or product: what is done with what stands right of it. */
export interface Operation {
  readonly op: '+' | '-' | '*' | '/';
  readonly right: Term;
}

/**
 * @returns a sum or product as what it begins with and its steps, in order: a long one is as deep as it is long,
 *   and is walked by a loop
 */
export function stepsOf(term: Term): { readonly first: Term; readonly steps: readonly Operation[] } {
  const steps: Operation[] = [];
  let first = term;
  for (; first.is === 'arithmetic'; first = first.left) steps.push({ op: first.op, right: first.right });
  return { first, steps: steps.reverse() };
}

export const ALWAYS: Predicate = { op: 'always' };

/** True, false, or undefined for unknown: SQL's third value. */
export type Truth = boolean | undefined;

/** @returns what a message has at an attribute; undefined when it has nothing there. */
export function attributeValue(attribute: Attribute, message: Message): unknown {
  switch (attribute.in) {
    case 'key':
      return message.key;
    case 'header':
      return own(message.headers, attribute.name);
    case 'property':
      return own(message.properties, attribute.name);
    case 'either':
      return own(message.properties, attribute.name) ?? own(message.headers, attribute.name);
  }
}

function own(record: Readonly<Record<string, unknown>>, name: string): unknown {
  return Object.hasOwn(record, name) ? record[name] : undefined;
}
