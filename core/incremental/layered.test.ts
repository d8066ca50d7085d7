import fc from 'fast-check';
import { Layered, differing, sameKeys, sameOrder, sharesKeys } from './layered.ts';

const KEYS = Array.from({ length: 400 }, (_, i) => `key-${i}`);
const full = new Map(KEYS.map((key, i) => [key, i]));
const changes = fc.array(fc.tuple(fc.constantFrom(...KEYS), fc.option(fc.nat(5), { nil: undefined })), {
  maxLength: 40,
});

test('is, after any changes, the map that a plain one would be, and leaves those before as they were', () => {
  fc.assert(
    fc.property(fc.array(changes, { maxLength: 20 }), (steps) => {
      const plain = new Map<string, number | undefined>(full);
      let map: Layered<string, number | undefined> = Layered.on(plain);
      const states: [Layered<string, number | undefined>, (readonly [string, number | undefined])[]][] = [];
      const now = new Map(plain);
      for (const step of steps) {
        states.push([map, [...now]]);
        for (const [key, value] of step) now.set(key, value);
        map = map.with(new Map(step));
      }
      states.push([map, [...now]]);
      for (const [state, entries] of states) {
        expect([...state]).toEqual(entries);
        expect([...state.entries()]).toEqual(entries);
        expect([...state.keys()]).toEqual(entries.map(([key]) => key));
        expect([...state.values()]).toEqual(entries.map(([, value]) => value));
        expect(entries.every(([key, value]) => state.get(key) === value && state.has(key))).toBe(true);
        const seen: unknown[] = [];
        state.forEach((value, key) => seen.push([key, value]));
        expect(seen).toEqual(entries);
        expect(state.size).toBe(entries.length);
      }
      // what differs between any two states is found, whether they share a base or not
      const [first] = states[0]!;
      const expected = KEYS.filter((key) => first.get(key) !== map.get(key));
      expect([...differing<string, number | undefined>(first, map)].sort()).toEqual(expected.sort());
      expect(sameKeys(first, map) && sameOrder(first, map)).toBe(true);
    }),
    { numRuns: 30 },
  );
});

test('has no keys but those of its base', () => {
  const map = Layered.on(new Map([['a', 1]]));
  expect(() => map.with(new Map([['b', 2]]))).toThrow('not a key of this map: b');
  expect(map.has('b')).toBe(false);
  expect(map.get('b')).toBeUndefined();
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
