/**
 * Reads a document again after an edit, and only the lines it touched: the items of the innermost
 * block map or list around it are read anew, everything else keeps its nodes, which move along.
 *
 * A block item is whole lines, and what its lines mean depends on nothing but its column. So the
 * lines from one item's first to the next one's can be read alone, and what comes out is what
 * reading all of it would give, unless the fast parser gives up: then more lines are tried, and in
 * the end the whole document. A test holds the two ways together.
 */
import { parseItems } from './parse-fast.ts';
import { move, type Entry, type ListNode, type MapNode, type Node, type Parsed } from './tree.ts';

type Block = MapNode | ListNode;

/** What was replaced: from `start` to `end` in the text before, which became `by` code units longer. */
export interface Change {
  readonly start: number;
  readonly end: number;
  readonly by: number;
}

/** @returns the smallest stretch outside which two texts are the same. */
export function changeBetween(before: string, after: string): Change {
  const shorter = Math.min(before.length, after.length);
  // whole chunks first: comparing them costs next to nothing
  const CHUNK = 4096;
  let start = 0;
  while (start + CHUNK <= shorter && before.slice(start, start + CHUNK) === after.slice(start, start + CHUNK))
    start += CHUNK;
  while (start < shorter && before.charCodeAt(start) === after.charCodeAt(start)) start++;
  let same = 0;
  const most = shorter - start;
  const tail = (text: string, from: number, to: number) => text.slice(text.length - to, text.length - from);
  while (same + CHUNK <= most && tail(before, same, same + CHUNK) === tail(after, same, same + CHUNK))
    same += CHUNK;
  while (
    same < most &&
    before.charCodeAt(before.length - same - 1) === after.charCodeAt(after.length - same - 1)
  )
    same++;
  return { start, end: before.length - same, by: after.length - before.length };
}

/**
 * @param parsed the tree of `before`; its nodes move to where they stand in `after`, and it is of no more use
 * @returns the tree of `after`, or undefined where all of it must be read (then nothing has moved)
 */
export function parseAgain(parsed: Parsed, before: string, after: string): Parsed | undefined {
  const { root, everyday } = parsed;
  if (!everyday || !root || !isBlock(root)) return undefined;
  const change = changeBetween(before, after);
  const made = again(root, { before, after, change }, before.length + 1, 0);
  return made && { root: made, problems: [], everyday };
}

interface Edit {
  readonly before: string;
  readonly after: string;
  readonly change: Change;
}

const isBlock = (node: Node): node is Block => node.kind !== 'scalar' && !node.flow;

/** @param limit where the lines of what follows this block begin, before the edit; past the end for nothing */
function again(block: Block, edit: Edit, limit: number, depth: number): Block | undefined {
  const { before, after, change } = edit;
  const count = sizeOf(block);
  // the last item that begins at the edit or before it
  let low = 0;
  let high = count - 1;
  while (low < high) {
    const middle = (low + high + 1) >> 1;
    if (startOf(block, middle) <= change.start) low = middle;
    else high = middle - 1;
  }
  let first = low;
  // what is written right before an item's line may belong to the item before it
  while (first >= 0 && linesFrom(block, first, before) >= change.start) first--;
  if (first < 0) return undefined;
  const begin = linesFrom(block, first, before);
  const column = columnOf(block, before);
  if (begin < 0) return undefined;
  let last = first;
  const endOf = (index: number) => (index + 1 < count ? linesFrom(block, index + 1, before) : limit);
  while (last < count - 1 && endOf(last) <= change.end) last++;
  const end = endOf(last);
  if (end <= change.end) return undefined;

  if (first === last) {
    const inner = valueOf(block, first);
    const made = isBlock(inner) ? again(inner, edit, end, depth + 1) : undefined;
    if (made) {
      const only: Block =
        block.kind === 'map'
          ? { ...block, entries: [{ key: block.entries[first]!.key, value: made }] }
          : { ...block, items: [made] };
      return spliced(block, first, last, only, change.by);
    }
  }
  const lines = after.slice(begin, end > before.length ? undefined : end + change.by);
  const made = parseItems(lines, column, depth);
  if (made?.kind !== block.kind) return undefined;
  move(made, begin);
  return spliced(block, first, last, made, change.by);
}

/** The block with some of its items replaced by those of another; the items behind them move. */
function spliced(block: Block, first: number, last: number, made: Block, by: number): Block {
  const kept = {
    start: first === 0 ? made.start : block.start,
    flow: false,
    place: undefined,
    memo: undefined,
  };
  if (block.kind === 'map' && made.kind === 'map') {
    const behind = block.entries.slice(last + 1);
    for (const { key, value } of behind) {
      move(key, by);
      move(value, by);
    }
    const entries = [...block.entries.slice(0, first), ...made.entries, ...behind];
    const tail = entries.at(-1)!;
    return { kind: 'map', entries, ...kept, end: Math.max(tail.key.end, tail.value.end) };
  }
  if (block.kind === 'list' && made.kind === 'list') {
    const behind = block.items.slice(last + 1);
    for (const item of behind) move(item, by);
    const items = [...block.items.slice(0, first), ...made.items, ...behind];
    // as the parser has it: no item ends before the list begins
    const end = items.reduce((most, item) => Math.max(most, item.end), kept.start);
    return { kind: 'list', items, ...kept, end };
  }
  throw new Error('a map was read as a list');
}

const sizeOf = (block: Block) => (block.kind === 'map' ? block.entries.length : block.items.length);
const valueOf = (block: Block, index: number): Node =>
  block.kind === 'map' ? block.entries[index]!.value : block.items[index]!;
const entryStart = ({ key }: Entry) => key.start;

function startOf(block: Block, index: number): number {
  return block.kind === 'map' ? entryStart(block.entries[index]!) : block.items[index]!.start;
}

function endOfItem(block: Block, index: number): number {
  if (block.kind === 'list') return block.items[index]!.end;
  const { key, value } = block.entries[index]!;
  return Math.max(key.end, value.end);
}

const lineOf = (text: string, at: number) => text.lastIndexOf('\n', at - 1) + 1;

function columnOf(block: Block, text: string): number {
  return block.start - lineOf(text, block.start);
}

/**
 * Where an item's lines begin: for the first item only if nothing of what it is in stands on its line (-1 otherwise).
 */
function linesFrom(block: Block, index: number, text: string): number {
  if (index === 0) {
    const line = lineOf(text, block.start);
    return /^ *$/.test(text.slice(line, block.start)) ? line : -1;
  }
  // a list item begins with its dash, which is no node: it is the first thing written after the item before
  let at = text.indexOf('\n', endOfItem(block, index - 1)) + 1;
  for (;;) {
    let seen = at;
    while (text.charCodeAt(seen) === 32) seen++;
    const code = text.charCodeAt(seen);
    if (code !== 10 && code !== 35) return at;
    at = text.indexOf('\n', seen) + 1;
    // the item is written further down, so there is always another line
    if (at === 0) return text.length;
  }
}
