/**
 * Many topic patterns at once: a tree of words in which every node is a state. A key's words move a
 * set of states forward; `*` follows any word, and a `#` state keeps itself. Each pattern ends at
 * one state and each state is entered at most once a word, so nothing is found twice and no pattern
 * can make matching exponential.
 *
 * Keys share their beginnings, so the set of states that a beginning leads to is remembered (a
 * `Front`), with the values that any word more finds: matching is a walk along fronts and one look
 * at the last word. What is remembered stays within a bound. Past it, keys with other beginnings are
 * followed the plain way; when there have been many of those, everything is forgotten, and what is
 * asked for now is remembered instead.
 *
 * States are numbers and the tree is arrays of numbers: ten thousand patterns are ten thousand
 * bindings of one exchange, and an object for each would cost more than the bindings themselves. For
 * the same reason a key is read where it stands, without cutting it into words.
 */
import { wordsOf } from '../conditions/words.ts';

const ROOT = 0;
const NONE = -1;
const DOT = 46;

// the numbers of words; any other is of a word that some pattern says
const UNSAID = 0;
const STAR = 1;
const HASH = 2;

/** A set of states that some beginning of a key leads to. */
class Front {
  /** Where one word more leads, for the words some state here knows. */
  after: Map<number, Front> | undefined;
  /** Where a word leads that no state here knows. */
  other: Front | undefined;

  /**
   * Four lists, one after the other in the notes: from `wide` the states that know words, from `wild` those
   * that lead on by a wildcard, from `kept` the `#` states that any word more leads to, from `any` to `end`
   * the states with values that any word more leads to.
   */
  constructor(
    readonly wide: number,
    readonly wild: number,
    readonly kept: number,
    readonly any: number,
    readonly end: number,
  ) {}
}

export class KeyTrie<T> {
  private readonly words = new WordTable();

  // one entry a state
  private readonly parent: number[] = [NONE];
  private readonly word: number[] = [UNSAID];
  private readonly star: number[] = [NONE];
  private readonly hash: number[] = [NONE];
  private readonly knows: boolean[] = [false];
  /** Its first value. */
  private readonly value: number[] = [NONE];
  /** The step it was last entered in, to make a set without building one. */
  private readonly entered: number[] = [0];

  // one entry a value: the next one of the same state
  private readonly values: T[] = [];
  private readonly another: number[] = [];

  /** Each state's values, made at the first question. */
  private lists: (readonly T[])[] = [];

  /** Children by parent and word: open addressing, state 0 for an empty slot (the root is no child). */
  private table = new Int32Array(64);

  private stale = true;
  private step = 0;
  private start: Front | undefined;
  /** The fronts' lists, and how much of it is in use. */
  private notes = new Int32Array(256);
  private noted = 0;
  /** How many keys were followed the plain way since. */
  private plainly = 0;

  /** @param room how many numbers may be remembered, beyond twenty for each value */
  constructor(private readonly room = 50_000) {}

  /** Adds a value under a pattern (AMQP 0-9-1 §3.1.3.3). */
  add(pattern: string, value: T): void {
    this.start = undefined;
    this.stale = true;
    let state = ROOT;
    let before = UNSAID;
    for (const text of wordsOf(pattern)) {
      const word = this.words.add(text);
      // `#.#` says no more than `#`
      if (word !== HASH || before !== HASH) state = this.findChild(state, word) || this.addChild(state, word);
      before = word;
    }
    this.another.push(this.value[state]!);
    this.value[state] = this.values.length;
    this.values.push(value);
  }

  /** @returns every value whose pattern matches a key, each once, in no particular order. */
  match(key: string): T[] {
    const groups = this.groups(key);
    let size = 0;
    for (const group of groups) size += group.length;
    const found = new Array<T>(size);
    let next = 0;
    for (const group of groups) for (let i = 0; i < group.length; i++) found[next++] = group[i]!;
    return found;
  }

  /**
   * As `match`, for who need not have it in one list: nothing is copied.
   * @returns the values of each pattern that matches, none of them empty
   */
  groups(key: string): (readonly T[])[] {
    let front = this.start ?? this.begin();
    if (key.length === 0) return this.plain(key, 0, [ROOT]);
    let begin = 0;
    let word: number;
    for (let at = 0, hash = SEED; ; at++) {
      const code = at < key.length ? key.charCodeAt(at) : DOT;
      if (code !== DOT) {
        hash = step(hash, code);
        continue;
      }
      word = this.words.find(hash, key, begin, at);
      if (at === key.length) break;
      const next = front.after?.get(word) ?? this.advance(front, word);
      if (!next) return this.plain(key, begin, this.statesOf(front));
      if (next.wide === next.end) return [];
      front = next;
      begin = at + 1;
      hash = SEED;
    }
    const { lists, notes } = this;
    const found: (readonly T[])[] = [];
    // a key that says `*` or `#` says a word like any other, which no pattern can ask for
    if (word > HASH) {
      const { wide, wild, kept, any } = front;
      for (let i = wide; i < wild; i++) {
        const next = this.findChild(notes[i]!, word);
        if (next === 0) continue;
        if (lists[next]!.length) found.push(lists[next]!);
        const hash = this.hash[next]!;
        if (hash === NONE) continue;
        let already = false;
        for (let j = kept; j < any; j++) already ||= notes[j] === hash;
        if (!already && lists[hash]!.length) found.push(lists[hash]!);
      }
    }
    for (let i = front.any; i < front.end; i++) found.push(lists[notes[i]!]!);
    return found;
  }

  /** Follows the rest of a key from some states, remembering nothing. */
  private plain(key: string, begin: number, states: readonly number[]): (readonly T[])[] {
    if (++this.plainly > this.room / 5) this.start = undefined;
    let following = states;
    if (key.length === 0) {
      const first: number[] = [];
      for (const state of states) this.enter(state, first, ++this.step);
      following = first;
    } else {
      for (let at = begin; at <= key.length;) {
        const dot = key.indexOf('.', at);
        const end = dot < 0 ? key.length : dot;
        following = this.follow(following, this.words.of(key.slice(at, end)));
        at = end + 1;
      }
    }
    return following.map((state) => this.lists[state]!).filter((list) => list.length);
  }

  private slot(parent: number, word: number): number {
    const mask = this.table.length - 1;
    let slot = (Math.imul(parent, 0x9e3779b1) ^ Math.imul(word, 0x85ebca6b)) & mask;
    for (;;) {
      const state = this.table[slot]!;
      if (state === 0 || (this.parent[state] === parent && this.word[state] === word)) return slot;
      slot = (slot + 1) & mask;
    }
  }

  /** @returns the child, or 0: the root is nobody's. */
  private findChild(parent: number, word: number): number {
    return this.table[this.slot(parent, word)]!;
  }

  private addChild(parent: number, word: number): number {
    const state = this.parent.length;
    this.parent.push(parent);
    this.word.push(word);
    this.star.push(NONE);
    this.hash.push(NONE);
    this.knows.push(false);
    this.value.push(NONE);
    this.entered.push(0);
    if (word === STAR) this.star[parent] = state;
    else if (word === HASH) this.hash[parent] = state;
    else this.knows[parent] = true;
    if (state * 2 > this.table.length) {
      this.table = new Int32Array(this.table.length * 2);
      for (let each = 1; each < state; each++)
        this.table[this.slot(this.parent[each]!, this.word[each]!)] = each;
    }
    this.table[this.slot(parent, word)] = state;
    return state;
  }

  private begin(): Front {
    if (this.stale) this.list();
    this.noted = 0;
    this.plainly = 0;
    const states: number[] = [];
    this.enter(ROOT, states, ++this.step);
    return (this.start = this.front(states));
  }

  /** Makes each state's list of values. */
  private list(): void {
    const none: readonly T[] = [];
    this.lists = this.value.map((first) => {
      if (first === NONE) return none;
      let count = 0;
      for (let at = first; at !== NONE; at = this.another[at]!) count++;
      const list = new Array<T>(count);
      for (let at = first; at !== NONE; at = this.another[at]!) list[--count] = this.values[at]!;
      return list;
    });
    this.stale = false;
  }

  private front(states: readonly number[]): Front {
    const wide = states.filter((state) => this.knows[state]);
    const wild = states.filter((state) => this.star[state] !== NONE || this.word[state] === HASH);
    const following = this.follow(states, UNSAID);
    const kept = following.filter((state) => this.word[state] === HASH);
    const any = following.filter((state) => this.value[state] !== NONE);
    const starts = [wide, wild, kept, any].map((list) => this.note(list));
    return new Front(starts[0]!, starts[1]!, starts[2]!, starts[3]!, this.noted);
  }

  /** Writes a list into the notes. @returns where it begins */
  private note(list: readonly number[]): number {
    const begin = this.noted;
    this.noted += list.length;
    if (this.noted > this.notes.length) {
      const larger = new Int32Array(Math.max(this.noted, Math.ceil(this.notes.length * 1.5)));
      larger.set(this.notes);
      this.notes = larger;
    }
    this.notes.set(list, begin);
    return begin;
  }

  /** The states of a front that lead anywhere. */
  private statesOf({ wide, kept }: Front): number[] {
    return [...new Set(this.notes.subarray(wide, kept))];
  }

  /** @returns the front a word leads to; undefined when it is not known and there is no room to remember it. */
  private advance(front: Front, word: number): Front | undefined {
    // a word that no pattern says here leads where every such word leads
    let said = false;
    if (word > HASH)
      for (let i = front.wide; i < front.wild && !said; i++)
        said = this.findChild(this.notes[i]!, word) !== 0;
    if (!said && front.other) return front.other;
    if (this.noted > this.room + 20 * this.values.length) return undefined;
    const made = this.front(this.follow(this.statesOf(front), word));
    if (said) (front.after ??= new Map()).set(word, made);
    else front.other = made;
    return made;
  }

  /** The states one word leads to, each once. */
  private follow(states: readonly number[], word: number): number[] {
    const step = ++this.step;
    const following: number[] = [];
    for (const state of states) {
      if (word > HASH) {
        const next = this.findChild(state, word);
        if (next) this.enter(next, following, step);
      }
      if (this.star[state] !== NONE) this.enter(this.star[state]!, following, step);
      if (this.word[state] === HASH) this.enter(state, following, step);
    }
    return following;
  }

  /** Enters a state, with the `#` behind it, which may take no words at all. */
  private enter(state: number, into: number[], step: number): void {
    for (let each = state; each !== NONE && this.entered[each] !== step; each = this.hash[each]!) {
      this.entered[each] = step;
      into.push(each);
    }
  }
}

// the FNV-1a hash of a word's code units
const SEED = 0x811c9dc5;
const step = (hash: number, code: number) => Math.imul(hash ^ code, 0x01000193);

function hashOf(text: string): number {
  let hash = SEED;
  for (let at = 0; at < text.length; at++) hash = step(hash, text.charCodeAt(at));
  return hash;
}

/** Numbers for words, found from a stretch of a longer text without cutting it out. */
class WordTable {
  private readonly texts: string[] = ['', '*', '#'];
  private table = new Int32Array(64);

  constructor() {
    this.fill();
  }

  /** @returns the number of a word, a new one where it has none. */
  add(text: string): number {
    const slot = this.slot(hashOf(text), text, 0, text.length);
    if (this.table[slot]) return this.table[slot]!;
    const word = this.texts.push(text) - 1;
    this.table[slot] = word;
    if (word * 2 > this.table.length) this.fill();
    return word;
  }

  /** @returns the number of a word, or UNSAID. */
  of(text: string): number {
    return this.find(hashOf(text), text, 0, text.length);
  }

  /** @returns the number of the word with that hash which stands from `begin` to `end`, or UNSAID. */
  find(hash: number, text: string, begin: number, end: number): number {
    return this.table[this.slot(hash, text, begin, end)]!;
  }

  /** Makes the table twice as large, or for the first time; a word's slot follows from its hash. */
  private fill(): void {
    this.table = new Int32Array(this.table.length * 2);
    this.texts.forEach((text, word) => {
      if (word !== UNSAID) this.table[this.slot(hashOf(text), text, 0, text.length)] = word;
    });
  }

  private slot(hash: number, text: string, begin: number, end: number): number {
    const mask = this.table.length - 1;
    let slot = (hash ^ (hash >>> 15)) & mask;
    for (;;) {
      const word = this.table[slot]!;
      if (word === 0 || stands(this.texts[word]!, text, begin, end)) return slot;
      slot = (slot + 1) & mask;
    }
  }
}

/** Whether a word stands in a text from `begin` to `end`; a loop, since the words of keys are short. */
function stands(word: string, text: string, begin: number, end: number): boolean {
  if (word.length !== end - begin) return false;
  for (let at = begin; at < end; at++) if (word.charCodeAt(at - begin) !== text.charCodeAt(at)) return false;
  return true;
}
