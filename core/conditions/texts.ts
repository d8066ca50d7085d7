/**
 * Texts as patterns tell them apart: of all texts there are, one for each way in which some patterns can be met and
 * missed at once. The patterns' automata are walked side by side, letter by letter, so that what two of them only
 * share in a text that neither gives away (`a%` and `%b`) is found too.
 */
import type { LikePart } from './predicate.ts';

/** A pattern as what it asks letter by letter: a letter, any one, or any number. */
export type TextPattern = readonly LikePart[];

/** So many places are visited at most. */
const MOST = 20_000;

/** @returns a letter that occurs in none of some texts */
export function unsaidLetter(texts: Iterable<string>): string {
  const used = new Set<string>();
  for (const text of texts) for (const letter of text) used.add(letter);
  for (const letter of 'xyzwvutsrqponmlkjihgfedcba0123456789') if (!used.has(letter)) return letter;
  let code = 0xe000;
  while (used.has(String.fromCharCode(code))) code++;
  return String.fromCharCode(code);
}

type Unit = { readonly letter: string } | 'one' | 'many';

const unitsOf = (pattern: TextPattern): Unit[] =>
  pattern.flatMap((part): Unit[] =>
    typeof part === 'string' ? [...part].map((letter) => ({ letter })) : [part.any],
  );

/** The places in a pattern that a text may have led to, those behind `%` included. */
function close(units: readonly Unit[], at: Iterable<number>): number[] {
  const all = new Set(at);
  for (const i of all) if (units[i] === 'many') all.add(i + 1);
  return [...all].sort((a, b) => a - b);
}

function step(units: readonly Unit[], at: readonly number[], letter: string): number[] {
  const next: number[] = [];
  for (const i of at) {
    const unit = units[i];
    if (unit === 'many') next.push(i);
    else if (unit === 'one' || (unit && unit.letter === letter)) next.push(i + 1);
  }
  return close(units, next);
}

/** @returns whether a text is as a pattern asks */
export function meets(pattern: TextPattern, text: string): boolean {
  const units = unitsOf(pattern);
  let at = close(units, [0]);
  for (const letter of text) at = step(units, at, letter);
  return at.includes(units.length);
}

/**
 * @param said texts that are asked for themselves, and stand for themselves alone
 * @returns one text for each way in which others can meet some of the patterns and miss the rest, the shortest first;
 *   undefined where that is too much to find out
 */
export function textsOf(patterns: readonly TextPattern[], said: ReadonlySet<string>): string[] | undefined {
  const all = patterns.map(unitsOf);
  const letters = new Set(
    all.flatMap((units) => units.flatMap((unit) => (typeof unit === 'object' ? [unit.letter] : []))),
  );
  const other = unsaidLetter([...letters, ...said]);
  const alphabet = [...letters, other];
  // only texts of the patterns' own letters can be one that is said
  const beginnings = new Set<string>();
  for (const text of said) {
    if (![...text].every((letter) => letters.has(letter))) continue;
    let begun = '';
    beginnings.add('');
    for (const letter of text) beginnings.add((begun += letter));
    if (beginnings.size > MOST) return undefined;
  }
  interface At {
    readonly text: string;
    readonly places: readonly (readonly number[])[];
  }
  const begin: At = { text: '', places: all.map((units) => close(units, [0])) };
  const seen = new Set<string>();
  const found = new Map<string, string>();
  const open = [begin];
  for (const { text, places } of open) {
    if (!said.has(text)) {
      const met = places.map((at, i) => (at.includes(all[i]!.length) ? '1' : '0')).join('');
      // no text at all says less than another that does the same
      if (!found.get(met)) found.set(met, text);
    }
    for (const letter of alphabet) {
      const next = { text: text + letter, places: places.map((at, i) => step(all[i]!, at, letter)) };
      const key = `${next.places.map((at) => at.join()).join(';')}|${beginnings.has(next.text) ? next.text : ''}`;
      if (seen.has(key)) continue;
      if (seen.size > MOST) return undefined;
      seen.add(key);
      open.push(next);
    }
  }
  return [...found.values()];
}
