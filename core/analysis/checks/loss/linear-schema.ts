/**
 * JSON Schema 2020-12 on values that people write, with patterns in time that grows with the text alone:
 * a pattern such as `^(a+)+$` keeps an ordinary matcher busy for ever. The validator has a matcher of its
 * own; so that it never sees a pattern, each is answered beforehand for all texts of the value, and put
 * into the schema as what fits.
 */
import { format, Validator, type Schema } from '@cfworker/json-schema';
import { RE2JS } from 're2js';
import { remembered } from '../../../incremental/memory.ts';

type Json = Readonly<Record<string, unknown>>;

/** Longer patterns and deeper schemas are not tried. */
const LONGEST_PATTERN = 2000;
const DEEPEST = 100;
/** Property names that fit a pattern and are put into a schema by name. */
const MOST_NAMES = 2000;

/** A schema asks for something that cannot be looked at here. */
export class Unusable extends Error {}

/** Formats of ours by which the validator asks whether a text fits a pattern. */
const OURS = 'vondle-pattern:';

type Patterns = Map<string, RE2JS>;

/** The patterns of a schema, each compiled once. */
const patternsOf = remembered((_: object): Patterns => new Map());

/** @returns a pattern (ECMA-262, as JSON Schema has them) that matches in linear time. @throws Unusable */
function linear(pattern: string, known: Patterns): RE2JS {
  let made = known.get(pattern);
  if (made) return made;
  if (pattern.length > LONGEST_PATTERN)
    throw new Unusable(`a pattern has more than ${LONGEST_PATTERN} characters`);
  try {
    made = RE2JS.compile(RE2JS.translateRegExp(pattern));
  } catch {
    throw new Unusable(`the pattern \`${pattern}\` cannot be used: it is wrong, or looks back or ahead`);
  }
  known.set(pattern, made);
  return made;
}

/** @returns whether a text has a place that fits a pattern. @throws Unusable */
export function fits(pattern: string, text: string, known: Patterns = new Map()): boolean {
  return linear(pattern, known).matcher(text).find();
}

/**
 * What a value breaks of a schema.
 * @returns in words; undefined for nothing
 * @throws Unusable where the schema cannot be tried
 */
export function breach(schema: Json, value: unknown): string | undefined {
  const names = new Set<string>();
  collectNames(value, names, 0);
  const formats: string[] = [];
  try {
    const safe = without(schema, { names, formats, known: patternsOf(schema) }, 0) as Schema;
    const { valid, errors } = new Validator(safe, '2020-12', false).validate(value);
    const last = errors.at(-1);
    if (valid || !last) return undefined;
    const at = last.instanceLocation.replace(/^#\/?/, '');
    const words = last.error.includes(OURS) ? 'String does not match pattern' : last.error.replace(/\.$/, '');
    return `${words}${at ? ` (at ${at})` : ''}`;
  } catch (error) {
    if (error instanceof Unusable) throw error;
    throw new Unusable('it refers to what is not there, or to itself without end');
  } finally {
    for (const each of formats) delete format[each];
  }
}

/**
 * @param value integers that a double cannot hold may be bigints
 * @returns what a value breaks of a schema, in words; nothing is claimed of a schema that cannot be tried, which is
 *   told of the schema itself
 */
export function brokenIn(schema: Json, value: unknown): string | undefined {
  try {
    return breach(schema, typeof value === 'bigint' ? Number(value) : value);
  } catch (error) {
    if (error instanceof Unusable) return undefined;
    throw error;
  }
}

function collectNames(value: unknown, names: Set<string>, depth: number): void {
  if (typeof value !== 'object' || value === null || depth > DEEPEST) return;
  if (Array.isArray(value)) return value.forEach((each) => collectNames(each, names, depth + 1));
  for (const [name, each] of Object.entries(value)) {
    names.add(name);
    collectNames(each, names, depth + 1);
  }
}

/** Members of a schema that hold data, not schemas. */
const DATA = new Set(['const', 'enum', 'default', 'examples', 'required', 'dependentRequired']);
/** Members that hold schemas by name, which may be called like a keyword. */
const BY_NAME = new Set(['properties', '$defs', 'definitions', 'dependentSchemas']);

/** What is needed, and left behind, on the way through a schema. */
interface Rewriting {
  /** The names of properties there are in the value. */
  readonly names: ReadonlySet<string>;
  /** Formats that were made. */
  readonly formats: string[];
  readonly known: Patterns;
}

function without(schema: unknown, to: Rewriting, depth: number): unknown {
  if (depth > DEEPEST) throw new Unusable('the schema is nested too deep');
  if (Array.isArray(schema)) return schema.map((each) => without(each, to, depth + 1));
  if (typeof schema !== 'object' || schema === null) return schema;
  const made: [string, unknown][] = [];
  const all: unknown[] = [];
  for (const [key, value] of Object.entries(schema)) {
    if (key === 'pattern' && typeof value === 'string') {
      linear(value, to.known);
      const name = `${OURS}${value}`;
      format[name] = (text: string) => fits(value, text, to.known);
      to.formats.push(name);
      all.push({ format: name });
    } else if (key === 'patternProperties' && isMap(value)) {
      made.push([key, namedProperties(value, to, depth)]);
    } else if (BY_NAME.has(key) && isMap(value)) {
      const inner = Object.entries(value).map(([name, each]) => [name, without(each, to, depth + 1)]);
      made.push([key, Object.fromEntries(inner)]);
    } else if (key === 'allOf' && Array.isArray(value)) {
      all.push(...(without(value, to, depth + 1) as unknown[]));
    } else made.push([key, DATA.has(key) ? value : without(value, to, depth + 1)]);
  }
  if (all.length) made.push(['allOf', all]);
  return Object.fromEntries(made);
}

/** The same schemas, by patterns that are nothing but the names that fit. */
function namedProperties(patterns: Json, to: Rewriting, depth: number): Json {
  return Object.fromEntries(
    Object.entries(patterns).map(([pattern, schema], i) => {
      const fitting = [...to.names].filter((name) => fits(pattern, name, to.known));
      if (fitting.length > MOST_NAMES) throw new Unusable('too many names fit a pattern');
      // never the same twice, and one that no name fits where none does
      const literal = fitting.length ? `^(?:${fitting.map(escaped).join('|')})$` : '^(?!)$';
      return [`${literal}${'(?:)'.repeat(i)}`, without(schema, to, depth + 1)];
    }),
  );
}

const isMap = (value: unknown): value is Json =>
  typeof value === 'object' && value !== null && !Array.isArray(value);

/** A text as a pattern that is that text and nothing else (ECMA-262 §22.2, with the flag `u`). */
function escaped(text: string): string {
  return [...text]
    .map((char) => (/[A-Za-z0-9_]/.test(char) ? char : `\\u{${char.codePointAt(0)!.toString(16)}}`))
    .join('');
}
