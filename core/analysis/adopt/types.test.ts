/** Types guessed from real messages: each of those messages is of the type that it was guessed for. */
import fc from 'fast-check';
import { message } from '../../conditions/message.ts';
import { readTopology } from '../../topology/read.ts';
import { recognise } from '../samples/recognise.ts';
import { type Sampled, guessTypes } from './types.ts';

const sampled = (more: Partial<Sampled>): Sampled => ({
  key: '',
  entry: 'in',
  headers: {},
  properties: {},
  ...more,
});
const read = (messages: readonly Sampled[]) => {
  const guessed = guessTypes(messages);
  const topology = readTopology(guessed.documents);
  expect(topology.findings.map(({ message: words }) => words)).toEqual([]);
  return { ...guessed, topology, text: guessed.documents[0]?.text ?? '' };
};

test('words of a key that headers give are placeholders, and few values are a domain', () => {
  const messages = Array.from({ length: 20 }, (_, i) =>
    sampled({
      key: `sailing.${['north', 'south'][i % 2]}.delayed`,
      headers: { route: ['north', 'south'][i % 2], minutes: i, ...(i % 3 ? { why: `because ${i}` } : {}) },
      properties: { appId: 'bridge#1' },
      body: { ship: `s${i}`, berth: i, ...(i ? { more: true } : {}) },
    }),
  );
  const { text, sent, notes } = read(messages);
  expect(text).toBe(
    `messages:
  sailing:
    note: guessed from 20 messages
    key: "sailing.{route}.delayed"
    headers: { route: { enum: [north, south] }, minutes: { type: integer }, why: { type: string } }
    required: [route, minutes]
    body: { type: object, properties: { ship: { type: string }, berth: { type: integer }, more: { type: boolean } }, required: [ship, berth] }
`,
  );
  expect([sent, notes]).toEqual([[{ app: 'bridge#1', message: 'sailing', entry: 'in' }], []]);
});

test('a message that names its type is of that, whatever else it has; keys that nothing gives are left open', () => {
  const { text, notes } = read([
    sampled({ key: 'a.1', properties: { type: 'Fare Sold' } }),
    sampled({ key: 'a.2', properties: { type: 'Fare Sold' }, headers: { x: 1 } }),
    sampled({ key: 'b', properties: {} }),
    sampled({ key: 'b.c', properties: {}, headers: { 'x-death': [] } }),
  ]);
  expect(text).toContain(
    '  fare-sold:\n    note: guessed from 2 messages\n    properties: { type: { const: Fare Sold } }\n',
  );
  expect(text).toContain('  b:\n');
  expect(text).toContain('  b-2:\n');
  expect(notes).toEqual([expect.stringContaining('The keys of fare-sold differ in words')]);
});

test('who sent dead letters is not guessed, and nothing is made of nothing', () => {
  expect(
    guessTypes([sampled({ key: 'a', headers: { 'x-death': [] }, properties: { appId: 'x' } })]).sent,
  ).toEqual([]);
  expect(guessTypes([])).toEqual({ documents: [], sent: [], notes: [] });
});

const value = fc.oneof(
  fc.string({ maxLength: 4 }),
  fc.constantFrom('true', '1', '${x}', 'a: b', '#', '', 'ä'),
  fc.integer(),
  fc.boolean(),
  fc.constant(null),
  fc.double({ noNaN: true, noDefaultInfinity: true }),
  fc.array(fc.integer(), { maxLength: 2 }),
);
const name = fc.oneof(
  fc.constantFrom('route', 'level', 'a b', 'x.y', '${z}', 'type'),
  fc.string({ minLength: 1, maxLength: 4 }),
);
const messages = fc.array(
  fc.record({
    key: fc.oneof(
      fc.constantFrom('', 'a', 'a.b', 'a.{b}', 'a..b', 'b.north.late', 'b.south.late'),
      fc.string({ maxLength: 6 }),
    ),
    entry: fc.constantFrom('', 'in', 'out'),
    headers: fc.dictionary(name, value, { maxKeys: 3 }),
    properties: fc.oneof(fc.constant({}), fc.record({ type: fc.constantFrom('A', 'b c', '${x}', '1', '') })),
    body: fc.oneof(fc.constant(undefined), fc.dictionary(name, value, { maxKeys: 3 }), value),
  }),
  { minLength: 1, maxLength: 25 },
);

test('every message is of some guessed type', () => {
  fc.assert(
    fc.property(messages, (all) => {
      const { topology } = read(all);
      const types = [...topology.messages.values()];
      for (const each of all) {
        const found = recognise(types, message({ ...each, body: each.body ?? null }));
        expect([found[0]?.type, found[0]?.remarks ?? ['none']]).toEqual([found[0]?.type, []]);
      }
    }),
    { numRuns: 300 },
  );
});
