/**
 * What the ways of a node do to everything that comes to it. A binding is not tried against every type:
 * an exchange's are found by the words of their keys, as a router finds them for one message.
 */
import { type Arrival, keyWords, mayBeEmpty } from './variety.ts';
import { type Verdict, verdictAt } from './verdicts.ts';
import type { Edge } from '../../brokers/terms.ts';
import { remembered } from '../../incremental/memory.ts';
import type { WordToken } from '../../conditions/word-sets.ts';
import { wordsOf } from '../../conditions/words.ts';

/** A way that messages may go, with what its condition does to them. */
export interface Met {
  readonly edge: Edge;
  readonly verdict: Verdict;
}

/**
 * @param out the ways of one node
 * @returns which of them some messages may go, and what their conditions do to these, in the order of the text
 */
export const metBy = (out: readonly Edge[], arrival: Arrival): Met[] =>
  candidatesOf(out, arrival).flatMap((edge) => {
    const verdict = verdictAt(edge, arrival);
    return verdict.some ? [{ edge, verdict }] : [];
  });

const metLists = remembered((_: readonly Edge[]) => new Map<Arrival, readonly Edge[]>());

/** So many arrivals are remembered of the ways of one node: types that are edited come again and again as others. */
const MOST_ARRIVALS = 2_000;

/** @returns of the ways of an exchange the bindings that let some messages through, and all that are no bindings: one list for the same */
export function waysMet(out: readonly Edge[], arrival: Arrival): readonly Edge[] {
  const known = metLists(out);
  let list = known.get(arrival);
  if (!list) {
    list = candidatesOf(out, arrival).filter(
      (edge) => edge.kind !== 'binding' || verdictAt(edge, arrival).some,
    );
    if (known.size >= MOST_ARRIVALS) known.clear();
    known.set(arrival, list);
  }
  return list;
}

/** @returns the ways that let some of the messages through, and perhaps others, in the order of the text */
export function candidatesOf(out: readonly Edge[], arrival: Arrival): readonly Edge[] {
  if (out.length < FEW) return out;
  return indexOf(out).candidates(arrival);
}

/** Among so few nothing is looked up. */
const FEW = 8;

/** A place in the tree of the words of keys. */
interface Place {
  readonly next: Map<string, Place>;
  /** Ways whose keys end here, by number. */
  readonly ends: number[];
}

const begin = (): Place => ({ next: new Map(), ends: [] });

/** The ways of a node by the words of their keys; those that have none, or are no bindings, are always found. */
class KeyIndex {
  private readonly root = begin();
  private readonly always: number[] = [];
  private readonly known = new Map<Arrival, readonly Edge[]>();

  constructor(private readonly out: readonly Edge[]) {
    out.forEach((edge, i) => {
      const { condition, key } = edge;
      const keyed =
        edge.kind === 'binding' &&
        key !== undefined &&
        (condition.op === 'words' || condition.op === 'equals') &&
        condition.of.in === 'key';
      if (!keyed) {
        this.always.push(i);
        return;
      }
      let at = this.root;
      for (const word of wordsOf(key)) {
        // an exact key has no wildcards, whatever it is written with
        const own = condition.op === 'words' || (word !== '*' && word !== '#') ? word : `=${word}`;
        let next = at.next.get(own);
        if (!next) at.next.set(own, (next = begin()));
        at = next;
      }
      at.ends.push(i);
    });
  }

  /** @returns the ways for an arrival, found once however many ask */
  candidates(arrival: Arrival): readonly Edge[] {
    let found = this.known.get(arrival);
    if (!found) {
      const words = keyWords(arrival);
      found = words ? this.find(words, mayBeEmpty(arrival)) : this.out;
      if (this.known.size >= MOST_ARRIVALS) this.known.clear();
      this.known.set(arrival, found);
    }
    return found;
  }

  /**
   * @param empty whether the key that has no words is one of the set too
   * @returns all whose key may be one of a set, and perhaps others
   */
  private find(set: readonly WordToken[], empty: boolean): readonly Edge[] {
    const found = new Set(this.always);
    if (empty) for (const i of this.root.ends) found.add(i);
    const take = (place: Place): void => {
      for (const i of place.ends) found.add(i);
      for (const next of place.next.values()) take(next);
    };
    const visit = (place: Place, i: number): void => {
      // what may be any number of words is not followed any closer
      const hash = place.next.get('#');
      if (hash) take(hash);
      const token = set[i];
      if (!token) {
        for (const end of place.ends) found.add(end);
        return;
      }
      if ('any' in token && token.any === 'many') return take(place);
      if ('any' in token) {
        for (const next of place.next.values()) visit(next, i + 1);
        return;
      }
      const star = place.next.get('*');
      if (star) visit(star, i + 1);
      for (const word of token.one)
        for (const own of word === '*' || word === '#' ? [word, `=${word}`] : [word]) {
          const next = own === '*' || own === '#' ? undefined : place.next.get(own);
          if (next) visit(next, i + 1);
        }
    };
    visit(this.root, 0);
    return [...found].sort((a, b) => a - b).map((i) => this.out[i]!);
  }
}

const indexOf = remembered((out: readonly Edge[]) => new KeyIndex(out));
