/** Keys as templates make them, held against keys that were made: what a pattern matches of them is what the sets say. */
import fc from 'fast-check';
import { topicKey } from '../../conditions/amqp.ts';
import { evaluate } from '../../conditions/evaluate.ts';
import { message } from '../../conditions/message.ts';
import { readTopology } from '../../topology/read.ts';
import { close, exactly, fillingsOf, partsOf, patternOf, slotsIn, step, wantedAt } from './keys.ts';
import { OWN, Space } from './space.ts';

const WORDS = ['a', 'b', 'late'];
const pattern = fc
  .array(fc.constantFrom(...WORDS, '*', '#', ''), { minLength: 1, maxLength: 4 })
  .map((words) => words.join('.'));

/** Whether a key's words match a pattern, by the places that they lead to. */
function walks(words: readonly string[], of: string): boolean {
  const asked = patternOf(of.split('.'));
  let at = close(asked, [0]);
  for (const word of words) at = step(asked, at, word);
  return at.includes(asked.length);
}

test('words lead through a pattern where a broker finds that it matches', () => {
  fc.assert(
    fc.property(
      fc.array(fc.constantFrom(...WORDS, 'other', ''), { minLength: 1, maxLength: 5 }),
      pattern,
      (words, of) => {
        // a key without a letter has no word at all
        const key = words.join('.');
        if (key === '') return;
        expect([key, of, walks(words, of)]).toEqual([
          key,
          of,
          evaluate(topicKey(of), message({ key })) === true,
        ]);
      },
    ),
    { numRuns: 500 },
  );
});

test('an exact key leads through its own words alone, whatever they are', () => {
  const asked = exactly(['a', '*', '#']);
  const through = (words: readonly string[]) => {
    let at = close(asked, [0]);
    for (const word of words) at = step(asked, at, word);
    return at.includes(asked.length);
  };
  expect([through(['a', '*', '#']), through(['a', 'b', 'c']), through(['a', '*'])]).toEqual([
    true,
    false,
    false,
  ]);
  expect(wantedAt(asked, [0])).toEqual(['a']);
});

test.each([
  ['', []],
  ['a.b', [['a'], ['b']]],
  ['a.{x}.b-{y}', [['a'], [{ name: 'x' }], ['b-', { name: 'y' }]]],
  ['{x}{y}', [[{ name: 'x' }, { name: 'y' }]]],
  ['{a.b}.c', [[{ name: 'a.b' }], ['c']]],
  ['a..b', [['a'], [''], ['b']]],
])('the template %j has the parts %j', (template, parts) =>
  expect(partsOf(template).map((part) => ('many' in part ? part : part.pieces))).toEqual(parts),
);

test('any number of words is a part of its own', () => {
  expect(partsOf('a.{rest...}.z')[1]).toEqual({ many: { name: 'rest' } });
  expect(partsOf('a.{rest...}.z').map(slotsIn)).toEqual([[], [{ name: 'rest' }], []]);
  // within a word it is one of its texts
  expect(partsOf('pre-{rest...}')[0]).toEqual({ pieces: ['pre-', { name: 'rest' }] });
});

test('ways to fill any number of words lead wherever some words lead', () => {
  fc.assert(
    fc.property(
      fc.array(pattern, { minLength: 1, maxLength: 3 }),
      fc.array(fc.constantFrom(...WORDS, 'other'), { maxLength: 5 }),
      (patterns, words) => {
        const asked = patterns.map((each) => patternOf(each.split('.')));
        const fillings = fillingsOf(asked, 'unsaid', [])!;
        const through = (own: readonly string[]) =>
          JSON.stringify(
            asked.map((each) =>
              [...Array(each.length + 1).keys()].map((from) => {
                let at = close(each, [from]);
                for (const word of own) at = step(each, at, word);
                return at;
              }),
            ),
          );
        expect(fillings.map(through)).toContain(through(words));
      },
    ),
    { numRuns: 200 },
  );
});

const TYPE = `messages:
  note:
    key: KEY
    headers: { h: { enum: [a, b, late, x.y] }, n: { type: integer, minimum: 0, maximum: 2 }, b: { type: boolean } }
    required: [h, n, b]
`;

/** Not made here: words of the key that are no header (they are tried in open.test.ts). */
test('the messages whose keys a pattern matches are those whose keys match it', () => {
  let [matched, missed] = [0, 0];
  fc.assert(
    fc.property(
      fc.constantFrom('{h}', 'a.{h}', '{h}.{n}', '{h}.{h}', 'a.{n}.{b}', '{h}-{n}.late', '{b}{h}', 'x.{h}.b'),
      fc.array(fc.oneof(pattern, fc.constantFrom('1', 'a.2', '#.true', 'x.y', 'a-1.*', 'falsea')), {
        minLength: 1,
        maxLength: 3,
      }),
      (key, patterns) => {
        const type = readTopology([
          { name: 'a.yaml', text: TYPE.replace('KEY', JSON.stringify(key)) },
        ]).messages.get('note')!;
        const conditions = patterns.map((each) => topicKey(each));
        const space = new Space(type, key, conditions);
        for (const condition of conditions) {
          const { yes } = space.sets(condition, OWN);
          for (const h of ['a', 'b', 'late', 'x.y'])
            for (const n of [0, 1, 2])
              for (const b of [true, false]) {
                const headers: Record<string, unknown> = { h, n, b };
                let at = yes;
                while (at.variable !== Infinity) {
                  const { name, cells } = space.variables[at.variable]!;
                  const cell = cells.cells.findIndex(({ value, between, other }) =>
                    between ? n > between[0] && n < between[1] : !other && value === headers[name],
                  );
                  at = at.next[at.starts.findLastIndex((start) => start <= cell)]!;
                }
                const made = key.replace(/\{(\w+)\}/g, (_, name: string) => String(headers[name]));
                const holds = evaluate(condition, message({ key: made })) === true;
                expect([key, patterns, made, at.value]).toEqual([key, patterns, made, holds]);
                if (holds) matched++;
                else missed++;
              }
        }
      },
    ),
    { numRuns: 150 },
  );
  expect(Math.min(matched, missed)).toBeGreaterThan(100);
});
