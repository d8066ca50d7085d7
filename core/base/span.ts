/**
 * Where something stands in a text.
 *
 * Spans are offsets, not lines: an offset is one number, stays right inside its document whatever
 * the line ends are, and a line is found from it in a few steps when somebody wants to read it.
 */

/** A stretch of one document: `start` (inclusive) to `end` (exclusive), in UTF-16 code units from 0. */
export interface Span {
  readonly doc: string;
  readonly start: number;
  readonly end: number;
}

/** A line and column a person can be sent to; both count from 1, columns in UTF-16 code units. */
export interface Position {
  readonly line: number;
  readonly column: number;
}

/** The line starts of one text, to turn offsets into lines in O(log lines). */
export class Lines {
  private starts: number[] | undefined;

  constructor(readonly text: string) {}

  /** @returns the offsets at which lines start; computed once, at the first question. */
  private table(): number[] {
    if (this.starts) return this.starts;
    const starts = [0];
    for (let at = this.text.indexOf('\n'); at >= 0; at = this.text.indexOf('\n', at + 1)) starts.push(at + 1);
    return (this.starts = starts);
  }

  /** @returns line and column (both from 1) of an offset; offsets past the end give the last position. */
  position(offset: number): Position {
    const starts = this.table();
    let low = 0;
    let high = starts.length - 1;
    while (low < high) {
      const middle = (low + high + 1) >> 1;
      if (starts[middle]! <= offset) low = middle;
      else high = middle - 1;
    }
    return { line: low + 1, column: Math.max(0, Math.min(offset, this.text.length) - starts[low]!) + 1 };
  }
}
