import type { Place } from '../model/place.ts';

/**
 * What a document says, before anything is known about topologies: maps, lists and scalars, each
 * with its stretch of the text. Both parsers (the fast one and the full one) end here.
 *
 * A tree outlives an edit of its text: nodes outside the edit stay the same objects and move along (see
 * parse-again.ts). What was made of a node is therefore kept with it.
 */
/** What a node was read as: kept while the node, and what it was read with, stay the same. */
export interface Memo {
  readonly shape: unknown;
  readonly with: unknown;
  readonly value: unknown;
  readonly usedParameters: readonly string[];
  /** Places of parts of the node that are no nodes themselves; they move with it. */
  readonly places: readonly Place[];
}

interface Kept {
  /** The node's own place, once somebody asked for it: one object, so that it can move. */
  place?: Place | undefined;
  memo?: Memo | undefined;
}

export interface ScalarNode extends Kept {
  readonly kind: 'scalar';
  readonly value: string | number | boolean | null;
  /** The text as written for a plain scalar (`007`, `1e3`), so that a name keeps its spelling. */
  readonly source: string;
  readonly quoted: boolean;
  start: number;
  end: number;
}

export interface Entry {
  readonly key: ScalarNode;
  readonly value: Node;
}

export interface MapNode extends Kept {
  readonly kind: 'map';
  readonly entries: readonly Entry[];
  readonly flow: boolean;
  start: number;
  end: number;
  /** The names of its keys, once somebody asked for them. */
  names?: ReadonlySet<string>;
}

export interface ListNode extends Kept {
  readonly kind: 'list';
  readonly items: readonly Node[];
  readonly flow: boolean;
  start: number;
  end: number;
}

export type Node = ScalarNode | MapNode | ListNode;

/** A problem of the YAML itself; `end` exclusive. */
export interface SyntaxProblem {
  readonly message: string;
  readonly start: number;
  readonly end: number;
}

export interface Parsed {
  readonly root: Node | undefined;
  readonly problems: readonly SyntaxProblem[];
  /** Whether all of it is everyday YAML, which can be read again in part. */
  readonly everyday: boolean;
}

/** Moves a node and everything in it by so many code units, with every place that was made of it. */
export function move(node: Node, by: number): void {
  if (by === 0) return;
  moveSpan(node, by);
  if (node.place) moveSpan(node.place as Movable, by);
  for (const place of node.memo?.places ?? []) moveSpan(place as Movable, by);
  if (node.kind === 'list') for (const item of node.items) move(item, by);
  if (node.kind === 'map') {
    for (const { key, value } of node.entries) {
      move(key, by);
      move(value, by);
    }
  }
}

interface Movable {
  start: number;
  end: number;
}

function moveSpan(span: Movable, by: number): void {
  span.start += by;
  span.end += by;
}

/** @returns the value of the first entry with that key, or undefined. */
export function entryOf(node: Node | undefined, key: string): Entry | undefined {
  if (node?.kind !== 'map') return undefined;
  return node.entries.find((entry) => keyText(entry.key) === key);
}

/** @returns a key as the name it stands for: `007` stays `007`, `true` stays `true`. */
export function keyText(key: ScalarNode): string {
  return key.quoted ? String(key.value) : key.source;
}

/** @returns the node as plain JSON data; later keys of a repeated name are ignored. */
export function toJson(node: Node, scalar: (node: ScalarNode) => unknown = (n) => n.value): unknown {
  if (node.kind === 'scalar') return scalar(node);
  if (node.kind === 'list') return node.items.map((item) => toJson(item, scalar));
  const result: Record<string, unknown> = {};
  for (const { key, value } of node.entries) {
    const name = keyText(key);
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
