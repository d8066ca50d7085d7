import fc from 'fast-check';
import { topicKey } from './amqp.ts';
import { evaluate } from './evaluate.ts';
import { attributeName, explain, operandsOf, show } from './explain.ts';
import { message } from './message.ts';
import type { Predicate } from './predicate.ts';
import { parseSelector } from './selector.ts';
import { wordsMatch, wordsMisfit, wordsOf } from './words.ts';

const header = (name: string) => ({ in: 'header', name }) as const;
const equals = (name: string, value: string | number | boolean): Predicate => ({
  op: 'equals',
  of: header(name),
  value,
});

describe('reasons', () => {
  const both: Predicate = { op: 'all', of: [equals('a', 1), equals('b', 2)] };
  const either: Predicate = { op: 'any', of: [equals('a', 1), equals('b', 2)] };
  const text = (predicate: Predicate, headers: Record<string, unknown>) =>
    explain(predicate, message({ headers })).text;

  test('of `all`: the first that fails, or everything that holds', () => {
    expect(text(both, { a: 1, b: 3 })).toBe('`b = 2` is false: b is 3');
    expect(text(both, { b: 2 })).toBe('`a = 1` is false: a is missing');
    expect(text(both, { a: 1, b: 2 })).toBe('`a = 1` is true: a is 1; `b = 2` is true: b is 2');
  });

  test('of `any`: the one that holds, or everything that fails', () => {
    expect(text(either, { b: 2 })).toBe('`b = 2` is true: b is 2');
    expect(text(either, {})).toBe('`a = 1` is false: a is missing; `b = 2` is false: b is missing');
  });

  test('of `not`: what is inside', () => {
    const reason = explain({ op: 'not', of: equals('a', 1) }, message({ headers: { a: 1 } }));
    expect(reason).toMatchObject({ truth: false, text: '`a = 1` is true: a is 1' });
  });

  test('of nothing to meet', () => {
    expect(text({ op: 'always' }, {})).toBe('admits everything');
    expect(text({ op: 'never' }, {})).toBe('admits nothing');
  });

  test('keep the places of what decided', () => {
    const place = { doc: 'a', from: 3, to: 9 };
    const reason = explain({ op: 'all', of: [{ ...equals('a', 1), place }, equals('b', 2)] }, message({}));
    expect(reason.place).toEqual(place);
  });

  test('name every operand that was looked at, with what was there', () => {
    const result = parseSelector("a > b + 1 OR NOT (c LIKE 'x%' AND d BETWEEN 1 AND 2)");
    if (!result.ok) throw new Error(result.problem.message);
    expect(operandsOf(result.predicate).map(attributeName)).toEqual(['a', 'b', 'c', 'd']);
    const reason = explain(result.predicate, message({ headers: { a: 1, b: 5, c: 'xy', d: 1 } }));
    expect(reason.truth).toBe(false);
    expect(reason.operands.map(({ of, value }) => [attributeName(of), value])).toEqual([
      ['a', 1],
      ['b', 5],
      ['c', 'xy'],
      ['d', 1],
    ]);
  });

  test('always agree with the evaluator', () => {
    const part = fc.constantFrom(
      'n > 3',
      "s = 'x'",
      "s LIKE 'a%'",
      'f',
      'n IS NULL',
      'n BETWEEN 1 AND 4',
      "s IN ('a', 'x')",
      'n + 1 <> m',
    );
    const selector = fc.letrec<{ any: string }>((tie) => ({
      any: fc.oneof(
        { maxDepth: 3 },
        part,
        fc
          .tuple(tie('any'), fc.constantFrom('AND', 'OR'), tie('any'))
          .map(([a, op, b]) => `(${a} ${op} ${b})`),
        tie('any').map((inner) => `NOT (${inner})`),
      ),
    })).any;
    const headers = fc.record(
      {
        n: fc.integer({ min: 0, max: 5 }),
        m: fc.integer({ min: 0, max: 5 }),
        s: fc.constantFrom('a', 'x', 'ab'),
        f: fc.boolean(),
      },
      { requiredKeys: [] },
    );
    fc.assert(
      fc.property(selector, headers, (words, given) => {
        const result = parseSelector(words);
        if (!result.ok) throw new Error(result.problem.message);
        const sent = message({ headers: given });
        const reason = explain(result.predicate, sent);
        expect(reason.truth).toBe(evaluate(result.predicate, sent));
        expect(reason.text).not.toBe('');
      }),
    );
  });
});

describe('where a pattern parts from a key', () => {
  test.each([
    ['sailing.*.departed', 'sailing.north.delayed', 'word 3 is `delayed`, not `departed`'],
    ['a', '', 'the key has no words, the pattern asks for 1'],
    ['a.b', 'a', 'the key has 1 word, the pattern asks for 2'],
    ['a.*', 'a.b.c', 'the key has 3 words, the pattern asks for 2'],
    ['', 'a', 'the key has 1 word, the pattern asks for 0'],
    ['a.#.z', 'a.b', 'no words after the first 1 word fit `#.z`'],
    ['#.z', 'a.b', 'no words after the start fit `#.z`'],
    ['a.b.#', 'a', 'the key has 1 word, the pattern asks for at least 2'],
  ])('%j and %j: %s', (pattern, key, words) => {
    expect(wordsMatch(wordsOf(pattern), wordsOf(key))).toBe(false);
    expect(wordsMisfit(wordsOf(pattern), wordsOf(key))).toBe(words);
    expect(explain(topicKey(pattern), message({ key })).text).toContain(words);
  });
});

describe('conditions as text', () => {
  test.each([
    ["a > 1 AND (b = 'x' OR c)", "a > 1 and (b = 'x' or c)"],
    ["NOT (a IN ('p', 'q'))", "not (a in ('p', 'q'))"],
    ["a LIKE 'x_%'", "a like 'x_%'"],
    ['a BETWEEN 1 AND b * -2', 'a between 1 and (b * -2)'],
    ['a IS NOT NULL', 'not (a is null)'],
    ['f = TRUE', 'f = TRUE'],
  ])('%s reads %s', (selector, text) => {
    const result = parseSelector(selector);
    if (!result.ok) throw new Error(result.problem.message);
    expect(show(result.predicate)).toBe(text);
  });
});
