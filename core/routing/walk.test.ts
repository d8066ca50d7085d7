import fc from 'fast-check';
import { message } from '../conditions/message.ts';
import type { RotationState } from './choose.ts';
import { readTopology } from '../topology/read.ts';
import { buildGraph } from './graph.ts';
import { hopsOf, trace } from './trace.ts';

const graphOf = (text: string) => {
  const topology = readTopology([{ name: 'a.yaml', text }]);
  expect(topology.findings).toEqual([]);
  return buildGraph(topology);
};

/** One topic after another; each hands a copy to several queues, whose links carry it to the next. */
function chain(steps: number, ways: number, latency = (_step: number, _way: number) => 0): string {
  const topics: string[] = [];
  const queues: string[] = [];
  const subscriptions: string[] = [];
  const links: string[] = [];
  for (let step = 0; step < steps; step++) {
    topics.push(`      t${step}: {}`);
    for (let way = 0; way < ways; way++) {
      queues.push(`      q${step}-${way}: {}`);
      subscriptions.push(`      s${step}-${way}: { topic: t${step}, to: q${step}-${way} }`);
      links.push(
        `  l${step}-${way}: { from: p/q${step}-${way}, to: p/t${step + 1}, latency: ${latency(step, way)}ms }`,
      );
    }
  }
  return `brokers:
  p:
    kind: pubsub
    access: open
    topics:
${topics.join('\n')}
      t${steps}: {}
    queues:
${queues.join('\n')}
    subscriptions:
${subscriptions.join('\n')}
      last: { topic: t${steps} }
links:
${links.join('\n')}
`;
}

const sent = (text: string, to: string, parts = {}) => trace(graphOf(text), message(parts), { to }).trace;

describe('copies that come alike are counted', () => {
  test('fifteen topics that double give 32,768 copies, in so many steps', () => {
    const found = sent(chain(15, 2), 'p/t0');
    expect(found.copies).toBe(32_768);
    expect(found.rests).toMatchObject([{ node: 'subscription:p/last', copies: 32_768 }]);
    expect(found.ends.map(({ end }) => end.outcome)).toEqual(['held']);
    // two hops to each queue and two to each topic, and the last
    expect([...hopsOf(found)]).toHaveLength(1 + 15 * 4 + 1);
  });

  test('fifty do as well, exactly', () => {
    expect(sent(chain(50, 2), 'p/t0').copies).toBe(2 ** 50);
    expect(sent(chain(12, 3), 'p/t0').copies).toBe(3 ** 12);
  });

  test('the hops that are joined lead to the one that goes on', () => {
    const found = sent(chain(2, 2), 'p/t0');
    const joined = [...hopsOf(found)].filter(({ joins }) => joins);
    expect(joined.map(({ node, copies }) => `${node} ${copies}`)).toEqual(['topic:p/t1 1', 'topic:p/t2 2']);
    for (const { node, joins, next } of joined) {
      expect(next).toEqual([]);
      expect(joins!.node).toBe(node);
      expect(joins!.next).not.toEqual([]);
    }
  });

  test('the slowest way tells when the last copy is there', () => {
    const found = sent(
      chain(3, 2, (step, way) => (way ? 10 : step)),
      'p/t0',
    );
    expect(found.rests).toMatchObject([{ copies: 8, latency: 30 }]);
  });

  test('copies that are not alike stay apart', () => {
    const text = chain(1, 2).replace('s0-1: { topic: t0,', 's0-1: { topic: t0, wrap: true,');
    const own = text.replace('last: { topic: t1 }', 'last: { topic: t1, filter: { selector: "x = 1" } }');
    const found = sent(own, 'p/t0', { headers: { x: 1 } });
    expect(found.rests).toMatchObject([{ copies: 1 }]);
    expect(found.ends.map(({ end }) => `${end.outcome} ${end.copies}`).sort()).toEqual(['held 1', 'lost 1']);
  });

  test('a link that may not publish keeps its copies out', () => {
    const text = `${chain(2, 2)}access:\n  - { deny: [publish], who: "link:l0-1", on: "p/t1" }\n`;
    const found = sent(text, 'p/t0');
    expect(found.copies).toBe(2);
    expect(found.ends.map(({ end }) => `${end.outcome} ${end.copies}`).sort()).toEqual([
      'held 2',
      'refused 1',
    ]);
  });

  test('what is lost or waits is counted where it stops', () => {
    const gone = sent(chain(3, 2).replace('      last: { topic: t3 }\n', ''), 'p/t0');
    expect(gone.ends.map(({ end }) => `${end.outcome} ${end.copies}`)).toEqual(['lost 8']);
    const waits = sent(
      chain(3, 2).replace('l2-1: { from: p/q2-1,', 'l2-1: { active: false, from: p/q2-1,'),
      'p/t0',
    );
    expect(waits.rests).toMatchObject([
      { node: 'subscription:p/last', copies: 4 },
      { node: 'queue:p/q2-1', copies: 4, outcome: 'waiting' },
    ]);
  });

  test('two thousand links one after another are followed to their end', () => {
    const found = sent(
      chain(2000, 1, () => 1),
      'p/t0',
    );
    expect(found.rests).toMatchObject([{ copies: 1, latency: 2000 }]);
  });

  test('a fan-out to thousands of queues with links is followed, each once', () => {
    const many = 3000;
    const each = (line: (i: number) => string) => Array.from({ length: many }, (_, i) => line(i)).join('\n');
    const text = `brokers:
  p:
    kind: amqp
    access: open
    exchanges: { in: { type: fanout }, out: { type: fanout } }
    queues:
${each((i) => `      q${i}: {}`)}
      end: {}
    bindings:
${each((i) => `      - { from: in, to: q${i} }`)}
      - { from: out, to: end }
links:
${each((i) => `  l${i}: { from: p/q${i}, to: p/out }`)}
`;
    const found = sent(text, 'p/in');
    // they have their queue's name no longer than the link lies: they keep the key they were sent with
    expect(found.rests).toMatchObject([{ node: 'queue:p/end', copies: many }]);
    expect([...hopsOf(found)]).toHaveLength(2 * many + 2);
  });
});

describe('copies dealt over a spread', () => {
  const spread = (choose: string) =>
    `${chain(3, 2).replaceAll('to: p/t3', 'to: "spread:work"')}spreads:
  work: { members: [p/a, p/b, p/c], ${choose} }
`.replace('    queues:\n', '    queues:\n      a: {}\n      b: {}\n      c: {}\n');
  const deal = (choose: string, turns: RotationState = new Map()) => {
    const found = trace(graphOf(spread(choose)), message({}), { to: 'p/t0' }, turns);
    const rests = Object.fromEntries(found.trace.rests.map(({ store, copies }) => [store.name, copies]));
    return { rests, turns: found.turns };
  };

  test('each copy takes a turn of its own', () => {
    const first = deal('choose: rotate');
    expect(Object.values(first.rests).sort()).toEqual([2, 3, 3]);
    expect(first.turns.get('spread:work')).toEqual({ taken: 8 });
    expect(deal('choose: rotate', new Map([['spread:work', { taken: 1 }]])).rests['a']).toBe(2);
    expect(deal('choose: nearest').rests).toEqual({ a: 8 });
  });

  test('weights are kept over every round', () => {
    expect(deal('choose: weighted, weights: [1, 2, 1]').rests).toEqual({ a: 2, b: 4, c: 2 });
    expect(deal('choose: weighted, weights: [0.5, 0, 1.5]').rests).toEqual({ a: 2, c: 6 });
    // a round that is longer than anybody waits for
    expect(deal('choose: weighted, weights: [1, 1, 1000000000000]').rests).toEqual({ c: 8 });
  });
});

describe('circles', () => {
  const ring = (more = '') => `brokers:
  p:
    kind: pubsub
    access: open
    topics: { a: {}, b: {}, c: {} }
    queues: { ab: {}, bc: {}, ca: {}, ac: {} }
    subscriptions:
      ab: { topic: a, to: ab }
      bc: { topic: b, to: bc }
      ca: { topic: c, to: ca }
${more}links:
  ab: { from: p/ab, to: p/b }
  bc: { from: p/bc, to: p/c }
  ca: { from: p/ca, to: p/a }
  ac: { from: p/ac, to: p/c }
`;

  test('a copy that comes back to a link it took goes round, and is told so once', () => {
    const found = sent(ring(), 'p/a');
    expect(found.ends.map(({ hop, end }) => `${end.outcome} at ${hop.node} ×${end.copies}`)).toEqual([
      'looped at topic:p/b ×1',
    ]);
  });

  test('two ways into the same circle are told apart by the links they took', () => {
    const found = sent(ring('      ac: { topic: a, to: ac }\n'), 'p/a');
    const ends = found.ends.map(({ hop, end }) => `${end.outcome} at ${hop.node} ×${end.copies}`);
    // a→b→c→a goes round at both of a's ways, a→c→a at the second, and by the first once more to c
    expect(ends.every((end) => end.startsWith('looped'))).toBe(true);
    expect(ends.length).toBeLessThan(12);
  });

  test('what goes round endlessly in very many ways ends', () => {
    const names = Array.from({ length: 9 }, (_, i) => `t${i}`);
    const pairs = names.flatMap((a) => names.filter((b) => b !== a).map((b) => [a, b] as const));
    const text = `brokers:
  p:
    kind: pubsub
    access: open
    topics: { ${names.map((name) => `${name}: {}`).join(', ')} }
    queues: { ${pairs.map(([a, b]) => `${a}-${b}: {}`).join(', ')} }
    subscriptions:
${pairs.map(([a, b]) => `      ${a}-${b}: { topic: ${a}, to: ${a}-${b} }`).join('\n')}
links:
${pairs.map(([a, b]) => `  ${a}-${b}: { from: p/${a}-${b}, to: p/${b} }`).join('\n')}
`;
    const found = sent(text, 'p/t0');
    expect(found.ends.every(({ end }) => end.outcome === 'looped')).toBe(true);
    expect([...hopsOf(found)].length).toBeLessThan(200_000);
  });
});

/**
 * Made here: topics, exchanges and queues on one open broker each, every way leading on to a later one,
 * several between the same two, aliases and shared queues. Not made: circles, filters, permissions, wrapping,
 * different latencies (above, one by one).
 */
const onwardOnly = fc.integer({ min: 2, max: 9 }).chain((places) =>
  fc.record({
    places: fc.constant(places),
    kinds: fc.array(fc.constantFrom('topic', 'exchange'), { minLength: places, maxLength: places }),
    ways: fc.array(
      fc
        .tuple(fc.nat({ max: places - 2 }), fc.integer({ min: 1, max: places }), fc.nat({ max: 3 }))
        .map(([from, by, queue]) => ({ from, to: Math.min(places - 1, from + by), queue })),
      { maxLength: 24 },
    ),
  }),
);

test('as many copies as following each by itself gives', () => {
  fc.assert(
    fc.property(onwardOnly, ({ places, kinds, ways }) => {
      // a queue has one link: its first way's
      const queues = new Map<string, { from: number; to: number }>();
      for (const { from, to, queue } of ways)
        if (!queues.has(`${from}-${queue}`)) queues.set(`${from}-${queue}`, { from, to });
      const of = (kind: string) => kinds.flatMap((each, i) => (each === kind ? [i] : [])).map((i) => `n${i}`);
      const on = (name: number) => (kinds[name] === 'topic' ? `t/n${name}` : `x/n${name}`);
      const held = (kind: string) =>
        [...queues].filter(([, { from }]) => kinds[from] === kind).map(([name]) => name);
      const text = `brokers:
  t:
    kind: pubsub
    access: open
    topics: { end: {}, ${of('topic')
      .map((name) => `${name}: {}`)
      .join(', ')} }
    queues: { ${held('topic')
      .map((name) => `q${name}: {}`)
      .join(', ')} }
    subscriptions:
      end: { topic: end }
${held('topic')
  .map((name) => `      s${name}: { topic: n${name.split('-')[0]}, to: q${name} }`)
  .join('\n')}
  x:
    kind: amqp
    access: open
    exchanges: { ${of('exchange')
      .map((name) => `${name}: { type: fanout }`)
      .join(', ')} }
    queues: { ${held('exchange')
      .map((name) => `q${name}: {}`)
      .join(', ')} }
    bindings:
      ${held('exchange').length ? '' : '[]'}
${held('exchange')
  .map((name) => `      - { from: n${name.split('-')[0]}, to: q${name} }`)
  .join('\n')}
links:
${[...queues].map(([name, { from, to }]) => `  l${name}: { from: ${kinds[from] === 'topic' ? 't' : 'x'}/q${name}, to: ${to === places - 1 ? 't/end' : on(to)} }`).join('\n')}
`;
      const follow = (at: number): number =>
        at === places - 1
          ? 1
          : [...queues.values()]
              .filter(({ from }) => from === at)
              .reduce((sum, { to }) => sum + follow(to), 0);
      const topology = readTopology([{ name: 'a.yaml', text }]);
      const found = trace(buildGraph(topology), message({ key: 'k' }), { to: on(0) }).trace;
      expect(found.copies).toBe(follow(0));
    }),
    { numRuns: 200 },
  );
});
