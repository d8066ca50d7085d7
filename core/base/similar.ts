/** How alike words are. */

/**
 * The candidate closest to a word, for "did you mean": at most a third of it may differ
 * (Damerau–Levenshtein, adjacent letters swapped count once).
 * @returns the nearest candidate, or undefined when none is near enough.
 */
export function nearest(word: string, candidates: Iterable<string>): string | undefined {
  let best: string | undefined;
  let bestDistance = Math.max(1, Math.floor(word.length / 3)) + 1;
  for (const candidate of candidates) {
    if (Math.abs(candidate.length - word.length) >= bestDistance) continue;
    const same = candidate.length === word.length && candidate.toLowerCase() === word.toLowerCase();
    const distance = same ? 0.5 : editDistance(word, candidate, Math.ceil(bestDistance));
    if (distance < bestDistance) {
      bestDistance = distance;
      best = candidate;
    }
  }
  return best;
}

/** @returns how alike two texts are, from 0 (nothing in common) to 1 (the same) */
export function similarity(a: string, b: string): number {
  const longest = Math.max(a.length, b.length, 1);
  return 1 - editDistance(a.toLowerCase(), b.toLowerCase(), longest) / longest;
}

/**
 * Damerau-Levenshtein distance, worked out only as far as it stays below a limit: cells further from the
 * diagonal than that cannot matter.
 */
function editDistance(a: string, b: string, limit: number): number {
  const width = b.length + 1;
  let before: number[] = [];
  let previous: number[] = [];
  let row: number[] = [];
  for (let j = 0; j < width; j++) {
    before.push(limit);
    previous.push(Math.min(j, limit));
    row.push(limit);
  }
  for (let i = 1; i <= a.length; i++) {
    const from = Math.max(1, i - limit);
    const to = Math.min(b.length, i + limit);
    row[from - 1] = from === 1 ? Math.min(i, limit) : limit;
    let smallest = row[from - 1]!;
    for (let j = from; j <= to; j++) {
      const equal = a.charCodeAt(i - 1) === b.charCodeAt(j - 1);
      let cost = Math.min(previous[j]! + 1, row[j - 1]! + 1, previous[j - 1]! + (equal ? 0 : 1), limit);
      if (
        i > 1 &&
        j > 1 &&
        a.charCodeAt(i - 1) === b.charCodeAt(j - 2) &&
        a.charCodeAt(i - 2) === b.charCodeAt(j - 1)
      )
        cost = Math.min(cost, before[j - 2]! + 1);
      row[j] = cost;
      smallest = Math.min(smallest, cost);
    }
    if (to < b.length) row[to + 1] = limit;
    if (smallest >= limit) return limit;
    [before, previous, row] = [previous, row, before];
  }
  return previous[b.length]!;
}
