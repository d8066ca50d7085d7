/** Maps of which a changed state costs what changed: a base that states share, and what is otherwise. */

/** So many changed values, and a part of large maps, are above a base before they are put into a new one. */
const MOST_ABOVE = 300;
const PART_ABOVE = 1 / 64;

/** Stands for a key that is gone. */
const GONE = Symbol('gone');

/** A map that never changes. Others can be made of it at little cost. */
export class Layered<K, V> implements ReadonlyMap<K, V> {
  private constructor(
    /** Shared. */
    readonly base: ReadonlyMap<K, V>,
    /** The values that are not the base's, in the order they came. */
    readonly above: ReadonlyMap<K, V | typeof GONE>,
    /** One object for as long as the keys and their order stay. */
    readonly order: object,
    readonly size: number,
    /** The base before this one, and what was above it when this one was made. */
    private readonly earlier?: { readonly base: ReadonlyMap<K, V>; readonly above: Iterable<K> },
  ) {}

  /** @param base a map that nobody changes from now on */
  static on<K, V>(base: ReadonlyMap<K, V>): Layered<K, V> {
    return base instanceof Layered ? base : new Layered(base, new Map(), base, base.size);
  }

  /**
   * @param changes values by key; undefined takes a key away. Keys that come stand behind all others.
   * @returns this map with them; without changes itself
   */
  with(changes: ReadonlyMap<K, V | undefined>): Layered<K, V> {
    let above: Map<K, V | typeof GONE> | undefined;
    let { order, size } = this;
    for (const [key, value] of changes) {
      const was = this.get(key);
      if (was === value) continue;
      above ??= new Map(this.above);
      if ((was === undefined) !== (value === undefined)) {
        order = {};
        size += value === undefined ? -1 : 1;
      }
      if (value !== undefined) above.set(key, value);
      else if (this.base.has(key)) above.set(key, GONE);
      else above.delete(key);
    }
    if (!above) return this;
    const made = new Layered<K, V>(this.base, above, order, size, this.earlier);
    if (above.size <= Math.max(MOST_ABOVE, this.base.size * PART_ABOVE)) return made;
    // the keys stay what they were, in their order
    const earlier = { base: this.base, above: [...above.keys()] };
    return new Layered(new Map(made), new Map(), order, size, earlier);
  }

  /** @returns keys among which are all at which another map differs; undefined where the two share nothing */
  doubtful(other: ReadonlyMap<K, V>): Iterable<K>[] | undefined {
    if (!(other instanceof Layered)) return other === this.base ? [this.above.keys()] : undefined;
    if (other.base === this.base) return [this.above.keys(), (other.above as Map<K, V>).keys()];
    const [mine, its] = [this.earlier, other.earlier as typeof this.earlier];
    if (mine?.base === other.base) return [this.above.keys(), mine.above, (other.above as Map<K, V>).keys()];
    if (its?.base === this.base) return [this.above.keys(), its.above, (other.above as Map<K, V>).keys()];
    return undefined;
  }

  has(key: K): boolean {
    return this.get(key) !== undefined;
  }

  get(key: K): V | undefined {
    const { above } = this;
    if (above.size > 0) {
      const value = above.get(key);
      if (value !== undefined) return value === GONE ? undefined : value;
    }
    return this.base.get(key);
  }

  forEach(callback: (value: V, key: K, map: ReadonlyMap<K, V>) => void): void {
    for (const [key, value] of this) callback(value, key, this);
  }

  keys(): MapIterator<K> {
    // whoever walks through all of a map is to wait for no generator at each step
    return this.above.size > 0 ? this.listed((key) => key) : this.base.keys();
  }

  entries(): MapIterator<[K, V]> {
    return this.above.size > 0
      ? this.listed((key, value): [K, V] => [key, value])
      : (this.base.entries() as MapIterator<[K, V]>);
  }

  values(): MapIterator<V> {
    return this.above.size > 0 ? this.listed((_, value) => value) : this.base.values();
  }

  [Symbol.iterator](): MapIterator<[K, V]> {
    return this.entries();
  }

  private listed<R>(of: (key: K, value: V) => R): MapIterator<R> {
    const { above, base } = this;
    const all: R[] = [];
    base.forEach((was, key) => {
      const value = above.get(key);
      if (value === undefined) all.push(of(key, was));
      else if (value !== GONE) all.push(of(key, value));
    });
    for (const [key, value] of above) if (value !== GONE && !base.has(key)) all.push(of(key, value));
    return all.values() as MapIterator<R>;
  }
}

/** @returns whether something is a map of either kind */
export const isMap = (value: unknown): value is ReadonlyMap<unknown, unknown> =>
  value instanceof Map || value instanceof Layered;

type Some<K, V> = ReadonlyMap<K, V> | undefined;

/** @returns one object for as long as a map's keys and their order are known to be what they were */
export const orderOf = (map: Some<unknown, unknown>): object | undefined =>
  map instanceof Layered ? map.order : map;

/** @returns whether two maps have the same keys, whatever their order */
export function sameKeys<K>(a: Some<K, unknown>, b: Some<K, unknown>): boolean {
  if (sharesKeys(a, b)) return true;
  if ((a?.size ?? 0) !== (b?.size ?? 0)) return false;
  for (const key of a?.keys() ?? []) if (!b?.has(key)) return false;
  return true;
}

/** @returns whether two maps are known, without looking, to have the same keys in the same order */
export const sharesKeys = <K>(a: Some<K, unknown>, b: Some<K, unknown>): boolean => orderOf(a) === orderOf(b);

/** @returns whether two maps have the same keys in the same order */
export function sameOrder<K>(a: ReadonlyMap<K, unknown>, b: ReadonlyMap<K, unknown>): boolean {
  if (sharesKeys(a, b)) return true;
  if (a.size !== b.size) return false;
  const keys = b.keys();
  for (const key of a.keys()) if (keys.next().value !== key) return false;
  return true;
}

const NONE: ReadonlySet<unknown> = new Set();

/** @returns the keys at which two maps have different values; where they share a base, only what is above it is looked at */
export function differing<K, V>(a: Some<K, V>, b: Some<K, V>): ReadonlySet<K> {
  if (a === b) return NONE as ReadonlySet<K>;
  const found = new Set<K>();
  const [one, other] = a instanceof Layered ? [a, b] : [b, a];
  const doubtful = one instanceof Layered && other ? (one as Layered<K, V>).doubtful(other) : undefined;
  if (doubtful) {
    for (const keys of doubtful) for (const key of keys) if (a!.get(key) !== b!.get(key)) found.add(key);
    return found;
  }
  for (const [key, value] of a ?? []) if (b?.get(key) !== value) found.add(key);
  for (const key of b?.keys() ?? []) if (!a?.has(key)) found.add(key);
  return found;
}
