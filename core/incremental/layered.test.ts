import fc from 'fast-check';
import { Layered, differing, sameKeys, sameOrder, sharesKeys } from './layered.ts';

const KEYS = Array.from({ length: 400 }, (_, i) => `key-${i}`);
const OTHERS = Array.from({ length: 20 }, (_, i) => `other-${i}`);
const full = new Map(KEYS.map((key, i) => [key, i]));
// undefined takes a key away
const changes = fc.array(
  fc.tuple(fc.constantFrom(...KEYS, ...OTHERS), fc.option(fc.nat(5), { nil: undefined })),
  { maxLength: 40 },
);

test('is, after any changes, the map that a plain one would be, and leaves those before as they were', () => {
  fc.assert(
    fc.property(fc.array(changes, { maxLength: 20 }), (steps) => {
      let map: Layered<string, number> = Layered.on(full);
      const now = new Map(full);
      const states: [Layered<string, number>, ReadonlyMap<string, number>][] = [];
      for (const step of steps) {
        states.push([map, new Map(now)]);
        const before = map;
        const names = [...now.keys()];
        for (const [key, value] of new Map(step)) {
          if (value === undefined) now.delete(key);
          else now.set(key, value);
        }
        map = map.with(new Map(step));
        // what is said to be the same order is one
        if (sharesKeys(before, map)) expect([...map.keys()]).toEqual(names);
        else expect(sameKeys(before, map)).toBe(false);
      }
      states.push([map, now]);
      for (const [state, plain] of states) {
        // keys that come back may stand where they stood
        const entries = [...plain].sort();
        expect([...state].sort()).toEqual(entries);
        expect([...state.entries()]).toEqual([...state]);
        expect([...state.keys()]).toEqual([...state].map(([key]) => key));
        expect([...state.values()]).toEqual([...state].map(([, value]) => value));
        expect(entries.every(([key, value]) => state.get(key) === value && state.has(key))).toBe(true);
        expect([...KEYS, ...OTHERS].filter((key) => state.has(key)).sort()).toEqual(
          entries.map(([key]) => key),
        );
        const seen: unknown[] = [];
        state.forEach((value, key) => seen.push([key, value]));
        expect(seen).toEqual([...state]);
        expect(state.size).toBe(plain.size);
      }
      // what differs between any two states is found, whether they share a base or not
      const [first] = states[0]!;
      const expected = [...KEYS, ...OTHERS].filter((key) => first.get(key) !== map.get(key));
      expect([...differing<string, number>(first, map)].sort()).toEqual(expected.sort());
    }),
    { numRuns: 30 },
  );
});

test('without changes it is the same one', () => {
  const map = Layered.on(new Map([['a', 1]]));
  expect(map.with(new Map())).toBe(map);
  expect(Layered.on(map)).toBe(map);
});

describe('maps are compared', () => {
  const a = new Map([
    ['x', 1],
    ['y', 2],
  ]);
  const turned = new Map([
    ['y', 2],
    ['x', 1],
  ]);
  const other = new Map([
    ['x', 1],
    ['z', 2],
  ]);
  test.each([
    ['itself', a, a, { shared: true, keys: true, order: true, differ: [] }],
    ['a copy', a, new Map(a), { shared: false, keys: true, order: true, differ: [] }],
    [
      'one made of it',
      a,
      Layered.on(a).with(new Map([['y', 3]])),
      { shared: true, keys: true, order: true, differ: ['y'] },
    ],
    ['another order', a, turned, { shared: false, keys: true, order: false, differ: [] }],
    ['another key', a, other, { shared: false, keys: false, order: false, differ: ['y', 'z'] }],
    ['none', a, new Map<string, number>(), { shared: false, keys: false, order: false, differ: ['x', 'y'] }],
  ])('with %s', (_, one, two, { shared, keys, order, differ }) => {
    expect(sharesKeys(one, two)).toBe(shared);
    expect(sameKeys<string>(one, two)).toBe(keys);
    expect(sameOrder<string>(one, two)).toBe(order);
    expect([...differing<string, number>(one, two)].sort()).toEqual(differ);
    expect([...differing<string, number>(two, one)].sort()).toEqual(differ);
  });

  test('nothing with nothing', () => {
    expect(sameKeys(undefined, undefined)).toBe(true);
    expect(sameKeys(undefined, new Map())).toBe(true);
    expect([...differing(undefined, a)].sort()).toEqual(['x', 'y']);
    expect([...differing<string, number>(undefined, undefined)]).toEqual([]);
  });
});
