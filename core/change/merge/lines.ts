/** Two changes of the same text put together line by line, as far as they are not in each other's way. */
import { diffArrays } from 'diff';
import type { TextEdit } from '../../base/edits.ts';

/** A stretch of lines: the same for both, or changed by both. */
export type Region =
  | { readonly clash: false; readonly lines: readonly string[] }
  | {
      readonly clash: true;
      readonly base: readonly string[];
      readonly mine: readonly string[];
      readonly theirs: readonly string[];
    };

/** What one side did: instead of the base's lines from `start` to `end` there are its own from `from` to `to`. */
interface Hunk {
  readonly start: number;
  readonly end: number;
  readonly from: number;
  readonly to: number;
}

/** More changed lines than this are not followed one by one. */
const MOST_CHANGED = 1000;

/** @returns a text as lines, each with its line break */
export const linesOf = (text: string): string[] => text.split(/(?<=\n)/);

function hunksOf(base: readonly string[], side: readonly string[]): Hunk[] | undefined {
  const parts = diffArrays([...base], [...side], { maxEditLength: MOST_CHANGED });
  if (!parts) return undefined;
  const hunks: Hunk[] = [];
  let [start, from] = [0, 0];
  let open: Hunk | undefined;
  for (const { added, removed, value } of parts) {
    const count = value.length;
    if (!added && !removed) {
      if (open) hunks.push(open);
      open = undefined;
      start += count;
      from += count;
      continue;
    }
    open ??= { start, end: start, from, to: from };
    if (removed) open = { ...open, end: (start += count) };
    else open = { ...open, to: (from += count) };
  }
  return open ? [...hunks, open] : hunks;
}

/**
 * @param base the text both sides began from
 * @returns the regions of both together, in order; undefined where too many lines changed to follow them
 */
export function mergeLines(base: string, mine: string, theirs: string): Region[] | undefined {
  const [was, here, there] = [linesOf(base), linesOf(mine), linesOf(theirs)];
  const left = hunksOf(was, here);
  const right = left && hunksOf(was, there);
  if (!left || !right) return undefined;
  const regions: Region[] = [];
  let [done, i, j] = [0, 0, 0];
  while (i < left.length || j < right.length) {
    const start = Math.min(left[i]?.start ?? Infinity, right[j]?.start ?? Infinity);
    let end = start;
    const [firstLeft, firstRight] = [i, j];
    // hunks that touch belong together: who knows what the lines between them mean to each other
    for (let grew = true; grew;) {
      grew = false;
      for (; i < left.length && left[i]!.start <= end; i++, grew = true) end = Math.max(end, left[i]!.end);
      for (; j < right.length && right[j]!.start <= end; j++, grew = true) end = Math.max(end, right[j]!.end);
    }
    if (start > done) regions.push({ clash: false, lines: was.slice(done, start) });
    const of = (side: readonly string[], hunks: readonly Hunk[]) => now(was, side, hunks, start, end);
    const own = of(here, left.slice(firstLeft, i));
    const other = of(there, right.slice(firstRight, j));
    if (i === firstLeft) regions.push({ clash: false, lines: other });
    else if (j === firstRight || own.join('') === other.join('')) regions.push({ clash: false, lines: own });
    else regions.push({ clash: true, base: was.slice(start, end), mine: own, theirs: other });
    done = end;
  }
  if (done < was.length) regions.push({ clash: false, lines: was.slice(done) });
  return regions;
}

/** What a side has instead of the base's lines from `start` to `end`. */
function now(
  was: readonly string[],
  side: readonly string[],
  hunks: readonly Hunk[],
  start: number,
  end: number,
): string[] {
  const lines: string[] = [];
  let at = start;
  for (const hunk of hunks) {
    lines.push(...was.slice(at, hunk.start), ...side.slice(hunk.from, hunk.to));
    at = hunk.end;
  }
  return [...lines, ...was.slice(at, end)];
}

/**
 * @param doc the document's name
 * @returns the edits that make a text another, line by line; where too many lines differ, one for all of them
 */
export function editsBetween(doc: string, before: string, after: string): TextEdit[] {
  if (before === after) return [];
  const [was, is] = [linesOf(before), linesOf(after)];
  const hunks = hunksOf(was, is) ?? [{ start: 0, end: was.length, from: 0, to: is.length }];
  const starts = [0];
  for (const line of was) starts.push(starts.at(-1)! + line.length);
  return hunks.map(({ start, end, from, to }) => ({
    doc,
    start: starts[start]!,
    end: starts[end]!,
    text: is.slice(from, to).join(''),
  }));
}

/** One state of a document, and what it came with: the number of a revision. */
export interface LineSource {
  readonly number: number;
  readonly text: string;
}

/**
 * Tells which state of a document each of its lines came with.
 * @param states the newest first
 * @returns for each line of the newest, the number of the oldest state since which it has been there unchanged
 */
export function lastChanged(states: readonly LineSource[]): number[] {
  const [newest, ...older] = states;
  if (!newest) return [];
  const came = linesOf(newest.text).map(() => newest.number);
  /** The lines whose origin is open, by where they stand in the state looked at. */
  let open = new Map(came.map((_, i) => [i, i]));
  let now = linesOf(newest.text);
  for (const state of older) {
    const before = linesOf(state.text);
    const hunks = hunksOf(before, now);
    if (!hunks) break;
    const next = new Map<number, number>();
    let at = 0;
    for (const { start, from, to } of [
      ...hunks,
      { start: before.length, from: now.length, to: now.length },
    ]) {
      // lines before the hunk are the same in both
      for (let i = at; i < from; i++) {
        const of = open.get(i);
        if (of !== undefined) {
          next.set(start - (from - i), of);
          came[of] = state.number;
        }
      }
      at = to;
    }
    open = next;
    now = before;
    if (open.size === 0) break;
  }
  return came;
}

/** The ways to write what both sides made of one stretch of lines, the fullest first. */
export function* candidates({ base, mine, theirs }: Region & { clash: true }): Generator<readonly string[]> {
  // without a line break at its end, a last line would run into the next
  const ended = (lines: readonly string[], then: readonly string[]) =>
    then.length && lines.length && !lines.at(-1)!.endsWith('\n')
      ? [...lines.slice(0, -1), `${lines.at(-1)!}\n`, ...then]
      : [...lines, ...then];
  // what is in both stands there once
  const all = diffArrays([...mine], [...theirs], { maxEditLength: MOST_CHANGED });
  if (all) yield all.reduce<readonly string[]>((lines, { value }) => ended(lines, value), []);
  if (base.length === 0 || mine.join('') !== theirs.join('')) {
    yield ended(mine, theirs);
    yield ended(theirs, mine);
  }
  yield mine;
  yield theirs;
}
