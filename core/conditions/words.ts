/**
 * Topic keys and patterns (AMQP 0-9-1 §3.1.3.3): words separated by `.`; in a pattern `*` is exactly one
 * word, `#` any number, none included. The empty key has no words, and `.` is two empty ones.
 */

/** @returns the words of a key or pattern. */
export function wordsOf(key: string): string[] {
  return key === '' ? [] : key.split('.');
}

/** In a pattern: the very word `*`, which an MQTT filter may ask for (MQTT 5 §4.7 knows no such wildcard). */
export const VERY_STAR = '\u0000*';

/** @returns whether a pattern's word that is no wildcard is a key's word */
export const isWord = (wanted: string, word: string): boolean =>
  wanted === word || (wanted === VERY_STAR && word === '*');

/**
 * Whether a key's words fit a pattern's, in O(pattern × key) time and no more than one row of memory.
 */
export function wordsMatch(pattern: readonly string[], words: readonly string[]): boolean {
  let at = 0;
  let p = 0;
  // the last `#` met and how far it has reached: on a misfit it takes one word more and we try again
  let hashAt = -1;
  let hashReach = 0;
  while (at < words.length) {
    const wanted = pattern[p];
    if (wanted === '#') {
      hashAt = p++;
      hashReach = at;
    } else if (wanted !== undefined && (wanted === '*' || isWord(wanted, words[at]!))) {
      p++;
      at++;
    } else if (hashAt >= 0) {
      p = hashAt + 1;
      at = ++hashReach;
    } else {
      return false;
    }
  }
  while (pattern[p] === '#') p++;
  return p === pattern.length;
}

/**
 * Where a pattern without a match first parts from a key.
 * @returns a phrase such as ``word 2 is `north`, not `outer` ``.
 */
export function wordsMisfit(pattern: readonly string[], words: readonly string[]): string {
  const hash = pattern.indexOf('#');
  const fixed = hash < 0 ? pattern : pattern.slice(0, hash);
  for (let i = 0; i < fixed.length; i++) {
    const wanted = fixed[i]!;
    if (i >= words.length) {
      return `the key has ${count(words.length)}, the pattern asks for ${hash < 0 ? '' : 'at least '}${pattern.filter((w) => w !== '#').length}`;
    }
    if (wanted !== '*' && !isWord(wanted, words[i]!))
      return `word ${i + 1} is \`${words[i]}\`, not \`${wanted === VERY_STAR ? '*' : wanted}\``;
  }
  if (hash < 0) return `the key has ${count(words.length)}, the pattern asks for ${fixed.length}`;
  const tail = pattern.slice(hash).join('.');
  return `no words after the ${fixed.length === 0 ? 'start' : `first ${count(fixed.length)}`} fit \`${tail}\``;
}

function count(words: number): string {
  return words === 1 ? '1 word' : `${words === 0 ? 'no' : words} words`;
}
