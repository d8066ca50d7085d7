/** Messages spread over the domains of a type: where the examples are few, these try its corners. */
import { put } from '../../base/values.ts';
import { complete, valueOf } from './samples.ts';
import type { Message } from '../../conditions/message.ts';
import type { MessageType } from '../../topology/messages.ts';

type Schema = Readonly<Record<string, unknown>>;

/** No value: the attribute is left out. */
const ABSENT = Symbol('absent');

/** The numbers that decide things in a range: its ends and what lies evenly between them. */
function numbers(schema: Schema): number[] {
  const { minimum, maximum, exclusiveMinimum, exclusiveMaximum, multipleOf } = schema as Record<
    string,
    number
  >;
  const whole = schema['type'] === 'integer';
  const step = multipleOf ?? (whole ? 1 : 0.5);
  const low = minimum ?? (exclusiveMinimum === undefined ? undefined : exclusiveMinimum + step);
  const high = maximum ?? (exclusiveMaximum === undefined ? undefined : exclusiveMaximum - step);
  if (low === undefined && high === undefined) return [0, 1, 10, 100];
  const from = low ?? high! - 100;
  const to = high ?? from + 100;
  const even = [0, 0.25, 0.5, 0.75, 1].map((part) => from + (to - from) * part);
  const fit = (value: number) => (whole || multipleOf ? Math.round(value / step) * step : value);
  return [...new Set(even.map(fit))].filter((value) => value >= from && value <= to);
}

/** @returns values of a domain that together try what conditions on it may ask, at most some twenty. */
export function valuesOf(schema: Schema): unknown[] {
  if ('const' in schema) return [schema['const']];
  if (Array.isArray(schema['enum']) && schema['enum'].length) return schema['enum'].slice(0, 20);
  switch (schema['type']) {
    case 'boolean':
      return [false, true];
    case 'integer':
    case 'number':
      return numbers(schema);
    default:
      return [valueOf(schema)];
  }
}

/** How many messages a spread of a type has before it repeats itself. */
export function spreadSize(type: MessageType): number {
  return choicesOf(type).reduce((product, { values }) => product * values.length, 1);
}

function choicesOf(type: MessageType) {
  return (['headers', 'properties'] as const).flatMap((part) =>
    [...type[part]].map(([name, { schema }]) => {
      const values: unknown[] = valuesOf(schema);
      const optional = !type.required.has(name) && !('const' in schema);
      return { part, name, values: optional ? [...values, ABSENT] : values };
    }),
  );
}

/**
 * @returns the i-th message of the spread, from 0. Each combination of values comes once in
 * `spreadSize` messages, and neighbours differ in every attribute, so that a few of them try much.
 */
export function spreadAt(type: MessageType, i: number): Message {
  const given = { headers: {} as Record<string, unknown>, properties: {} as Record<string, unknown> };
  let rest = i;
  let turn = 0;
  for (const { part, name, values } of choicesOf(type)) {
    // a digit of i, turned on by those before it: still each combination once
    turn += rest % values.length;
    rest = Math.floor(rest / values.length);
    const value = values[turn % values.length];
    if (value !== ABSENT) put(given[part], name, value);
  }
  return complete(type, given);
}

/** @returns up to `most` messages of the spread. */
export function spreadOf(type: MessageType, most: number): Message[] {
  return Array.from({ length: Math.min(most, spreadSize(type)) }, (_, i) => spreadAt(type, i));
}
