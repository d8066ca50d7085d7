/**
 * The values of one attribute as conditions tell them apart: each cell is values that no condition asked about can
 * tell from each other, with one of them to stand for all, and with how many they are where that can be counted.
 */
import type { Run } from '../base/diagram.ts';
import { compare, evaluate, termValue } from './evaluate.ts';
import { message } from './message.ts';
import { type Attribute, FLIPPED, type Predicate, type Relation, type Term } from './predicate.ts';
import { type TextPattern, meets, textsOf } from './texts.ts';

export type Schema = Readonly<Record<string, unknown>>;

/** No value: the attribute is left out. */
export const ABSENT = Symbol('absent');

export interface Cell {
  /** One of its values, the least for the eye; `ABSENT` where it is the attribute's absence. */
  readonly value: unknown;
  /** How many values it has; undefined where they are without number. */
  readonly size: bigint | undefined;
  /** Numbers between these, which are none of them themselves. */
  readonly between?: readonly [number, number];
  /** A text that nobody asks for itself. */
  readonly other?: true;
  /** Of texts, the patterns asked for that they meet. */
  readonly meets?: readonly TextPattern[];
}

export interface Cells {
  readonly cells: readonly Cell[];
  /** The cells before this one are numbers, rising. */
  readonly numbers: number;
  /** The cell of a text that is asked for itself, or of a choice. */
  readonly ofText: ReadonlyMap<string, number>;
  /** The cells in which a selector finds no value. */
  readonly missing: readonly number[];
  /** Why it is not known that every cell has a value, and that what one of them does all do. */
  readonly loose?: string;
}

/** What conditions ask of one attribute. */
export interface Asked {
  readonly numbers: Set<number>;
  readonly texts: Set<string>;
  readonly patterns: Map<string, TextPattern>;
  /** Each value has to stand for itself, where they are few: it is compared with other attributes, or reckoned with. */
  whole: boolean;
}

export const nothingAsked = (): Asked => ({
  numbers: new Set(),
  texts: new Set(),
  patterns: new Map(),
  whole: false,
});

/** Of an attribute whose values each have to stand for themselves there are at most so many. */
const MOST_WHOLE = 64n;

const MANY = { any: 'many' } as const;

/** @returns the constant that a term is; undefined where it is none that compares as others of its kind do */
export function constantOf(term: Term): string | boolean | number | undefined {
  if (term.is === 'constant') return term.value;
  if (term.is === 'negate' && term.of.is === 'number') {
    const value = termValue(term, message({}));
    return value?.is === 'number' && !value.single ? Number(value.value) : undefined;
  }
  return term.is === 'number' && !term.single ? Number(term.value) : undefined;
}

/** @returns a comparison of one attribute with a constant, the attribute first; undefined where it is none */
export function comparison(
  predicate: Extract<Predicate, { op: 'compare' }>,
): { readonly of: Attribute; readonly relation: Relation; readonly with: Term } | undefined {
  const { left, right, relation } = predicate;
  if (left.is === 'attribute' && constantOf(right) !== undefined)
    return { of: left.of, relation, with: right };
  if (right.is === 'attribute' && constantOf(left) !== undefined)
    return { of: right.of, relation: FLIPPED[relation], with: left };
  return undefined;
}

/** @returns the one attribute that a condition asks about by itself; undefined where it asks about more, or reckons */
export function attributeOf(predicate: Predicate): Attribute | undefined {
  switch (predicate.op) {
    case 'compare':
      return comparison(predicate)?.of;
    case 'between':
      return predicate.term.is === 'attribute' &&
        constantOf(predicate.low) !== undefined &&
        constantOf(predicate.high) !== undefined
        ? predicate.term.of
        : undefined;
    case 'holds':
      return predicate.of.is === 'attribute' ? predicate.of.of : undefined;
    case 'always':
    case 'never':
    case 'all':
    case 'any':
    case 'not':
      return undefined;
    default:
      return predicate.of;
  }
}

/** Notes what a condition on one attribute asks of it. */
export function ask(asked: Asked, predicate: Predicate): void {
  const note = (value: unknown) => {
    if (typeof value === 'number') asked.numbers.add(value);
    else if (typeof value === 'string') asked.texts.add(value);
  };
  switch (predicate.op) {
    case 'compare':
      return note(constantOf(comparison(predicate)!.with));
    case 'between':
      note(constantOf(predicate.low));
      return note(constantOf(predicate.high));
    case 'in':
      return predicate.values.forEach(note);
    case 'equals':
      return note(predicate.value);
    case 'like':
      if (predicate.pattern.every((part) => typeof part === 'string')) note(predicate.pattern.join(''));
      else asked.patterns.set(JSON.stringify(predicate.pattern), predicate.pattern);
      return;
    case 'prefix':
      asked.patterns.set(`^${predicate.value}`, [predicate.value, MANY]);
      return;
    case 'suffix':
      asked.patterns.set(`${predicate.value}$`, [MANY, predicate.value]);
  }
}

/** What of a schema is understood whole; more of it narrows a domain in ways nobody follows here. */
export const PLAIN: ReadonlySet<string> = new Set([
  'type',
  'enum',
  'const',
  'minimum',
  'maximum',
  'exclusiveMinimum',
  'exclusiveMaximum',
  'multipleOf',
  'description',
  'title',
  'default',
  'examples',
  'deprecated',
]);

/** Properties that senders and brokers set without anybody declaring them. */
export const SET_UNDECLARED: ReadonlySet<string> = new Set([
  'messageId',
  'correlationId',
  'timestamp',
  'priority',
  'deliveryMode',
  'contentType',
  'replyTo',
  'id',
  'source',
  'time',
]);

const NUMERIC = new Set(['integer', 'number']);

/** @returns the values of a domain that lists them; undefined of one that does not */
function listed(schema: Schema): unknown[] | undefined {
  if ('const' in schema) return [schema['const']];
  if (Array.isArray(schema['enum'])) {
    const values = new Map(schema['enum'].map((value: unknown) => [JSON.stringify(value), value]));
    return [...values.values()].filter((value) => fitsType(schema, value));
  }
  return schema['type'] === 'boolean' ? [false, true] : undefined;
}

function fitsType(schema: Schema, value: unknown): boolean {
  const types = [schema['type'] ?? []].flat();
  if (types.length === 0) return true;
  return types.some((type) =>
    type === 'integer'
      ? Number.isInteger(value)
      : type === 'null'
        ? value === null
        : type === 'array'
          ? Array.isArray(value)
          : typeof value === type,
  );
}

/** The bounds of a numeric domain; of one of whole steps they are values of it. */
function bounds(schema: Schema): { low: number; high: number; step: number | undefined } {
  const given = schema as Record<string, number | undefined>;
  const step = given['multipleOf'] ?? (schema['type'] === 'integer' ? 1 : undefined);
  const [min, max] = [given['minimum'] ?? -Infinity, given['maximum'] ?? Infinity];
  const [above, below] = [given['exclusiveMinimum'] ?? -Infinity, given['exclusiveMaximum'] ?? Infinity];
  let [low, high] = [Math.max(min, above), Math.min(max, below)];
  if (step === undefined) return { low, high, step };
  if (Number.isFinite(low)) {
    low = Math.ceil(low / step) * step;
    if (low <= above) low += step;
  }
  if (Number.isFinite(high)) {
    high = Math.floor(high / step) * step;
    if (high >= below) high -= step;
  }
  return { low, high, step };
}

/** How many steps lie from one value to another, both of them counted. */
const steps = (from: number, to: number, step: number): bigint =>
  to < from ? 0n : BigInt(Math.round((to - from) / step)) + 1n;

/** @returns how many values a domain has, none left out; undefined where they are without number or not understood */
export function countOf(schema: Schema): bigint | undefined {
  const values = listed(schema);
  if (values) return BigInt(values.length);
  if (!NUMERIC.has(schema['type'] as string) || Object.keys(schema).some((key) => !PLAIN.has(key)))
    return undefined;
  const { low, high, step } = bounds(schema);
  if (step !== undefined && Number.isFinite(low) && Number.isFinite(high)) return steps(low, high, step);
  return low === high ? 1n : undefined;
}

/**
 * @param optional whether it may be left out
 * @returns the values of a domain as what is asked tells them apart
 */
export function cellsOf(schema: Schema, optional: boolean, asked: Asked): Cells {
  const { cells, numbers = 0, loose } = present(schema, asked);
  const ofText = new Map<string, number>();
  cells.forEach(({ value, other }, i) => {
    if (typeof value === 'string' && !other) ofText.set(value, i);
  });
  const all = optional ? [...cells, { value: ABSENT, size: 1n }] : cells;
  const missing = all.flatMap(({ value }, i) => (value === ABSENT || value === null ? [i] : []));
  return { cells: all, numbers, ofText, missing, ...(loose ? { loose } : {}) };
}

interface Found {
  readonly cells: Cell[];
  readonly numbers?: number;
  readonly loose?: string;
}

function present(schema: Schema, asked: Asked): Found {
  const values = listed(schema);
  if (values) return { cells: values.map((value) => ({ value, size: 1n })) };
  const more = Object.keys(schema).find((key) => !PLAIN.has(key));
  const loose = more === undefined ? {} : { loose: `what its schema says by \`${more}\` is not followed` };
  if (NUMERIC.has(schema['type'] as string)) return { ...numeric(schema, asked), ...loose };
  if (schema['type'] !== 'string')
    return {
      ...textual(asked),
      loose:
        schema['type'] === undefined
          ? 'its schema names no type'
          : 'its values are not texts, numbers or choices',
    };
  return { ...loose, ...textual(asked) };
}

function numeric(schema: Schema, { numbers, whole }: Asked): Found {
  const { low, high, step } = bounds(schema);
  const inside = (value: number) => value >= low && value <= high;
  const open = schema as { exclusiveMinimum?: number; exclusiveMaximum?: number };
  const isValue = (value: number) =>
    inside(value) &&
    (step === undefined
      ? value !== open.exclusiveMinimum && value !== open.exclusiveMaximum
      : Math.abs(value / step - Math.round(value / step)) < 1e-9);
  const count = countOf(schema);
  if (whole && step !== undefined && count !== undefined && count <= MOST_WHOLE) {
    const cells = Array.from({ length: Number(count) }, (_, i) => ({ value: low + i * step, size: 1n }));
    return { cells, numbers: cells.length };
  }
  const points = [...new Set([...numbers, low, high])]
    .filter((each) => !Number.isNaN(each))
    .sort((a, b) => a - b);
  const cells: Cell[] = [];
  /** What lies between two points. */
  const gap = (from: number, to: number) => {
    if (step !== undefined) {
      const first = Number.isFinite(from) ? (Math.floor(from / step + 1e-9) + 1) * step : undefined;
      const last = Number.isFinite(to) ? (Math.ceil(to / step - 1e-9) - 1) * step : undefined;
      if (first !== undefined && last !== undefined) {
        const size = steps(first, last, step);
        if (size > 0n)
          cells.push({ value: first, size, ...(size > 1n ? { between: [from, to] as const } : {}) });
        return;
      }
      const value = first ?? (last === undefined ? 0 : last);
      cells.push({ value, size: undefined, between: [from, to] });
      return;
    }
    const value =
      Number.isFinite(from) && Number.isFinite(to)
        ? roundBetween(from, to)
        : Number.isFinite(from)
          ? Math.floor(from) + 1
          : Number.isFinite(to)
            ? Math.ceil(to) - 1
            : 0;
    if (value > from && value < to) cells.push({ value, size: undefined, between: [from, to] });
  };
  let before: number | undefined;
  for (const point of points) {
    if (point < low || point > high) continue;
    if (before !== undefined) gap(before, point);
    if (Number.isFinite(point) && isValue(point)) cells.push({ value: point, size: 1n });
    before = point;
  }
  return { cells, numbers: cells.length };
}

/** The roundest number between two. */
function roundBetween(from: number, to: number): number {
  const whole = Math.floor(from) + 1;
  if (whole < to) return whole;
  return (from + to) / 2;
}

function textual({ texts, patterns, whole }: Asked): Found {
  const others = textsOf([...patterns.values()], texts);
  const rest = others ?? ['x'];
  const met = (value: unknown) =>
    patterns.size && typeof value === 'string'
      ? { meets: [...patterns.values()].filter((each) => meets(each, value)) }
      : {};
  const cells: Cell[] = [...texts].map((value) => ({ value, size: 1n, ...met(value) }));
  // where only the empty text does something, it is asked for as much as one that is said
  for (const value of rest)
    cells.push({
      ...(value === '' ? { value, size: 1n } : { value, size: undefined, other: true }),
      ...met(value),
    });
  return {
    cells,
    ...(others ? {} : { loose: 'too many patterns meet in it' }),
    ...(whole ? { loose: 'open values are compared with each other' } : {}),
  };
}

/** Where a condition on one attribute holds, and where it is unknown; everywhere else it does not hold. */
export interface Truths {
  readonly yes: readonly Run[];
  readonly unknown: readonly Run[];
}

/** Cells one by one, rising, as runs. */
class Runs {
  readonly runs: [number, number][] = [];

  add(from: number, to = from + 1): void {
    const last = this.runs.at(-1);
    if (from >= to) return;
    if (last?.[1] === from) last[1] = to;
    else this.runs.push([from, to]);
  }
}

/** @returns where in the cells of its attribute a condition holds; costs little where one of many values is asked for */
export function truthsOf(predicate: Predicate, of: Cells): Truths {
  const { cells, numbers, ofText, missing } = of;
  const [yes, unknown] = [new Runs(), new Runs()];
  const text = textAsked(predicate);
  if (text !== undefined && ofText.size > FEW) {
    // nothing else is that text, and only a selector tells what is missing from what is another
    const cell = ofText.get(text);
    if (cell !== undefined) yes.add(cell);
    if (predicate.op === 'compare') for (const each of missing) unknown.add(each);
    return { yes: yes.runs, unknown: unknown.runs };
  }
  const turn = numbers > FEW ? (pointOf(predicate, of, yes) ?? turnOf(predicate, of, yes)) : 0;
  for (let i = turn; i < cells.length; i++) {
    const truth = truthAt(predicate, cells[i]!);
    if (truth === true) yes.add(i);
    else if (truth === undefined) unknown.add(i);
  }
  return { yes: yes.runs, unknown: unknown.runs };
}

/** Among so few all are tried. */
const FEW = 8;

/** The text that a condition asks its attribute to be, where it asks for nothing else. */
function textAsked(predicate: Predicate): string | undefined {
  const value =
    predicate.op === 'equals'
      ? predicate.value
      : predicate.op === 'compare' && comparison(predicate)?.relation === '='
        ? constantOf(comparison(predicate)!.with)
        : undefined;
  return typeof value === 'string' ? value : undefined;
}

function truthAt(predicate: Predicate, { value }: Cell): boolean | undefined {
  const of = attributeOf(predicate)!;
  const held = value === ABSENT || of.in === 'key' ? {} : { [of.name]: value };
  const headers = of.in === 'header' ? held : {};
  return evaluate(predicate, { key: '', headers, properties: of.in === 'header' ? {} : held });
}

/** @returns the first cell of rising numbers of which something holds that then holds of all after it */
function firstOf({ numbers }: Cells, holds: (cell: number) => boolean): number {
  let [low, high] = [0, numbers];
  while (low < high) {
    const middle = (low + high) >> 1;
    if (holds(middle)) high = middle;
    else low = middle + 1;
  }
  return low;
}

/** One very number among many is looked up. @returns how many cells are decided; undefined where it asks for none */
function pointOf(predicate: Predicate, of: Cells, yes: Runs): number | undefined {
  if (predicate.op !== 'equals') return undefined;
  const { value } = predicate;
  if (typeof value !== 'number') return of.numbers;
  const at = firstOf(of, (cell) => (of.cells[cell]!.value as number) >= value);
  if (of.cells[at]?.value === value) yes.add(at);
  return of.numbers;
}

/**
 * Where a comparison of numbers turns is found by halving, as they rise.
 * @returns how many cells are decided
 */
function turnOf(predicate: Predicate, of: Cells, yes: Runs): number {
  const compared = predicate.op === 'compare' ? comparison(predicate) : undefined;
  const term = compared && termValue(compared.with, message({}));
  if (term?.is !== 'number') return 0;
  const first = (relation: '>=' | '>') =>
    firstOf(of, (cell) => {
      const own = termValue(NUMBER, message({ headers: { n: of.cells[cell]!.value } }));
      return compare(relation, own, term) === true;
    });
  const [from, to] = [first('>='), first('>')];
  const { relation } = compared!;
  if (relation.startsWith('<')) yes.add(0, from);
  if (relation.includes('=')) yes.add(from, to);
  if (relation.endsWith('>') || relation === '>=') yes.add(to, of.numbers);
  return of.numbers;
}

const NUMBER: Term = { is: 'attribute', of: { in: 'header', name: 'n' } };
