/** Patterns of keys (AMQP 0-9-1 §3.1.3.3) as regular expressions, for brokers that hold publishers to keys by them. */
import { literally } from '../base/values.ts';
import { VERY_STAR, wordsOf } from './words.ts';

/**
 * @param allowed patterns of keys, one of which must match
 * @param denied patterns of keys, none of which may
 * @returns a regular expression that matches those keys and no others
 */
export function keysPattern(allowed: readonly string[], denied: readonly string[]): string {
  const not = denied.map((each) => `(?!(?:${keyPattern(each)})\\z)`).join('');
  return `^${not}(?:${allowed.map(keyPattern).join('|')})\\z`;
}

/** @returns a regular expression for the keys that one pattern matches, without its ends */
function keyPattern(pattern: string): string {
  // any number of words twice in a row is any number of words
  const words = wordsOf(pattern).filter((word, i, all) => word !== '#' || all[i - 1] !== '#');
  // the empty key has no words, not an empty one
  const some = words.some((word) => word !== '#') ? '(?=[\\s\\S])' : '';
  return some + beginning(words);
}

/** Words at the beginning of a key: before the first stands no dot. */
function beginning(words: readonly string[]): string {
  const [first, ...rest] = words;
  if (first === undefined) return '';
  if (first !== '#') return one(first) + following(rest);
  if (rest.length === 0) return '[\\s\\S]*';
  return `(?:${beginning(rest)}|[^.]*(?:\\.[^.]*)*${following(rest)})`;
}

/** Words behind others, each with its dot. */
const following = (words: readonly string[]): string =>
  words.map((word) => (word === '#' ? '(?:\\.[^.]*)*' : `\\.${one(word)}`)).join('');

const one = (word: string): string => (word === '*' ? '[^.]*' : literally(word === VERY_STAR ? '*' : word));
