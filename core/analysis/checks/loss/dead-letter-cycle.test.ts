import { readTopology } from '../../../topology/read.ts';
import { buildGraph } from '../../../routing/graph.ts';
import { checkAll } from '../run.ts';

const circles = (text: string) =>
  checkAll(buildGraph(readTopology([{ name: 'a.yaml', text }])))
    .findings.filter(({ check }) => check === 'loss/dead-letter-cycle')
    .map(({ message }) => message);

const amqp = (lines: string) => `vondle: 1
topology: t
messages:
  m: { key: a.b, headers: {} }
apps:
  p: { publishes: [{ message: m, to: b/in, rate: 1/s }] }
brokers:
  b:
    kind: amqp
    access: open
${lines}`;

const ring = (count: number) => {
  const [queues, bindings]: [string[], string[]] = [[], []];
  for (let i = 0; i < count; i++) {
    queues.push(
      `      q${String(i).padStart(4, '0')}: { ttl: 1s, deadLetter: { to: back, key: k${(i + 1) % count} } }`,
    );
    bindings.push(`      - { from: back, to: q${String(i).padStart(4, '0')}, key: k${i} }`);
  }
  return amqp(`    exchanges: { in: { type: fanout }, back: { type: direct } }
    queues:
${queues.join('\n')}
    bindings:
      - { from: in, to: q0000 }
${bindings.join('\n')}
`);
};

test('a circle is told once, however many queues are in it, and a long one by its ends', () => {
  expect(circles(ring(3))).toEqual([
    expect.stringContaining(
      'of b/q0000 come back to it by expiry alone (b/q0000 → b/q0001 → b/q0002 → b/q0000)',
    ),
  ]);
  expect(circles(ring(90))).toEqual([
    expect.stringContaining('(b/q0000 → b/q0001 → b/q0002 → 86 more → b/q0089 → b/q0000)'),
  ]);
});

test('one too long to be built by anybody is not followed to its end', () => {
  expect(circles(ring(3_000))).toEqual([]);
});

test('a way that only other messages than those given up could go is none', () => {
  const text = (key: string) =>
    amqp(`    exchanges: { in: { type: topic }, back: { type: topic } }
    queues:
      wait: { ttl: 1s, deadLetter: { to: back } }
    bindings:
      - { from: in, to: wait, key: "#" }
      - { from: back, to: wait, key: "${key}" }
`);
  expect(circles(text('a.*'))).toHaveLength(1);
  expect(circles(text('x.*'))).toEqual([]);
});
