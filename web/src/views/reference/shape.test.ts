import { shapeOf } from './shape.ts';

test.each([
  [{ type: 'string' }, 'text'],
  [{ type: 'string', format: 'date-time' }, 'time'],
  [{ type: ['string', 'null'] }, 'text or null'],
  [{ type: 'string', minLength: 1, maxLength: 40 }, 'text (at least 1, at most 40 characters)'],
  [{ type: 'integer', minimum: 0, maximum: 2 ** 31 - 1 }, 'integer'],
  [{ type: 'integer', minimum: 1, maximum: 30 }, 'integer (at least 1, at most 30)'],
  [{ enum: ['read', 'write'] }, '"read" or "write"'],
  [{ type: 'array', items: { $ref: '#/components/schemas/Member' } }, 'list of Member'],
  [{ type: 'array', prefixItems: [{ type: 'integer' }, { type: 'integer' }] }, '[integer, integer]'],
  [{ type: 'object', additionalProperties: { type: 'integer' } }, '{ any name: integer }'],
  [{ anyOf: [{ $ref: '#/components/schemas/A' }, { type: 'null' }] }, 'A or null'],
  [{}, 'anything'],
  [
    {
      type: 'object',
      properties: { a: { type: 'boolean' }, b: { type: 'object', properties: { c: { type: 'string' } } } },
      required: ['a'],
    },
    '{\n  a: true or false\n  b?: {\n    c?: text\n  }\n}',
  ],
])('%j reads %j', (schema, words) => {
  expect(shapeOf(schema)).toBe(words);
});
