/**
 * Many topic patterns at once: a tree of words in which every node is a state. A key's words move a
 * set of states forward; `*` follows any word, and a `#` state keeps itself. Each pattern ends at
 * one state and each state is visited at most once a word, so nothing is found twice and no pattern
 * can make matching exponential. Cost: words × states alive, not the number of patterns.
 */
class State<T> {
  readonly next = new Map<string, State<T>>();
  star: State<T> | undefined;
  hash: State<T> | undefined;
  values: T[] | undefined;
  /** The step this state was last made alive in, to make a set without building one. */
  alive = 0;

  constructor(readonly keeps: boolean) {}
}

export class KeyTrie<T> {
  private readonly root = new State<T>(false);
  private step = 0;

  /** Adds a value under a pattern's words (AMQP 0-9-1 §3.1.3.3). */
  add(pattern: readonly string[], value: T): void {
    let state = this.root;
    let before = '';
    for (const word of pattern) {
      // `#.#` says no more than `#`
      if (word === '#' && before === '#') continue;
      before = word;
      if (word === '*') state = state.star ??= new State(false);
      else if (word === '#') state = state.hash ??= new State(true);
      else {
        let next = state.next.get(word);
        if (!next) state.next.set(word, (next = new State(false)));
        state = next;
      }
    }
    (state.values ??= []).push(value);
  }

  /** @returns every value whose pattern matches these words, each once, in no particular order. */
  match(words: readonly string[]): T[] {
    let current: State<T>[] = [];
    let step = ++this.step;
    enter(this.root, current, step);
    for (const word of words) {
      const following: State<T>[] = [];
      step = ++this.step;
      for (const state of current) {
        const next = state.next.get(word);
        if (next) enter(next, following, step);
        if (state.star) enter(state.star, following, step);
        if (state.keeps) enter(state, following, step);
      }
      if (following.length === 0) return [];
      current = following;
    }
    const found: T[] = [];
    for (const { values } of current) if (values) for (const value of values) found.push(value);
    return found;
  }
}

/** Makes a state alive, with the `#` behind it, which may take no words at all. */
function enter<T>(state: State<T>, into: State<T>[], step: number): void {
  for (let each: State<T> | undefined = state; each && each.alive !== step; each = each.hash) {
    each.alive = step;
    into.push(each);
  }
}
