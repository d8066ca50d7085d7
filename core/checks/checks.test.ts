import { readTopology } from '../language/read.ts';
import type { TextEdit } from '../model/finding.ts';
import { buildGraph } from '../routing/graph.ts';
import { runChecks } from './run.ts';

const check = (text: string) => {
  const topology = readTopology([{ name: 'a.yaml', text }]);
  expect(topology.findings).toEqual([]);
  return runChecks(buildGraph(topology));
};
const ids = (text: string) => check(text).map((finding) => finding.check);
const apply = (text: string, edits: readonly TextEdit[]) =>
  [...edits]
    .sort((a, b) => b.start - a.start)
    .reduce((t, e) => t.slice(0, e.start) + e.text + t.slice(e.end), text);

const HANDED = `topology: t
tenant: auklet
brokers:
  s:
    kind: pubsub
    topics: { notices: {} }
    queues: { texting: {} }
    subscriptions:
      texts: { topic: notices, to: texting }
access:
  - { name: other, allow: [consume], who: any, on: s/texting }
`;

describe('checks', () => {
  test('a topic without leave for its queue, and its mend', () => {
    const [finding, ...more] = check(HANDED);
    expect(more).toEqual([]);
    expect(finding).toMatchObject({
      check: 'access/missing-leave',
      severity: 'error',
      about: 'queue:s/texting',
    });
    const mended = apply(HANDED, finding!.mends![0]!.edits);
    expect(ids(mended)).toEqual([]);
    expect(mended).toContain('who: topic:s/notices, on: s/texting');
    expect(ids(HANDED.replace('kind: pubsub', 'kind: pubsub\n    access: open'))).toEqual([]);
  });

  test('a queue nothing leads to', () => {
    const text = `apps:
  crew: { consumes: [ { from: m/roster } ] }
brokers:
  m:
    kind: amqp
    exchanges: { in: { type: topic } }
    queues: { roster: {}, other: {} }
    bindings:
      - { from: in, to: other, key: "#" }
`;
    const [finding, ...more] = check(text);
    expect(more).toEqual([]);
    expect(finding!.message).toBe(
      'Nothing leads to m/roster: no binding, subscription, publish or link; crew will wait in vain.',
    );
    expect(ids(text + '      - { from: in, to: roster, key: x }\n')).toEqual([]);
  });

  test('an entry that leads nowhere', () => {
    const text =
      'brokers:\n  m: { kind: amqp, exchanges: { in: { type: fanout } } }\n  s: { kind: pubsub, topics: { t: {} } }\n';
    expect(ids(text)).toEqual(['nowhere/unserved-entry', 'nowhere/unserved-entry']);
  });

  test('instances that need a copy each but share', () => {
    const text = `apps:
  board: { instances: 3, consumes: [ { from: m/boards, each: copy } ] }
  desk: { publishes: [ { message: note, to: m/boards } ] }
messages: { note: {} }
brokers:
  m: { kind: amqp, queues: { boards: {} } }
`;
    expect(ids(text)).toEqual(['copies/shared-store']);
    expect(ids(text.replace('boards: {}', 'boards: { perInstanceOf: board }'))).toEqual([]);
    expect(ids(text.replace('instances: 3', 'instances: 1'))).toEqual([]);
  });
});
