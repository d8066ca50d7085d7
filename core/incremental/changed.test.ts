import fc from 'fast-check';
import { type Found, type Remade, foundIn, ownersIn, remade, stretchOf } from './changed.ts';
import { Layered } from './layered.ts';

/** Objects of which a list may have the same one twice, as an alias in YAML does. */
const THINGS = Array.from({ length: 12 }, (_, i) => ({ i }));
const list = fc.array(fc.constantFrom(...THINGS), { maxLength: 10 });
/** Lists that mostly are the one before with one stretch otherwise. */
const lists = fc.array(fc.tuple(list, fc.nat(10), fc.nat(3), fc.boolean()), { maxLength: 8 }).map((steps) => {
  let now: readonly { readonly i: number }[] = THINGS.slice(0, 6);
  return [
    now,
    ...steps.map(([put, at, gone, whole]) => (now = whole ? put : now.toSpliced(at, gone, ...put))),
  ];
});

test('where two lists differ: before it and behind it they are the same, and no narrower stretch is', () => {
  fc.assert(
    fc.property(lists, (states) => {
      for (const [i, now] of states.entries()) {
        const before = states[Math.max(i - 1, 0)]!;
        const { from, before: end, now: until } = stretchOf(before, now);
        expect([...before.slice(0, from), ...now.slice(from, until), ...before.slice(end)]).toEqual(now);
        if (before.length === now.length && before.every((each, n) => each === now[n]))
          expect([end - from, until - from]).toEqual([0, 0]);
        else if (end > from && until > from) {
          expect(before[from]).not.toBe(now[from]);
          expect(before[end - 1]).not.toBe(now[until - 1]);
        }
      }
    }),
  );
});

// names come and go, and what they have; not made: a name without a value, which no map of ours has
const map = fc.array(fc.tuple(fc.constantFrom('a', 'b', 'c', 'd'), fc.nat(4)), { maxLength: 5 });
const steps = fc.array(fc.tuple(map, fc.boolean()), { maxLength: 8 });

test('a map made of another is what it would be if it were made anew, whatever changed', () => {
  fc.assert(
    fc.property(steps, (all) => {
      let of: ReadonlyMap<string, number> = new Map();
      let known: Remade<string, number, string> | undefined;
      for (const [entries, layered] of all) {
        of = layered ? Layered.on(of).with(new Map(entries)) : new Map(entries);
        const before: Remade<string, number, string> | undefined = known;
        // what is even is not to stand in it
        known = remade(
          before,
          of,
          (key) => `the ${key}`,
          (value) => (value % 2 ? `${value}` : undefined),
        );
        const anew = [...of].flatMap(([key, value]) => (value % 2 ? [[`the ${key}`, `${value}`]] : []));
        expect([...known.made].sort()).toEqual(anew.sort());
        const again = remade(
          known,
          of,
          (key) => `the ${key}`,
          (value) => (value % 2 ? `${value}` : undefined),
        );
        expect(again.made).toBe(known.made);
      }
    }),
  );
});

test('what is found of declarations is what a look at all of them finds, in their order, once for each time they stand there', () => {
  const look = ({ i }: { readonly i: number }) => (i % 3 ? [] : [i, -i]);
  fc.assert(
    fc.property(lists, fc.boolean(), (states, named) => {
      let known: Found<number> | undefined;
      for (const state of states) {
        const owners = named
          ? new Map(state.map((value) => [`${value.i}`, { value }]))
          : (state as readonly object[]);
        known = foundIn(known, owners, (owner) => look(owner as never));
        expect(known.all).toEqual(ownersIn(owners).flatMap((each) => look(each as never)));
      }
    }),
  );
});

test('only declarations that are otherwise are looked at', () => {
  const looked: unknown[] = [];
  const look = (owner: object) => {
    looked.push(owner);
    return [];
  };
  const [a, b, c, d] = THINGS as [object, object, object, object];
  const first = foundIn(undefined, [a, b, c], look);
  foundIn(first, [a, d, c], look);
  expect(looked).toEqual([a, b, c, d]);
  const named = Layered.on(new Map([a, b].map((value, i) => [`${i}`, { value }])));
  const known = foundIn(undefined, named, look);
  foundIn(known, named.with(new Map([['1', { value: c }]])), look);
  expect(looked.slice(4)).toEqual([a, b, c]);
});
