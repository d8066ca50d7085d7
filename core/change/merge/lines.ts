/** Two changes of the same text put together line by line, as far as they are not in each other's way. */
import { diffArrays } from 'diff';

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
const MOST_CHANGED = 4000;

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

/** The ways to write what both sides made of one stretch of lines, the fullest first. */
export function* candidates({ base, mine, theirs }: Region & { clash: true }): Generator<readonly string[]> {
  // without a line break at its end, a last line would run into the next
  const ended = (lines: readonly string[], then: readonly string[]) =>
    then.length && lines.length && !lines.at(-1)!.endsWith('\n')
      ? [...lines.slice(0, -1), `${lines.at(-1)!}\n`, ...then]
      : [...lines, ...then];
  if (base.length === 0 || mine.join('') !== theirs.join('')) {
    yield ended(mine, theirs);
    yield ended(theirs, mine);
  }
  yield mine;
  yield theirs;
}
