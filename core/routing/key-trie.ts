/**
 * Many topic patterns at once: a tree of words in which every node is a state. A key's words move a
 * set of states forward; `*` follows any word, and a `#` state keeps itself. Each pattern ends at
 * one state and each state is entered at most once a word, so nothing is found twice and no pattern
 * can make matching exponential.
 *
 * Keys share their beginnings, so the sets of states that beginnings lead to are remembered: most of
 * a key is then a walk along remembered sets, and only its last word is worked out. How many are
 * remembered is bounded; beyond that they are worked out anew.
 */
class State<T> {
  next: Map<string, State<T>> | undefined;
  star: State<T> | undefined;
  hash: State<T> | undefined;
  values: T[] | undefined;
  /** The step this state was last entered in, to make a set without building one. */
  entered = 0;

  constructor(readonly keeps: boolean) {}
}

/** A set of states that some beginning of a key leads to. */
class Front<T> {
  readonly after = new Map<string, Front<T>>();
  /** Where a word leads that no state here knows. */
  other: Front<T> | undefined;

  constructor(readonly states: readonly State<T>[]) {}
}

const MOST_FRONTS = 2_000;

export class KeyTrie<T> {
  private readonly root = new State<T>(false);
  private step = 0;
  private start: Front<T> | undefined;
  private fronts = 0;

  /** Adds a value under a pattern's words (AMQP 0-9-1 §3.1.3.3). */
  add(pattern: readonly string[], value: T): void {
    this.start = undefined;
    let state = this.root;
    let before = '';
    for (const word of pattern) {
      // `#.#` says no more than `#`
      if (word === '#' && before === '#') continue;
      before = word;
      if (word === '*') state = state.star ??= new State(false);
      else if (word === '#') state = state.hash ??= new State(true);
      else {
        state.next ??= new Map();
        let next = state.next.get(word);
        if (!next) state.next.set(word, (next = new State(false)));
        state = next;
      }
    }
    (state.values ??= []).push(value);
  }

  /** @returns every value whose pattern matches these words, each once, in no particular order. */
  match(words: readonly string[]): T[] {
    let front = (this.start ??= this.begin());
    const last = words.length - 1;
    for (let i = 0; i < last; i++) {
      front = this.advance(front, words[i]!);
      if (front.states.length === 0) return [];
    }
    const found: T[] = [];
    const reached = last < 0 ? front.states : this.follow(front.states, words[last]!);
    for (const { values } of reached) if (values) for (const value of values) found.push(value);
    return found;
  }

  private begin(): Front<T> {
    this.fronts = 1;
    const states: State<T>[] = [];
    enter(this.root, states, ++this.step);
    return new Front(states);
  }

  private advance(front: Front<T>, word: string): Front<T> {
    const known = front.after.get(word);
    if (known) return known;
    // a word that no pattern says here leads where every such word leads
    const said = front.states.some((state) => state.next?.has(word));
    if (!said && front.other) return front.other;
    const made = new Front(this.follow(front.states, word));
    if (this.fronts < MOST_FRONTS) {
      this.fronts++;
      if (said) front.after.set(word, made);
      else front.other = made;
    }
    return made;
  }

  /** The states one word leads to, each once. */
  private follow(states: readonly State<T>[], word: string): State<T>[] {
    const step = ++this.step;
    const following: State<T>[] = [];
    for (const state of states) {
      const next = state.next?.get(word);
      if (next) enter(next, following, step);
      if (state.star) enter(state.star, following, step);
      if (state.keeps) enter(state, following, step);
    }
    return following;
  }
}

/** Enters a state, with the `#` behind it, which may take no words at all. */
function enter<T>(state: State<T>, into: State<T>[], step: number): void {
  for (let each: State<T> | undefined = state; each && each.entered !== step; each = each.hash) {
    each.entered = step;
    into.push(each);
  }
}
