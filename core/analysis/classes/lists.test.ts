import fc from 'fast-check';
import { TooManyClasses } from '../../base/diagram.ts';
import { readTopology } from '../../topology/read.ts';
import { type Item, Lists } from './lists.ts';
import { OWN, Space } from './space.ts';
import { parseSelector } from '../../conditions/selector.ts';

const type = readTopology([
  {
    name: 'a.yaml',
    text: 'messages: { note: { headers: { n: { type: integer, minimum: 0, maximum: 19 } }, required: [n] } }',
  },
]).messages.get('note')!;
const selector = (text: string) => {
  const read = parseSelector(text);
  if (!read.ok) throw new Error(text);
  return read.predicate;
};

/** Sets of numbers from 0 to 19, by bounds; all of them told apart. */
const bounds = fc.array(
  fc.tuple(fc.nat(19), fc.nat(19), fc.integer({ min: 1, max: 3 }), fc.constantFrom('a', 'b', 'c')),
  {
    maxLength: 6,
  },
);

test('of each message, lists have what was put together for it, in whatever order that was', () => {
  fc.assert(
    fc.property(bounds, fc.boolean(), (all, turned) => {
      const each = all.map(([low, high, times, id]) => ({
        low,
        high,
        times,
        id,
        condition: selector(`n BETWEEN ${Math.min(low, high)} AND ${Math.max(low, high)}`),
      }));
      const space = new Space(type, '', [...each.map(({ condition }) => condition), selector('n = 0')]);
      const lists = new Lists(space);
      const { diagrams } = space;
      const parts = each.map(({ id, times, condition }) =>
        lists.of(
          id,
          diagrams.map(space.sets(condition, OWN).yes, ({ value }) =>
            diagrams.leaf(value === true ? times : 0),
          ),
        ),
      );
      const whole = lists.together(turned ? parts.reverse() : parts);
      for (let n = 0; n < 20; n++) {
        const wanted = new Map<string, number>();
        for (const { low, high, times, id } of each)
          if (n >= Math.min(low, high) && n <= Math.max(low, high))
            wanted.set(id, (wanted.get(id) ?? 0) + times);
        let at = whole;
        const { cells } = space.variables[0]!.cells;
        const cell = cells.findIndex(({ value, between }) =>
          between ? n > between[0] && n < between[1] : value === n,
        );
        while (at.variable !== Infinity) {
          const run = at.starts.findLastIndex((start) => start <= cell);
          at = at.next[run]!;
        }
        expect([n, lists.itemsOf(at.value)]).toEqual([n, [...wanted].sort() as Item[]]);
      }
    }),
    { numRuns: 200 },
  );
});

test('lists that are the same are one value, and there are not more than there is room for', () => {
  const conditions = Array.from({ length: 20 }, (_, n) => selector(`n = ${n}`));
  const space = new Space(type, '', conditions);
  const lists = new Lists(space);
  const sets = conditions.map((each) => space.sets(each, OWN).yes);
  const together = () => lists.together(sets.map((set, i) => lists.of(`at ${i % 2}`, set)));
  expect(together()).toBe(together());
  expect(space.diagrams.leavesOf(together()).map(({ value }) => lists.itemsOf(value))).toEqual(
    expect.arrayContaining([[['at 0', 1]], [['at 1', 1]]]),
  );
  const wide = readTopology([
    {
      name: 'a.yaml',
      text: `messages: { note: { headers: { ${Array.from({ length: 17 }, (_, i) => `h${i}: { type: boolean }`).join(', ')} } } }`,
    },
  ]).messages.get('note')!;
  const each = Array.from({ length: 17 }, (_, i) => selector(`h${i}`));
  const large = new Space(wide, '', each);
  const many = new Lists(large);
  expect(() => many.together(each.map((of, i) => many.of(`${i}`, large.sets(of, OWN).yes)))).toThrow(
    TooManyClasses,
  );
});
