/**
 * Reads a document again after a change of its text, and only the lines it touched: the items of the
 * innermost block map or list around it are read anew, everything else is shared with the tree before.
 *
 * A block item is whole lines, and what its lines mean depends on nothing but its column. So the
 * lines from one item's first to the next one's can be read alone, and what comes out is what
 * reading all of it would give, unless the fast parser gives up: then more lines are tried, and in
 * the end the whole document. A test holds the two ways together.
 */
import type { TextEdit } from '../base/edits.ts';
import { type Made, withValue } from './making.ts';
import { parseItems } from './parse-fast.ts';
import { parseDocument } from './parse.ts';
import { type Collection, type Node, type Stretch, type Tree, childAt, offsetIn, sizeOf } from './tree.ts';

type Replacement = Pick<TextEdit, 'start' | 'end' | 'text'>;

/** So many replacements in one go cost as much as reading the document whole. */
const MOST_APART = 40;

/**
 * @param edits replacements in one document, their offsets all those of the text before, none inside another
 * @returns the tree of the text with the edits in it; the tree before stays what it is
 */
export function parseAgain(before: Tree, edits: readonly Replacement[]): Tree {
  // from the end, so that the offsets of those to come stay right
  const ordered = [...edits].sort((a, b) => a.start - b.start || a.end - b.end).reverse();
  let text = before.text;
  let tree: Tree | undefined = before;
  for (const edit of ordered) {
    text = text.slice(0, edit.start) + edit.text + text.slice(edit.end);
    tree = tree && ordered.length <= MOST_APART ? after(tree, text, stretchOf(edit)) : undefined;
  }
  if (tree) return tree;
  const whole = parseDocument(text);
  if (whole.everyday) return whole;
  // half a line being written soon becomes a whole one
  const earlier = before.everyday ? { tree: before, since: NOTHING } : before.earlier;
  if (!earlier) return whole;
  const since = ordered.map(stretchOf).reduce(joined, earlier.since);
  return { ...whole, earlier: { tree: earlier.tree, since } };
}

const NOTHING: Stretch = { start: Infinity, end: -Infinity, by: 0 };

const stretchOf = ({ start, end, text }: Replacement): Stretch => ({
  start,
  end,
  by: text.length - (end - start),
});

/** One stretch that covers a change and the one after it, in the offsets before both. */
function joined(first: Stretch, second: Stretch): Stretch {
  if (first === NOTHING) return second;
  const end = Math.max(first.end + first.by, second.end) - first.by;
  return { start: Math.min(first.start, second.start), end, by: first.by + second.by };
}

/** The tree of the text after one change; undefined where all of it must be read. */
function after(tree: Tree, text: string, stretch: Stretch): Tree | undefined {
  const [from, change] = tree.everyday
    ? [tree, stretch]
    : [tree.earlier?.tree, tree.earlier && joined(tree.earlier.since, stretch)];
  if (!from?.root || !change || !isBlock(from.root)) return undefined;
  const making: Making = { before: from.text, after: text, change, now: new Map() };
  const root = again(from.root, from.root.offset, making, from.text.length + 1, 0);
  return root && { text, root, problems: [], everyday: true, now: over(from.now, making.now) };
}

/** What was made anew, over what was made anew before. */
function over(before: Tree['now'], made: Tree['now']): Tree['now'] {
  return new Map([...before, ...made]);
}

interface Making {
  readonly before: string;
  readonly after: string;
  readonly change: Stretch;
  /** What is made anew, by what it was first. */
  readonly now: Map<Collection, Collection>;
}

const isBlock = (node: Node): node is Collection => node.kind !== 'scalar' && !node.flow;

/**
 * @param begins where the block begins, before the change
 * @param limit where the lines of what follows this block begin, before the change; past the end for nothing
 */
function again(
  block: Collection,
  begins: number,
  making: Making,
  limit: number,
  depth: number,
): Collection | undefined {
  const { before, after: text, change } = making;
  const count = sizeOf(block);
  // the last item that begins at the change or before it
  let low = 0;
  let high = count - 1;
  while (low < high) {
    const middle = (low + high + 1) >> 1;
    if (begins + headOf(block, middle) <= change.start) low = middle;
    else high = middle - 1;
  }
  const linesOf = (index: number) => linesFrom(block, begins, index, before);
  let first = low;
  // what is written right before an item's line may belong to the item before it
  while (first >= 0 && linesOf(first) >= change.start) first--;
  if (first < 0) return undefined;
  const begin = linesOf(first);
  const column = begins - lineOf(before, begins);
  if (begin < 0) return undefined;
  let last = first;
  const endOf = (index: number) => (index + 1 < count ? linesOf(index + 1) : limit);
  while (last < count - 1 && endOf(last) <= change.end) last++;
  const end = endOf(last);
  if (end <= change.end) return undefined;

  if (first === last) {
    const inner = childAt(block, first);
    const made = isBlock(inner)
      ? again(inner, begins + offsetIn(block, first, inner), making, end, depth + 1)
      : undefined;
    if (made) return withChild(block, first, made, making);
  }
  const lines = text.slice(begin, end > before.length ? undefined : end + change.by);
  const made = parseItems(lines, column, depth);
  if (made?.kind !== block.kind) return undefined;
  return spliced(block, begins, first, last, made, begin + made.offset, making);
}

/** Puts a block that was made anew in the place of what it was. */
function renewed(block: Collection, made: Made<Collection>, making: Making): Collection {
  const origin = block.origin ?? block;
  made.origin = origin;
  made.memo = undefined;
  if (made.kind === 'map') made.names = undefined;
  making.now.set(origin, made as Collection);
  return made as Collection;
}

/** The block with another value in one of its entries; what stands behind it moves. */
function withChild(block: Collection, index: number, child: Collection, making: Making): Collection {
  const count = sizeOf(block);
  const { by } = making.change;
  const shift = Array.from({ length: count }, (_, i) => (block.shift?.[i] ?? 0) + (i > index ? by : 0));
  if (block.kind === 'map') {
    const entries = block.entries.slice();
    entries[index] = withValue(entries[index]!, child);
    const made = { ...block, entries, shift };
    return renewed(block, { ...made, length: lengthOf(made) }, making);
  }
  const items = block.items.slice();
  items[index] = child;
  const made = { ...block, items, shift };
  return renewed(block, { ...made, length: lengthOf(made) }, making);
}

/**
 * The block with some of its items replaced by those of another; the items behind them move.
 * @param begins where the block began, before the change
 * @param madeAt where the first of the new items begins, after it
 */
function spliced(
  block: Collection,
  begins: number,
  first: number,
  last: number,
  fresh: Collection,
  madeAt: number,
  making: Making,
): Collection {
  // only what stands before the first item may move the block itself
  const start = first === 0 ? madeAt : begins;
  const moved = start - begins;
  const shiftOf = (index: number) => (block.shift?.[index] ?? 0) - moved;
  const count = sizeOf(block);
  const shift: number[] = [];
  for (let i = 0; i < first; i++) shift.push(shiftOf(i));
  for (let i = sizeOf(fresh); i > 0; i--) shift.push(madeAt - start);
  for (let i = last + 1; i < count; i++) shift.push(shiftOf(i) + making.change.by);
  const place = { offset: block.offset + moved, lead: block.lead + moved, shift };
  const origin = block.origin ?? block;
  const adopt = (node: Node, slot: number) => {
    (node as Made<Node>).within = origin;
    (node as Made<Node>).slot = slot;
  };
  if (block.kind === 'map' && fresh.kind === 'map') {
    fresh.entries.forEach(({ key, value }, i) => {
      adopt(value, first + i);
      adopt(key, first + i);
    });
    const entries = [...block.entries.slice(0, first), ...fresh.entries, ...block.entries.slice(last + 1)];
    const made = { ...block, ...place, entries };
    return renewed(block, { ...made, length: lengthOf(made) }, making);
  }
  if (block.kind === 'list' && fresh.kind === 'list') {
    fresh.items.forEach((item, i) => adopt(item, first + i));
    const items = [...block.items.slice(0, first), ...fresh.items, ...block.items.slice(last + 1)];
    const made = { ...block, ...place, items };
    return renewed(block, { ...made, length: lengthOf(made) }, making);
  }
  throw new Error('a map was read as a list');
}

/** As the parser has it: a block is as long as its last item reaches. */
function lengthOf(block: Collection): number {
  return Math.max(0, endOfItem(block, sizeOf(block) - 1));
}

/** Where an item begins, from the start of its block. */
function headOf(block: Collection, index: number): number {
  const node = block.kind === 'map' ? block.entries[index]!.key : block.items[index]!;
  return offsetIn(block, index, node);
}

/** Where an item ends, from the start of its block. */
function endOfItem(block: Collection, index: number): number {
  const value = childAt(block, index);
  const end = offsetIn(block, index, value) + value.length;
  if (block.kind === 'list') return end;
  const { key } = block.entries[index]!;
  return Math.max(offsetIn(block, index, key) + key.length, end);
}

const lineOf = (text: string, at: number) => text.lastIndexOf('\n', at - 1) + 1;

/**
 * Where an item's lines begin: for the first item only if nothing of what it is in stands on its line (-1 otherwise).
 */
function linesFrom(block: Collection, begins: number, index: number, text: string): number {
  if (index === 0) {
    const line = lineOf(text, begins);
    return /^ *$/.test(text.slice(line, begins)) ? line : -1;
  }
  // a list item begins with its dash, which is no node: it is the first thing written after the item before
  let at = text.indexOf('\n', begins + endOfItem(block, index - 1)) + 1;
  for (;;) {
    let seen = at;
    while (text.charCodeAt(seen) === 32) seen++;
    const code = text.charCodeAt(seen);
    if (code !== 10 && code !== 13 && code !== 35) return at;
    at = text.indexOf('\n', seen) + 1;
    // the item is written further down, so there is always another line
    if (at === 0) return text.length;
  }
}
