/** What is written in one long line between brackets, written on lines of its own: another look, the same meaning. */
import { type Proved, proved, refused } from './proved.ts';
import {
  type Reached,
  type Source,
  childStep,
  columnOf,
  endOf,
  extentOf,
  lineEnd,
  lineStart,
  rootStep,
  sourceOf,
  spaces,
} from './source.ts';
import type { Placed } from '../place.ts';
import { offsetIn, sizeOf } from '../tree.ts';

/** Lines longer than this are offered to be written on several. */
export const LONG_LINE = 100;

/**
 * Writes the outermost map or list in brackets at an offset, or that begins on its line, a part a line.
 * @returns the edit, proved to mean the same; refused where there are no brackets, or comments between them
 */
export function asLines(placed: Placed, doc: string, offset: number): Proved {
  const source = sourceOf(placed, doc);
  if (!source) return refused(`${doc} cannot be edited: mend its syntax first.`);
  const flow = flowAt(source, offset);
  if (!flow) return refused('There is nothing between brackets on this line.');
  const { text } = source;
  if (text.slice(flow.start, endOf(flow)).includes('#') && hasComment(source, flow))
    return refused('There is a comment between these brackets; it would lose its place.');
  const { node, start } = flow;
  if (node.kind === 'scalar' || sizeOf(node) === 0)
    return refused('There is nothing between these brackets.');
  const isItem = flow.parent?.kind === 'list';
  // the parts of a list's item stand where the item began, those of a key's value under the key
  const own = isItem ? columnOf(text, start) : indentOf(text, flow) + 2;
  const indent = flow.parent === undefined ? 0 : own;
  const parts = Array.from({ length: sizeOf(node) }, (_, i) => {
    const { head, end } = extentOf(node, start, i);
    const part = text.slice(head, end).trim();
    return node.kind === 'list' ? `- ${part}` : keyed(source, flow, i, part);
  });
  const joined = parts.join(`\n${spaces(indent)}`);
  const begins = isItem || flow.parent === undefined ? '' : `\n${spaces(indent)}`;
  const gap = /[ \t]*$/.exec(text.slice(0, start))![0].length;
  const from = begins ? start - gap : start;
  return proved(source, [[{ start: from, end: endOf(flow), text: begins + joined }]], []);
}

/** `key: value` of an entry; a key without a value keeps its colon. */
function keyed(source: Source, flow: Reached, index: number, part: string): string {
  if (flow.node.kind !== 'map') return part;
  const { key, value } = flow.node.entries[index]!;
  const from = flow.start + offsetIn(flow.node, index, key);
  const name = source.text.slice(from, from + key.length);
  const at = flow.start + offsetIn(flow.node, index, value);
  const written = source.text.slice(at, at + value.length);
  return value.length ? `${name}: ${written}` : part.endsWith(':') ? part : `${name}:`;
}

const indentOf = (text: string, { start }: Reached): number => {
  const line = text.slice(lineStart(text, start), start);
  // behind a dash a key stands further in than its line does
  return /^[ \t]*(?:- +)*/.exec(line)![0].length;
};

/** The outermost collection in brackets around an offset; else the first that begins on its line. */
function flowAt(source: Source, offset: number): Reached | undefined {
  const begin = lineStart(source.text, offset);
  const end = lineEnd(source.text, offset);
  let first: Reached | undefined;
  const visit = (step: Reached): Reached | undefined => {
    const { node, start } = step;
    if (node.kind === 'scalar' || node.alias || start > end || endOf(step) < begin) return undefined;
    if (node.flow) {
      if (start <= offset && offset <= endOf(step)) return step;
      if (start >= begin && start <= end && !first) first = step;
      return undefined;
    }
    for (let i = 0; i < sizeOf(node); i++) {
      const found = visit(childStep(step, i));
      if (found) return found;
    }
    return undefined;
  };
  const root = rootStep(source);
  return root ? (visit(root) ?? first) : undefined;
}

/** Whether a `#` between brackets begins a comment, and is no part of a word or a text in quotes. */
function hasComment({ text }: Source, flow: Reached): boolean {
  let quote = '';
  for (let at = flow.start; at < endOf(flow); at++) {
    const sign = text[at]!;
    if (quote) {
      if (sign === '\\' && quote === '"') at++;
      else if (sign === quote) quote = '';
    } else if ((sign === '"' || sign === "'") && /[\s,:[{(]/.test(text[at - 1] ?? ' ')) quote = sign;
    else if (sign === '#' && /\s/.test(text[at - 1] ?? ' ')) return true;
  }
  return false;
}
