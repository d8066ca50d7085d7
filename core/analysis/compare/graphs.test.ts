import { compareGraphs } from './graphs.ts';
import { buildGraph } from '../../routing/graph.ts';
import { readTopology } from '../../topology/read.ts';

const TEXT = `apps:
  board: { consumes: [ { from: m/boards } ] }
brokers:
  m:
    kind: amqp
    exchanges: { e: { type: topic } }
    queues: { boards: { ttl: 5m }, desk: {} }
    bindings:
      - { from: e, to: boards, key: "a.#" }
      - { from: e, to: desk, key: "b" }
  s:
    kind: pubsub
    topics: { t: {} }
    subscriptions: { x: { topic: t, filter: { selector: "level > 3" } } }
`;
const graphOf = (text: string) => buildGraph(readTopology([{ name: 'a.yaml', text }]));
const changes = (...[from, to]: [string, string]) => {
  expect(TEXT).toContain(from);
  return compareGraphs(graphOf(TEXT), graphOf(TEXT.replace(from, to))).map(
    ({ kind, text }) => `${kind}: ${text}`,
  );
};

test('nothing differs from itself, nor by a comment', () => {
  expect(changes('brokers:', 'brokers: # all of them')).toEqual([]);
});

test.each([
  ['a setting', 'ttl: 5m', 'ttl: 9m', ['changed: Queue m/boards: ttl was 300000, now 540000.']],
  ['a new queue', 'desk: {}', 'desk: {}, spare: {}', ['added: Queue m/spare is new.']],
  ['a key', '"a.#"', '"a.*"', ['re-routed: binding m/e → m/boards (a.*) was binding m/e → m/boards (a.#).']],
  [
    'a target',
    'to: desk, key: "b"',
    'to: boards, key: "b"',
    ['re-routed: binding m/e → m/boards (b) was binding m/e → m/desk (b).'],
  ],
  [
    'a filter',
    'level > 3',
    'level > 4',
    ['re-routed: subscription s/t → s/x (level > 4) let through level > 3, now level > 4.'],
  ],
  [
    'a binding gone',
    '      - { from: e, to: desk, key: "b" }\n',
    '',
    ['removed: binding m/e → m/desk (b) is gone.'],
  ],
  [
    'an app gone',
    '  board: { consumes: [ { from: m/boards } ] }',
    '  board: {}',
    ['removed: App board as taker is gone.', 'removed: take m/boards → board is gone.'],
  ],
])('%s', (_, from, to, expected) => {
  expect(changes(from, to)).toEqual(expected);
});

describe('what is no setting of a node', () => {
  const TWO = `apps:
  desk: { publishes: [{ message: note, to: m/e }] }
messages: { note: {} }
brokers:
  m:
    kind: amqp
    exchanges: { e: { type: topic } }
    queues: { out: { deadLetter: { to: e, key: dead } } }
    bindings: [{ from: e, to: out, key: "#" }]
  n: { kind: amqp, access: open, queues: { in: {} } }
links: { l: { from: m/out, to: n/in } }
access:
  - { name: desk sends, allow: [publish], who: app:desk, on: m/e }
  - { allow: [browse], who: any, on: m/out }
`;
  const told = (from: string, to: string) => {
    expect(TWO).toContain(from);
    return compareGraphs(graphOf(TWO), graphOf(TWO.replace(from, to))).map(({ kind, of, text }) => [
      kind,
      of,
      text,
    ]);
  };

  test.each([
    [
      'a link’s state',
      'to: n/in }',
      'to: n/in, active: false }',
      'changed',
      'edge',
      /link m\/out → n\/in \(l\): active is now false/,
    ],
    [
      'a dead letter’s key',
      'key: dead',
      'key: gone',
      'changed',
      'edge',
      /dead letters m\/out → m\/e: key was dead, now gone/,
    ],
    [
      'a publish',
      'to: m/e }] }',
      'to: m/e, mandatory: true }] }',
      'changed',
      'edge',
      /publish desk → m\/e \(note\): mandatory is now true/,
    ],
    [
      'a permission gone',
      'allow: [publish]',
      'deny: [publish]',
      're-routed',
      'edge',
      /publish desk → m\/e \(note\) is now refused: “desk sends” denies it/,
    ],
    [
      'a permission narrowed',
      'on: m/e }',
      'on: m/e, when: { key: "a.#" } }',
      're-routed',
      'edge',
      /is now refused: .*only for keys that match `a.#`/,
    ],
    ['an open broker', 'access: open', 'access: controlled', 'changed', 'edge', /link m\/out → n\/in \(l\)/],
    [
      'a statement that changes no way',
      'allow: [browse]',
      'deny: [browse]',
      'changed',
      'access',
      /Access is stated otherwise \(1 statement came, 1 went\)/,
    ],
  ])('%s', (_, from, to, kind, of, text) =>
    expect(told(from, to)).toEqual([[kind, of, expect.stringMatching(text)]]),
  );
});
