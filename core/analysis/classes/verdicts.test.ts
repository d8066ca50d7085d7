import fc from 'fast-check';
import { readTopology } from '../../topology/read.ts';
import { headersMatch } from '../../conditions/amqp.ts';
import { arrivalOf, verdictOn } from './verdicts.ts';

const values = fc.constantFrom('a', 'b', '', 'undefined', 1, 2, 3.5, -0, 0, '1', true, false, 'true', null);
const schema = fc.oneof(
  fc.record({ enum: fc.uniqueArray(fc.constantFrom('a', 'b', 1, '1', true, 'true', ''), { minLength: 1 }) }),
  fc.record({ const: fc.constantFrom('a', 1, true, 0) }),
  fc.record({ type: fc.constantFrom('string', 'integer', 'number', 'boolean') }),
  fc.record({ type: fc.constant('integer'), minimum: fc.nat(3), maximum: fc.integer({ min: 0, max: 4 }) }),
  fc.record({ type: fc.constant('string'), pattern: fc.constantFrom('^a', 'b$', '^(a|b)$') }),
  fc.record({ type: fc.constant('string'), maxLength: fc.nat(2) }),
);
const NAMES = ['a', 'b', 'c', 'undeclared'];

/** Not made: two tests of one header, which a binding cannot write, and tests of keys, which are told otherwise. */
test('tests of headers are told one by one as they are told together', () => {
  const seen = new Set<string>();
  fc.assert(
    fc.property(
      fc.dictionary(fc.constantFrom('a', 'b', 'c'), schema, { maxKeys: 3 }),
      fc.subarray(['a', 'b', 'c']),
      fc.uniqueArray(fc.tuple(fc.constantFrom(...NAMES), values), {
        selector: ([name]) => name,
        maxLength: 4,
      }),
      fc.constantFrom('all' as const, 'any' as const),
      fc.constantFrom('x.y', 'x.{a}', '{a}.{b}', '{rest...}'),
      fc.constantFrom('own', 'wrapped', 'other'),
      (headers, required, tests, match, key, form) => {
        const text = JSON.stringify({ messages: { note: { key, headers, required } } });
        const type = readTopology([{ name: 'a.json', text }]).messages.get('note');
        if (!type) return;
        const condition = headersMatch(match, new Map(tests));
        const arrival = arrivalOf(type, form === 'other' ? 'elsewhere' : key, form === 'wrapped');
        const apart = verdictOn(condition, arrival);
        // what is not written as bare tests is told by the sets of all of them
        const together = verdictOn({ op: 'all', of: [condition] }, arrival);
        expect(apart).toEqual(together);
        seen.add(`${match} ${apart.some} ${apart.every}`);
      },
    ),
    { numRuns: 2_000 },
  );
  expect(seen.size).toBe(6);
});
