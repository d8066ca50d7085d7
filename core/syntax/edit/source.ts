/** A document that is being edited: the way to what is to be changed, and how far each part of it reaches. */
import type { Place, Placed } from '../place.ts';
import {
  type Collection,
  type MapNode,
  type Node,
  type Tree,
  childAt,
  indexIn,
  offsetIn,
  sizeOf,
} from '../tree.ts';

/** A document that is being edited. */
export interface Source {
  readonly doc: string;
  readonly tree: Tree;
  readonly text: string;
}

/** A node on the way from the root of a document. */
export interface Reached {
  readonly parent: Collection | undefined;
  readonly index: number;
  readonly node: Node;
  /** Where it begins in the text. */
  readonly start: number;
  /** Where its parent begins. */
  readonly parentStart: number;
}

export function sourceOf({ trees }: Placed, doc: string): Source | undefined {
  const tree = trees.get(doc);
  return tree && tree.problems.length === 0 ? { doc, tree, text: tree.text } : undefined;
}

export const rootStep = ({ tree: { root } }: Source): Reached | undefined =>
  root && { parent: undefined, index: -1, node: root, start: root.offset, parentStart: 0 };

export function childStep(parent: Reached, index: number): Reached {
  const around = parent.node as Collection;
  const node = childAt(around, index);
  const start = parent.start + offsetIn(around, index, node);
  return { parent: around, index, node, start, parentStart: parent.start };
}

/** @returns the index of the first entry of that name; -1 where there is none */
export const entryIndex = (map: MapNode, name: string): number =>
  map.entries.findIndex((entry) => entry.name === name);

/** Walks a path as far as it leads. @returns the steps found, outermost first, the root not among them */
export function walk(source: Source, path: Path): Reached[] {
  const steps: Reached[] = [];
  let at = rootStep(source);
  for (const step of path) {
    if (!at) break;
    const index: number =
      at.node.kind === 'map'
        ? entryIndex(at.node, String(step))
        : at.node.kind === 'list' && typeof step === 'number' && step < at.node.items.length
          ? step
          : -1;
    if (index < 0) break;
    at = childStep(at, index);
    steps.push(at);
  }
  return steps;
}

/** The way to the node of a place, or to the smallest one around it; undefined where there is none. */
export function stepsTo(placed: Placed, place: Place): { source: Source; steps: Reached[] } | undefined {
  const source = sourceOf(placed, place.doc);
  if (!source) return undefined;
  const steps: Reached[] = [];
  let at = rootStep(source);
  if (place.node) {
    const up: number[] = [];
    let node: Node = place.node;
    for (let origin = node.within; origin; origin = node.within) {
      const parent: Collection = source.tree.now.get(origin) ?? origin;
      const index = indexIn(parent, node);
      if (index < 0) return undefined;
      up.unshift(index);
      node = parent;
    }
    if (node !== source.tree.root) return undefined;
    for (const index of up) {
      at = childStep(at!, index);
      steps.push(at);
    }
    return { source, steps };
  }
  const { from, to } = place;
  while (at && at.node.kind !== 'scalar') {
    const around: Collection = at.node;
    const base: number = at.start;
    const index = Array.from({ length: sizeOf(around) }, (_, i) => i).find((i) => {
      const value = childAt(around, i);
      const head = around.kind === 'map' ? around.entries[i]!.key : value;
      return (
        base + offsetIn(around, i, head) <= from &&
        Math.max(
          base + offsetIn(around, i, value) + value.length,
          base + offsetIn(around, i, head) + head.length,
        ) >= to
      );
    });
    if (index === undefined) break;
    at = childStep(at, index);
    steps.push(at);
  }
  return { source, steps };
}

/** The nearest list item on the way to a place. */
export const itemIn = (steps: readonly Reached[]): number =>
  steps.findLastIndex(({ parent }) => parent?.kind === 'list');

/**
 * The document in which most of a path stands; of several, the one where most of its kind stand already,
 * of those the first.
 */
export function deepest(placed: Placed, path: Path): { source: Source; steps: Reached[] } | string {
  let best: { source: Source; steps: Reached[] } | undefined;
  for (const doc of placed.trees.keys()) {
    const source = sourceOf(placed, doc);
    if (!source) continue;
    const steps = walk(source, path);
    const further = steps.length - (best?.steps.length ?? -1);
    if (!best || further > 0 || (further === 0 && sizeAt(steps) > sizeAt(best.steps)))
      best = { source, steps };
  }
  return best ?? 'No document can be edited: mend their syntax first.';
}

export function sizeAt(steps: readonly Reached[]): number {
  const node = steps.at(-1)?.node;
  return node && node.kind !== 'scalar' ? sizeOf(node) : 0;
}

/** Keys and list positions from the root of a document: `['brokers', 'mainland', 'queues', 'boards']`. */
export type Path = readonly (string | number)[];

export const lineStart = (text: string, at: number) => text.lastIndexOf('\n', at - 1) + 1;

/** The end of the line an offset is on, a comment there included, its line break not. */
export function lineEnd(text: string, at: number): number {
  const end = text.indexOf('\n', at);
  if (end < 0) return text.length;
  return text[end - 1] === '\r' && end > at ? end - 1 : end;
}

/** Behind the line break that ends the line an offset is on. */
export function behindLine(text: string, at: number): number {
  // a block text ends behind its last line break already
  if (at > 0 && text[at - 1] === '\n') return at;
  const end = text.indexOf('\n', at);
  return end < 0 ? text.length : end + 1;
}

export const columnOf = (text: string, at: number) => at - lineStart(text, at);
export const spaces = (count: number) => ' '.repeat(count);

export const endOf = ({ node, start }: Reached) => start + node.length;

/** Where the colon before a value stands; undefined where there is none. */
export function colonOf({ node, start, parent }: Reached): number | undefined {
  return parent?.kind === 'map' && node.lead > 0 ? start - node.lead : undefined;
}

/** What an entry or item spans, from its key or dash to the end of its value. */
export interface Extent {
  readonly head: number;
  readonly end: number;
}

export function extentOf(parent: Collection, parentStart: number, index: number): Extent {
  const value = childAt(parent, index);
  const start = parentStart + offsetIn(parent, index, value);
  if (parent.kind === 'list') return { head: start - value.lead, end: start + value.length };
  const { key } = parent.entries[index]!;
  const keyStart = parentStart + offsetIn(parent, index, key);
  return { head: keyStart - key.lead, end: Math.max(keyStart + key.length, start + value.length) };
}

/** A comment on the rest of a line, with the space before it; empty where there is none. */
export function commentIn(gap: string): string {
  return /^[^\n]*?( +#[^\r\n]*)/.exec(gap)?.[1] ?? '';
}
