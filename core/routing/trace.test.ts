import { missesAt, summarise, whyHop } from '../analysis/trace/narrate.ts';
import { type Message, message } from '../conditions/message.ts';
import { buildGraph } from './graph.ts';
import type { RotationState } from './choose.ts';
import type { Hop, Sending } from './hop.ts';
import { trace, traceDeadLetter } from './trace.ts';
import { readTopology } from '../topology/read.ts';

const graphOf = (text: string) => {
  const topology = readTopology([{ name: 'a.yaml', text }]);
  expect(topology.findings).toEqual([]);
  return buildGraph(topology);
};
const run = (text: string, sending: Sending, parts: Partial<Message> = {}, turns?: RotationState) => {
  const graph = graphOf(text);
  const result = trace(graph, message(parts), sending, turns);
  const rests = Object.fromEntries(result.trace.rests.map((rest) => [rest.node, rest.copies]));
  const ends = result.trace.ends.map(({ end }) => end.outcome);
  return { ...result, graph, rests, ends, whys: result.trace.ends.map(({ end }) => end.why).join('; ') };
};

const AMQP = `brokers:
  m:
    kind: amqp
    access: open
    exchanges:
      in: { type: topic, unroutedTo: rest }
      rest: { type: fanout }
      all: { type: fanout }
      side: { type: topic, unroutedTo: rest }
      inner: { type: direct, internal: true }
      lonely: { type: direct }
      cargo: { type: headers }
    queues: { a: {}, b: {}, c: {}, unclaimed: {} }
    bindings:
      - { from: in, to: a, key: "x.*" }
      - { from: in, to: a, key: "#.y" }
      - { from: in, to: all, key: "x.#" }
      - { from: in, to: side, key: "s.#" }
      - { from: all, to: a }
      - { from: all, to: b }
      - { from: all, to: in }
      - { from: rest, to: unclaimed }
      - { from: inner, to: c, key: k }
      - { from: cargo, to: c, headers: { match: all, values: { hazard: true } } }
`;

describe('amqp', () => {
  test('one copy a queue, whatever the paths and cycles', () => {
    const { rests, trace: found } = run(AMQP, { to: 'm/in' }, { key: 'x.y' });
    expect(rests).toEqual({ 'queue:m/a': 1, 'queue:m/b': 1 });
    expect(found.copies).toBe(2);
  });

  test('unrouted-to only when nothing matched, and asked of the exchange that found nothing', () => {
    expect(run(AMQP, { to: 'm/in' }, { key: 'z' }).rests).toEqual({ 'queue:m/unclaimed': 1 });
    expect(run(AMQP, { to: 'm/in' }, { key: 's.q' }).rests).toEqual({ 'queue:m/unclaimed': 1 });
  });

  test('lost, sent back, refused and unresolved', () => {
    expect(run(AMQP, { to: 'm/lonely' }, { key: 'k' }).ends).toEqual(['lost']);
    expect(run(AMQP, { to: 'm/lonely', mandatory: true }, { key: 'k' }).ends).toEqual(['sent back']);
    expect(run(AMQP, { to: 'm/inner' }, { key: 'k' }).whys).toContain('internal');
    expect(run(AMQP, { to: 'm/nothing' }).ends).toEqual(['unresolved']);
  });

  test('the default exchange is the queue’s own name', () => {
    const { rests, trace: found } = run(AMQP, { to: 'm/c' }, { key: 'whatever' });
    expect(rests).toEqual({ 'queue:m/c': 1 });
    // and the name is the key it has from then on
    expect(found.ends[0]!.hop.message.key).toBe('c');
  });

  test('headers compare by type and value', () => {
    expect(run(AMQP, { to: 'm/cargo' }, { headers: { hazard: true } }).rests).toEqual({ 'queue:m/c': 1 });
    expect(run(AMQP, { to: 'm/cargo' }, { headers: { hazard: 'true' } }).ends).toEqual(['lost']);
  });

  test('hops tell why, misses tell why not', () => {
    const { graph, trace: found } = run(AMQP, { to: 'm/in' }, { key: 'x.z' });
    const hops: Hop[] = [];
    const visit = (hop: Hop) => (hops.push(hop), hop.next.forEach(visit));
    visit(found.root);
    expect(hops.map((hop) => whyHop(graph, hop).text)).toContain('`x.*` matches `x.z`');
    const misses = missesAt(graph, found.root).map((miss) => miss.text);
    expect(misses).toContain('`s.#` does not match `x.z`: word 1 is `x`, not `s`');
    expect(misses).toContain('only for what no binding here matches');
    expect(summarise(graph, found).text).toBe('1 message becomes 2 copies in 2 stores for 0 apps');
  });
});

const FERRIES = `tenant: auklet
tenants: { northquay: {} }
messages: { note: {} }
apps:
  board: { instances: 6, consumes: [ { from: m/boards } ] }
  desk: { consumes: [ { from: i/desk } ] }
  officer: { publishes: [ { message: note, to: m/in } ] }
  quay: { tenant: northquay, consumes: [ { from: m/boards }, { from: s/kiosks } ] }
brokers:
  m:
    kind: amqp
    mqtt: { exchange: in }
    exchanges: { in: { type: topic } }
    queues:
      boards: { perInstanceOf: board, deadLetter: { to: in, key: gone.now } }
      to-islet: {}
      gone: {}
      full: { overflow: refuse-new }
    bindings:
      - { from: in, to: boards, key: "board.#" }
      - { from: in, to: to-islet, key: "islet.#" }
      - { from: in, to: gone, key: "gone.#" }
    aliases:
      old: { to: older }
      older: { to: in }
      round: { to: about }
      about: { to: round }
      far: { to: i/desk, over: down }
  i:
    kind: amqp
    exchanges: { inbox: { type: direct } }
    queues: { desk: {}, work: {} }
    bindings: [ { from: inbox, to: desk, key: islet.a } ]
  s:
    kind: pubsub
    topics: { notices: { }, silent: {} }
    queues: { texting: {} }
    subscriptions:
      texts: { topic: notices, to: texting, filter: { selector: "severity >= 3" } }
      more-texts: { topic: notices, to: texting, wrap: true }
      kiosks: { topic: notices, filter: [ { match: { subject: delay } }, { prefix: { type: closure. } } ] }
links:
  down: { from: m/to-islet, to: i/inbox, keys: ["islet.a", "islet.b"], latency: 40ms }
spreads:
  work: { members: [m/full, i/work], choose: rotate }
  near: { members: [m/full, i/work], choose: nearest }
  heavy: { members: [m/full, i/work], choose: weighted, weights: [1, 3] }
access:
  - { name: ours, allow: [publish, consume], who: tenant:auklet, on: ["m/*", "i/*"] }
  - { name: by link, allow: [publish, consume], who: link:down, on: ["m/to-islet", "i/*"] }
  - { name: kiosks, allow: [consume], who: tenant:northquay, on: s/kiosks }
`;
const LEAVE = `  - { name: texting feed, allow: [publish], who: "topic:s/notices", on: s/texting, when: { tenant: auklet } }\n`;

describe('across brokers', () => {
  test('per-instance queues multiply, and only those who may take', () => {
    const { trace: found } = run(FERRIES, { to: 'm/in', from: 'app:officer' }, { key: 'board.x' });
    expect(found.rests).toMatchObject([
      { node: 'queue:m/boards', copies: 6, takers: ['app:board'], outcome: 'taken' },
    ]);
  });

  test('a publisher of another tenant is refused, nobody known is let in', () => {
    const quay = FERRIES.replace('officer: {', 'officer: { tenant: northquay,');
    const { ends, whys } = run(quay, { to: 'm/in', from: 'app:officer' }, { key: 'board.x' });
    expect(ends).toEqual(['refused']);
    expect(whys).toContain('no statement lets app:officer publish into m/in');
    expect(run(quay, { to: 'm/in' }, { key: 'board.x' }).ends).toEqual(['taken']);
  });

  test('links carry with their latency, or leave waiting', () => {
    const { trace: found } = run(FERRIES, { to: 'm/in' }, { key: 'islet.a' });
    expect(found.rests).toMatchObject([{ node: 'queue:i/desk', latency: 40, takers: ['app:desk'] }]);
    expect(run(FERRIES, { to: 'm/in' }, { key: 'islet.c' }).ends).toEqual(['waiting']);
    const idle = FERRIES.replace('latency: 40ms', 'active: false');
    expect(run(idle, { to: 'm/in' }, { key: 'islet.a' }).whys).toBe('link down is not active');
    expect(run(FERRIES, { to: 'm/in' }, { key: 'islet.b' }).ends).toEqual(['lost']);
  });

  test('aliases are followed; circles and remote ones', () => {
    expect(run(FERRIES, { to: 'm/old' }, { key: 'gone.x' }).rests).toEqual({ 'queue:m/gone': 1 });
    expect(run(FERRIES, { to: 'm/round' }).whys).toContain('comes back');
    const far = run(FERRIES, { to: 'm/far', from: 'app:officer' }, { key: 'any' });
    expect(far.trace.rests).toMatchObject([{ node: 'queue:i/desk', latency: 40 }]);
  });

  test('spreads rotate, weigh and choose the nearest', () => {
    const graph = graphOf(FERRIES);
    const deal = (to: string, times: number) => {
      let turns: RotationState = new Map();
      const seen: string[] = [];
      for (let i = 0; i < times; i++) {
        const result = trace(graph, message({}), { to, from: 'app:officer' }, turns);
        turns = result.turns;
        seen.push(...result.trace.rests.map((rest) => rest.store.broker));
      }
      return seen.join('');
    };
    expect(deal('spread:work', 4)).toBe('mimi');
    expect([...deal('spread:heavy', 8)].filter((broker) => broker === 'i')).toHaveLength(6);
    expect(deal('spread:near', 2)).toBe('mm');
  });

  test('mqtt enters the broker’s exchange with dots', () => {
    const { rests } = run(FERRIES, { to: 'm', via: 'mqtt' }, { key: 'gone/by/sea' });
    expect(rests).toEqual({ 'queue:m/gone': 1 });
    expect(run(FERRIES, { to: 'i', via: 'mqtt' }, { key: 'a' }).ends).toEqual(['unresolved']);
  });

  test('topics: filters, permission for each hand-over, two ways two copies', () => {
    const parts = { headers: { severity: 4 }, properties: { type: 'closure.berth' } };
    const without = run(FERRIES, { to: 's/notices' }, parts);
    expect(without.ends.sort()).toEqual(['refused', 'refused', 'taken']);
    expect(without.whys).toContain('no statement lets topic:s/notices publish into s/texting');
    const given = run(FERRIES + LEAVE, { to: 's/notices' }, parts);
    expect(given.rests).toEqual({ 'queue:s/texting': 2, 'subscription:s/kiosks': 1 });
    const calm = run(FERRIES + LEAVE, { to: 's/notices' }, { headers: { severity: 1 } });
    expect(calm.rests).toEqual({ 'queue:s/texting': 1 });
    expect(run(FERRIES, { to: 's/silent' }).whys).toBe('nobody subscribes to s/silent');
  });

  test('a wrapped copy holds the envelope', () => {
    const { trace: found } = run(
      FERRIES + LEAVE,
      { to: 's/notices' },
      { headers: { severity: 1 }, body: { text: 'hello' } },
    );
    expect(found.ends[0]!.hop.message).toMatchObject({
      headers: {},
      body: { topic: 's/notices', body: { text: 'hello' } },
    });
  });

  test('given up: dead letters with their key, lost without, refused when full', () => {
    const graph = graphOf(FERRIES);
    const givenUp = (node: string, what: Parameters<typeof traceDeadLetter>[3]) =>
      traceDeadLetter(graph, node, message({ key: 'board.x' }), what).trace;
    expect(givenUp('queue:m/boards', 'expired').rests).toMatchObject([{ node: 'queue:m/gone' }]);
    expect(givenUp('queue:m/boards', 'expired').rests).toHaveLength(1);
    expect(givenUp('queue:m/gone', 'rejected').ends.map(({ end }) => end.outcome)).toEqual(['lost']);
    expect(givenUp('queue:m/full', 'overflow').ends.map(({ end }) => end.outcome)).toEqual(['refused']);
  });
});
