/**
 * What is remembered from one state of a changing thing to the next, so that a change costs what it
 * changed. Everything else is written as if it were worked out anew each time: a question gets what it
 * asks about and gives its answer; whether parts of the answer were known is decided here, by whether the
 * very same objects are asked about. States never change, so an older one is answered as rightly as the
 * newest; it only costs more.
 */
import { Layered, differing, sameOrder, sharesKeys } from './layered.ts';

/** Something to remember by: one constant for each question that is remembered. */
export class Question<Kept> {
  /** @param name for people who look into a memory */
  constructor(readonly name: string) {}
  declare private readonly kept: Kept;
}

interface Part<V> {
  readonly on: readonly unknown[];
  readonly value: V;
}

/** What was answered of each entry of a map last. */
interface Each<K, V, R> {
  readonly of: ReadonlyMap<K, V>;
  readonly ground: readonly unknown[];
  readonly steady: unknown;
  readonly answers: ReadonlyMap<K, R>;
}

/** What was put together last. */
interface Joined<P, R> {
  readonly parts: ReadonlyMap<string, P>;
  readonly whole: ReadonlyMap<string, R>;
}

/** What was divided last. */
interface Divided<K, V> {
  readonly of: ReadonlyMap<K, V>;
  readonly groups: ReadonlyMap<string, ReadonlyMap<K, V>>;
}

/** What was counted last. */
interface Counted<K, V, T> {
  readonly of: ReadonlyMap<K, V>;
  readonly counts: ReadonlyMap<T, number>;
}

const NO_GROUND: readonly unknown[] = [];

/** One memory for one thing that changes. */
export class Memory {
  private readonly kept = new Map<Question<unknown>, unknown>();

  /**
   * @param on what the answer follows from: while these are the same objects, it is not worked out again
   * @param same whether two answers say the same; the earlier object is given then
   */
  latest<V>(
    question: Question<V>,
    on: readonly unknown[],
    answer: () => V,
    same: (a: V, b: V) => boolean = Object.is,
  ): V {
    const before = this.kept.get(question) as Part<V> | undefined;
    if (before && sameItems(before.on, on)) return before.value;
    const made = answer();
    const value = before && same(before.value, made) ? before.value : made;
    this.kept.set(question, { on, value });
    return value;
  }

  /**
   * The same of each entry of a map. While its keys stay, only those that are otherwise are looked at.
   * @param of what each answer follows from, by key; an entry that is gone is forgotten
   * @param answer is given the answer of that key before, if there is one; never undefined
   * @returns the answers by key, in the map's order: the same map for as long as all of them are
   */
  each<K, V, R>(
    question: Question<ReadonlyMap<K, R>>,
    of: ReadonlyMap<K, V>,
    answer: (value: V, key: K, before: R | undefined) => R,
    {
      ground = NO_GROUND,
      same = Object.is,
      settle = (made) => made,
      holds,
      steady,
    }: {
      /** What all of them follow from besides. */
      readonly ground?: readonly unknown[];
      /** Whether two entries are the same. */
      readonly same?: (a: V, b: V) => boolean;
      /** Gives what an answer and the one before it come to: what says the same is to stay the same object. */
      readonly settle?: (made: R, before: R) => R;
      /** Whether a known answer still holds, where it hangs on more. */
      readonly holds?: (known: R, key: K) => boolean;
      /** While this is the same object, what was known holds without asking. */
      readonly steady?: object | undefined;
    } = {},
  ): ReadonlyMap<K, R> {
    const before = this.kept.get(question) as Each<K, V, R> | undefined;
    const stands = before !== undefined && sameItems(before.ground, ground);
    const doubtful = holds && (steady === undefined || before?.steady !== steady) ? holds : undefined;
    const answerOf = (key: K, value: V): R => {
      const known = before?.answers.get(key);
      if (known === undefined) return answer(value, key, known);
      if (stands && same(before!.of.get(key)!, value) && (doubtful?.(known, key) ?? true)) return known;
      return settle(answer(value, key, known), known);
    };
    let answers: ReadonlyMap<K, R>;
    if (stands && sharesKeys(before.of, of)) {
      const changes = new Map<K, R>();
      for (const key of doubtful ? of.keys() : differing(before.of, of))
        changes.set(key, answerOf(key, of.get(key)!));
      answers = Layered.on(before.answers).with(changes);
    } else {
      const all = new Map<K, R>();
      for (const [key, value] of of) all.set(key, answerOf(key, value));
      answers = before && sameOrder(before.answers, all) ? settled(all, before.answers) : Layered.on(all);
    }
    this.kept.set(question, { of, ground, steady, answers });
    return answers;
  }

  /**
   * Puts maps together by their keys. While their names stay, only keys at which a map changed are looked at.
   * @param mapOf the map that a part has
   * @param combine what becomes of the values that the maps have at one key, in the maps' order; never none
   * @param same whether two results say the same; the earlier object is given then
   * @param ordered whether the keys are to stand in the order of the maps; without it they stand in any
   */
  joined<P, V, R>(
    question: Question<Joined<P, R>>,
    parts: ReadonlyMap<string, P>,
    mapOf: (part: P) => ReadonlyMap<string, V>,
    combine: (values: readonly V[]) => R,
    {
      same = Object.is,
      ordered = false,
      alone,
    }: {
      readonly same?: (a: R, b: R) => boolean;
      readonly ordered?: boolean;
      /** Whether a result is what one map alone has at a key, and no other: where that can be told by looking at it. */
      readonly alone?: (result: R, value: V) => boolean;
    } = {},
  ): ReadonlyMap<string, R> {
    const before = this.kept.get(question) as Joined<P, R> | undefined;
    let all: readonly ReadonlyMap<string, V>[] | undefined;
    const at = (key: string): readonly V[] => {
      const values: V[] = [];
      for (const part of (all ??= Array.from(parts.values(), mapOf))) {
        const value = part.get(key);
        if (value !== undefined) values.push(value);
      }
      return values;
    };
    const resultAt = (key: string, values: readonly V[]): R => {
      const made = combine(values);
      const known = before?.whole.get(key);
      return known !== undefined && same(known, made) ? known : made;
    };
    let whole: ReadonlyMap<string, R>;
    const changed = before && sameOrder(before.parts, parts) ? differing(before.parts, parts) : undefined;
    const both = (id: string) => [mapOf(before!.parts.get(id)!), mapOf(parts.get(id)!)] as const;
    const moved = (id: string) => ordered && !sameOrder(...both(id));
    if (before && changed && ![...changed].some(moved)) {
      // of very many maps few have the same key
      const only = (name: string, key: string): readonly V[] | undefined => {
        const [was, now] = both(name).map((map) => map.get(key));
        const known = before.whole.get(key);
        if (changed.size > 1 || was === undefined || known === undefined) return undefined;
        if (!alone?.(known, was)) return undefined;
        return now === undefined ? [] : [now];
      };
      const changes = new Map<string, R | undefined>();
      for (const name of changed) {
        for (const key of differing(...both(name))) {
          if (changes.has(key)) continue;
          const values = only(name, key) ?? at(key);
          changes.set(key, values.length ? resultAt(key, values) : undefined);
        }
      }
      whole = Layered.on(before.whole).with(changes);
    } else {
      // most keys are those of one map alone
      const first = new Map<string, V>();
      const several = new Map<string, V[]>();
      for (const part of parts.values())
        for (const [key, value] of mapOf(part)) {
          const [known, values] = [first.get(key), several.get(key)];
          if (known === undefined) first.set(key, value);
          else if (values) values.push(value);
          else several.set(key, [known, value]);
        }
      const made = new Map<string, R>();
      for (const [key, value] of first) made.set(key, resultAt(key, several.get(key) ?? [value]));
      whole = Layered.on(made);
    }
    this.kept.set(question, { parts, whole });
    return whole;
  }

  /**
   * Divides a map; while its keys stay, only groups of which something is otherwise are made again.
   * @returns the groups, and each one's keys, in the map's order
   */
  divided<K, V>(
    question: Question<Divided<K, V>>,
    of: ReadonlyMap<K, V>,
    groupOf: (value: V) => string,
  ): ReadonlyMap<string, ReadonlyMap<K, V>> {
    const before = this.kept.get(question) as Divided<K, V> | undefined;
    const changes = before && sharesKeys(before.of, of) ? new Map<string, Map<K, V>>() : undefined;
    if (before?.of === of) return before.groups;
    let stays = changes !== undefined;
    for (const key of changes ? differing(before!.of, of) : []) {
      const value = of.get(key)!;
      const group = groupOf(value);
      stays &&= group === groupOf(before!.of.get(key)!);
      const known = changes!.get(group);
      if (known) known.set(key, value);
      else changes!.set(group, new Map([[key, value]]));
    }
    let groups: ReadonlyMap<string, ReadonlyMap<K, V>>;
    if (stays) {
      const now = new Map<string, ReadonlyMap<K, V>>();
      for (const [group, values] of changes!)
        now.set(group, Layered.on(before!.groups.get(group)!).with(values));
      groups = Layered.on(before!.groups).with(now);
    } else {
      const made = new Map<string, Map<K, V>>();
      for (const [key, value] of of) {
        const group = groupOf(value);
        let known = made.get(group);
        if (!known) made.set(group, (known = new Map()));
        known.set(key, value);
      }
      groups = made;
    }
    this.kept.set(question, { of, groups });
    return groups;
  }

  /**
   * Counts what a map's values say; of a map that changed only what is otherwise in it is counted again.
   * @param says whatever one entry is to be counted under
   * @returns how often each was said; what is said no more is left out
   */
  tally<K, V, T>(
    question: Question<Counted<K, V, T>>,
    of: ReadonlyMap<K, V>,
    says: (key: K, value: V) => Iterable<T>,
  ): ReadonlyMap<T, number> {
    const before = this.kept.get(question) as Counted<K, V, T> | undefined;
    const by = new Map<T, number>();
    const count = (key: K, value: V | undefined, step: number) => {
      if (value === undefined) return;
      for (const each of says(key, value)) by.set(each, (by.get(each) ?? 0) + step);
    };
    if (before)
      for (const key of differing(before.of, of)) {
        count(key, before.of.get(key), -1);
        count(key, of.get(key), 1);
      }
    else for (const [key, value] of of) count(key, value, 1);
    const changes = new Map<T, number | undefined>();
    for (const [each, step] of by) {
      const sum = (before?.counts.get(each) ?? 0) + step;
      changes.set(each, sum > 0 ? sum : undefined);
    }
    const counts = Layered.on(before?.counts ?? new Map<T, number>()).with(changes);
    this.kept.set(question, { of, counts });
    return counts;
  }

  /** @returns what a question keeps for itself, made at first */
  own<K>(question: Question<K>, begin: () => K): K {
    let kept = this.kept.get(question) as K | undefined;
    if (kept === undefined) this.kept.set(question, (kept = begin()));
    return kept;
  }
}

/**
 * @param same whether two values say the same
 * @returns a map as it was made, but with what an earlier one has where that says the same; its keys stand in
 *   any order
 */
export function settled<K, V>(
  made: ReadonlyMap<K, V>,
  before: ReadonlyMap<K, V>,
  same: (a: V, b: V) => boolean = Object.is,
): ReadonlyMap<K, V> {
  const changes = new Map<K, V | undefined>();
  for (const [key, value] of made) {
    const known = before.get(key);
    if (known === undefined || !same(known, value)) changes.set(key, value);
  }
  if (made.size !== before.size || changes.size > 0)
    for (const key of before.keys()) if (!made.has(key)) changes.set(key, undefined);
  return Layered.on(before).with(changes);
}

/** @returns whether two lists have the same items in the same order */
export function sameItems(a: readonly unknown[], b: readonly unknown[]): boolean {
  if (a === b) return true;
  if (a.length !== b.length) return false;
  for (let i = 0; i < a.length; i++) if (a[i] !== b[i]) return false;
  return true;
}

/**
 * @param of a function of one unchanging object, and perhaps of more that follows from where it is asked
 * @returns the same function, which gives its earlier answer for an object again while `stays` says so
 */
export function remembered<A extends object, V, More extends readonly unknown[]>(
  of: (about: A, ...more: More) => V,
  stays: (answer: V, about: A, ...more: More) => boolean = () => true,
): (about: A, ...more: More) => V {
  const answers = new WeakMap<A, V>();
  return (about, ...more) => {
    const known = answers.get(about);
    if (known !== undefined && stays(known, about, ...more)) return known;
    const made = of(about, ...more);
    answers.set(about, made);
    return made;
  };
}
