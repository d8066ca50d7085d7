/** Keys as a type's template makes them: which of a publish's messages have a key that a pattern matches. */
import { type Asked, type Cell, type Cells, ABSENT } from '../../conditions/cells.ts';
import { isWord } from '../../conditions/words.ts';
import type { Run } from '../../base/diagram.ts';

/** What a template leaves open: a header of that name, or any word. */
export interface Slot {
  readonly name: string;
}

/** One word of a template: texts and slots that make it up; or a slot of any number of words. */
export type Part = { readonly pieces: readonly (string | Slot)[] } | { readonly many: Slot };

/** One word of a pattern. */
export type PatternWord = { readonly is: string } | 'one' | 'many';

/** A word that no pattern asks for. */
const UNSAID = Symbol('any word');
type Word = string | typeof UNSAID;

/** @returns the words of a template */
export function partsOf(template: string): Part[] {
  if (template === '') return [];
  return template.split(/\.(?![^{]*\})/).map((part): Part => {
    const many = /^\{([^{}]*?)\.\.\.\}$/.exec(part);
    if (many) return { many: { name: many[1]! } };
    const pieces: (string | Slot)[] = [];
    let at = 0;
    for (const found of part.matchAll(/\{([^{}]*?)(?:\.\.\.)?\}/g)) {
      if (found.index > at) pieces.push(part.slice(at, found.index));
      pieces.push({ name: found[1]! });
      at = found.index + found[0].length;
    }
    if (at < part.length || pieces.length === 0) pieces.push(part.slice(at));
    return { pieces };
  });
}

/** @returns the slots of a part */
export const slotsIn = (part: Part): Slot[] =>
  'many' in part ? [part.many] : part.pieces.filter((piece): piece is Slot => typeof piece !== 'string');

/** @returns a topic pattern's words */
export const patternOf = (words: readonly string[]): PatternWord[] =>
  words.map((word) => (word === '*' ? 'one' : word === '#' ? 'many' : { is: word }));

/** @returns the words of one very key */
export const exactly = (words: readonly string[]): PatternWord[] => words.map((word) => ({ is: word }));

/** Where in a pattern some words may have led to, `#` being skipped where it may be. */
export type Places = readonly number[];

/** @returns the places with what is behind every `#` among them */
export function close(pattern: readonly PatternWord[], at: Iterable<number>): Places {
  const all = new Set(at);
  for (const i of all) if (pattern[i] === 'many') all.add(i + 1);
  return [...all].sort((a, b) => a - b);
}

/** @returns where one word more leads to */
export function step(pattern: readonly PatternWord[], at: Places, word: Word): Places {
  const next: number[] = [];
  for (const i of at) {
    const wanted = pattern[i];
    if (wanted === 'many') next.push(i);
    else if (wanted === 'one') next.push(i + 1);
    else if (wanted !== undefined && word !== UNSAID && isWord(wanted.is, word)) next.push(i + 1);
  }
  return close(pattern, next);
}

/** @returns the word that a text is in a key as far as patterns tell: none they ask for, where nobody asked for it */
export const stepUnsaid = (pattern: readonly PatternWord[], at: Places): Places => step(pattern, at, UNSAID);

/** @returns the words that are asked for next */
export function wantedAt(pattern: readonly PatternWord[], at: Places): string[] {
  const words = new Set<string>();
  for (const i of at) {
    const wanted = pattern[i];
    if (typeof wanted === 'object') words.add(wanted.is);
  }
  return [...words];
}

/** Notes which values of a slot patterns ask for in a part, where the slot is the only one in it. */
export function askIn(part: Part, asked: Asked, words: Iterable<string>): void {
  if ('many' in part) return;
  const { pieces } = part;
  const at = pieces.findIndex((piece) => typeof piece !== 'string');
  const [before, after] = [pieces.slice(0, at).join(''), pieces.slice(at + 1).join('')];
  for (const word of words) {
    if (word.length < before.length + after.length || !word.startsWith(before) || !word.endsWith(after))
      continue;
    const text = word.slice(before.length, word.length - after.length);
    asked.texts.add(text);
    if (text !== '' && String(Number(text)) === text) asked.numbers.add(Number(text));
  }
}

/** The cells of a part's one slot by the word that they make. */
export interface PartWords {
  /** Cells by the one word they make. */
  readonly byWord: ReadonlyMap<string, Run>;
  /** Cells that make several words, or none. */
  readonly odd: readonly { readonly cell: number; readonly words: readonly string[] }[];
}

/** @returns the text that a value makes in a key */
export const textIn = ({ value }: Cell): string => (value === ABSENT ? '' : String(value));

/**
 * @param alone whether the key is this word and nothing else: then an empty text makes no word at all
 * @returns which cells of the part's one slot make which word
 */
export function wordsIn(part: Part, { cells }: Cells, alone: boolean): PartWords {
  const byWord = new Map<string, Run>();
  const odd: { cell: number; words: string[] }[] = [];
  if ('many' in part) return { byWord, odd };
  const at = part.pieces.findIndex((piece) => typeof piece !== 'string');
  const [before, after] = [part.pieces.slice(0, at).join(''), part.pieces.slice(at + 1).join('')];
  cells.forEach((cell, i) => {
    if (cell.other || cell.between) return;
    const text = before + textIn(cell) + after;
    if (text === '' && alone) odd.push({ cell: i, words: [] });
    else if (text.includes('.') || byWord.has(text)) odd.push({ cell: i, words: text.split('.') });
    else byWord.set(text, [i, i + 1]);
  });
  return { byWord, odd };
}

/** So many ways to fill a slot of any number of words are told apart at most. */
const MOST_FILLINGS = 500;
/** So long may the patterns be together that are told apart by any number of words. */
const MOST_WORDS = 300;

/**
 * @returns for each way in which any number of words leads through the patterns, from wherever they begin, the fewest
 *   words that do; undefined where that is too much to find out
 */
export function fillingsOf(
  patterns: readonly (readonly PatternWord[])[],
  other: string,
  apart: readonly string[],
): string[][] | undefined {
  if (patterns.reduce((sum, pattern) => sum + pattern.length, 0) > MOST_WORDS) return undefined;
  const alphabet = new Set([other, ...apart]);
  for (const pattern of patterns)
    for (const word of pattern) if (typeof word === 'object') alphabet.add(word.is);
  type From = readonly Places[];
  const begin: From[] = patterns.map((pattern) =>
    Array.from({ length: pattern.length + 1 }, (_, i) => close(pattern, [i])),
  );
  const open: { words: string[]; places: From[] }[] = [{ words: [], places: begin }];
  const key = (words: string[], places: From[]) =>
    `${apart.includes(words[0]!) ? words[0] : words.length === 0 ? '' : '*'} ${places.map((from) => from.map((at) => at.join()).join(';')).join('|')}`;
  const seen = new Set([key([], begin)]);
  for (const { words, places } of open)
    for (const word of alphabet) {
      const next = places.map((from, i) => from.map((at) => step(patterns[i]!, at, word)));
      const all = [...words, word];
      const id = key(all, next);
      if (seen.has(id)) continue;
      seen.add(id);
      open.push({ words: all, places: next });
      if (open.length > MOST_FILLINGS) return undefined;
    }
  return open.map(({ words }) => words);
}
