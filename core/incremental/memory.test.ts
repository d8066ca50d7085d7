import fc from 'fast-check';
import { Layered } from './layered.ts';
import { Memory, Question, remembered, sameItems, settled } from './memory.ts';

type Numbers = ReadonlyMap<string, number>;

/** Counts how often something is worked out. */
function counted<A extends readonly unknown[], V>(of: (...about: A) => V) {
  let times = 0;
  return {
    run: (...about: A) => {
      times++;
      return of(...about);
    },
    get times() {
      return times;
    },
  };
}

describe('the latest answer', () => {
  const question = new Question<readonly number[]>('list');

  test('stays while what it follows from does', () => {
    const memory = new Memory();
    const on = {};
    const answer = counted(() => [1]);
    const first = memory.latest(question, [on], answer.run);
    expect(memory.latest(question, [on], answer.run)).toBe(first);
    expect(answer.times).toBe(1);
    expect(memory.latest(question, [{}], answer.run)).not.toBe(first);
    expect(answer.times).toBe(2);
  });

  test('stays where it says the same', () => {
    const memory = new Memory();
    const first = memory.latest(question, [{}], () => [1, 2], sameItems);
    expect(memory.latest(question, [{}], () => [1, 2], sameItems)).toBe(first);
    expect(memory.latest(question, [{}], () => [2], sameItems)).toEqual([2]);
  });

  test('is no other question’s, and no other memory’s', () => {
    const [memory, on] = [new Memory(), {}];
    memory.latest(question, [on], () => [1]);
    expect(memory.latest(new Question<readonly number[]>('list'), [on], () => [2])).toEqual([2]);
    expect(new Memory().latest(question, [on], () => [3])).toEqual([3]);
  });

  test('what a question keeps for itself is begun once', () => {
    const memory = new Memory();
    const own = new Question<Set<number>>('own');
    expect(memory.own(own, () => new Set([1]))).toBe(memory.own(own, () => new Set([2])));
  });
});

describe('answers for each entry of a map', () => {
  const question = new Question<ReadonlyMap<string, { readonly of: unknown }>>('entries');
  const answered = () => counted((of: unknown) => ({ of }));

  test('only those are answered anew that are otherwise, and the whole stays where none is', () => {
    const memory = new Memory();
    const answer = answered();
    const all = (...entries: [string, unknown][]) => memory.each(question, new Map(entries), answer.run);
    const first = all(['a', 1], ['b', 2]);
    const second = all(['a', 1], ['b', 3]);
    expect(answer.times).toBe(3);
    expect(second.get('a')).toBe(first.get('a'));
    expect(second.get('b')).toEqual({ of: 3 });
    const third = all(['b', 3], ['a', 1]);
    expect([...third.keys()]).toEqual(['b', 'a']);
    expect(all(['b', 3], ['a', 1])).toBe(third);
    expect([...all(['a', 1]).keys()]).toEqual(['a']);
    expect(answer.times).toBe(3);
  });

  test('all are answered anew where what they follow from besides is otherwise', () => {
    const memory = new Memory();
    const answer = answered();
    const on = Layered.on(new Map([['a', 1]]));
    memory.each(question, on, answer.run, { ground: [1, 2] });
    memory.each(question, on, answer.run, { ground: [1, 2] });
    expect(answer.times).toBe(1);
    memory.each(question, on, answer.run, { ground: [1, 3] });
    expect(answer.times).toBe(2);
  });

  test('entries are the same where they are said to be', () => {
    const memory = new Memory();
    const answer = answered();
    const of = (...items: unknown[]) =>
      memory.each(question, new Map([['a', items]]), answer.run, { same: sameItems });
    of(1, 2);
    of(1, 2);
    expect(answer.times).toBe(1);
    of(1, 3);
    expect(answer.times).toBe(2);
  });

  test('what no longer holds is answered anew, and settled with what was; while it is steady nobody asks', () => {
    for (const on of [new Map([['a', 1]]), Layered.on(new Map([['a', 1]]))]) {
      const memory = new Memory();
      const first = memory.each(question, on, () => ({ of: 'a' }));
      const kept = memory.each(question, on, () => ({ of: 'a' }), {
        holds: () => false,
        settle: (made, before) => (made.of === before.of ? before : made),
      });
      expect(kept).toBe(first);
      const steady = {};
      const asked = (of: object) =>
        memory.each(question, on, () => ({ of: 'z' }), { holds: () => false, steady: of }).get('a');
      expect(asked(steady)).toEqual({ of: 'z' });
      expect(asked(steady)).toBe(asked(steady));
      expect(asked(steady)).not.toBe(asked({}));
    }
  });
});

/** States of three maps: keys come and go, values change. Not made: more than three, values that are undefined. */
const KEYS = ['a', 'b', 'c', 'd', 'e', 'f'];
const part = fc
  .array(fc.tuple(fc.constantFrom(...KEYS), fc.nat(3)), { maxLength: 6 })
  .map((entries): Numbers => new Map(entries));
const state = fc.record({ x: part, y: part, z: part, names: fc.constantFrom('xyz', 'yx', 'z', 'zyx') });
const partsOf = (each: {
  readonly x: Numbers;
  readonly y: Numbers;
  readonly z: Numbers;
  readonly names: string;
}) => new Map([...each.names].map((name) => [name, each[name as 'x']]));

test('maps put together are, after any changes, what putting them together anew gives', () => {
  const question = new Question<{
    readonly parts: ReadonlyMap<string, Numbers>;
    readonly whole: ReadonlyMap<string, string>;
  }>('together');
  fc.assert(
    fc.property(fc.array(state, { maxLength: 8 }), fc.boolean(), (states, ordered) => {
      const memory = new Memory();
      let before: Numbers[] = [];
      for (const each of states) {
        // what says the same is the same map, as with those who ask
        const parts = partsOf(each);
        for (const [i, [name, map]] of [...parts].entries())
          if (before[i] && !ordered) parts.set(name, settled(map, before[i]));
        before = [...parts.values()];
        const join = (values: readonly number[]) => values.join();
        const now = memory.joined(question, parts, (part) => part, join, { ordered });
        const anew = new Memory().joined(question, parts, (part) => part, join, { ordered });
        if (ordered) expect([...now]).toEqual([...anew]);
        else expect(new Map(now)).toEqual(new Map(anew));
        expect(now.size).toBe(anew.size);
      }
    }),
  );
});

test('lists put together are, after any changes, what putting them together anew gives, also where one map has them alone', () => {
  type List = readonly string[];
  const question = new Question<{
    readonly parts: ReadonlyMap<string, { readonly lists: ReadonlyMap<string, List> }>;
    readonly whole: ReadonlyMap<string, List>;
  }>('lists');
  // one object for each list, as lists are that nothing changed
  const known = new Map<string, List>();
  const listOf = (name: string, key: string, value: number): List => {
    const id = `${name} ${key} ${value}`;
    if (!known.has(id)) known.set(id, [id]);
    return known.get(id)!;
  };
  const join = (all: readonly List[]) => (all.length === 1 ? all[0]! : all.flat());
  const options = { same: sameItems, alone: Object.is };
  fc.assert(
    // mostly one map changes at a time
    fc.property(
      fc.array(fc.tuple(state, fc.option(fc.constantFrom('x', 'y', 'z'))), { maxLength: 12 }),
      (states) => {
        const memory = new Memory();
        let last = partsOf({ x: new Map(), y: new Map(), z: new Map(), names: 'xyz' });
        for (const [each, only] of states) {
          last = only ? new Map(last).set(only, each[only as 'x']) : partsOf(each);
          const parts = new Map(
            Array.from(last, ([name, map]) => [
              name,
              { lists: new Map(Array.from(map, ([key, value]) => [key, listOf(name, key, value)])) },
            ]),
          );
          const now = memory.joined(question, parts, ({ lists }) => lists, join, options);
          const anew = new Memory().joined(question, parts, ({ lists }) => lists, join, options);
          expect(new Map(now)).toEqual(new Map(anew));
        }
      },
    ),
  );
});

test('a map is divided and counted, after any changes, as it is anew', () => {
  const groups = new Question<{
    readonly of: Numbers;
    readonly groups: ReadonlyMap<string, Numbers>;
  }>('groups');
  const counts = new Question<{ readonly of: Numbers; readonly counts: ReadonlyMap<number, number> }>(
    'counts',
  );
  fc.assert(
    fc.property(fc.array(fc.tuple(part, fc.boolean()), { minLength: 1, maxLength: 10 }), (steps) => {
      const memory = new Memory();
      let now: Numbers = Layered.on(new Map(KEYS.map((key) => [key, 0])));
      for (const [step, layered] of steps) {
        now = layered ? Layered.on(now).with(step) : step;
        const groupOf = (value: number) => (value % 2 ? 'odd' : 'even');
        const plain = (made: ReadonlyMap<string, Numbers>) =>
          [...made].map(([name, group]) => [name, [...group]]);
        const divided = plain(memory.divided(groups, now, groupOf)).filter(([, group]) => group!.length > 0);
        const anew = plain(new Memory().divided(groups, now, groupOf));
        expect(new Map(divided as never)).toEqual(new Map(anew as never));
        expect(memory.divided(groups, now, groupOf)).toBe(memory.divided(groups, now, groupOf));
        const says = (_: string, value: number) => [value, value + 1];
        expect(new Map(memory.tally(counts, now, says))).toEqual(
          new Map(new Memory().tally(counts, now, says)),
        );
      }
    }),
  );
});

test('what is remembered of an object is given again while it stays', () => {
  const answer = counted((about: { readonly n: number }, by: number) => ({ is: about.n * by }));
  const times = remembered(answer.run, ({ is }, { n }, by) => is === n * by);
  const two = { n: 2 };
  expect(times(two, 3)).toBe(times(two, 3));
  expect(times(two, 4)).toEqual({ is: 8 });
  expect(times({ n: 2 }, 3)).not.toBe(times(two, 3));
});

test('what is settled has what was before where that says the same', () => {
  const before = new Map([
    ['a', [1]],
    ['b', [2]],
  ]);
  const made = new Map([
    ['b', [2]],
    ['c', [3]],
  ]);
  const found = settled<string, readonly number[]>(made, before, sameItems);
  expect(new Map(found)).toEqual(made);
  expect(found.get('b')).toBe(before.get('b'));
  const same = Layered.on(before);
  expect(settled(new Map(before), same)).toBe(same);
});
