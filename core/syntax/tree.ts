/**
 * What a document says, before anything is known about topologies: maps, lists and scalars. Both parsers
 * (the fast one and the full one) end here.
 *
 * A tree never changes, and no node knows where in the text it stands: it knows its length, and how far
 * into the map or list around it it begins. A change of the text therefore makes a new tree that shares
 * every node outside of what changed (parse-again.ts), and an older tree goes on describing the text it
 * was read from. Where a node stands is worked out from the tree it is asked of: `startIn`.
 */
import type { Keeps } from '../incremental/pieces.ts';

/** Where a node stands in what is around it. */
interface InTree extends Keeps {
  /** From the start of the map or list around it; from the start of the text for the root. Code units. */
  readonly offset: number;
  /** From its first code unit to behind its last, those of a block text's lines included. */
  readonly length: number;
  /** From the dash, colon or question mark it stands behind to its start; 0 where there is none. */
  readonly lead: number;
  /** The map or list around it, as that was first read; undefined for the root. */
  readonly within: Collection | undefined;
  /** Which of the entries or items of `within` it was there. */
  readonly slot: number;
  /** Whether an alias stands here for what is written elsewhere. */
  readonly alias?: true;
  /** The tag that is written before it, in full. */
  readonly tag?: string;
}

export interface ScalarNode extends InTree {
  readonly kind: 'scalar';
  readonly value: string | number | boolean | null;
  /** The text as written for a plain scalar (`007`, `1e3`), so that a name keeps its spelling. */
  readonly source: string;
  /** In quotes or a block text: not a number, truth value or null, whatever it says. */
  readonly quoted: boolean;
}

/** What a map and a list share. */
interface Around extends InTree {
  readonly flow: boolean;
  /** This map or list as it was first read, where an edit has been taken in since. */
  readonly origin?: Collection;
  /** How much further in each entry or item begins than it did where it was read; none for all as they were. */
  readonly shift?: readonly number[];
}

export interface Entry {
  /** The name its key stands for: `007` stays `007`, `true` stays `true`. */
  readonly name: string;
  readonly key: ScalarNode;
  readonly value: Node;
}

export interface MapNode extends Around {
  readonly kind: 'map';
  readonly entries: readonly Entry[];
  /** The names of its keys, once somebody asked for them. */
  names?: ReadonlySet<string>;
}

export interface ListNode extends Around {
  readonly kind: 'list';
  readonly items: readonly Node[];
}

export type Collection = MapNode | ListNode;
export type Node = ScalarNode | Collection;

/** A problem of the YAML itself; offsets in the text, `end` exclusive. */
export interface SyntaxProblem {
  readonly message: string;
  readonly start: number;
  readonly end: number;
}

/** One document as it was read. */
export interface Tree {
  readonly text: string;
  readonly root: Node | undefined;
  readonly problems: readonly SyntaxProblem[];
  /** Whether all of it is everyday YAML, which can be read again in part. */
  readonly everyday: boolean;
  /** The maps and lists that edits were taken in to, by what they were first; all others are what they were. */
  readonly now: ReadonlyMap<Collection, Collection>;
  /** For a text that is not everyday YAML: its last state that was, and what was replaced since. */
  readonly earlier?: { readonly tree: Tree; readonly since: Stretch };
}

/** What was replaced: from `start` to `end` in the text before, which became `by` code units longer. */
export interface Stretch {
  readonly start: number;
  readonly end: number;
  readonly by: number;
}

/** @returns how many entries or items there are */
export const sizeOf = (around: Collection): number =>
  around.kind === 'map' ? around.entries.length : around.items.length;

/** @returns the value of an entry, or the item, at an index */
export const childAt = (around: Collection, index: number): Node =>
  around.kind === 'map' ? around.entries[index]!.value : around.items[index]!;

/** @returns how far in a node begins that stands in an entry or item at an index */
export const offsetIn = (around: Collection, index: number, node: Node): number =>
  node.offset + (around.shift?.[index] ?? 0);

/** @returns at which index of a map or list a node stands; -1 where it does not */
export function indexIn(around: Collection, node: Node): number {
  const count = sizeOf(around);
  const is = (index: number): boolean =>
    around.kind === 'map'
      ? around.entries[index]!.value === node || around.entries[index]!.key === node
      : around.items[index] === node;
  // most stand where they stood, or near
  for (let by = 0; by < count || node.slot - by >= 0; by++) {
    if (node.slot + by < count && is(node.slot + by)) return node.slot + by;
    if (by > 0 && node.slot - by >= 0 && node.slot - by < count && is(node.slot - by)) return node.slot - by;
  }
  return -1;
}

/** One step of the way from the root to a node. */
export interface Step {
  readonly parent: Collection;
  readonly index: number;
  readonly node: Node;
  /** Where the node begins in the text. */
  readonly start: number;
}

/**
 * @returns the way from the root to a node, the node last; for the root itself none; undefined for a node
 *   that is not in the tree
 */
export function stepsIn(tree: Tree, node: Node): readonly Step[] | undefined {
  const up: { parent: Collection; index: number; node: Node }[] = [];
  let at = node;
  for (let origin = at.within; origin; origin = at.within) {
    const parent = tree.now.get(origin) ?? origin;
    const index = indexIn(parent, at);
    if (index < 0) return undefined;
    up.push({ parent, index, node: at });
    at = parent;
  }
  if (at !== tree.root) return undefined;
  let start = at.offset;
  return up.reverse().map(({ parent, index, node: each }) => {
    start += offsetIn(parent, index, each);
    return { parent, index, node: each, start };
  });
}

/** @returns where a node of a tree begins in its text; undefined for a node that is not in it */
export function startIn(tree: Tree, node: Node): number | undefined {
  let start = 0;
  let at = node;
  for (let origin = at.within; origin; origin = at.within) {
    const parent = tree.now.get(origin) ?? origin;
    const index = indexIn(parent, at);
    if (index < 0) return undefined;
    start += offsetIn(parent, index, at);
    at = parent;
  }
  return at === tree.root ? start + at.offset : undefined;
}

/** @returns the value of the first entry with that key, or undefined. */
export function entryOf(node: Node | undefined, key: string): Entry | undefined {
  if (node?.kind !== 'map') return undefined;
  return node.entries.find(({ name }) => name === key);
}

/** @returns a scalar as the name it stands for: `007` stays `007`, `true` stays `true`. */
export function keyText(key: ScalarNode): string {
  return key.quoted ? String(key.value) : key.source;
}

/** @returns whether nothing is written here: a key without a value, an empty item, `~` or `null` */
export function isNothing(node: Node): boolean {
  return node.kind === 'scalar' && node.value === null && !node.quoted;
}

/** @returns the node as plain JSON data; later keys of a repeated name are ignored. */
export function toJson(node: Node, scalar: (node: ScalarNode) => unknown = (n) => n.value): unknown {
  if (node.kind === 'scalar') return scalar(node);
  if (node.kind === 'list') return node.items.map((item) => toJson(item, scalar));
  const result: Record<string, unknown> = {};
  for (const { name, value } of node.entries) {
    if (!Object.hasOwn(result, name)) {
      // defineProperty, so that a key named __proto__ is data like any other
      Object.defineProperty(result, name, {
        value: toJson(value, scalar),
        enumerable: true,
        configurable: true,
        writable: true,
      });
    }
  }
  return result;
}
