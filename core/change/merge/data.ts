/**
 * What a document says, taken apart so that two changes of it can be put together key by key: maps by their
 * keys, lists by their items, whatever the order or the style they are written in.
 */
import { type Json, renderFlow } from '../../syntax/render.ts';
import { type Node, type ScalarNode, isNothing } from '../../syntax/tree.ts';

export type Scalar = Pick<ScalarNode, 'kind' | 'value' | 'source' | 'quoted'>;
export interface DataMap {
  readonly kind: 'map';
  readonly entries: ReadonlyMap<string, Data>;
}
export interface DataList {
  readonly kind: 'list';
  readonly items: readonly Data[];
  /** Both sides changed it: its items are these, in whatever order. */
  readonly mixed?: true;
}
export type Data = Scalar | DataMap | DataList;

/** What is said where nothing is. */
const NOTHING: Scalar = { kind: 'scalar', value: null, source: '', quoted: false };

/** @returns what a node says; undefined where a key stands twice, so that it cannot be told by its keys */
export function dataOf(node: Node | undefined): Data | undefined {
  if (!node || isNothing(node)) return NOTHING;
  if (node.kind === 'scalar') {
    const { kind, value, source, quoted } = node;
    return { kind, value, source, quoted };
  }
  if (node.kind === 'list') {
    const items = node.items.map(dataOf);
    return items.every((item) => item !== undefined) ? { kind: 'list', items } : undefined;
  }
  const entries = new Map<string, Data>();
  for (const { name, value } of node.entries) {
    const data = dataOf(value);
    if (data === undefined || entries.has(name)) return undefined;
    entries.set(name, data);
  }
  return { kind: 'map', entries };
}

/** @returns the same as plain data, as the editing functions take it */
export function jsonOf(data: Data): Json {
  if (data.kind === 'scalar') return data.value;
  if (data.kind === 'list') return data.items.map(jsonOf);
  // through entries, so that a key named __proto__ is one like any other
  return Object.fromEntries([...data.entries].map(([name, value]) => [name, jsonOf(value)]));
}

/** @returns what somebody would write for it, in one line */
export const inOneLine = (data: Data): string =>
  data.kind === 'scalar' && !data.quoted && data.value !== null ? data.source : renderFlow(jsonOf(data));

/** @returns whether two say the same; the order of a map's keys says nothing, nor that of a list of both sides */
export function alike(a: Data | undefined, b: Data | undefined): boolean {
  if (a === b) return true;
  if (!a || !b || a.kind !== b.kind) return false;
  if (a.kind === 'scalar') return b.kind === 'scalar' && sameScalar(a, b);
  if (a.kind === 'map')
    return (
      b.kind === 'map' &&
      a.entries.size === b.entries.size &&
      [...a.entries].every(([name, value]) => alike(value, b.entries.get(name)))
    );
  if (b.kind !== 'list' || a.items.length !== b.items.length) return false;
  if (!a.mixed && !b.mixed) return a.items.every((item, i) => alike(item, b.items[i]));
  const left = [...b.items];
  return a.items.every((item) => {
    const at = left.findIndex((other) => alike(item, other));
    if (at >= 0) left.splice(at, 1);
    return at >= 0;
  });
}

/** `True` is `true`; a number is a name somewhere, so that its spelling counts. */
const sameScalar = (a: Scalar, b: Scalar): boolean =>
  Object.is(a.value, b.value) && (typeof a.value !== 'number' || a.source === b.source);

/** @returns in how many values two differ: the less, the nearer one text is to what it is to say */
export function distance(a: Data | undefined, b: Data | undefined): number {
  if (alike(a, b)) return 0;
  if (!a || !b) return sizeOf(a ?? b!);
  if (a.kind === 'map' && b.kind === 'map') {
    let sum = 0;
    for (const name of new Set([...a.entries.keys(), ...b.entries.keys()]))
      sum += distance(a.entries.get(name), b.entries.get(name));
    return sum;
  }
  if (a.kind === 'list' && b.kind === 'list') {
    const left = [...b.items];
    let sum = 0;
    for (const item of a.items) {
      const at = left.findIndex((other) => alike(item, other));
      if (at < 0) sum += sizeOf(item);
      else left.splice(at, 1);
    }
    // the same in another order is not far
    return left.reduce((all, item) => all + sizeOf(item), sum) || 1;
  }
  return sizeOf(a) + sizeOf(b);
}

function sizeOf(data: Data): number {
  if (data.kind === 'scalar') return 1;
  const inner = data.kind === 'map' ? [...data.entries.values()] : data.items;
  return inner.reduce((sum, each) => sum + sizeOf(each), 1);
}
