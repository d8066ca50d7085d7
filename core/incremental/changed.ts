/** What is otherwise in lists and maps whose items are the same objects for as long as they are what they were. */
import { Layered, differing, isMap, sameOrder, sharesKeys } from './layered.ts';
import { settled } from './memory.ts';

/** Declarations, each one object for as long as its text stays: by name, or as a list. */
export type Owners<T extends object = object> = ReadonlyMap<string, { readonly value: T }> | readonly T[];

/** @returns them, in their order */
export const ownersIn = <T extends object>(owners: Owners<T>): readonly T[] =>
  isMap(owners) ? Array.from(owners.values(), ({ value }) => value) : owners;

/** Where two lists differ: before it and behind it they are the same, item for item. */
export interface Stretch {
  readonly from: number;
  /** Its end in the one list and in the other. */
  readonly before: number;
  readonly now: number;
}

/** @returns where a list differs from what it was; from the end to the end where it does not */
export function stretchOf(before: readonly unknown[], now: readonly unknown[]): Stretch {
  const most = Math.min(before.length, now.length);
  let from = 0;
  while (from < most && before[from] === now[from]) from++;
  let behind = 0;
  while (behind < most - from && before[before.length - 1 - behind] === now[now.length - 1 - behind])
    behind++;
  return { from, before: before.length - behind, now: now.length - behind };
}

/** A map and what was made of it, entry by entry. */
export interface Remade<K, V, R> {
  readonly of: ReadonlyMap<K, V> | undefined;
  readonly made: ReadonlyMap<string, R>;
}

/**
 * Makes a map of another, entry by entry: of one that keeps its keys only what changed in it is made again.
 * @param keyOf under what an entry is found in the map that is made
 * @param make gives undefined for what is not to stand in it
 * @returns with the map that was made before where it says the same
 */
export function remade<K, V, R>(
  before: Remade<K, V, R> | undefined,
  of: ReadonlyMap<K, V> | undefined,
  keyOf: (key: K) => string,
  make: (value: V, key: K) => R | undefined,
): Remade<K, V, R> {
  if (before?.of && of && sharesKeys(before.of, of)) {
    const changes = new Map<string, R>();
    for (const key of differing(before.of, of)) {
      const now = make(of.get(key)!, key);
      const at = keyOf(key);
      if ((now === undefined) === before.made.has(at)) return anew();
      if (now !== undefined) changes.set(at, now);
    }
    return { of, made: Layered.on(before.made).with(changes) };
  }
  return anew();

  function anew(): Remade<K, V, R> {
    const made = new Map<string, R>();
    for (const [key, value] of of ?? []) {
      const now = make(value, key);
      if (now !== undefined) made.set(keyOf(key), now);
    }
    return {
      of,
      made: before && sameOrder(made, before.made) ? settled(made, before.made) : Layered.on(made),
    };
  }
}

/** What was found of some of the declarations that belong together. */
export interface Found<F> {
  readonly owners: Owners;
  readonly by: ReadonlyMap<object, readonly F[]>;
  /** All of it, in the order of the declarations. */
  readonly all: readonly F[];
}

/**
 * Looks at declarations one by one; after a change only at those that are otherwise now.
 * @param before what was found before, where that still holds of what stays
 * @param look gives what is found of one, mostly nothing
 */
export function foundIn<F>(
  before: Found<F> | undefined,
  owners: Owners,
  look: (owner: object) => readonly F[],
): Found<F> {
  const by = new Map(before?.by);
  for (const owner of before ? changedIn(before.owners, owners) : ownersIn(owners)) {
    const found = look(owner);
    if (found.length > 0) by.set(owner, found);
    else by.delete(owner);
  }
  if (by.size === 0) return { owners, by, all: [] };
  // in their order, and without those that are gone
  const bearing = ownersIn(owners).filter((each) => by.has(each));
  const all = bearing.flatMap((each) => by.get(each)!);
  return { owners, by: new Map(bearing.map((each) => [each, by.get(each)!])), all };
}

/** @returns declarations among which are all that are not what they were */
function changedIn(before: Owners, now: Owners): readonly object[] {
  if (isMap(now)) {
    const keys = isMap(before) ? differing(before, now) : now.keys();
    return Array.from(keys, (key) => now.get(key)?.value).filter((each) => each !== undefined);
  }
  if (isMap(before)) return now;
  const { from, now: end } = stretchOf(before, now);
  return now.slice(from, end);
}
