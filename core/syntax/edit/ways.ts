/** The ways to write a value, to add something, and to take something away: the nearest first. */
import {
  type Extent,
  type Reached,
  type Source,
  behindLine,
  colonOf,
  columnOf,
  commentIn,
  endOf,
  extentOf,
  lineEnd,
  lineStart,
  spaces,
} from './source.ts';
import { type Json, plainOrQuoted, renderAfterKey, renderFlow } from '../render.ts';
import { type Collection, type Node, sizeOf } from '../tree.ts';

/** One way to write an edit of a document. */
export type Way = readonly { readonly start: number; readonly end: number; readonly text: string }[];

/** Whether a map or list, or the nearest one with keys in it, is written as JSON is. */
export function isJsonStyle({ text, tree }: Source): boolean {
  const { root } = tree;
  return (
    root !== undefined &&
    root.kind !== 'scalar' &&
    root.flow &&
    /^[{[]\s*["{[\]}]/.test(text.slice(root.offset))
  );
}

export const flowText = (source: Source, value: Json): string =>
  isJsonStyle(source) ? jsonText(value) : renderFlow(value);

/** JSON with the spaces people leave in it. */
export function jsonText(value: Json): string {
  if (typeof value !== 'object' || value === null) return JSON.stringify(value);
  if (Array.isArray(value)) return `[${value.map((each: Json) => jsonText(each)).join(', ')}]`;
  const entries = Object.entries(value).map(([key, each]) => `${JSON.stringify(key)}: ${jsonText(each)}`);
  return entries.length ? `{ ${entries.join(', ')} }` : '{}';
}

export const keyIn = (source: Source, key: string): string =>
  isJsonStyle(source) ? JSON.stringify(key) : plainOrQuoted(key);

/** A text in the quotes the old one had, where it had any. */
export function quotedLike(source: Source, old: string, text: string): string {
  if (old.startsWith('"') || isJsonStyle(source)) return JSON.stringify(text);
  if (old.startsWith("'") && !/[\p{Cc}]/u.test(text)) return `'${text.replaceAll("'", "''")}'`;
  return plainOrQuoted(text);
}

export const isBlockText = (source: Source, { node, start }: Reached) =>
  node.kind === 'scalar' && node.quoted && /[|>]/.test(source.text[start] ?? '');

/** The ways to write another value where one stands. */
export function* replacements(source: Source, step: Reached, value: Json): Generator<Way> {
  const { text } = source;
  const { node, start, parent } = step;
  const end = endOf(step);
  const flow = flowText(source, value);
  const scalar = typeof value === 'string' ? quotedLike(source, text.slice(start, end), value) : flow;
  const isScalar = typeof value !== 'object' || value === null;
  const block = parent?.kind === 'map' && !parent.flow;
  const colon = colonOf(step);
  const breaks = text[end - 1] === '\n' && end > start ? '\n' : '';
  if (isMissing(node)) {
    if (parent?.kind === 'map' && colon === undefined) yield [{ start, end, text: `: ${flow}` }];
    else if (block && !isScalar) {
      const head = extentOf(parent, step.parentStart, step.index).head;
      yield [{ start, end, text: renderAfterKey(value, columnOf(text, head), start - head) }];
    }
    yield [{ start, end, text: ` ${flow}` }];
    return;
  }
  if (isBlockText(source, step)) {
    const comment = commentIn(text.slice(start, lineEnd(text, start)));
    yield [{ start, end, text: `${isScalar ? scalar : flow}${comment}${breaks}` }];
    yield [{ start, end, text: `${flow}${breaks}` }];
    return;
  }
  if (isScalar && node.kind === 'scalar') yield [{ start, end, text: scalar }];
  if (block && colon !== undefined && (node.kind !== 'scalar' || !isScalar)) {
    // from right behind the colon, so that a block may become a line and a line a block
    const head = extentOf(parent, step.parentStart, step.index).head;
    const rendered = renderAfterKey(value, columnOf(text, head), start - head);
    const gap = text.slice(colon + 1, start);
    const comment = commentIn(gap);
    if (!/[^\s]/.test(gap.replace(/#[^\n]*/g, '')))
      yield [
        {
          start: colon + 1,
          end,
          text: (rendered.includes('\n') ? comment + rendered : rendered + comment) + breaks,
        },
      ];
  }
  yield [{ start, end, text: flow + breaks }];
  // with the tag that stands before it
  if (node.lead > 0) yield [{ start: start - node.lead + 1, end, text: ` ${flow}${breaks}` }];
}

export const isMissing = (node: Node) => node.kind === 'scalar' && node.length === 0;

/** The ways to put an entry into the map, or the empty value, at a step; without one, into an empty document. */
export function* entries(
  source: Source,
  step: Reached | undefined,
  key: string,
  value: Json,
  nested: boolean,
): Generator<Way> {
  const { text } = source;
  const name = keyIn(source, key);
  const flow = `${name}: ${flowText(source, value)}`;
  const lines = (indent: number) =>
    nested
      ? `${name}:${blockAfterKey(value, indent)}`
      : `${name}:${renderAfterKey(value, indent, name.length)}`;
  const node = step?.node;
  if (!step || !node) {
    const fresh = text === '' || text.endsWith('\n') ? '' : '\n';
    yield [{ start: text.length, end: text.length, text: `${fresh}${lines(0)}\n` }];
    return;
  }
  if (node.kind === 'map' && sizeOf(node) > 0) {
    yield* beside(source, step, flow, lines);
    return;
  }
  yield* begun(source, step, flow, lines, { [key]: value });
}

/** The ways to put an entry or item beside those of a map or list that has some. */
export function* beside(
  { text }: Source,
  { node, start }: Reached,
  flow: string,
  lines: (indent: number) => string,
): Generator<Way> {
  const around = node as Collection;
  const last = extentOf(around, start, sizeOf(around) - 1);
  const first = extentOf(around, start, 0);
  if (around.flow) {
    const own = lineStart(text, last.head);
    const indent = text.slice(own, last.head);
    // one on each line stays so
    if (own > start && indent.trim() === '')
      yield [{ start: last.end, end: last.end, text: `,\n${indent}${flow}` }];
    yield [{ start: last.end, end: last.end, text: `, ${flow}` }];
    yield [{ start: first.head, end: first.head, text: `${flow}, ` }];
    return;
  }
  const indent = columnOf(text, first.head);
  yield [behind(text, last.end, `${spaces(indent)}${lines(indent)}`)];
  yield [{ start: first.head, end: first.head, text: `${lines(indent)}\n${spaces(indent)}` }];
}

/** Lines put in behind those of something that ends at an offset. */
export function behind(text: string, end: number, lines: string): Way[number] {
  if (end > 0 && text[end - 1] === '\n') return { start: end, end, text: `${lines}\n` };
  const at = lineEnd(text, end);
  return { start: at, end: at, text: `\n${lines}` };
}

/**
 * The ways to make an empty value a map or list.
 * @param flow what is put into it, in one line
 * @param lines the same on lines of its own, for their column
 * @param whole what there is then
 */
export function* begun(
  source: Source,
  step: Reached,
  flow: string,
  lines: (indent: number) => string,
  whole: Json,
): Generator<Way> {
  const { text } = source;
  const { node, start, parent, parentStart, index } = step;
  const end = endOf(step);
  const colon = colonOf(step);
  // what is written between its braces stays
  if (node.kind !== 'scalar' && text.slice(start + 1, end - 1).trim() !== '')
    yield [{ start: end - 1, end: end - 1, text: `${flow} ` }];
  if (!parent && node.kind === 'scalar') {
    yield [{ start, end, text: `${lines(0)}${end > start ? '' : '\n'}` }];
    return;
  }
  if (parent && !parent.flow && node.kind === 'scalar' && (colon !== undefined || parent.kind === 'list')) {
    const indent = columnOf(text, extentOf(parent, parentStart, index).head) + 2;
    if (parent.kind === 'list') yield [{ start, end, text: `${isMissing(node) ? ' ' : ''}${lines(indent)}` }];
    else {
      // a comment behind the colon stays on its line
      const gap = text.slice(end, lineEnd(text, end));
      if (commentIn(gap) && isMissing(node)) yield [behind(text, end, `${spaces(indent)}${lines(indent)}`)];
      yield [{ start: colon! + 1, end, text: `\n${spaces(indent)}${lines(indent)}` }];
    }
  }
  yield* replacements(source, step, whole);
}

/** Maps made on the way to a new value are written as blocks, so that more can be added to them. */
export function blockAfterKey(value: Json, indent: number): string {
  if (Array.isArray(value)) {
    return value.map((item: Json) => `\n${spaces(indent + 2)}- ${renderFlow(item)}`).join('');
  }
  const inner =
    typeof value === 'object' && value !== null && !Array.isArray(value) ? Object.entries(value) : [];
  if (inner.length !== 1) return renderAfterKey(value, indent, 0);
  const [key, only] = inner[0]!;
  const name = plainOrQuoted(key);
  const deeper =
    typeof only === 'object' && only !== null && !Array.isArray(only) && Object.keys(only).length === 1;
  const after = deeper ? blockAfterKey(only, indent + 2) : renderAfterKey(only, indent + 2, name.length);
  return `\n${spaces(indent + 2)}${name}:${after}`;
}

/** Where the comma stands between two parts of a flow; comments are looked past. */
export function commaIn(text: string, from: number, to: number): number {
  for (let at = from; at < to; at++) {
    if (text[at] === ',') return at;
    if (text[at] === '#' && /\s/.test(text[at - 1] ?? ' ')) at = lineEnd(text, at);
  }
  return -1;
}

/** The ways to take an entry or item away. */
export function* removals(source: Source, step: Reached): Generator<Way> {
  const { text } = source;
  const parent = step.parent!;
  const { index, parentStart } = step;
  const count = sizeOf(parent);
  const own = extentOf(parent, parentStart, index);
  if (count === 1) {
    yield* emptied(source, parent, parentStart);
    return;
  }
  if (parent.flow) {
    yield* flowRemovals(text, parent, parentStart, index, own);
    return;
  }
  const line = lineStart(text, own.head);
  const after = behindLine(text, own.end);
  if (text.slice(line, own.head).trim() !== '') {
    // what follows takes its place on the line it shares with a dash
    const indent = /^ */.exec(text.slice(after))![0].length;
    yield [{ start: own.head, end: after + indent, text: '' }];
    const next = index + 1 < count ? extentOf(parent, parentStart, index + 1).head : after;
    yield [{ start: own.head, end: next, text: '' }];
    return;
  }
  if (after === text.length && text[after - 1] !== '\n' && line > 0) {
    yield [{ start: text[line - 2] === '\r' ? line - 2 : line - 1, end: after, text: '' }];
  }
  yield [{ start: line, end: after, text: '' }];
  // blank lines behind it would be taken for the end of a block text before it
  const blank = /^(?:[ \t]*\r?\n)+/.exec(text.slice(after))?.[0].length ?? 0;
  if (blank) yield [{ start: line, end: after + blank, text: '' }];
}

export function* flowRemovals(
  text: string,
  parent: Collection,
  parentStart: number,
  index: number,
  own: Extent,
): Generator<Way> {
  if (index + 1 < sizeOf(parent)) {
    const next = extentOf(parent, parentStart, index + 1);
    const comma = commaIn(text, own.end, next.head);
    if (comma >= 0 && text.slice(own.end, next.head).includes('#')) {
      // a comment behind it on its line is about it, what stands on lines of its own is not
      const line = lineEnd(text, comma);
      yield [{ start: own.head, end: line < next.head ? line : comma + 1, text: '' }];
      yield [{ start: own.head, end: comma + 1, text: '' }];
    }
    yield [{ start: own.head, end: next.head, text: '' }];
    return;
  }
  const before = extentOf(parent, parentStart, index - 1);
  const gap = text.slice(before.end, own.head);
  const comma = commaIn(text, before.end, own.head);
  if (comma >= 0 && gap.includes('#'))
    yield [
      { start: comma, end: comma + 1, text: '' },
      { start: own.head, end: own.end, text: '' },
    ];
  yield [{ start: before.end, end: own.end, text: '' }];
}

/** The ways to leave a map or list empty. */
export function* emptied(source: Source, parent: Collection, start: number): Generator<Way> {
  const { text } = source;
  const empty = parent.kind === 'map' ? '{}' : '[]';
  const end = start + parent.length;
  const breaks = text[end - 1] === '\n' && !parent.flow ? '\n' : '';
  const own = extentOf(parent, start, 0);
  const head = parent.flow ? start : own.head;
  if (parent.flow) {
    // comments between its braces that are not about what goes
    const comma = commaIn(text, own.end, end - 1);
    const behind = comma < 0 ? own.end : comma + 1;
    if (/#/.test(text.slice(start, own.head) + text.slice(behind, end)))
      yield [{ start: own.head, end: behind, text: '' }];
  }
  const isValue = parent.lead > 0 && text[start - parent.lead] === ':';
  if (!parent.flow && isValue) {
    const colon = start - parent.lead;
    const gap = text.slice(colon + 1, head);
    const rest = gap.replace(/^[^\n]*/, '');
    if (!/\S/.test(rest) && (!/\S/.test(gap) || commentIn(gap)))
      yield [{ start: colon + 1, end, text: ` ${empty}${commentIn(gap)}${breaks}` }];
  }
  yield [{ start: head, end, text: empty + breaks }];
}
