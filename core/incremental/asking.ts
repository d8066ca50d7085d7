/**
 * Looks at many subjects, each by asking facts, and looks again only where an answer may have changed.
 * What each asked is noted by the fact, not by the one who asked, so that a change finds its askers without
 * going through all of them.
 */
import { differing } from './layered.ts';

/** Facts of one kind: all of them, or a way to work out the one that is asked for. */
export type Facts = ReadonlyMap<unknown, unknown> | ((about: unknown) => unknown);

/** Facts by kind. */
export type Tables<Kind extends string> = Readonly<Record<Kind, Facts>>;

/** Asks for a fact; undefined where there is none. */
export type Ask<Kind extends string> = (kind: Kind, about: unknown) => unknown;

/** What was found at one subject, by one look. */
interface Look<Found> {
  readonly subject: unknown;
  readonly found: Found | undefined;
  /** Whether no later look has taken its place. */
  live: boolean;
}

/** A subject, by its kind and id. */
interface Asker {
  readonly of: string;
  readonly id: unknown;
  readonly look: Look<unknown>;
}

/** Who asked for one fact; some of them may have looked again since. */
type Askers = Asker | Asker[];

/** @typeParam Found what a look gives; undefined for nothing */
export class Asking<Kind extends string, Found> {
  private tables: Tables<Kind> | undefined;
  private looking: Asker | undefined;
  private readonly subjects = new Map<string, ReadonlyMap<unknown, unknown>>();
  private readonly looks = new Map<string, Map<unknown, Look<Found>>>();
  private readonly askers = new Map<Kind, Map<unknown, Askers>>();
  /** The answers of facts that are worked out, as they were given last. */
  private readonly answers = new Map<Kind, Map<unknown, unknown>>();
  /** What was asked last, of each kind: many questions of one look are the same again. */
  private readonly last = new Map<Kind, { asker: Asker; about: unknown; answer: unknown }>();
  private readonly telling = new Set<Look<Found>>();
  /** How many facts were noted when all of them were asked for still. */
  private settled = 0;

  /**
   * @param subjects those of each kind, by id: one object for as long as a subject is what it was
   * @param lookAt looks at a subject, asking for nothing but by `ask` of this object
   * @returns whatever was found, of subjects in no particular order
   */
  run(
    tables: Tables<Kind>,
    subjects: ReadonlyMap<string, ReadonlyMap<unknown, unknown>>,
    lookAt: (of: string, id: unknown, subject: unknown) => Found | undefined,
  ): Found[] {
    const doubtful = this.doubtful(tables);
    this.tables = tables;
    const again = (of: string, id: unknown) => {
      const looks = this.looks.get(of)!;
      const known = looks.get(id);
      if (known) {
        known.live = false;
        this.telling.delete(known);
        looks.delete(id);
      }
      const subject = subjects.get(of)!.get(id);
      if (subject === undefined) return;
      const asker = { of, id, look: { subject, found: undefined, live: true } as Look<Found> };
      this.looking = asker;
      const found = lookAt(of, id, subject);
      const look = Object.assign(asker.look, { found });
      looks.set(id, look);
      if (found !== undefined) this.telling.add(look);
    };
    for (const [of, all] of subjects) {
      if (!this.looks.has(of)) this.looks.set(of, new Map());
      const before = this.subjects.get(of);
      this.subjects.set(of, all);
      for (const id of differing(before, all)) again(of, id);
    }
    for (const { of, id, look } of doubtful) if (look.live) again(of, id);
    this.sweep();
    const told: Found[] = [];
    for (const { found } of this.telling) told.push(found!);
    return told;
  }

  /**
   * The same for subjects of one kind.
   * @returns what was found of each, in the order of the subjects
   */
  find<Subject>(
    tables: Tables<Kind>,
    of: string,
    subjects: ReadonlyMap<string, Subject>,
    lookAt: (subject: Subject, id: string) => Found,
  ): Map<string, Found> {
    this.run(tables, new Map([[of, subjects]]), (_, id, subject) => lookAt(subject as Subject, id as string));
    const looks = this.looks.get(of)!;
    return new Map([...subjects.keys()].map((id) => [id, looks.get(id)!.found!]));
  }

  /** How many facts are noted, asked for still or no more. */
  get size(): number {
    let size = 0;
    for (const askers of this.askers.values()) size += askers.size;
    return size;
  }

  /** Forgets facts that nobody asks for any more: what is named anew at every key would pile up. */
  private sweep(): void {
    if (this.settled > 0 && this.size <= 2 * this.settled) return;
    if (this.settled > 0) this.forget();
    this.settled = this.size;
  }

  private forget(): void {
    for (const askers of this.askers.values())
      for (const [about, known] of askers)
        if (![known].flat().some(({ look }) => look.live)) askers.delete(about);
  }

  /** Asks on behalf of the subject that is being looked at. One function, however many look. */
  readonly ask: Ask<Kind> = (kind, about) => {
    const asker = this.looking!;
    const last = this.last.get(kind);
    if (last?.asker === asker && last.about === about) return last.answer;
    const answer = this.noted(asker, kind, about);
    if (!last) this.last.set(kind, { asker, about, answer });
    else {
      last.asker = asker;
      last.about = about;
      last.answer = answer;
    }
    return answer;
  };

  private noted(asker: Asker, kind: Kind, about: unknown): unknown {
    let askers = this.askers.get(kind);
    if (!askers) this.askers.set(kind, (askers = new Map()));
    const known = askers.get(about);
    if (known === undefined) askers.set(about, asker);
    else if (!Array.isArray(known)) {
      if (known !== asker) askers.set(about, known.look.live ? [known, asker] : asker);
    } else if (known.at(-1) !== asker) {
      // those that looked again are forgotten before a list grows to twice its size
      if (known.length >= 8 && (known.length & (known.length - 1)) === 0) {
        const living = known.filter(({ look }) => look.live);
        living.push(asker);
        askers.set(about, living);
      } else known.push(asker);
    }
    const facts = this.tables![kind];
    if (typeof facts !== 'function') return facts.get(about);
    let answers = this.answers.get(kind);
    if (!answers) this.answers.set(kind, (answers = new Map()));
    if (!answers.has(about)) answers.set(about, facts(about));
    return answers.get(about);
  }

  /** Those who asked for something that is otherwise now. */
  private doubtful(now: Tables<Kind>): Asker[] {
    const found: Asker[] = [];
    for (const [kind, askers] of this.askers) {
      const [before, after] = [this.tables![kind], now[kind]];
      if (before === after) continue;
      const changed =
        typeof after === 'function' || typeof before === 'function'
          ? this.answeredOtherwise(kind, after as (about: unknown) => unknown, askers)
          : differing(before, after);
      for (const about of changed) {
        const asked = askers.get(about);
        if (asked === undefined) continue;
        askers.delete(about);
        for (const each of Array.isArray(asked) ? asked : [asked]) if (each.look.live) found.push(each);
      }
    }
    return found;
  }

  private answeredOtherwise(
    kind: Kind,
    facts: (about: unknown) => unknown,
    askers: ReadonlyMap<unknown, unknown>,
  ): Set<unknown> {
    const answers = this.answers.get(kind) ?? new Map<unknown, unknown>();
    const changed = new Set<unknown>();
    for (const [about, before] of answers) {
      // what nobody asks for any more is not worked out
      if (!askers.has(about)) {
        answers.delete(about);
        continue;
      }
      const after = facts(about);
      if (after === before) continue;
      changed.add(about);
      answers.set(about, after);
    }
    return changed;
  }
}
