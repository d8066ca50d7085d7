import fc from 'fast-check';
import { evaluate } from './evaluate.ts';
import { message } from './message.ts';
import type { LikePart } from './predicate.ts';
import { meets as meetsPattern, textsOf } from './texts.ts';

const meets = (pattern: readonly LikePart[], text: string) =>
  evaluate(
    { op: 'like', of: { in: 'header', name: 'h' }, pattern, text: '' },
    message({ headers: { h: text } }),
  ) === true;

const parts: fc.Arbitrary<LikePart> = fc.constantFrom<LikePart[]>(
  'a',
  'b',
  'ab',
  { any: 'one' },
  { any: 'many' },
);
const patterns = fc.array(fc.array(parts, { maxLength: 4 }), { maxLength: 3 });
/** All texts of up to five letters, one of which no pattern says. */
const TEXTS = Array.from({ length: 6 }, (_, length) => length).flatMap((length) =>
  Array.from({ length: 3 ** length }, (_, i) =>
    Array.from({ length }, (__, at) => 'abz'[Math.floor(i / 3 ** at) % 3]).join(''),
  ),
);

test('whatever some text does before patterns, one of the texts does that stand for all', () => {
  fc.assert(
    fc.property(patterns, fc.uniqueArray(fc.constantFrom('', 'a', 'ab', 'ba', 'abb', 'q')), (all, said) => {
      const asked = new Set<string>(said);
      const found = textsOf(all, asked)!;
      const met = (text: string) => all.map((pattern) => (meets(pattern, text) ? 1 : 0)).join('');
      const ways = new Set(found.map(met));
      expect(found.some((text) => asked.has(text))).toBe(false);
      // each stands for another way of meeting and missing them
      expect(ways.size).toBe(found.length);
      for (const text of TEXTS) if (!asked.has(text)) expect(ways).toContain(met(text));
    }),
    { numRuns: 300 },
  );
});

test('what is too much to find out is not guessed', () => {
  const many = Array.from({ length: 40 }, (_, i): LikePart[] => [{ any: 'many' }, `k${i}`, { any: 'many' }]);
  expect(textsOf(many, new Set())).toBeUndefined();
});

test('a text meets a pattern where an expression of it matches', () => {
  const part = fc.oneof(
    fc.constantFrom('a', 'b', 'ab', 'ü', '.'),
    fc.constantFrom({ any: 'one' } as const, { any: 'many' } as const),
  );
  fc.assert(
    fc.property(fc.array(part, { maxLength: 5 }), fc.stringMatching(/^[abü.x]{0,6}$/u), (pattern, text) => {
      const source = pattern
        .map((each) =>
          typeof each === 'string' ? each.replace('.', '\\.') : each.any === 'one' ? '[^]' : '[^]*',
        )
        .join('');
      expect([pattern, text, meetsPattern(pattern, text)]).toEqual([
        pattern,
        text,
        new RegExp(`^(?:${source})$`, 'u').test(text),
      ]);
    }),
    { numRuns: 500 },
  );
});
