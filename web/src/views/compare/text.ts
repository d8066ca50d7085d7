/** Texts compared line by line, as they are shown: what is the same for long is folded away. */
import { diffLines } from 'diff';
import type { TextDocument } from '@vondle/core/base';

/** One row: the lines of both sides, as far as they stand beside each other. */
export interface Row {
  readonly before: { readonly number: number; readonly text: string } | undefined;
  readonly after: { readonly number: number; readonly text: string } | undefined;
  readonly same: boolean;
}

/** Rows that are shown, or lines that are folded away. */
export type Part =
  { readonly rows: readonly Row[] } | { readonly folded: number; readonly rows: readonly Row[] };

export interface DocumentDifference {
  readonly name: string;
  readonly kind: 'added' | 'removed' | 'changed';
  readonly parts: readonly Part[];
  readonly came: number;
  readonly went: number;
}

/** So many lines that are the same are shown before and behind what is not. */
const AROUND = 3;
/** A longer document is not compared line by line here. */
const LONGEST = 400_000;

/** @returns the documents whose texts differ, in the order they have after, what went behind them */
export function textDifferences(
  before: readonly TextDocument[],
  after: readonly TextDocument[],
): DocumentDifference[] {
  const was = new Map(before.map(({ name, text }) => [name, text]));
  const is = new Map(after.map(({ name, text }) => [name, text]));
  return [...new Set([...is.keys(), ...was.keys()])].flatMap((name): DocumentDifference[] => {
    const [then, now] = [was.get(name), is.get(name)];
    if (then === now) return [];
    const rows = rowsOf(then ?? '', now ?? '');
    const kind = then === undefined ? 'added' : now === undefined ? 'removed' : 'changed';
    const count = (side: 'before' | 'after') => rows.filter((row) => !row.same && row[side]).length;
    return [{ name, kind, parts: folded(rows), came: count('after'), went: count('before') }];
  });
}

const linesOf = (text: string): string[] => text.replace(/\n$/, '').split('\n');

function rowsOf(before: string, after: string): Row[] {
  if (before.length > LONGEST || after.length > LONGEST) return [];
  const rows: Row[] = [];
  let [left, right] = [1, 1];
  const parts = diffLines(before, after);
  for (let i = 0; i < parts.length; i++) {
    const { value, added, removed } = parts[i]!;
    const lines = linesOf(value);
    if (!added && !removed) {
      for (const text of lines)
        rows.push({ before: { number: left++, text }, after: { number: right++, text }, same: true });
      continue;
    }
    const next = parts[i + 1];
    const come = added ? lines : removed && next?.added ? linesOf(next.value) : [];
    const gone = removed ? lines : [];
    if (removed && next?.added) i++;
    for (let k = 0; k < Math.max(gone.length, come.length); k++)
      rows.push({
        before: k < gone.length ? { number: left++, text: gone[k]! } : undefined,
        after: k < come.length ? { number: right++, text: come[k]! } : undefined,
        same: false,
      });
  }
  return rows;
}

function folded(rows: readonly Row[]): Part[] {
  const shown = rows.map(() => false);
  for (const [i, row] of rows.entries())
    if (!row.same)
      for (let k = Math.max(0, i - AROUND); k <= Math.min(rows.length - 1, i + AROUND); k++) shown[k] = true;
  const parts: Part[] = [];
  for (let i = 0; i < rows.length;) {
    let end = i;
    while (end < rows.length && shown[end] === shown[i]) end++;
    const own = rows.slice(i, end);
    // a line or two cost no more room than saying that they are folded
    parts.push(shown[i] || own.length <= 2 ? { rows: own } : { rows: own, folded: own.length });
    i = end;
  }
  return parts;
}
