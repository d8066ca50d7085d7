/**
 * What conditions do to the messages of a type, in the forms they come in: told for all of them at once, so that a
 * claim is never against a message there is.
 */
import { type Diagram, type Diagrams, TooManyClasses } from '../../base/diagram.ts';
import { operandsOf } from '../../conditions/explain.ts';
import type { Message } from '../../conditions/message.ts';
import type { Predicate } from '../../conditions/predicate.ts';
import { covered, overlaps } from '../../conditions/word-sets.ts';
import { wordsMatch, wordsOf } from '../../conditions/words.ts';
import type { Edge } from '../../brokers/terms.ts';
import { remembered } from '../../incremental/memory.ts';
import type { MessageType } from '../../topology/messages.ts';
import { type Form, OWN, Space } from './space.ts';
import { type Arrival, keyPattern, keyWords, mayBeEmpty } from './variety.ts';

/** What a condition does to messages of a type. */
export interface Verdict {
  /** Some message meets it, as far as can be told. */
  readonly some: boolean;
  /** Every message is known to meet it. */
  readonly every: boolean;
}

const ALL: Verdict = { some: true, every: true };
const NONE: Verdict = { some: false, every: false };
const MAYBE: Verdict = { some: true, every: false };

const verdictOf = (some: boolean, every: boolean): Verdict => (every && some ? ALL : some ? MAYBE : NONE);

const formsOf = remembered((_: MessageType) => new Map<string, Arrival>());

/** @returns messages of a type in a form: one object for the same */
export function arrivalOf(type: MessageType, key: string | undefined, wrapped: boolean): Arrival {
  const forms = formsOf(type);
  const id = `${wrapped ? 'w' : 'p'}${key === undefined ? '' : `=${key}`}`;
  let found = forms.get(id);
  if (!found) forms.set(id, (found = { type, key, wrapped }));
  return found;
}

/** What was asked of a way, pair by pair: most are asked about few arrivals. */
const verdictsOf = remembered((_: Edge): { readonly arrival: Arrival; readonly verdict: Verdict }[] => []);

/** So many verdicts are remembered of one way. */
const MOST_VERDICTS = 2_000;

/** @returns what a way's condition does to messages that come to it */
export function verdictAt(edge: Edge, arrival: Arrival): Verdict {
  // these are told sooner than looked up
  if (edge.condition.op === 'always' || keyPattern(edge.condition) !== undefined)
    return verdictOn(edge.condition, arrival);
  const known = verdictsOf(edge);
  for (const each of known) if (each.arrival === arrival) return each.verdict;
  const verdict = verdictOn(edge.condition, arrival);
  // types that are edited come again and again as others
  if (known.length >= MOST_VERDICTS) known.length = 0;
  known.push({ arrival, verdict });
  return verdict;
}

/** @returns what a condition does to the messages of an arrival. */
export function verdictOn(condition: Predicate, arrival: Arrival): Verdict {
  if (condition.op === 'always') return ALL;
  const pattern = keyPattern(condition);
  if (pattern === undefined) return verdictBySets(condition, arrival);
  const { some, every } = verdictByKey(pattern, arrival);
  if (arrival.wrapped || !mayBeEmpty(arrival)) return verdictOf(some, every);
  // the key that has no words is met, or missed, beside all others
  const empty = typeof pattern === 'string' ? pattern === '' : wordsMatch(pattern, []);
  return verdictOf(some || empty, every && empty);
}

/** A key or pattern by itself is told by the words that keys are made of: there are thousands of these. */
function verdictByKey(pattern: readonly string[] | string, arrival: Arrival): Verdict {
  if (arrival.wrapped) {
    const holds = typeof pattern === 'string' ? pattern === '' : wordsMatch(pattern, []);
    return verdictOf(holds, holds);
  }
  const words = keyWords(arrival);
  if (!words) return MAYBE;
  if (typeof pattern !== 'string')
    return overlaps(words, pattern) ? verdictOf(true, covered(words, pattern)) : NONE;
  const wanted = wordsOf(pattern);
  // a key to equal may hold what would be a wildcard in a pattern
  const fixed =
    words.length === wanted.length &&
    words.every((token, i) => ('one' in token ? token.one.includes(wanted[i]!) : token.any === 'one'));
  if (words.some((token) => 'any' in token && token.any === 'many')) return MAYBE;
  return verdictOf(
    fixed,
    words.every((token) => 'one' in token && token.one.length === 1),
  );
}

function verdictBySets(condition: Predicate, arrival: Arrival): Verdict {
  if (condition.op !== 'all' && condition.op !== 'any') return verdictOfSets(condition, arrival);
  const tests = apartIn(condition.of);
  if (!tests) return verdictOfSets(condition, arrival);
  const [all, verdicts] = [condition.op === 'all', tests.map((test) => verdictOfTest(test, arrival))];
  return verdictOf(
    all ? verdicts.every(({ some }) => some) : verdicts.some(({ some }) => some),
    all ? verdicts.every(({ every }) => every) : verdicts.some(({ every }) => every),
  );
}

/** A test of one header, which holds or does not. */
type HeaderTest = Extract<Predicate, { readonly op: 'equals' | 'present' }> & {
  readonly of: { readonly in: 'header'; readonly name: string };
};

/**
 * Headers that are tested each by itself have nothing to do with each other: some message meets both tests where
 * some meets the one and some the other, and all meet one or the other only where all meet one of the two.
 * @returns the tests, where each is of a header of its own
 */
function apartIn(conditions: readonly Predicate[]): readonly HeaderTest[] | undefined {
  const isTest = (each: Predicate): each is HeaderTest =>
    (each.op === 'equals' || each.op === 'present') && each.of.in === 'header';
  if (!conditions.every(isTest)) return undefined;
  const names = new Set(conditions.map(({ of }) => of.name));
  return names.size === conditions.length ? conditions : undefined;
}

/** Bindings to headers test the same few values again and again. */
const testsOf = remembered((_: Arrival) => new Map<string, Verdict>());

function verdictOfTest(test: HeaderTest, arrival: Arrival): Verdict {
  const known = testsOf(arrival);
  const value = test.op === 'equals' ? test.value : undefined;
  const id = `${typeof value} ${Object.is(value, -0) ? '-0' : String(value)} ${test.of.name}`;
  let verdict = known.get(id);
  if (!verdict) {
    verdict = verdictOfSets(test, arrival);
    if (known.size >= MOST_VERDICTS) known.clear();
    known.set(id, verdict);
  }
  return verdict;
}

function verdictOfSets(condition: Predicate, arrival: Arrival): Verdict {
  const of = setsOf([condition], arrival);
  if (!of) return MAYBE;
  const [passing] = of.passing;
  const { yes, no } = of.space.diagrams;
  return verdictOf(passing !== no, passing === yes);
}

/** So many different sets are held for the conditions of one place. */
const MOST_SETS = 100_000;

/** All messages of an arrival, and which of them conditions let through. */
interface Sets {
  readonly space: Space;
  readonly form: Form;
  /** By condition. */
  readonly passing: readonly Diagram[];
}

function setsOf(conditions: readonly Predicate[], arrival: Arrival): Sets | undefined {
  const { type, key, wrapped } = arrival;
  // what could not be read admits nothing now, and something once it can
  if (conditions.some((each) => each.op === 'never' && each.unread)) return undefined;
  if (key === undefined && conditions.some((each) => operandsOf(each).some((of) => of.in === 'key')))
    return undefined;
  const own = !wrapped && (key === undefined || key.includes('{') || key === type.key?.value);
  const form: Form = wrapped ? { key: '', wrapped: true } : own || key === undefined ? OWN : { key };
  try {
    const space = new Space(type, (own ? key : type.key?.value) ?? '', conditions, MOST_SETS);
    return { space, form, passing: conditions.map((each) => space.sets(each, form).yes) };
  } catch (error) {
    if (!(error instanceof TooManyClasses)) throw error;
    return undefined;
  }
}

/**
 * @param chosen which messages are looked for, by those that each condition lets through
 * @returns one of them, as it is there; undefined where there is none, or none that is known for sure
 */
export function messageAmong(
  conditions: readonly Predicate[],
  arrival: Arrival,
  chosen: (passing: readonly Diagram[], diagrams: Diagrams) => Diagram,
): Message | undefined {
  const of = setsOf(conditions, arrival);
  if (!of) return undefined;
  const { space, form, passing } = of;
  const path = firmPath(space, chosen(passing, space.diagrams));
  if (!path) return undefined;
  const found = space.messageOf(path);
  if (!form.wrapped) return { ...found, ...form };
  const { subject } = found.properties;
  return { ...found, key: '', headers: {}, properties: subject === undefined ? {} : { subject } };
}

/** @returns a way to `yes` past nothing that is not told exactly, as the cell of each variable on it */
function firmPath(space: Space, set: Diagram): Map<number, number> | undefined {
  const { yes } = space.diagrams;
  const dead = new Set<Diagram>();
  const walk = (at: Diagram): Map<number, number> | undefined => {
    if (at === yes) return new Map();
    if (at.variable === Infinity || dead.has(at) || space.looseAt(at.variable) !== undefined)
      return undefined;
    for (const [run, next] of at.next.entries()) {
      const rest = walk(next);
      if (rest) return rest.set(at.variable, at.starts[run]!);
    }
    dead.add(at);
    return undefined;
  };
  return walk(set);
}
