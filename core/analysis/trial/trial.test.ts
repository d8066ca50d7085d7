import { conditionKind, conditionText, readCondition, tryCondition, writeCondition } from './trial.ts';
import { applyEdits } from '../../base/edits.ts';
import { buildGraph } from '../../routing/graph.ts';
import { readTopology } from '../../topology/read.ts';

const text = `messages:
  closure:
    key: closure.{area}
    headers: { area: { enum: [north, outer] }, severity: { type: integer } }
    required: [area, severity]
    examples:
      - { name: bad, headers: { area: outer, severity: 5 } }
      - { name: mild, headers: { area: north, severity: 1 } }
  other: { key: other.key }
apps:
  duty: { publishes: [{ message: closure, to: s/notices }, { message: closure, to: m/in }] }
  gone: { publishes: [{ message: other, to: m/all }] }
brokers:
  s:
    kind: pubsub
    access: open
    topics: { notices: {} }
    queues: { texts: {} }
    subscriptions:
      texting: { topic: notices, to: texts, filter: { selector: "severity >= 3" } } # only the bad ones
      open: { topic: notices }
  m:
    kind: amqp
    access: open
    exchanges: { in: { type: topic }, all: { type: fanout }, heads: { type: headers } }
    queues: { q: {} }
    bindings:
      - { from: in, to: q, key: "closure.outer" }
      - { from: all, to: q }
      - { from: in, to: heads, key: "#" }
      - { from: heads, to: q, headers: { match: all, values: { area: north } } }
`;
const documents = [{ name: 'a', text }];
const graph = buildGraph(readTopology(documents));
const way = (from: string, to: string) => graph.edges.find((edge) => edge.from === from && edge.to === to)!;
const texting = way('topic:s/notices', 'queue:s/texts');
const open = way('topic:s/notices', 'subscription:s/open');
const key = way('exchange:m/in', 'queue:m/q');
const heads = way('exchange:m/heads', 'queue:m/q');
const verdicts = (edge: typeof key, written: string) => {
  const read = readCondition(graph, edge, written);
  return read.ok
    ? tryCondition(graph, edge, read.predicate).map(({ sample, verdict }) => [sample, verdict])
    : read.message;
};

test('a condition is read as it stands in its place', () => {
  expect(graph.topology.findings).toEqual([]);
  expect(
    [texting, key, heads, way('exchange:m/all', 'queue:m/q')].map((edge) => conditionKind(graph, edge)),
  ).toEqual(['filter', 'key', 'headers', undefined]);
  expect([texting, open, key, heads].map((edge) => conditionText(graph, edge))).toEqual([
    '{ selector: "severity >= 3" }',
    '',
    'closure.outer',
    '{ match: all, values: { area: north } }',
  ]);
});

test('samples of the types that come there are tried, and no others', () => {
  expect(verdicts(texting, conditionText(graph, texting))).toEqual([
    ['bad', true],
    ['mild', false],
  ]);
  expect(verdicts(texting, '{ selector: "area = \'north\'" }')).toEqual([
    ['bad', false],
    ['mild', true],
  ]);
  expect(verdicts(texting, '{ selector: "wind > 3" }')).toEqual([
    ['bad', undefined],
    ['mild', undefined],
  ]);
  expect(verdicts(open, '')).toEqual([
    ['bad', true],
    ['mild', true],
  ]);
  expect(verdicts(key, '*.north')).toEqual([
    ['bad', false],
    ['mild', true],
  ]);
  expect(verdicts(heads, '{ match: any, values: { severity: 5 } }')).toEqual([
    ['bad', true],
    ['mild', false],
  ]);
  const read = readCondition(graph, texting, '{ selector: "severity >= 3" }');
  expect(read.ok && tryCondition(graph, texting, read.predicate)[1]!.why).toContain('1');
});

test('what cannot be read is told in words', () => {
  expect(verdicts(texting, '{ selector: "severity >=" }')).toMatch(/./);
  expect(verdicts(texting, '{ selectr: x }')).toContain('selectr');
  expect(verdicts(texting, '{ open')).toMatch(/./);
  expect(verdicts(heads, '{ match: most }')).toContain('most');
});

test.each([
  [texting, '{ prefix: { type: closure. } }', 'filter: { prefix: { type: closure. } } } # only the bad ones'],
  [key, 'closure.#', 'key: "closure.#" }'],
  [open, '{ selector: "severity > 2" }', 'filter: { selector: severity > 2 }'],
  [heads, '{ match: any, values: { area: outer } }', 'headers: { match: any, values: { area: outer } }'],
])('writing it changes nothing else', (edge, written, wanted) => {
  const edited = writeCondition(graph, edge, written);
  if (!edited.ok) throw new Error(edited.message);
  const [after] = applyEdits(documents, edited.edits);
  expect(after!.text).toContain(wanted);
  expect(readTopology([after!]).findings).toEqual([]);
  const changed = after!.text.split('\n').filter((line, i) => line !== text.split('\n')[i]);
  expect(changed).toHaveLength(1);
});

test('what cannot be written is told', () => {
  expect(writeCondition(graph, texting, '')).toMatchObject({ ok: false });
  expect(writeCondition(graph, texting, '{ selector: "(" }')).toMatchObject({ ok: false });
});
