import Ajv from 'ajv/dist/2020';
import { complete, samplesOf, valueOf } from './samples.ts';
import { readTopology } from '../../topology/read.ts';

const topology = readTopology([
  {
    name: 'a',
    text: `messages:
  event: { headers: { route: { enum: [north, south] } }, required: [route] }
  left:
    extends: event
    key: sailing.{route}.{ship}.left.{rest...}
    properties: { type: { const: left }, priority: { type: integer, minimum: 4 } }
    headers: { late: { type: integer, minimum: 3 }, ship: { const: auk } }
    required: [priority]
    examples:
      - { headers: { route: south } }
      - { name: by hand, key: own.key, headers: { route: north }, body: { x: 1 } }
  plain: { key: a.b }
`,
  },
]);
const type = (id: string) => topology.messages.get(id)!;

describe('samples', () => {
  test('are the examples, completed from the type and its ancestors', () => {
    expect(topology.findings).toEqual([]);
    const [first, second] = samplesOf(type('left'));
    expect(first).toEqual({
      name: 'south',
      message: {
        type: 'left',
        key: 'sailing.south.auk.left.rest',
        headers: { route: 'south', ship: 'auk' },
        properties: { type: 'left', priority: 4 },
      },
    });
    expect(second).toMatchObject({ name: 'by hand', message: { key: 'own.key', body: { x: 1 } } });
  });

  test('are made up where there are none', () => {
    expect(samplesOf(type('event'))).toEqual([
      {
        name: 'made from the type',
        message: { type: 'event', key: '', headers: { route: 'north' }, properties: {} },
      },
    ]);
    expect(samplesOf(type('plain'))[0]!.message.key).toBe('a.b');
  });

  test('what is given is never replaced', () => {
    const given = { headers: { route: 'elsewhere', ship: 'tern' }, properties: { type: 'other' } };
    expect(complete(type('left'), given)).toMatchObject({
      headers: given.headers,
      properties: { type: 'other' },
      key: 'sailing.elsewhere.tern.left.rest',
    });
  });

  test.each<Record<string, unknown>>([
    { const: 5 },
    { enum: ['a', 'b'] },
    { type: 'integer', minimum: 3 },
    { type: 'number' },
    { type: 'boolean' },
    { type: 'string' },
    { default: 'd', type: 'string' },
  ])('a value for %j fits it', (schema) => {
    expect(new Ajv({ strict: false }).validate(schema, valueOf(schema))).toBe(true);
  });
});
