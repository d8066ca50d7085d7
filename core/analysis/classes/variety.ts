/**
 * The messages of a declared type as conditions see them: few enough to try all, chosen so that
 * whatever truth the conditions may have on some message of the type, they have on one of these.
 * Where that cannot be had (arithmetic between attributes, domains nobody declared, too many
 * combinations) nothing is claimed.
 */
import { put } from '../../base/values.ts';
import { ABSENT, PLAIN, SET_UNDECLARED } from '../../conditions/cells.ts';
import { evaluate } from '../../conditions/evaluate.ts';
import { operandsOf } from '../../conditions/explain.ts';
import type { Message } from '../../conditions/message.ts';
import type { Attribute, Predicate, Term } from '../../conditions/predicate.ts';
import { type WordToken, covered, overlaps } from '../../conditions/word-sets.ts';
import { wordsMatch, wordsOf } from '../../conditions/words.ts';
import { remembered } from '../../incremental/memory.ts';
import type { MessageType } from '../../topology/messages.ts';

/** Messages of a type as they come to a place in the graph. */
export interface Arrival {
  readonly type: MessageType;
  /** The template of their keys as they are there; undefined where the type leaves the key open. */
  readonly key: string | undefined;
  /** Inside a topic's envelope. */
  readonly wrapped: boolean;
}

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

/** More combinations than this are not tried. */
const MOST = 4096;

/** @returns the domain that a type declares for an attribute; 'open' where it may be anything, undefined where it is never there. */
export function domainAt(
  { type, wrapped }: Arrival,
  attribute: Exclude<Attribute, { in: 'key' }>,
): { readonly schema: Readonly<Record<string, unknown>>; readonly optional: boolean } | 'open' | undefined {
  const { name } = attribute;
  const property = attribute.in === 'header' ? undefined : type.properties.get(name);
  const header = attribute.in === 'property' || wrapped ? undefined : type.headers.get(name);
  const found = property ?? header;
  if (found && (!wrapped || name === 'subject'))
    return { schema: found.schema, optional: !type.required.has(name) && !('const' in found.schema) };
  if (attribute.in !== 'header' && SET_UNDECLARED.has(name)) return 'open';
  return undefined;
}

/** What conditions compare one attribute with. */
interface Compared {
  readonly numbers: Set<number>;
  readonly strings: Set<string>;
  readonly beginnings: Set<string>;
  readonly endings: Set<string>;
  patterns: number;
  /** Of how many characters a text has to be tried for patterns. */
  readonly lengths: Set<number>;
  /** Compared with another attribute, or reckoned with: no value can stand for others. */
  tangled: boolean;
}

function comparedIn(conditions: readonly Predicate[]): (attribute: Attribute) => Compared {
  const all = new Map<string, Compared>();
  const of = (attribute: Attribute): Compared => {
    const id = attribute.in === 'key' ? '' : attribute.name;
    let known = all.get(id);
    if (!known) {
      const [numbers, strings] = [new Set<number>(), new Set<string>()];
      known = {
        numbers,
        strings,
        beginnings: new Set(),
        endings: new Set(),
        patterns: 0,
        lengths: new Set(),
        tangled: false,
      };
      all.set(id, known);
    }
    return known;
  };
  const note = (attribute: Attribute, value: unknown) => {
    if (typeof value === 'number') of(attribute).numbers.add(value);
    else if (typeof value === 'string') of(attribute).strings.add(value);
  };
  const tangle = (predicate: Predicate) => operandsOf(predicate).forEach((each) => (of(each).tangled = true));
  const constant = (term: Term): unknown =>
    term.is === 'constant'
      ? term.value
      : term.is === 'number' && Math.abs(Number(term.value)) <= Number.MAX_SAFE_INTEGER
        ? Number(term.value)
        : undefined;
  const walk = (p: Predicate): void => {
    switch (p.op) {
      case 'all':
      case 'any':
        return p.of.forEach(walk);
      case 'not':
        return walk(p.of);
      case 'compare': {
        const [left, right] = [constant(p.left), constant(p.right)];
        if (p.left.is === 'attribute' && right !== undefined) note(p.left.of, right);
        else if (p.right.is === 'attribute' && left !== undefined) note(p.right.of, left);
        else tangle(p);
        return;
      }
      case 'between': {
        const [low, high] = [constant(p.low), constant(p.high)];
        if (p.term.is !== 'attribute' || low === undefined || high === undefined) return tangle(p);
        note(p.term.of, low);
        return note(p.term.of, high);
      }
      case 'in':
        return p.values.forEach((value) => note(p.of, value));
      case 'equals':
        return note(p.of, p.value);
      case 'like': {
        of(p.of).patterns++;
        // only one without letters of its own takes others by their number
        if (p.pattern.every((part) => typeof part !== 'string')) {
          const ones = p.pattern.filter((part) => typeof part !== 'string' && part.any === 'one').length;
          for (const length of [ones - 1, ones, ...(ones < p.pattern.length ? [] : [ones + 1])])
            of(p.of).lengths.add(length);
        }
        const fill = (many: string) =>
          p.pattern
            .map((part) => (typeof part === 'string' ? part : part.any === 'one' ? 'x' : many))
            .join('');
        return ['', 'x'].forEach((many) => note(p.of, fill(many)));
      }
      case 'prefix':
        of(p.of).beginnings.add(p.value);
        return;
      case 'suffix':
        of(p.of).endings.add(p.value);
        return;
      case 'words':
        // the key has a language of its own
        return;
      case 'holds':
        if (p.of.is !== 'attribute') tangle(p);
        return;
      case 'always':
      case 'never':
      case 'null':
      case 'present':
        return;
    }
  };
  conditions.forEach(walk);
  return of;
}

/** @returns values that stand for all of a domain; undefined where none can. */
function standIns(schema: Readonly<Record<string, unknown>>, compared: Compared): unknown[] | undefined {
  if ('const' in schema) return [schema['const']];
  if (Array.isArray(schema['enum'])) return schema['enum'];
  if (schema['type'] === 'boolean') return [false, true];
  if (compared.tangled || Object.keys(schema).some((key) => !PLAIN.has(key))) return undefined;
  if (schema['type'] === 'integer' || schema['type'] === 'number') return numbers(schema, compared);
  return schema['type'] === 'string' ? strings(compared) : undefined;
}

function numbers(schema: Readonly<Record<string, unknown>>, { numbers: points }: Compared): number[] {
  const given = schema as Record<string, number | undefined>;
  const whole = schema['type'] === 'integer';
  const step = given['multipleOf'] ?? (whole ? 1 : undefined);
  const low = given['minimum'] ?? given['exclusiveMinimum'] ?? -Infinity;
  const high = given['maximum'] ?? given['exclusiveMaximum'] ?? Infinity;
  const inside = (value: number) =>
    value >= low &&
    value <= high &&
    value !== given['exclusiveMinimum'] &&
    value !== given['exclusiveMaximum'];
  const sorted = [low, high, ...points].filter(Number.isFinite).sort((a, b) => a - b);
  if (sorted.length === 0) sorted.push(0);
  const between = sorted.slice(1).map((value, i) => (value + sorted[i]!) / 2);
  const near = [...sorted, ...between, sorted[0]! - 1, sorted.at(-1)! + 1];
  const found = step
    ? near.flatMap((value) => [-1, 0, 1, 2].map((by) => (Math.floor(value / step) + by) * step))
    : near;
  return [...new Set(found)].filter(inside);
}

/** Letters for texts that stand for all that nobody asks about. */
const LETTERS = 'xyzwvutsrqponmlkjihgfedcba0123456789';

/** @returns a letter that none of some texts has: what is made of it is none of them, nor begins or ends as one does */
function unsaid(texts: readonly string[]): string {
  const used = new Set(texts.join(''));
  for (const letter of LETTERS) if (!used.has(letter)) return letter;
  let code = 0xe000;
  while (used.has(String.fromCharCode(code))) code++;
  return String.fromCharCode(code);
}

function strings({ strings: said, beginnings, endings, patterns, lengths }: Compared): string[] | undefined {
  // two patterns may meet in a text that neither of them gives away
  if (patterns + beginnings.size > 1 && patterns + endings.size > 1) return undefined;
  if (patterns > 1) return undefined;
  const letter = unsaid([...said, ...beginnings, ...endings]);
  const found = new Set(said);
  // whether a pattern takes other letters hangs on how many there are
  for (const length of new Set([0, 1, ...lengths])) if (length >= 0) found.add(letter.repeat(length));
  for (const begin of beginnings) {
    found.add(begin).add(begin + letter);
    for (const end of endings) found.add(begin + end).add(begin + letter + end);
  }
  for (const end of endings) found.add(end).add(letter + end);
  return [...found];
}

const PLACEHOLDER = /\{([^{}]*?)(\.\.\.)?\}/g;

/** The words that an arrival's keys are made of; undefined where its type leaves them open. */
export const keyWords = (arrival: Arrival): readonly WordToken[] | undefined => wordsIn(arrival).words;

const wordsIn = remembered((arrival: Arrival) => ({ words: readWords(arrival) }));

function readWords({ type, key }: Arrival): readonly WordToken[] | undefined {
  if (key === undefined) return undefined;
  if (!key.includes('{')) return wordsOf(key).map((word) => ({ one: [word] }));
  const tokens: WordToken[] = [];
  for (const part of key.split(/\.(?![^{]*\})/)) {
    const whole = /^\{([^{}]*?)(\.\.\.)?\}$/.exec(part);
    if (!whole) {
      if (part.includes('{')) {
        const texts = fillings(type, part);
        if (texts?.some((text) => text.includes('.'))) return undefined;
        tokens.push(texts ? { one: texts } : { any: 'one' });
      } else tokens.push({ one: [part] });
      continue;
    }
    if (whole[2]) {
      tokens.push({ any: 'many' });
      continue;
    }
    const values = finite(type, whole[1]!);
    if (values?.some((value) => value.includes('.'))) return undefined;
    tokens.push(values ? { one: values } : { any: 'one' });
  }
  return tokens;
}

/** The texts of a header's values, where they are few. */
function finite(type: MessageType, header: string): string[] | undefined {
  const schema = type.headers.get(header)?.schema;
  if (!schema) return undefined;
  if ('const' in schema) return [String(schema['const'])];
  if (Array.isArray(schema['enum'])) return schema['enum'].map(String);
  return schema['type'] === 'boolean' ? ['false', 'true'] : undefined;
}

function fillings(type: MessageType, part: string): string[] | undefined {
  let texts = [''];
  let at = 0;
  for (const match of part.matchAll(PLACEHOLDER)) {
    const values = match[2] ? undefined : finite(type, match[1]!);
    if (!values || texts.length * values.length > MOST) return undefined;
    const before = part.slice(at, match.index);
    texts = texts.flatMap((text) => values.map((value) => text + before + value));
    at = match.index + match[0].length;
  }
  return texts.map((text) => text + part.slice(at));
}

/** A message of a survey, with what was left out marked by its absence. */
interface Choice {
  readonly attribute: Exclude<Attribute, { in: 'key' }>;
  readonly values: readonly unknown[];
}

/**
 * @returns messages of an arrival that stand for all of them before these conditions; undefined where
 *   none can, and nothing may be claimed
 */
export function survey(conditions: readonly Predicate[], arrival: Arrival): Message[] | undefined {
  // what could not be read admits nothing now, and something once it can
  if (conditions.some((each) => each.op === 'never' && each.unread)) return undefined;
  const { type, key: template, wrapped } = arrival;
  const compared = comparedIn(conditions);
  const attributes = new Map<string, Attribute>();
  for (const condition of conditions)
    for (const each of operandsOf(condition)) attributes.set(each.in === 'key' ? '' : `${each.name}`, each);
  const readsKey = attributes.delete('');
  if (readsKey) {
    if (template === undefined) return undefined;
    for (const [, name, many] of template.matchAll(PLACEHOLDER)) {
      if (many || !finite(type, name!)) return undefined;
      attributes.set(name!, { in: 'header', name: name! });
    }
  }
  const choices: Choice[] = [];
  let size = 1;
  for (const each of attributes.values()) {
    const attribute = each as Choice['attribute'];
    // a key is made of values its headers have even inside an envelope
    const domain = domainAt(arrival, attribute);
    if (domain === undefined) continue;
    const values = domain === 'open' ? undefined : standIns(domain.schema, compared(attribute));
    if (!values || domain === 'open') return undefined;
    const inKey = readsKey && template!.includes(`{${attribute.name}}`);
    choices.push({ attribute, values: domain.optional && !inKey ? [...values, ABSENT] : values });
    size *= choices.at(-1)!.values.length;
    if (size > MOST) return undefined;
  }
  return Array.from({ length: size }, (_, index) => {
    const headers: Record<string, unknown> = {};
    const properties: Record<string, unknown> = {};
    let rest = index;
    for (const { attribute, values } of choices) {
      const value = values[rest % values.length];
      rest = Math.floor(rest / values.length);
      if (value === ABSENT) continue;
      const isProperty = attribute.in !== 'header' && type.properties.has(attribute.name);
      put(isProperty ? properties : headers, attribute.name, value);
    }
    const key = wrapped
      ? ''
      : (template ?? '').replace(PLACEHOLDER, (_, name: string) => String(headers[name] ?? ''));
    return { type: type.id, key, headers, properties };
  });
}

/** @returns the key, or the words of the pattern, that a condition asks for, where it asks for nothing else. */
export function keyPattern(condition: Predicate): readonly string[] | string | undefined {
  if (condition.op === 'words' && condition.of.in === 'key') return condition.pattern;
  if (condition.op === 'equals' && condition.of.in === 'key' && typeof condition.value === 'string')
    return condition.value;
  return undefined;
}

/** @returns what a condition does to the messages of an arrival. */
export function verdictOn(condition: Predicate, arrival: Arrival): Verdict {
  if (condition.op === 'always') return ALL;
  const pattern = keyPattern(condition);
  if (pattern !== undefined) {
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
  const messages = survey([condition], arrival);
  if (!messages) return MAYBE;
  let some = false;
  let every = messages.length > 0;
  for (const message of messages) {
    if (evaluate(condition, message) === true) some = true;
    else every = false;
  }
  return verdictOf(some, every);
}
