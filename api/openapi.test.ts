import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import Ajv2020 from 'ajv/dist/2020.js';
import fc from 'fast-check';
import type { Schema } from 'yup';
import * as api from './index.ts';
import { apiReference } from './reference.ts';
import { jsonSchema, type Components, type JsonSchema } from './json-schema.ts';
import {
  anything,
  either,
  list,
  map,
  maybeWhole,
  record,
  row,
  text,
  time,
  whole,
  word,
  yes,
} from './kinds.ts';

const alone = (schema: Schema): JsonSchema => jsonSchema(schema, new Map());

test.each<[string, Schema, JsonSchema]>([
  ['text', text(), { type: 'string' }],
  ['text that may be null', text().nullable(), { type: ['string', 'null'] }],
  ['a time', time(), { type: 'string', format: 'date-time', minLength: 1 }],
  ['a number', maybeWhole().min(1).max(30), { type: 'integer', minimum: 1, maximum: 30 }],
  ['a choice', word('a', 'b'), { type: 'string', enum: ['a', 'b'], minLength: 1 }],
  ['a choice or null', word('a').nullable(), { type: ['string', 'null'], enum: ['a', null], minLength: 1 }],
  ['anything', anything('see there'), { description: 'see there' }],
  [
    'a map',
    map(whole()),
    { type: 'object', additionalProperties: { type: 'integer', minimum: 0, maximum: 2 ** 31 - 1 } },
  ],
  ['a map of anything', map(), { type: 'object', additionalProperties: true }],
  [
    'a row',
    row(text(), yes()),
    { type: 'array', prefixItems: [{ type: 'string' }, { type: 'boolean' }], items: false, minItems: 2 },
  ],
  ['one of two', either(text(), yes()), { anyOf: [{ type: 'string' }, { type: 'boolean' }] }],
  [
    'an object',
    record({ a: text(), b: maybeWhole() }),
    {
      type: 'object',
      properties: { a: { type: 'string' }, b: { type: 'integer', minimum: 0, maximum: 2 ** 31 - 1 } },
      required: ['a'],
      additionalProperties: false,
    },
  ],
])('%s in JSON Schema', (_, schema, expected) => {
  expect(alone(schema)).toEqual(expected);
});

test('what has a name is told once, and referred to, also where it may be null', () => {
  const components: Components = new Map();
  const one = record({ a: text() }, 'One');
  const schema = jsonSchema(record({ x: one, y: one.nullable(), z: list(one) }), components);
  const ref = { $ref: '#/components/schemas/One' };
  expect(schema['properties']).toEqual({
    x: ref,
    y: { anyOf: [ref, { type: 'null' }] },
    z: { type: 'array', items: ref },
  });
  expect([...components.keys()]).toEqual(['One']);
});

/** Inputs that say all they ask for by bounds, patterns and choices, so that both have to be of one mind. */
const INPUTS = {
  roleInput: api.roleInput,
  newInvitation: api.newInvitation,
  newAccount: api.newAccount,
  newDraft: api.newDraft,
  newRevision: api.newRevision,
  newToken: api.newToken,
  verdictInput: api.verdictInput,
  newThread: api.newThread,
  newRollout: api.newRollout,
  newProposal: api.newProposal,
};

/** Values near what a schema takes: right ones, and ones that are wrong by one step. */
function near(schema: JsonSchema): fc.Arbitrary<unknown> {
  const odd = fc.constantFrom<unknown>(
    null,
    1.5,
    -1,
    2 ** 31,
    '',
    ' x ',
    'a',
    'x'.repeat(5000),
    [],
    {},
    true,
    undefined,
  );
  const {
    type,
    properties,
    anyOf,
    minLength = 0,
    maxLength = 60,
  } = schema as {
    type?: string;
    properties?: Record<string, JsonSchema>;
    anyOf?: JsonSchema[];
    minLength?: number;
    maxLength?: number;
  };
  if (anyOf) return fc.oneof(...anyOf.map(near), odd);
  if (schema['enum']) return fc.oneof(fc.constantFrom(...(schema['enum'] as unknown[])), odd);
  if (properties) {
    const members = Object.entries(properties).map(([name, of]) => [name, near(of)] as const);
    return fc.oneof(
      { arbitrary: fc.record(Object.fromEntries(members), { requiredKeys: [] }), weight: 6 },
      { arbitrary: fc.record({ ...Object.fromEntries(members), more: fc.constant(1) }), weight: 1 },
      { arbitrary: odd, weight: 1 },
    );
  }
  if (type === 'integer') return fc.oneof(fc.integer({ min: 0, max: 40 }), odd);
  if (type === 'string') {
    const length = (size: number) => fc.constant('m'.repeat(Math.max(0, size)));
    return fc.oneof(length(minLength), length(minLength - 1), length(maxLength), length(maxLength + 1), odd);
  }
  return odd;
}

test.each(Object.entries(INPUTS))(
  '%s: what the description lets in is what the server takes',
  (_, schema) => {
    const components: Components = new Map();
    const described = jsonSchema(schema, components);
    const schemas = Object.fromEntries(components);
    const inlined = JSON.parse(
      JSON.stringify(described).replaceAll('"$ref":"#/components/schemas/About"', () =>
        JSON.stringify(schemas['About'] ?? {}).slice(1, -1),
      ),
    ) as JsonSchema;
    const check = new Ajv2020({ strict: false }).compile(inlined);
    fc.assert(
      fc.property(near(inlined), (value) => {
        const sent: unknown = value === undefined ? null : JSON.parse(JSON.stringify(value));
        // text that has to be trimmed is refused by the server alone: no pattern says so
        if (/" |[^\\] "/.test(JSON.stringify(sent))) return;
        expect({ sent, ok: check(sent) }).toEqual({ sent, ok: schema.isValidSync(sent, { strict: true }) });
      }),
      { numRuns: 300 },
    );
  },
);

describe('the description', () => {
  const document = api.openapi('1.2.3');
  const operations = Object.values(document.paths).flatMap((each) => Object.values(each));

  test('has every route once, each with a name of its own and a chapter', () => {
    expect(operations).toHaveLength(Object.keys(api.ROUTES).length);
    expect(new Set(operations.map(({ operationId }) => operationId)).size).toBe(operations.length);
    const tags = new Set(document.tags.map(({ name }) => name));
    expect(operations.filter((each) => !tags.has(each.tags[0]!))).toEqual([]);
    expect(document).toMatchObject({ openapi: '3.1.0', info: { version: '1.2.3' } });
  });

  test('each part of a path is a parameter', () => {
    for (const [path, each] of Object.entries(document.paths))
      for (const { parameters = [] } of Object.values(each))
        expect(parameters.filter((one) => one.in === 'path').map(({ name }) => name)).toEqual(
          [...path.matchAll(/\{(\w+)\}/g)].map(([, name]) => name),
        );
  });

  test('all it refers to is there, and every schema is one', () => {
    const names = [...JSON.stringify(document).matchAll(/#\/components\/schemas\/(\w+)/g)].map(
      ([, name]) => name!,
    );
    expect(names.filter((name) => !document.components.schemas[name])).toEqual([]);
    // strict: a word that JSON Schema does not have is refused
    const ajv = new Ajv2020({ strict: true, allowUnionTypes: true, strictTuples: false });
    ajv.addFormat('date-time', true);
    ajv.addVocabulary(['components']);
    for (const schema of Object.values(document.components.schemas))
      ajv.compile({ ...schema, components: document.components });
  });

  test('what is open to everybody asks for no key', () => {
    const open = operations.filter(({ security }) => security?.length === 0).map(({ summary }) => summary);
    expect(open).toContain('Sign in with name and password');
    expect(open).toHaveLength(
      Object.values<api.Route>(api.ROUTES).filter(({ door }) => door === 'open').length,
    );
  });
});

test('the page of all routes is what they are now: write it with `npm run api`', () => {
  expect(readFileSync(join(__dirname, '../docs/api.md'), 'utf8')).toBe(apiReference());
});

test('a path is made with what is said in it, escaped', () => {
  expect(api.pathOf('DELETE /topologies/:slug/members/:handle', { slug: 'a b', handle: '../x' })).toBe(
    '/topologies/a%20b/members/..%2Fx',
  );
});
