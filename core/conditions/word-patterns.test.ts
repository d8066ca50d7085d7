import fc from 'fast-check';
import { keysPattern } from './word-patterns.ts';
import { wordsMatch, wordsOf } from './words.ts';

const matches = (allowed: readonly string[], denied: readonly string[], key: string) =>
  new RegExp(keysPattern(allowed, denied).replaceAll('\\z', '$'), 's').test(key);
const fits = (pattern: string, key: string) => wordsMatch(wordsOf(pattern), wordsOf(key));

test.each([
  ['#', '', true],
  ['*', '', false],
  ['*', 'a', true],
  ['*', 'a.b', false],
  ['a.#', 'a', true],
  ['a.#', 'a.b.c', true],
  ['a.#', 'ab', false],
  ['#.a', 'a', true],
  ['#.a', 'x.y.a', true],
  ['#.a', 'xa', false],
  ['#.#', '', true],
  ['#.*', '', false],
  ['#.*', '.', true],
  ['*.b', '.b', true],
  ['a.*.c', 'a..c', true],
  ['a.b', 'axb', false],
  ['{username}', 'x', false],
  ['a+', 'aa', false],
  ['', '', true],
  ['', 'a', false],
])('%j has %j: %s', (pattern, key, expected) => {
  expect(fits(pattern, key)).toBe(expected);
  expect(matches([pattern], [], key)).toBe(expected);
});

/** Makes no keys of more than six words and no characters beyond a few; the cases above have odd ones. */
const word = fc.constantFrom('a', 'b', '', 'ab');
const key = fc.array(word, { maxLength: 6 }).map((words) => words.join('.'));
const pattern = fc
  .array(fc.oneof(word, fc.constantFrom('*', '#')), { maxLength: 5 })
  .map((words) => words.join('.'));

test('keys are let through as patterns of words match them, and none that is denied', () => {
  fc.assert(
    fc.property(
      fc.array(pattern, { minLength: 1, maxLength: 3 }),
      fc.array(pattern, { maxLength: 2 }),
      key,
      (allowed, denied, each) => {
        const expected = allowed.some((one) => fits(one, each)) && !denied.some((one) => fits(one, each));
        expect(matches(allowed, denied, each)).toBe(expected);
      },
    ),
    { numRuns: 3000, seed: 17 },
  );
});
