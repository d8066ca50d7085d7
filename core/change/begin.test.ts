import { applyEdits } from '../base/edits.ts';
import { type NewQueue, beginQueue } from './begin.ts';
import { message } from '../conditions/message.ts';
import { buildGraph } from '../routing/graph.ts';
import { trace } from '../routing/trace.ts';
import { readTopology } from '../topology/read.ts';

const documents = [
  {
    name: 'apps.yaml',
    text: `apps:
  board: {} # shows departures
  text:
    consumes:
      - { from: s/texts }
`,
  },
  {
    name: 'brokers.yaml',
    text: `brokers:
  m:
    kind: amqp
    exchanges: { in: { type: topic }, all: { type: fanout } }
    queues:
      old: {}

    bindings:
      - { from: in, to: old, key: "a.#" } # as ever
  s:
    kind: pubsub
    topics: { news: {} }
    queues: { texts: {} }
access:
  - { allow: [publish], who: any, on: m/in }
`,
  },
];
const topology = readTopology(documents);
const make = (wanted: NewQueue) => {
  const edited = beginQueue(topology, wanted);
  if (!edited.ok) throw new Error(edited.message);
  return { edits: edited.edits, after: applyEdits(documents, edited.edits) };
};

test('a queue comes with its binding, its taker and their permission, and messages reach it', () => {
  const { after } = make({
    broker: 'm',
    name: 'boards',
    from: 'in',
    condition: 'sailing.*',
    taker: 'board',
    permission: true,
  });
  const read = readTopology(after);
  expect(read.findings).toEqual([]);
  const graph = buildGraph(read);
  const { rests } = trace(graph, message({ key: 'sailing.north' }), { to: 'm/in' }).trace;
  expect(rests.map(({ node, takers, outcome }) => [node, takers, outcome])).toEqual([
    ['queue:m/boards', ['app:board'], 'taken'],
  ]);
});

test('on a publish-subscribe broker the topic is given permission to hand over', () => {
  const { after } = make({
    broker: 's',
    name: 'kiosk',
    from: 'news',
    condition: 'severity > 2',
    taker: 'text',
    permission: true,
  });
  const read = readTopology(after);
  expect(read.findings).toEqual([]);
  expect(after[1]!.text).toContain('who: topic:s/news, on: s/kiosk');
  const graph = buildGraph(read);
  const { rests } = trace(graph, message({ headers: { severity: 3 } }), { to: 's/news' }).trace;
  expect(rests.map(({ node, takers }) => [node, takers])).toEqual([['queue:s/kiosk', ['app:text']]]);
  const without = make({ broker: 's', name: 'kiosk', from: 'news', permission: false });
  const refused = buildGraph(readTopology(without.after));
  const { ends } = trace(refused, message({ headers: { severity: 3 } }), { to: 's/news' }).trace;
  expect(ends.map(({ end }) => end.outcome)).toEqual(['refused']);
});

test('every line that was there is there still, and edits only put lines in', () => {
  const { after, edits } = make({ broker: 'm', name: 'more', from: 'all', taker: 'text', permission: true });
  for (const [i, { text }] of documents.entries()) {
    const lines = after[i]!.text.split('\n');
    for (const line of text.split('\n')) expect(lines).toContain(line);
  }
  expect(edits.every(({ start, end }) => start === end)).toBe(true);
});

test.each([
  [{ broker: 'x', name: 'q', permission: true }, 'no broker'],
  [{ broker: 'm', name: 'old', permission: true }, 'already'],
  [{ broker: 'm', name: '', permission: true }, '1 to 255 bytes'],
  [{ broker: 'm', name: 'q', from: 'news', permission: true }, 'no exchange `news` on m'],
  [{ broker: 's', name: 'q', from: 'in', permission: true }, 'no topic `in` on s'],
  [{ broker: 'm', name: 'q', taker: 'nobody', permission: true }, 'no app `nobody`'],
])('%j cannot be made, and why is told', (wanted, words) => {
  expect(beginQueue(topology, wanted)).toEqual({ ok: false, message: expect.stringContaining(words) });
});
