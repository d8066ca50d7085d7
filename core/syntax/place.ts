/** Where a declared value stands, whatever is edited before it. */
import type { Span } from '../base/span.ts';
import { type Node, type Tree, startIn } from './tree.ts';

/**
 * A stretch of one document, told by the node it is in: it stays right in every tree that shares the node.
 * Without a node it is told in the text's own offsets, and right for that text alone.
 */
export interface Place {
  readonly doc: string;
  readonly node?: Node;
  /** From the start of the node (of the text, without one), inclusive. */
  readonly from: number;
  /** From there too, exclusive. */
  readonly to: number;
}

/** A value as it was declared: what it is, where it stands, and which parameters it was made from. */
export interface Located<T> {
  readonly value: T;
  readonly place: Place;
  readonly from?: readonly string[];
}

/** Documents as they were read, by name. */
export type Trees = ReadonlyMap<string, Tree>;

/** What can tell where a place stands. */
export interface Placed {
  readonly trees: Trees;
}

/** @returns the place of a whole node */
export const placeOf = (doc: string, node: Node): Place => ({ doc, node, from: 0, to: node.length });

/** @returns where a place stands in the text that the trees were read from; for one in none of them, the text's start */
export function spanOf({ trees }: Placed, { doc, node, from, to }: Place): Span {
  if (!node) return { doc, start: from, end: to };
  const tree = trees.get(doc);
  const start = tree && startIn(tree, node);
  return start === undefined ? { doc, start: 0, end: 0 } : { doc, start: start + from, end: start + to };
}

/** @returns what is written at a place */
export function writtenAt(placed: Placed, place: Place): string {
  const { start, end } = spanOf(placed, place);
  return placed.trees.get(place.doc)?.text.slice(start, end) ?? '';
}
