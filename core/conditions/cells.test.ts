import fc from 'fast-check';
import { ABSENT, type Cells, type Schema, ask, cellsOf, countOf, nothingAsked, truthsOf } from './cells.ts';
import { evaluate } from './evaluate.ts';
import { message } from './message.ts';
import type { Predicate, Relation } from './predicate.ts';

const H = { in: 'header', name: 'h' } as const;
const relations = fc.constantFrom<Relation[]>('=', '<>', '<', '<=', '>', '>=');
const numbers = fc.oneof(fc.integer({ min: -3, max: 25 }), fc.constantFrom(0.5, 7.25, 12));
const texts = fc.constantFrom('', 'a', 'ab', 'b', 'zz');

const conditions: fc.Arbitrary<Predicate> = fc.oneof(
  fc.tuple(relations, fc.oneof(numbers, texts), fc.boolean()).map(([relation, value, turned]): Predicate => {
    const [attribute, constant] = [
      { is: 'attribute', of: H } as const,
      typeof value === 'number'
        ? ({ is: 'number', value: Number.isInteger(value) ? BigInt(value) : value } as const)
        : ({ is: 'constant', value } as const),
    ];
    return {
      op: 'compare',
      relation,
      left: turned ? constant : attribute,
      right: turned ? attribute : constant,
    };
  }),
  fc.oneof(numbers, texts, fc.boolean()).map((value): Predicate => ({ op: 'equals', of: H, value })),
  fc.uniqueArray(texts, { maxLength: 3 }).map((values): Predicate => ({ op: 'in', of: H, values })),
  texts.map((value): Predicate => ({ op: 'prefix', of: H, value })),
  texts.map((value): Predicate => ({ op: 'suffix', of: H, value })),
  fc.constantFrom<Predicate[]>(
    { op: 'null', of: H },
    { op: 'present', of: H },
    { op: 'holds', of: { is: 'attribute', of: H } },
    { op: 'like', of: H, pattern: ['a', { any: 'many' }], text: 'a%' },
    { op: 'like', of: H, pattern: [{ any: 'one' }, 'b'], text: '_b' },
  ),
);

const schemas = fc.constantFrom<Schema[]>(
  { type: 'integer', minimum: 0, maximum: 20 },
  { type: 'integer', exclusiveMinimum: 0, exclusiveMaximum: 9 },
  { type: 'integer', multipleOf: 3, minimum: -2, maximum: 20 },
  { type: 'integer', minimum: 5 },
  { type: 'integer' },
  { type: 'number', minimum: 0, exclusiveMaximum: 12 },
  { type: 'number' },
  { type: 'string' },
  { type: 'boolean' },
  { enum: ['a', 'ab', 1, 2, true, null] },
  { enum: Array.from({ length: 12 }, (_, i) => `${'ab'[i % 2]!}${i}`) },
  { const: 'a' },
);

const cellsFor = (schema: Schema, optional: boolean, all: readonly Predicate[]): Cells => {
  const asked = nothingAsked();
  for (const each of all) ask(asked, each);
  return cellsOf(schema, optional, asked);
};
const truth = (predicate: Predicate, value: unknown) =>
  evaluate(predicate, message({ headers: value === ABSENT ? {} : { h: value } }));
const told = (predicate: Predicate, cells: Cells, cell: number) => {
  const { yes, unknown } = truthsOf(predicate, cells);
  const within = (runs: typeof yes) => runs.some(([from, to]) => cell >= from && cell < to);
  return within(yes) ? true : within(unknown) ? undefined : false;
};
/** Values to try a domain with, those that lie between what conditions name among them. */
const VALUES: readonly unknown[] = [
  ...Array.from({ length: 130 }, (_, i) => i / 4 - 4),
  ...['', 'a', 'ab', 'b', 'zz', 'q', 'aq', 'qb', 'aqb', 'abb', 'bab', 'x'],
];
const isIn = (schema: Schema, value: unknown): boolean => {
  const { minimum, maximum, exclusiveMinimum, exclusiveMaximum, multipleOf } = schema as Record<
    string,
    number
  >;
  if (schema['type'] === 'string') return typeof value === 'string';
  if (typeof value !== 'number' || !(schema['type'] === 'integer' || schema['type'] === 'number'))
    return false;
  return (
    (schema['type'] === 'number' || Number.isInteger(value)) &&
    value >= (minimum ?? -Infinity) &&
    value <= (maximum ?? Infinity) &&
    value > (exclusiveMinimum ?? -Infinity) &&
    value < (exclusiveMaximum ?? Infinity) &&
    (multipleOf === undefined || value % multipleOf === 0)
  );
};

test('every value does before conditions what its cell does, and cells are counted', () => {
  fc.assert(
    fc.property(schemas, fc.boolean(), fc.array(conditions, { maxLength: 12 }), (schema, optional, all) => {
      const cells = cellsFor(schema, optional, all);
      expect(cells.loose).toBeUndefined();
      const ways = cells.cells.map(({ value }, i) => {
        const own = all.map((each) => truth(each, value));
        expect(all.map((each) => told(each, cells, i))).toEqual(own);
        if (isIn(schema, 0) || isIn(schema, 9) || isIn(schema, 'a'))
          expect(value === ABSENT || isIn(schema, value)).toBe(true);
        return String(own);
      });
      for (const value of VALUES)
        if (isIn(schema, value)) expect(ways).toContain(String(all.map((each) => truth(each, value))));
      const count = countOf(schema);
      const sum = cells.cells.reduce<bigint | undefined>(
        (before, { size }) => (before === undefined || size === undefined ? undefined : before + size),
        0n,
      );
      expect(sum).toBe(count === undefined ? undefined : count + (optional ? 1n : 0n));
    }),
    { numRuns: 1500 },
  );
});

test('a schema that says more than is followed is loose, and values that meet each other are whole', () => {
  expect(cellsOf({ type: 'string', minLength: 2 }, false, nothingAsked()).loose).toContain('minLength');
  expect(cellsOf({}, false, nothingAsked()).loose).toContain('no type');
  const whole = { ...nothingAsked(), whole: true };
  expect(cellsOf({ type: 'integer', minimum: 1, maximum: 9 }, true, whole).cells).toHaveLength(10);
  expect(cellsOf({ type: 'integer', minimum: 1, maximum: 900 }, false, whole).cells.length).toBeLessThan(5);
  expect(cellsOf({ type: 'string' }, false, whole).loose).toContain('compared');
});
