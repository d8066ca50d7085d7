/** Nodes while they are being made: only the parsers, and nobody after them, set these fields. */
import { typedScalar } from './scalars.ts';
import {
  type Collection,
  type Entry,
  type ListNode,
  type MapNode,
  type Node,
  type ScalarNode,
  keyText,
} from './tree.ts';

/** A node that may still be changed. */
export type Made<N> = { -readonly [K in keyof N]: N[K] };

/** @returns a map that begins at an offset of the text, to be closed once its entries are in it */
export const mapAt = (offset: number, flow: boolean, entries: Entry[]): Made<MapNode> => ({
  kind: 'map',
  entries,
  flow,
  offset,
  length: 0,
  lead: 0,
  within: undefined,
  slot: 0,
  memo: undefined,
});

/** @returns a list, as `mapAt` */
export const listAt = (offset: number, flow: boolean, items: Node[]): Made<ListNode> => ({
  kind: 'list',
  items,
  flow,
  offset,
  length: 0,
  lead: 0,
  within: undefined,
  slot: 0,
  memo: undefined,
});

/**
 * Says how long a map or list is, now that all of it is in it. What it was gathered in has room for more,
 * which a document of many small maps would pay for many times over.
 */
export function close<N extends Made<MapNode> | Made<ListNode>>(node: N, length: number): N {
  node.length = length;
  if (node.kind === 'map') node.entries = node.entries.slice();
  else node.items = node.items.slice();
  return node;
}

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

/**
 * An entry whose key becomes a node once somebody asks for it: there are as many keys as there are values,
 * and of most nobody ever asks for more than the name. It is made at its key, and gets its value when it
 * is put into its map.
 */
export class PlainEntry implements Entry {
  private made: ScalarNode | undefined = undefined;
  value!: Node;

  /** @param offset from the start of the text, until it is put into its map */
  constructor(
    readonly name: string,
    readonly quoted: boolean,
    public offset: number,
    readonly length: number,
  ) {}

  get key(): ScalarNode {
    const { name, quoted, offset, length, value } = this;
    return (this.made ??= {
      ...scalar(quoted ? name : typedScalar(name), name, quoted, offset, offset + length),
      within: value.within,
      slot: value.slot,
    });
  }
}

/** @returns an entry with another value, and the key it had */
export const withValue = ({ name, key }: Entry, value: Node): Entry => ({ name, key, value });

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
  entries.push({ name: keyText(key), key, value });
  const keyEnd = adopt(map, key, slot, key.offset);
  return Math.max(keyEnd, adopt(map, value, slot, colon < 0 ? value.offset : colon));
}

/** Puts an entry into a map, as `adoptEntry`. */
export function adoptPlain(
  map: MapNode,
  entries: Entry[],
  entry: PlainEntry,
  value: Node,
  colon: number,
): number {
  const keyEnd = entry.offset + entry.length;
  const end = adopt(map, value, entries.length, colon);
  entry.offset -= map.offset;
  entry.value = value;
  entries.push(entry);
  return Math.max(keyEnd, end);
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
