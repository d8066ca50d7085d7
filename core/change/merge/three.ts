/** Two changes of the same data put together, key by key and item by item. */
import { type Data, type DataList, type DataMap, alike, inOneLine } from './data.ts';

/** Which of two sides counts. */
export type Side = 'mine' | 'theirs';

/** The way to a value: keys, and of list items what they said, in words. */
export type Way = readonly string[];

/** One value that both sides changed, each otherwise; undefined for a side that took it away. */
export interface Clash {
  readonly way: Way;
  readonly base: Data | undefined;
  readonly mine: Data | undefined;
  readonly theirs: Data | undefined;
}

/** Tells which side counts in a clash. */
export type Decide = (clash: Clash) => Side;

/**
 * Puts two changes of the same data together. What one side alone changed is as that side has it; what both
 * changed alike is so; where both changed one value otherwise, that is a clash, and `decide` is asked.
 * Items that both sides added to a list are all in it, mine first.
 *
 * @param base what both began from; undefined where there was nothing, as for the sides
 * @returns undefined where there is nothing now
 */
export function mergeData(
  base: Data | undefined,
  mine: Data | undefined,
  theirs: Data | undefined,
  decide: Decide,
  way: Way = [],
): Data | undefined {
  if (alike(mine, theirs) || alike(base, theirs)) return mine;
  if (alike(base, mine)) return theirs;
  if (mine && theirs) {
    const from = base ?? emptyLike(mine);
    if (mine.kind === 'map' && theirs.kind === 'map')
      return mergeMaps(from.kind === 'map' ? from : EMPTY_MAP, mine, theirs, decide, way);
    if (mine.kind === 'list' && theirs.kind === 'list') {
      const merged = mergeLists(from.kind === 'list' ? from : EMPTY_LIST, mine, theirs, decide, way);
      if (merged) return merged;
    }
  }
  return decide({ way, base, mine, theirs }) === 'mine' ? mine : theirs;
}

const EMPTY_MAP: DataMap = { kind: 'map', entries: new Map() };
const EMPTY_LIST: DataList = { kind: 'list', items: [] };
const emptyLike = ({ kind }: Data): Data => (kind === 'list' ? EMPTY_LIST : EMPTY_MAP);

function mergeMaps(base: DataMap, mine: DataMap, theirs: DataMap, decide: Decide, way: Way): DataMap {
  const entries = new Map<string, Data>();
  for (const name of new Set([...mine.entries.keys(), ...theirs.entries.keys(), ...base.entries.keys()])) {
    const [was, here, there] = [base, mine, theirs].map((side) => side.entries.get(name));
    const merged = mergeData(was, here, there, decide, [...way, name]);
    if (merged) entries.set(name, merged);
  }
  return { kind: 'map', entries };
}

/** @returns undefined where both sides put it in another order, each its own */
function mergeLists(
  base: DataList,
  mine: DataList,
  theirs: DataList,
  decide: Decide,
  way: Way,
): DataList | undefined {
  const inMine = matched(base.items, mine.items);
  const inTheirs = matched(base.items, theirs.items);
  const order = { mine: inOrder(inMine), theirs: inOrder(inTheirs) };
  if (!order.mine && !order.theirs) return undefined;
  /** What becomes of each item of the base. */
  const now = base.items.map((item, i) =>
    mergeData(item, at(mine, inMine[i]), at(theirs, inTheirs[i]), decide, [...way, inOneLine(item)]),
  );
  const addedBy = (side: DataList, found: readonly number[]) =>
    side.items.filter((_, i) => !found.includes(i));
  const leading = order.mine ? (order.theirs ? 'mine' : 'theirs') : 'mine';
  const [first, found] = leading === 'mine' ? [mine, inMine] : [theirs, inTheirs];
  const other = leading === 'mine' ? addedBy(theirs, inTheirs) : addedBy(mine, inMine);
  const placed = new Set<number>();
  const items: Data[] = [];
  for (const [i, item] of first.items.entries()) {
    const of = found.indexOf(i);
    if (of >= 0) placed.add(of);
    const kept = of < 0 ? item : now[of];
    if (kept) items.push(kept);
  }
  // what the other side changed where the first took it away, and a decision kept it
  for (const [i, item] of now.entries()) if (item && !placed.has(i)) items.push(item);
  const own = addedBy(first, found);
  // what both added is there once
  for (const item of other) {
    const twin = own.findIndex((each) => alike(each, item));
    if (twin < 0) items.push(item);
    else own.splice(twin, 1);
  }
  // where one side put it in another order, that counts
  return { kind: 'list', items, ...(order.mine && order.theirs ? { mixed: true } : {}) };
}

const at = ({ items }: DataList, index: number | undefined): Data | undefined =>
  index === undefined || index < 0 ? undefined : items[index];

/** Whether items stand in the order they had. */
function inOrder(found: readonly number[]): boolean {
  const there = found.filter((index) => index >= 0);
  return there.every((index, i) => i === 0 || index > there[i - 1]!);
}

/** A list of more items than this is matched by equality alone: to find what changed costs the square. */
const MOST_COMPARED = 300;

/**
 * Finds each item of a list in a changed one: the same, else the one of the same name, else the one most like it.
 * @returns where each stands; -1 for one that is not there
 */
function matched(before: readonly Data[], after: readonly Data[]): number[] {
  const found = before.map(() => -1);
  const taken = new Set<number>();
  const take = (i: number, j: number) => {
    found[i] = j;
    taken.add(j);
  };
  const byText = new Map<string, number[]>();
  for (const [j, item] of after.entries()) {
    const text = inOneLine(item);
    const list = byText.get(text);
    if (list) list.push(j);
    else byText.set(text, [j]);
  }
  for (const [i, item] of before.entries()) {
    const j = byText.get(inOneLine(item))?.shift();
    if (j !== undefined) take(i, j);
  }
  const free = (all: readonly Data[], isTaken: (i: number) => boolean) =>
    all.flatMap((item, i) => (item.kind === 'map' && !isTaken(i) ? [{ i, item }] : []));
  const gone = free(before, (i) => found[i]! >= 0);
  const come = free(after, (j) => taken.has(j));
  for (const { i, item } of gone) {
    const name = nameOf(item);
    const same = name === undefined ? [] : come.filter((each) => nameOf(each.item) === name);
    if (same.length === 1 && !taken.has(same[0]!.i)) take(i, same[0]!.i);
  }
  if (gone.length * come.length > MOST_COMPARED ** 2) return found;
  const pairs = gone.flatMap(({ i, item }) =>
    come.map((other) => ({ i, j: other.i, like: likeness(item, other.item) })),
  );
  for (const { i, j, like } of pairs.sort((a, b) => b.like - a.like || a.i - b.i || a.j - b.j))
    if (like >= 0.5 && found[i]! < 0 && !taken.has(j)) take(i, j);
  return found;
}

function nameOf({ entries }: DataMap): string | undefined {
  const name = entries.get('name');
  return name?.kind === 'scalar' ? inOneLine(name) : undefined;
}

/** How much of two maps is the same, 0 to 1. */
function likeness(a: DataMap, b: DataMap): number {
  const names = new Set([...a.entries.keys(), ...b.entries.keys()]);
  let same = 0;
  for (const name of names) if (alike(a.entries.get(name), b.entries.get(name))) same++;
  return names.size ? same / names.size : 0;
}
