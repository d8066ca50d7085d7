/** Nodes while they are being made: only the parsers, and nobody after them, set these fields. */
import type { Collection, Entry, ListNode, MapNode, Node, ScalarNode } from './tree.ts';

/** A node that may still be changed. */
export type Made<N> = { -readonly [K in keyof N]: N[K] };

/** A node's place, until it is put into a map or list. */
export const UNPLACED = { length: 0, lead: 0, within: undefined, slot: 0, memo: undefined } as const;

/** @returns a map or list whose length is not known yet */
export const made = <N extends Collection>(node: Made<N>): Made<N> => node;

/** @returns a scalar that begins and ends at offsets of the text; the first is told from what is around it later */
export function scalar(
  value: ScalarNode['value'],
  source: string,
  quoted: boolean,
  start: number,
  end: number,
): ScalarNode {
  return {
    kind: 'scalar',
    value,
    source,
    quoted,
    offset: start,
    length: end - start,
    lead: 0,
    within: undefined,
    slot: 0,
    memo: undefined,
  };
}

function adopt(around: Collection, node: Node, slot: number, marker: number): number {
  const child = node as Made<Node>;
  const end = child.offset + child.length;
  child.lead = child.offset - marker;
  child.offset -= around.offset;
  child.within = around;
  child.slot = slot;
  return end;
}

/**
 * Puts an entry into a map. Until now all their offsets were the text's own.
 * @param colon where the colon stands; -1 where there is none
 * @returns where the entry ends
 */
export function adoptEntry(
  map: MapNode,
  entries: Entry[],
  key: ScalarNode,
  value: Node,
  colon: number,
): number {
  const slot = entries.length;
  entries.push({ key, value });
  const keyEnd = adopt(map, key, slot, key.offset);
  return Math.max(keyEnd, adopt(map, value, slot, colon < 0 ? value.offset : colon));
}

/**
 * Puts an item into a list, as `adoptEntry`.
 * @param dash where its dash stands; its own start where there is none
 * @returns where the item ends
 */
export function adoptItem(list: ListNode, items: Node[], item: Node, dash: number): number {
  const slot = items.length;
  items.push(item);
  return adopt(list, item, slot, dash);
}
