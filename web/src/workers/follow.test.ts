import { message } from '@vondle/core/conditions';
import { buildGraph } from '@vondle/core/routing';
import { readTopology } from '@vondle/core/topology';
import { follow, litBefore } from './follow.ts';
import type { HopView } from './views.ts';
import { Workspace } from './workspace.ts';

/** One topic after another, a link between each two. */
function chain(steps: number): string {
  const each = (line: (i: number) => string) => Array.from({ length: steps }, (_, i) => line(i)).join('\n');
  return `brokers:
  p:
    kind: pubsub
    access: open
    topics:
${each((i) => `      t${i}: {}`)}
      t${steps}: {}
    queues:
${each((i) => `      q${i}: {}`)}
    subscriptions:
${each((i) => `      s${i}: { topic: t${i}, to: q${i} }`)}
      last: { topic: t${steps} }
links:
${each((i) => `  l${i}: { from: p/q${i}, to: p/t${i + 1} }`)}
`;
}
const followed = (text: string, to: string, key = '') => {
  const workspace = new Workspace();
  workspace.take([{ name: 'a.yaml', text }], ['a.yaml']);
  return follow(workspace, [{ message: message({ key }), to, via: 'amqp', from: '' }] as never);
};
const depthOf = (hop: HopView): number => 1 + Math.max(0, ...hop.next.map(depthOf));

test('a way of thousands of hops is told as far as somebody reads it, and lit to its end', () => {
  const view = followed(chain(4000), 'p/t0');
  expect(view.rests).toMatchObject([{ node: 'subscription:p/last', copies: 1 }]);
  const [{ hop }] = view.entries as [(typeof view.entries)[0]];
  expect(depthOf(hop)).toBeLessThan(100);
  let at = hop;
  while (at.next[0]) at = at.next[0];
  expect(depthOf(hop) + at.left).toBe(2 * 4000 + 2);
  expect(Object.keys(view.lit.nodes)).toHaveLength(2 * 4000 + 2);
  // it can be sent to the page, which a deeper one could not
  expect(structuredClone(view)).toEqual(view);
});

test('what a message lit up in another state is told by what is declared there', () => {
  const text = (more: string, entry: string) => `messages: { note: { key: a.b } }
apps: { one: { publishes: [{ message: note, to: m/${entry} }] }, log: { consumes: [{ from: m/q }] } }
brokers: { m: { kind: amqp, access: open, exchanges: { in: { type: topic }, old: { type: fanout } }, queues: { q: {} }, bindings: [${more}] } }
`;
  const graphOf = (of: string) => buildGraph(readTopology([{ name: 'a.yaml', text: of }]));
  const sent = message({ type: 'note', key: 'a.b' });
  const before = litBefore(graphOf(text('{ from: old, to: q }', 'old')), sent, 'one');
  expect(Object.keys(before.nodes)).toEqual(['publisher:one', 'exchange:m/old', 'queue:m/q', 'taker:log']);
  expect(Object.values(before.edges)).toEqual(Array.from({ length: 3 }, () => 'passed'));
  // by another entry, and refused nowhere: nothing matched
  const lost = litBefore(graphOf(text('{ from: in, to: q, key: b.# }', 'in')), sent, 'one');
  expect(lost.ends).toEqual({ 'exchange:m/in': 'lost' });
  // an app that did not publish it then lit nothing
  expect(litBefore(graphOf(text('', 'old')), sent, 'two')).toEqual({ nodes: {}, edges: {}, ends: {} });
});

test('of thousands of ways not taken the first are told, and how many there are', () => {
  const bindings = Array.from({ length: 3000 }, (_, i) => `      - { from: in, to: q, key: k${i} }`).join(
    '\n',
  );
  const text = `brokers:
  m:
    kind: amqp
    access: open
    exchanges: { in: { type: topic } }
    queues: { q: {} }
    bindings:
${bindings}
`;
  const [{ hop }] = followed(text, 'm/in', 'k7').entries as [{ hop: HopView }];
  expect([hop.missed, hop.misses.length, hop.next.length]).toEqual([2999, 100, 1]);
});
