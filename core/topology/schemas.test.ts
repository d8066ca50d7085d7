import { checkAll } from '../analysis/checks/run.ts';
import { buildGraph } from '../routing/graph.ts';
import { TopologyReader, readTopology } from './read.ts';
import { withSchemas } from './schemas.ts';

const MESSAGES = (reference: string, body: string) => ({
  name: 'ferries/messages.yaml',
  text: `messages: { note: { body: { $ref: "${reference}" }, examples: [{ body: ${body} }] } }\n`,
});
const NOTE = {
  name: 'ferries/schemas/note.json',
  text: '{ "$id": "https://example.org/note", "type": "object", "properties": { "ship": { "$ref": "#/$defs/ship" }, "at": { "$ref": "place.json#/port" } }, "$defs": { "ship": { "enum": ["auk", "razorbill"] } } }',
};
const PLACE = {
  name: 'ferries/schemas/place.json',
  text: '{ "port": { "type": "string", "maxLength": 3 }, "self": { "$ref": "note.json" } }',
};

const said = (reference: string, body: string, more = [NOTE, PLACE]) => {
  const topology = readTopology([MESSAGES(reference, body), ...more]);
  return [...topology.findings, ...checkAll(buildGraph(topology)).findings]
    .filter(({ check }) => check !== 'nowhere/unreceived-type')
    .map(({ check, message }) => `${check} ${message}`);
};

test.each([
  ['./schemas/note.json', '{ ship: auk, at: nor }', []],
  ['./schemas/note.json', '{ ship: puffin }', [/loss\/bad-example .*breaks its schema/]],
  ['schemas/note.json', '{ ship: puffin }', [/loss\/bad-example/]],
  ['../ferries/schemas/note.json', '{ at: north }', [/loss\/bad-example/]],
  ['./schemas/note.json#/$defs/ship', 'auk', []],
  ['./schemas/note.json#/$defs/ship', 'puffin', [/loss\/bad-example/]],
  ['./schemas/gone.json', '{}', [/loss\/schema .*refers to what is not there/]],
])('%s with %s', (reference, body, wanted) =>
  expect(said(reference, body.startsWith('{') ? body : `"${body}"`)).toEqual(
    wanted.map((each) => expect.stringMatching(each)),
  ),
);

test('a schema that comes, changes or goes is told of at once', () => {
  const reader = new TopologyReader();
  const findings = () => checkAll(buildGraph(topology)).findings.map(({ check }) => check);
  let topology = reader.read([MESSAGES('./schemas/note.json', '{ ship: puffin }')]);
  expect(findings()).toEqual(['loss/schema']);
  topology = reader.read([MESSAGES('./schemas/note.json', '{ ship: puffin }'), NOTE, PLACE]);
  expect(findings()).toEqual(['loss/bad-example']);
  const at = NOTE.text.indexOf('razorbill');
  topology = reader.change([{ doc: NOTE.name, start: at, end: at + 'razorbill'.length, text: 'puffin' }]);
  expect(findings()).toEqual([]);
});

test('a circle of schemas is put in once each', () => {
  const schemas = new Map<string, unknown>([
    ['schemas/a.json', { $ref: 'b.json' }],
    ['schemas/b.json', { anyOf: [{ $ref: 'a.json' }, { $ref: '#/x' }], x: { const: 1 } }],
  ]);
  expect(withSchemas({ $ref: 'schemas/a.json' }, 'm.yaml', schemas)).toEqual({
    $ref: '#/$defs/document-1',
    $defs: {
      'document-1': { $ref: '#/$defs/document-2' },
      'document-2': {
        anyOf: [{ $ref: '#/$defs/document-1' }, { $ref: '#/$defs/document-2/x' }],
        x: { const: 1 },
      },
    },
  });
  const plain = { type: 'string' };
  expect(withSchemas(plain, 'm.yaml', schemas)).toBe(plain);
});
