import { validate, type Schema } from '@cfworker/json-schema';
import fc from 'fast-check';
import { Unusable, breach, fits } from './linear-schema.ts';

test('a pattern that keeps ordinary matchers busy for ever is answered', () => {
  const near = `${'a'.repeat(50_000)}!`;
  expect(breach({ pattern: '^(a+)+$' }, near)).toBe('String does not match pattern');
  expect(breach({ properties: { x: { pattern: '^(([a-z])+.)+[A-Z]([a-z])+$' } } }, { x: near })).toBe(
    'String does not match pattern (at x)',
  );
  expect(breach({ patternProperties: { '^(a|a)*$': { type: 'number' } } }, { [near]: 'x' })).toBeUndefined();
});

test.each<[string, object, unknown, string | undefined]>([
  ['fits', { pattern: '^QX-\\d{4}$' }, 'QX-1234', undefined],
  ['beside another format', { pattern: '^a', format: 'email' }, 'a@b.test', undefined],
  [
    'beside another format that does not',
    { pattern: '^a', format: 'email' },
    'abc',
    'String does not match format "email"',
  ],
  [
    'of a property called pattern',
    { properties: { pattern: { type: 'number' } } },
    { pattern: 'x' },
    'Instance type "string" is invalid. Expected "number" (at pattern)',
  ],
  ['in a constant', { const: { pattern: '(' } }, { pattern: '(' }, undefined],
  [
    'behind a reference',
    { $defs: { a: { pattern: '^b$' } }, $ref: '#/$defs/a' },
    'c',
    'String does not match pattern',
  ],
  [
    'of names',
    { patternProperties: { '^x-': { type: 'number' } }, additionalProperties: false },
    { 'x-a': 1 },
    undefined,
  ],
  [
    'of names, and others',
    { patternProperties: { '^x-': {} }, additionalProperties: false },
    { y: 1 },
    'False boolean schema (at y)',
  ],
  [
    'of names with odd characters',
    { patternProperties: { '^x.y$': { type: 'number' } } },
    { 'x|y': 'no' },
    'Instance type "string" is invalid. Expected "number" (at x%7Cy)',
  ],
  [
    'two that fit one name',
    { patternProperties: { a: { type: 'string' }, b: { minLength: 3 } } },
    { ab: 'xy' },
    'String is too short (2 < 3) (at ab)',
  ],
])('a pattern %s', (_, schema, value, says) => {
  expect(breach(schema as never, value)).toBe(says);
});

test.each([
  ['looks back', { pattern: '(?<=a)b' }],
  ['refers back', { pattern: '(a)\\1' }],
  ['is wrong', { pattern: '(' }],
  ['is too long', { pattern: 'a'.repeat(3000) }],
  ['refers to itself without end', { $ref: '#' }],
  ['refers to what is not there', { $ref: './elsewhere.json' }],
])('a schema that %s cannot be used', (_, schema) => {
  expect(() => breach(schema as never, 'b')).toThrow(Unusable);
});

test('nesting without end is refused, not followed', () => {
  let schema: Record<string, unknown> = {};
  for (let i = 0; i < 5000; i++) schema = { not: schema };
  expect(() => breach(schema, 1)).toThrow(Unusable);
});

// Made here: letters, classes, counts, groups and alternatives. Not made: looking ahead or back, references
// back, flags, and what ECMA-262 and RE2 write differently; those are the cases above.
const atom = fc.constantFrom('a', 'b', '.', '[ab]', '[^a]', '\\d', '\\w', '\\.', 'é');
const pattern: fc.Arbitrary<string> = fc.letrec<{ any: string }>((tie) => ({
  any: fc.oneof(
    { depthSize: 'small' },
    atom,
    fc.tuple(tie('any'), fc.constantFrom('*', '+', '?', '{1,3}')).map(([of, times]) => `(?:${of})${times}`),
    fc.tuple(tie('any'), tie('any')).map(([a, b]) => a + b),
    fc.tuple(tie('any'), tie('any')).map(([a, b]) => `(${a}|${b})`),
    tie('any').map((of) => `^${of}$`),
  ),
})).any;

test('patterns match as they do elsewhere', () => {
  fc.assert(
    fc.property(
      pattern,
      fc.string({ unit: fc.constantFrom('a', 'b', '1', '.', 'é'), maxLength: 8 }),
      (source, text) => {
        expect(fits(source, text)).toBe(new RegExp(source, 'u').test(text));
        const plain = validate(text, { pattern: source } as Schema).valid;
        expect(breach({ pattern: source }, text) === undefined).toBe(plain);
      },
    ),
    { numRuns: 300 * Number(process.env['FUZZ'] ?? 1) },
  );
});
