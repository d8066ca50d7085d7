import { settle } from './settle.ts';
import { message } from '../../conditions/message.ts';
import { buildGraph } from '../../routing/graph.ts';
import type { StoreNode } from '../../brokers/terms.ts';
import type { DeadLetterReason } from '../../routing/hop.ts';
import { trace } from '../../routing/trace.ts';
import { readTopology } from '../../topology/read.ts';

const TEXT = `apps: { board: { instances: 3 } }
brokers:
  m:
    kind: amqp
    access: open
    exchanges: { in: { type: fanout }, dlx: { type: topic }, nowhere: { type: direct } }
    queues:
      a: { ttl: 1m, deadLetter: { to: dlx, key: b.now } }
      b: { ttl: 1m, deadLetter: { to: dlx, key: a.again } }
      end: {}
      each: { perInstanceOf: board, ttl: 1m, deadLetter: { to: end } }
      drop: { ttl: 1m }
      lost: { ttl: 1m, deadLetter: { to: nowhere } }
    bindings:
      - { from: dlx, to: b, key: "b.#" }
      - { from: dlx, to: end, key: "b.#" }
      - { from: dlx, to: a, key: "a.#" }
      - { from: in, to: each }
      - { from: in, to: end }
`;
const graph = buildGraph(readTopology([{ name: 'a', text: TEXT }]));
const run = (to: string, reasonFor: (store: StoreNode) => DeadLetterReason | undefined) => {
  const settled = settle(graph, trace(graph, message({ key: 'k' }), { to }).trace, reasonFor);
  return {
    rests: Object.fromEntries(settled.rests),
    outcomes: settled.ends.map(({ hop, end }) => `${hop.node.slice(8)} ${end.outcome}`).sort(),
    steps: settled.steps.map(({ node }) => node.slice(8)),
  };
};
const expire = (store: StoreNode): DeadLetterReason | undefined => (store.decl.ttl ? 'expired' : undefined);

describe('what becomes of copies that are given up', () => {
  test('not given up they stay', () => {
    expect(run('m/a', () => undefined)).toEqual({
      rests: { 'queue:m/a': 1 },
      outcomes: ['a held'],
      steps: [],
    });
  });

  test('a cycle without a rejection is cut where it would close', () => {
    const { rests, outcomes, steps } = run('m/a', expire);
    expect(steps).toEqual(['a', 'b']);
    expect(rests).toEqual({ 'queue:m/end': 1 });
    expect(outcomes).toEqual(['a looped', 'end held']);
  });

  test('a rejection lets it come round', () => {
    let rejections = 0;
    const { rests } = run('m/a', (store) => {
      if (store.thing.name === 'b') return 'rejected';
      if (store.thing.name === 'a') return rejections++ === 0 ? 'expired' : undefined;
      return undefined;
    });
    expect(rests).toEqual({ 'queue:m/end': 1, 'queue:m/a': 1 });
  });

  test('each instance’s copy dies for itself', () => {
    expect(run('m/in', expire).rests).toEqual({ 'queue:m/end': 4 });
  });

  test('without a dead letter, or with one that leads nowhere, they are lost', () => {
    expect(run('m/drop', expire)).toMatchObject({ rests: {}, outcomes: ['drop lost'] });
    expect(run('m/lost', expire)).toMatchObject({ rests: {} });
    expect(run('m/lost', expire).outcomes.join()).toContain('lost');
  });

  test('of the earlier giving-ups the broker turns the order round, and looks for cycles in that', () => {
    const text = `brokers:
  m:
    kind: amqp
    access: open
    queues:
      a: { deadLetter: { to: b } }
      b: { deadLetter: { to: c } }
      c: { deadLetter: { to: d } }
      d: { deadLetter: { to: e } }
      e: { deadLetter: { to: b } }
`;
    const ring = buildGraph(readTopology([{ name: 'a', text }]));
    const { trace: found } = trace(ring, message({}), { to: 'm/a' });
    const { ends } = settle(ring, found, ({ thing }) => (thing.name === 'e' ? 'rejected' : 'expired'));
    // on record at b's second time: b, d, a, c, e; so c is met before the rejection (seen)
    expect(ends.map(({ hop, end }) => `${hop.node} ${end.outcome}`)).toEqual(['queue:m/c looped']);
  });

  test.each(['expired', 'rejected'] as const)(
    'a way that doubles at each giving-up is counted (%s)',
    (reason) => {
      const steps = 20;
      const each = (line: (i: number) => string) =>
        Array.from({ length: steps }, (_, i) => line(i)).join('\n');
      const text = `brokers:
  m:
    kind: amqp
    access: open
    exchanges:
${each((i) => `      x${i}: { type: fanout }`)}
      x${steps}: { type: fanout }
    queues:
${each((i) => `      a${i}: { deadLetter: { to: x${i + 1} } }\n      b${i}: { deadLetter: { to: x${i + 1} } }`)}
      end: {}
    bindings:
${each((i) => `      - { from: x${i}, to: a${i} }\n      - { from: x${i}, to: b${i} }`)}
      - { from: x${steps}, to: end }
`;
      const doubling = buildGraph(readTopology([{ name: 'a', text }]));
      const { trace: found } = trace(doubling, message({}), { to: 'm/x0' });
      const settled = settle(doubling, found, ({ decl }) => decl.deadLetter && reason);
      expect(Object.fromEntries(settled.rests)).toEqual({ 'queue:m/end': 2 ** steps });
      expect(settled.steps).toHaveLength(2 * steps);
      expect(settled.endless).toBe(false);
    },
  );

  test('rejected for ever ends all the same', () => {
    const { steps } = run('m/a', (store) => (store.decl.deadLetter ? 'rejected' : undefined));
    expect(steps.length).toBeLessThanOrEqual(10);
  });

  test('rejections that go round are never cut, and are told as endless', () => {
    const rejecting = (store: StoreNode): DeadLetterReason | undefined =>
      store.decl.deadLetter ? 'rejected' : undefined;
    const loop = buildGraph(
      readTopology([
        {
          name: 'a',
          text: 'brokers: { m: { kind: amqp, access: open, queues: { x: { deadLetter: { to: y } }, y: { deadLetter: { to: x } } } } }',
        },
      ]),
    );
    const sent = trace(loop, message({ key: 'k' }), { to: 'm/x' }).trace;
    expect(settle(loop, sent, rejecting).endless).toBe(true);
    expect(settle(loop, sent, (store) => store.decl.deadLetter && 'expired').endless).toBe(false);
  });
});
