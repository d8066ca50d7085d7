import fc from 'fast-check';
import { covered, overlaps, tokensOf } from './word-sets.ts';
import { wordsMatch } from './words.ts';

const WORDS = ['a', 'b', 'c'];
const pattern = fc.array(fc.constantFrom('a', 'b', '*', '#'), { maxLength: 4 });

/** Every key of up to six words, one word among them that no pattern says. */
const KEYS: string[][] = [[]];
for (let from = 0, n = 0; n < 6; n++) {
  const to = KEYS.length;
  for (; from < to; from++) for (const word of WORDS) KEYS.push([...KEYS[from]!, word]);
}
const matching = (p: readonly string[]) => KEYS.filter((key) => wordsMatch(p, key));

describe('sets of keys', () => {
  test('share a key with a pattern just where there is one', () => {
    fc.assert(
      fc.property(pattern, pattern, (set, other) => {
        const shared = matching(set).some((key) => wordsMatch(other, key));
        expect([set, other, overlaps(tokensOf(set), other)]).toEqual([set, other, shared]);
      }),
      { numRuns: 400 },
    );
  });

  test('are covered by a pattern just where it matches all of them', () => {
    fc.assert(
      fc.property(pattern, pattern, (set, other) => {
        const all = matching(set).every((key) => wordsMatch(other, key));
        expect([set, other, covered(tokensOf(set), other)]).toEqual([set, other, all]);
      }),
      { numRuns: 400 },
    );
  });

  test('may offer words to choose from', () => {
    const routes = [{ one: ['sailing'] }, { one: ['north', 'south'] }, { one: ['late'] }];
    expect(overlaps(routes, ['sailing', '*', 'late'])).toBe(true);
    expect(overlaps(routes, ['sailing', 'outer', '#'])).toBe(false);
    expect(covered(routes, ['sailing', 'north', 'late'])).toBe(false);
    expect(covered(routes, ['#', 'late'])).toBe(true);
  });
});
