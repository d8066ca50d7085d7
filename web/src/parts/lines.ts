/** Lines of a text, and with which revision they came. */

/** @returns the newest of some revisions' numbers, of which 0 is the draft, newer than any; undefined for none */
export function newestOf(numbers: readonly number[]): number | undefined {
  if (numbers.length === 0) return undefined;
  return numbers.includes(0) ? 0 : numbers.reduce((a, b) => Math.max(a, b));
}

/** @returns the lines, from 1, of what stands between two offsets of a text */
export function linesBetween(text: string, start: number, end: number): [from: number, to: number] {
  const lineAt = (offset: number) => text.slice(0, offset).split('\n').length;
  return [lineAt(start), lineAt(Math.max(start, end))];
}
