/**
 * Sets of keys that are written as words: a binding pattern, or the keys that a message type may have.
 * Two questions are asked of them, both exactly: do a set and a pattern share a key, and does a pattern
 * match every key of a set.
 */
import { isWord } from './words.ts';

/** One word of a set of keys: some given words, any one word, or any number of any words. */
export type WordToken = { readonly one: readonly string[] } | { readonly any: 'one' | 'many' };

/** @returns the keys that a topic pattern matches, as a set of its own. */
export function tokensOf(pattern: readonly string[]): WordToken[] {
  return pattern.map((word) =>
    word === '*' ? { any: 'one' } : word === '#' ? { any: 'many' } : { one: [word] },
  );
}

/**
 * Answers word by word, where nothing in the set or the pattern may be any number of words: by far the most.
 * @returns undefined where it cannot be told so
 */
function wordByWord(
  set: readonly WordToken[],
  pattern: readonly string[],
  fits: (token: WordToken, word: string) => boolean,
): boolean | undefined {
  if (pattern.includes('#')) return undefined;
  for (const token of set) if ('any' in token && token.any === 'many') return undefined;
  if (set.length !== pattern.length) return false;
  for (let i = 0; i < set.length; i++) if (pattern[i] !== '*' && !fits(set[i]!, pattern[i]!)) return false;
  return true;
}

const someFits = (token: WordToken, word: string) =>
  'any' in token || token.one.some((each) => isWord(word, each));
const allFit = (token: WordToken, word: string) =>
  'one' in token && token.one.every((each) => isWord(word, each));

/** @returns whether some key of a set matches a pattern (AMQP 0-9-1 §3.1.3.3). */
export function overlaps(set: readonly WordToken[], pattern: readonly string[]): boolean {
  const easy = wordByWord(set, pattern, someFits);
  if (easy !== undefined) return easy;
  // ends[j]: whether what is left of the set and pattern[j..] share a key, for one place in the set at a time
  const width = pattern.length + 1;
  let after = new Array<boolean>(width).fill(false);
  after[pattern.length] = true;
  for (let j = pattern.length - 1; j >= 0; j--) after[j] = pattern[j] === '#' && after[j + 1]!;
  for (let i = set.length - 1; i >= 0; i--) {
    const token = set[i]!;
    const many = 'any' in token && token.any === 'many';
    const now = new Array<boolean>(width).fill(false);
    for (let j = pattern.length; j >= 0; j--) {
      const word = pattern[j];
      const fits = word !== undefined && word !== '#' && (word === '*' || someFits(token, word));
      if (many) now[j] = after[j]! || (word === '#' ? now[j + 1]! : fits && now[j + 1]!);
      else now[j] = word === '#' ? after[j]! || now[j + 1]! : fits && after[j + 1]!;
    }
    after = now;
  }
  return after[0]!;
}

/** A word that no pattern says: what it may not match, no pattern has to. */
const UNSAID = Symbol('any word');

/** @returns whether a pattern matches every key of a set. */
export function covered(set: readonly WordToken[], pattern: readonly string[]): boolean {
  const easy = wordByWord(set, pattern, allFit);
  if (easy !== undefined) return easy;
  const seen = new Set<string>();
  /** The places in the pattern that some key so far may have led to, `#` being skipped where it may be. */
  const close = (at: ReadonlySet<number>): ReadonlySet<number> => {
    const all = new Set(at);
    for (const j of all) if (pattern[j] === '#') all.add(j + 1);
    return all;
  };
  const step = (at: ReadonlySet<number>, word: string | typeof UNSAID): ReadonlySet<number> => {
    const next = new Set<number>();
    for (const j of at) {
      if (pattern[j] === '#') next.add(j);
      else if (pattern[j] === '*' || (word !== UNSAID && isWord(pattern[j]!, word))) next.add(j + 1);
    }
    return close(next);
  };
  const holds = (i: number, at: ReadonlySet<number>): boolean => {
    if (at.size === 0) return false;
    const token = set[i];
    if (!token) return at.has(pattern.length);
    const state = `${i}:${[...at].sort((a, b) => a - b).join()}`;
    if (seen.has(state)) return true;
    seen.add(state);
    if ('one' in token) return token.one.every((word) => holds(i + 1, step(at, word)));
    if (token.any === 'one') return holds(i + 1, step(at, UNSAID));
    return holds(i + 1, at) && holds(i, step(at, UNSAID));
  };
  return holds(0, close(new Set([0])));
}
