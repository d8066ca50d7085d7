/** Maps of which a changed state costs what changed: a base that states share, and what is otherwise. */

/** So many changed values are looked through twice at each look-up before they are put into a new base. */
const MOST_ABOVE = 300;

/** A map that never changes. Others with the same keys in the same order can be made of it at little cost. */
export class Layered<K, V> implements ReadonlyMap<K, V> {
  private constructor(
    /** Shared; holds every key, in order. */
    readonly base: ReadonlyMap<K, V>,
    /** The values that are not the base's. */
    readonly above: ReadonlyMap<K, V>,
  ) {}

  /** @param base a map that nobody changes from now on */
  static on<K, V>(base: ReadonlyMap<K, V>): Layered<K, V> {
    return base instanceof Layered ? base : new Layered(base, new Map());
  }

  /** @returns this map with other values at some of its keys; without changes itself */
  with(changes: ReadonlyMap<K, V>): Layered<K, V> {
    if (changes.size === 0) return this;
    const above = new Map(this.above);
    for (const [key, value] of changes) {
      if (!this.base.has(key)) throw new Error(`not a key of this map: ${String(key)}`);
      above.set(key, value);
    }
    if (above.size <= MOST_ABOVE) return new Layered(this.base, above);
    const base = new Map(this.base);
    for (const [key, value] of above) base.set(key, value);
    return new Layered(base, new Map());
  }

  get size(): number {
    return this.base.size;
  }

  has(key: K): boolean {
    return this.base.has(key);
  }

  get(key: K): V | undefined {
    const { above } = this;
    if (above.size > 0) {
      const value = above.get(key);
      // a value may be undefined itself
      if (value !== undefined || above.has(key)) return value;
    }
    return this.base.get(key);
  }

  forEach(callback: (value: V, key: K, map: ReadonlyMap<K, V>) => void): void {
    for (const [key, value] of this) callback(value, key, this);
  }

  keys(): MapIterator<K> {
    return this.base.keys();
  }

  *entries(): MapIterator<[K, V]> {
    const { above } = this;
    for (const entry of this.base)
      yield above.size > 0 && above.has(entry[0]) ? [entry[0], above.get(entry[0])!] : entry;
  }

  *values(): MapIterator<V> {
    for (const [, value] of this.entries()) yield value;
  }

  [Symbol.iterator](): MapIterator<[K, V]> {
    return this.above.size > 0 ? this.entries() : (this.base.entries() as MapIterator<[K, V]>);
  }
}

/** @returns whether something is a map of either kind */
export const isMap = (value: unknown): value is ReadonlyMap<unknown, unknown> =>
  value instanceof Map || value instanceof Layered;

type Some<K, V> = ReadonlyMap<K, V> | undefined;

const baseOf = <K, V>(map: Some<K, V>) => (map instanceof Layered ? (map.base as ReadonlyMap<K, V>) : map);
const aboveOf = <K, V>(map: Some<K, V>): Iterable<K> =>
  map instanceof Layered ? (map.above.keys() as Iterable<K>) : [];

/** @returns whether two maps have the same keys, whatever their order */
export function sameKeys<K>(a: Some<K, unknown>, b: Some<K, unknown>): boolean {
  if (sharesKeys(a, b)) return true;
  if ((a?.size ?? 0) !== (b?.size ?? 0)) return false;
  for (const key of a?.keys() ?? []) if (!b?.has(key)) return false;
  return true;
}

/** @returns whether two maps are known, without looking, to have the same keys in the same order */
export const sharesKeys = <K>(a: Some<K, unknown>, b: Some<K, unknown>): boolean => baseOf(a) === baseOf(b);

/** @returns whether two maps have the same keys in the same order */
export function sameOrder<K>(a: ReadonlyMap<K, unknown>, b: ReadonlyMap<K, unknown>): boolean {
  if (sharesKeys(a, b)) return true;
  if (a.size !== b.size) return false;
  const keys = b.keys();
  for (const key of a.keys()) if (keys.next().value !== key) return false;
  return true;
}

/** @returns the keys at which two maps have different values; where they share a base, that is known at once */
export function differing<K, V>(a: Some<K, V>, b: Some<K, V>): ReadonlySet<K> {
  const found = new Set<K>();
  if (a === b) return found;
  if (sharesKeys(a, b)) {
    for (const keys of [aboveOf(a), aboveOf(b)])
      for (const key of keys) if (a!.get(key) !== b!.get(key)) found.add(key);
    return found;
  }
  for (const [key, value] of a ?? []) if (b?.get(key) !== value) found.add(key);
  for (const key of b?.keys() ?? []) if (!a?.has(key)) found.add(key);
  return found;
}
