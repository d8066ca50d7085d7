import Ajv from 'ajv/dist/2020';
import { spreadAt, spreadOf, spreadSize, valuesOf } from './spread.ts';
import { readTopology } from '../../topology/read.ts';

const topology = readTopology([
  {
    name: 'a',
    text: `messages:
  closure:
    key: closure.{area}
    properties: { type: { const: closure } }
    headers:
      area: { enum: [north, south, outer] }
      severity: { type: integer, minimum: 1, maximum: 5 }
      open: { type: boolean }
    required: [area, severity]
`,
  },
]);
const type = topology.messages.get('closure')!;

describe('a spread of a type', () => {
  test('has each combination of the values once, the optional ones left out too', () => {
    expect(spreadSize(type)).toBe(3 * 5 * 3);
    const all = spreadOf(type, 1000);
    expect(new Set(all.map((each) => JSON.stringify(each))).size).toBe(45);
    expect(all.filter(({ headers }) => !('open' in headers))).toHaveLength(15);
    expect(all.every(({ key, headers }) => key === `closure.${String(headers['area'])}`)).toBe(true);
  });
  test('varies everything from its first few on, and goes on past its end', () => {
    const few = spreadOf(type, 5).map(({ headers }) => headers);
    for (const name of ['area', 'severity', 'open'])
      expect(new Set(few.map((h) => h[name])).size).toBeGreaterThan(1);
    expect(spreadAt(type, 45)).toEqual(spreadAt(type, 0));
  });
  test.each<Record<string, unknown>>([
    { type: 'integer', minimum: 3, maximum: 9 },
    { type: 'integer', minimum: 3 },
    { type: 'integer', maximum: 3, multipleOf: 7 },
    { type: 'number', exclusiveMinimum: 0, exclusiveMaximum: 1 },
    { type: 'boolean' },
    { const: null },
    { enum: ['a', 1, null] },
    { type: 'string' },
  ])('keeps to the domain %j', (schema) => {
    const fits = new Ajv({ strict: false }).compile(schema);
    const values = valuesOf(schema);
    expect(values.length).toBeGreaterThan(0);
    for (const value of values) expect([value, fits(value)]).toEqual([value, true]);
  });
  test('tries both ends of a range', () => {
    expect(valuesOf({ type: 'integer', minimum: 1, maximum: 5 })).toEqual([1, 2, 3, 4, 5]);
    expect(valuesOf({ type: 'integer', minimum: 0, maximum: 600 })).toEqual([0, 150, 300, 450, 600]);
  });
});
