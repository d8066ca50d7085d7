/**
 * Held against brute force: every message that a type can be, each traced by itself. `CASES=3000` tries more topologies.
 *
 * What the generator cannot make (see testing/second/finite-model.ts) is tried by its corners below.
 */
import { TooManyClasses } from '../../base/diagram.ts';
import {
  type ClassOutcome,
  type PublishClasses,
  classesOf,
  differenceOf,
  distinctionOf,
  publishesOf,
  reachOf,
} from './classes.ts';
import type { Message } from '../../conditions/message.ts';
import { addressOf } from '../../language/thing.ts';
import { type RoutingGraph, buildGraph } from '../../routing/graph.ts';
import type { DeadLetterReason } from '../../routing/hop.ts';
import { trace, traceDeadLetter } from '../../routing/trace.ts';
import { everyMessage, finiteModel } from '../../testing/second/finite-model.ts';
import { randomOf } from '../../testing/second/random-model.ts';
import { readTopology } from '../../topology/read.ts';

const CASES = Number(process.env['CASES'] ?? 150);
const FIRST = Number(process.env['SEED'] ?? 1);

const signOf = ({ stores, ends }: ClassOutcome): string =>
  JSON.stringify([
    stores.map(({ at, copies }) => `${at} ${copies}`).sort(),
    [...new Set(ends.map(({ outcome, at }) => `${outcome} ${at}`))].sort(),
  ]);

function tracedSign(graph: RoutingGraph, { from, to, via }: PublishClasses, sent: Message): string {
  const { rests, ends } = trace(graph, via ? { ...sent, key: sent.key.replaceAll('.', '/') } : sent, {
    from: `app:${from}`,
    to,
    ...(via ? { via } : {}),
  }).trace;
  const at = (node: string) => addressOf(graph.nodes.get(node)!.thing);
  return signOf({
    stores: rests.map(({ node, copies }) => ({ at: at(node), copies })),
    ends: ends.map(({ hop, end }) => ({ outcome: end.outcome, at: hop.node ? at(hop.node) : hop.address! })),
  });
}

const isDealt = ({ classes }: PublishClasses): boolean =>
  classes.some(({ outcome: { stores, ends } }) => [...stores, ...ends].some(({ oneOf }) => oneOf));

test(`${CASES} topologies: classes are what every message does, one by one`, () => {
  let [messages, publishes, told] = [0, 0, 0];
  for (let seed = FIRST; seed < FIRST + CASES; seed++) {
    const { model, types } = finiteModel(seed);
    const graph = buildGraph(readTopology([{ name: 'a.json', text: JSON.stringify(model) }]));
    for (const edge of publishesOf(graph)) {
      const found = classesOf(graph, edge);
      // whose turn it is at a spread hangs on what came before
      if (isDealt(found)) continue;
      const all = everyMessage(found.type, types[found.type]!);
      const traced = new Map<string, bigint>();
      for (const each of all) {
        const sign = tracedSign(graph, found, each);
        traced.set(sign, (traced.get(sign) ?? 0n) + 1n);
      }
      const at = { seed, publish: edge.id };
      expect({ at, total: found.total }).toEqual({ at, total: BigInt(all.length) });
      const signs = found.classes.map(({ outcome }) => signOf(outcome));
      expect({ at, signs: [...new Set(signs)].length }).toEqual({ at, signs: signs.length });
      const shares = Object.fromEntries(
        found.classes.map(({ messages: own, unless }, i) => [signs[i]!, unless ? 'not proved' : own]),
      );
      expect({ at, shares }).toEqual({ at, shares: Object.fromEntries(traced) });
      found.classes.forEach(({ witness }, i) => {
        expect({ at, witness, sign: tracedSign(graph, found, witness) }).toEqual({
          at,
          witness,
          sign: signs[i],
        });
      });
      publishes++;
      messages += all.length;
      told += signs.length;
    }
  }
  expect(publishes).toBeGreaterThan(CASES);
  expect(messages).toBeGreaterThan(CASES * 50);
  expect(told).toBeGreaterThan(publishes * 1.1);
});

const REASONS: readonly DeadLetterReason[] = ['expired', 'rejected', 'overflow', 'too many deliveries'];

/** What becomes of a message of which every store gives up what comes to rest in it, once. */
function givenUpSign(
  graph: RoutingGraph,
  { from, to, via }: PublishClasses,
  sent: Message,
  reason: DeadLetterReason,
): string {
  const at = (node: string) => addressOf(graph.nodes.get(node)!.thing);
  const first = trace(graph, via ? { ...sent, key: sent.key.replaceAll('.', '/') } : sent, {
    from: `app:${from}`,
    to,
    ...(via ? { via } : {}),
  }).trace;
  const stores = new Map<string, number>();
  const ends: ClassOutcome['ends'][number][] = [];
  for (const { hop, end } of first.ends) {
    const stays = ['held', 'taken', 'waiting'].includes(end.outcome);
    const role = graph.nodes.get(hop.node)?.role;
    // what waits at an alias for its link is in no store yet
    if (!stays || (role !== 'queue' && role !== 'subscription')) {
      const where = hop.node ? at(hop.node) : hop.address!;
      ends.push({ outcome: end.outcome, at: where });
      if (stays) stores.set(where, (stores.get(where) ?? 0) + end.copies);
      continue;
    }
    const second = traceDeadLetter(graph, hop.node, hop.message, reason).trace;
    for (const each of second.rests)
      stores.set(at(each.node), (stores.get(at(each.node)) ?? 0) + each.copies * end.copies);
    for (const { hop: last, end: other } of second.ends)
      ends.push({ outcome: other.outcome, at: at(last.node) });
  }
  return signOf({ stores: [...stores].map(([each, copies]) => ({ at: each, copies })), ends });
}

test('what stores give up goes on as one message after the other does', () => {
  let moved = 0;
  for (let seed = FIRST; seed < FIRST + CASES / 2; seed++) {
    const { model, types } = finiteModel(seed);
    const graph = buildGraph(readTopology([{ name: 'a.json', text: JSON.stringify(model) }]));
    const reason = REASONS[seed % 4]!;
    for (const edge of publishesOf(graph)) {
      const found = classesOf(graph, edge, { givenUp: reason });
      if (isDealt(found)) continue;
      const wanted = new Map<string, bigint>();
      for (const each of everyMessage(found.type, types[found.type]!)) {
        const sign = givenUpSign(graph, found, each, reason);
        if (sign !== tracedSign(graph, found, each)) moved++;
        wanted.set(sign, (wanted.get(sign) ?? 0n) + 1n);
      }
      const own = found.classes.map(({ outcome, messages }) => [signOf(outcome), messages] as const);
      expect({ seed, edge: edge.id, told: Object.fromEntries(own) }).toEqual({
        seed,
        edge: edge.id,
        told: Object.fromEntries(wanted),
      });
    }
  }
  expect(moved).toBeGreaterThan(CASES * 10);
});

test('the messages that go elsewhere are those that do, one by one', () => {
  let [changed, same] = [0, 0];
  for (let seed = FIRST; seed < FIRST + CASES / 3; seed++) {
    const { model, types } = finiteModel(seed);
    const r = randomOf(seed + 77);
    const other = structuredClone(model);
    // some of what it says is gone, or otherwise
    for (const broker of Object.values(other.brokers)) {
      if (broker.bindings?.length) broker.bindings.splice(r.below(broker.bindings.length), 1 + r.below(2));
      for (const each of Object.values(broker.subscriptions ?? {})) if (r.once(3)) delete each.filter;
    }
    if (r.once(3)) other.access.pop();
    if (r.once(4)) other.apps['one']!.publishes = [];
    const [before, after] = [model, other].map((each) =>
      buildGraph(readTopology([{ name: 'a.json', text: JSON.stringify(each) }])),
    ) as [RoutingGraph, RoutingGraph];
    const told = differenceOf(before, after);
    for (const edge of publishesOf(before)) {
      const of = classesOf(before, edge);
      const goes = publishesOf(after).find(
        (each) =>
          each.from === edge.from &&
          each.label === edge.label &&
          each.publish!.to!.value === of.to &&
          each.publish!.via?.value === of.via,
      );
      const own = told.filter(
        (each) => each.from === of.from && each.type === of.type && each.to === of.to && each.via === of.via,
      );
      if (isDealt(of) || (goes && isDealt(classesOf(after, goes)))) continue;
      const wanted = new Map<string, bigint>();
      for (const each of everyMessage(of.type, types[of.type]!)) {
        const [then, now] = [tracedSign(before, of, each), goes ? tracedSign(after, of, each) : 'null'];
        if (then === now) same++;
        else {
          changed++;
          wanted.set(`${then} → ${now}`, (wanted.get(`${then} → ${now}`) ?? 0n) + 1n);
        }
      }
      const signed = (outcome: ClassOutcome | null) => (outcome ? signOf(outcome) : 'null');
      expect({
        seed,
        edge: edge.id,
        told: Object.fromEntries(
          own.map((each) => [`${signed(each.before)} → ${signed(each.after)}`, each.messages]),
        ),
      }).toEqual({ seed, edge: edge.id, told: Object.fromEntries(wanted) });
      for (const { witness, before: then, after: now } of own) {
        expect(tracedSign(before, of, witness)).toBe(signed(then));
        if (goes) expect(tracedSign(after, of, witness)).toBe(signed(now));
      }
    }
  }
  expect(changed).toBeGreaterThan(500);
  expect(same).toBeGreaterThan(500);
});

describe('domains without end', () => {
  const told = (message: string, broker: string, more = '') => {
    const text = `tenant: t
messages: { note: ${message} }
apps: { one: { publishes: [{ message: note, to: m/in }] } }
brokers: { m: ${broker} }
${more}`;
    const graph = buildGraph(readTopology([{ name: 'a.yaml', text }]));
    expect(graph.topology.findings).toEqual([]);
    const [edge] = publishesOf(graph);
    const found = classesOf(graph, edge!);
    for (const { outcome, witness, unless } of found.classes)
      if (!unless) expect(tracedSign(graph, found, witness)).toBe(signOf(outcome));
    return found.classes.map(({ outcome, when, unless }) => [
      when,
      outcome.stores.map(({ at }) => at.replace('m/', '')).join(' ') ||
        outcome.ends.map((each) => each.outcome).join(' '),
      ...(unless ? [unless] : []),
    ]);
  };
  const pubsub = (...filters: string[]) =>
    `{ kind: pubsub, access: open, topics: { in: {} }, subscriptions: { ${filters.map((filter, i) => `s${i}: { topic: in, filter: ${filter} }`).join(', ')} } }`;
  const amqp = (...keys: string[]) =>
    `{ kind: amqp, access: open, exchanges: { in: { type: topic } }, queues: { ${keys.map((_, i) => `q${i}: {}`).join(', ')} }, bindings: [${keys.map((key, i) => `{ from: in, to: q${i}, key: "${key}" }`).join(', ')}] }`;

  test('numbers are told at the points that conditions name, and between', () => {
    expect(
      told(
        '{ headers: { n: { type: number } }, required: [n] }',
        pubsub('{ selector: "n > 1.5" }', '{ selector: "n = 3" }'),
      ),
    ).toEqual([
      ['n is 1.5 or less', 'lost'],
      ['n is over 1.5 and under 3 or over 3', 's0'],
      ['n is 3', 's0 s1'],
    ]);
  });

  test('texts are told by all that patterns can ask at once', () => {
    expect(
      told(
        '{ headers: { h: { type: string } }, required: [h] }',
        pubsub('{ selector: "h LIKE \'a%\'" }', '{ selector: "h LIKE \'%b\'" }', '{ match: { h: ab } }'),
      ).map(([, stores]) => stores),
    ).toEqual(expect.arrayContaining(['lost', 's0', 's1', 's0 s1', 's0 s1 s2']));
  });

  test('one word of a key, and any number of them', () => {
    expect(told('{ key: "a.{x}" }', amqp('a.b', 'a.*', '#.c'))).toEqual([
      ['{x} is not b or c', 'q1'],
      ['{x} is b', 'q0 q1'],
      ['{x} is c', 'q1 q2'],
    ]);
    const many = told('{ key: "a.{x...}" }', amqp('a', 'a.b.#', '#.c', 'a.*.*'));
    expect(many.map(([, stores]) => stores).sort()).toEqual([
      'lost',
      'q0',
      'q1',
      'q1 q2',
      'q1 q2 q3',
      'q1 q3',
      'q2',
      'q2 q3',
      'q3',
    ]);
  });

  test('what two classes differ in is told, what tells them apart by itself first', () => {
    const text = `tenant: t
messages: { note: { headers: { h: { enum: [x, y, z] }, n: { type: integer, minimum: 0, maximum: 9 }, b: { type: boolean } }, required: [h, n, b] } }
apps: { one: { publishes: [{ message: note, to: m/in }] } }
brokers: { m: ${pubsub('{ selector: "h = \'x\' AND n > 3" }', '{ selector: "h = \'y\' OR n = 9" }')} }`;
    const graph = buildGraph(readTopology([{ name: 'a.yaml', text }]));
    const [way] = publishesOf(graph);
    const at = (stores: string) =>
      classesOf(graph, way!).classes.findIndex(
        ({ outcome }) => outcome.stores.map((each) => each.at).join() === stores,
      );
    expect(distinctionOf(graph, way!, at('m/s0'), at('m/s0,m/s1'))).toEqual([
      { alone: true, first: 'n is 4 to 8', second: 'n is 9' },
    ]);
    expect(distinctionOf(graph, way!, at('m/s0'), at(''))).toEqual([
      { alone: false, first: 'h is x', second: 'h is not y' },
      { alone: false, first: 'n is 4 to 8', second: 'n is 0 to 8' },
    ]);
    expect(distinctionOf(graph, way!, 0, 99)).toBeUndefined();
  });

  test.each(['direct', 'topic'])('a key whose one word may be empty has no words then: %s', (kind) => {
    const each = (n: number) =>
      Array.from({ length: n }, (_, i) => `{ from: in, to: q1, key: "k${i}" }`).join(', ');
    // few bindings are tried one by one, many are looked up
    for (const many of [1, 20])
      expect(
        told(
          '{ key: "{h}", headers: { h: { enum: [late, ""] } }, required: [h] }',
          `{ kind: amqp, access: open, exchanges: { in: { type: ${kind} } }, queues: { q0: {}, q1: {}, q2: {} }, bindings: [{ from: in, to: q0, key: "" }, { from: in, to: q2, key: late }, ${each(many)}] }`,
        ),
      ).toEqual([
        ['h is late', 'q2'],
        ['h is empty', 'q0'],
      ]);
  });

  test('what is left out is a value of its own', () => {
    expect(
      told(
        '{ headers: { h: { enum: [x] } } }',
        pubsub('{ selector: "h IS NULL" }', '{ not: { match: { h: x } } }'),
      ),
    ).toEqual([
      ['h is x', 'lost'],
      ['h is missing', 's0 s1'],
    ]);
  });

  test('what cannot be told from what is declared is asked, and nothing is proved on it', () => {
    const [first, second] = told(
      '{ headers: { a: { type: string }, b: { type: string } }, required: [a, b] }',
      pubsub('{ selector: "a = b" }'),
    );
    expect(first![2]).toMatch(/cannot be told/);
    expect(second![2]).toMatch(/cannot be told/);
    expect(
      told(
        '{ headers: { h: { type: string, pattern: "^[a-z]+$" } }, required: [h] }',
        pubsub('{ match: { h: "9" } }'),
      ).map(([, , unless]) => unless),
    ).toEqual(expect.arrayContaining([expect.stringMatching(/pattern/)]));
  });
});

test('where classes explode it is said, and what is reached is told all the same', () => {
  const each = (make: (i: number) => string) => Array.from({ length: 20 }, (_, i) => make(i)).join(', ');
  const text = `tenant: t
messages: { note: { headers: { ${each((i) => `h${i}: { type: boolean }`)} }, required: [${each((i) => `h${i}`)}] } }
apps: { one: { publishes: [{ message: note, to: m/in }] } }
brokers: { m: { kind: pubsub, access: open, topics: { in: {} }, subscriptions: { ${each((i) => `s${i}: { topic: in, filter: { match: { h${i}: true } } }`)}, never: { topic: in, filter: { match: { h0: 2 } } } } } }`;
  const graph = buildGraph(readTopology([{ name: 'a.yaml', text }]));
  const [edge] = publishesOf(graph);
  expect(() => classesOf(graph, edge!)).toThrow(TooManyClasses);
  const reached = reachOf(graph, edge!);
  expect(reached.map(({ at }) => at).sort()).toEqual(
    [...Array.from({ length: 20 }, (_, i) => `m/s${i}`), 'm/in'].sort(),
  );
  for (const { at, witness } of reached) {
    const { ends } = trace(graph, witness, { to: 'm/in', from: 'app:one' }).trace;
    expect(ends.map(({ hop }) => addressOf(graph.nodes.get(hop.node)!.thing))).toContain(at);
  }
});

test('ten thousand bindings are told, and where there is no room it is said', () => {
  const bindings = Array.from({ length: 10_000 }, (_, i) => `{ from: in, to: q${i % 100}, key: "a.k${i}" }`);
  const text = `tenant: t
messages: { note: { key: "a.{x}" } }
apps: { one: { publishes: [{ message: note, to: m/in }] } }
brokers: { m: { kind: amqp, access: open, exchanges: { in: { type: topic } }, queues: { ${Array.from({ length: 100 }, (_, i) => `q${i}: {}`).join(', ')} }, bindings: [${bindings.join(', ')}] } }`;
  const graph = buildGraph(readTopology([{ name: 'a.yaml', text }]));
  const [edge] = publishesOf(graph);
  expect(classesOf(graph, edge!).classes).toHaveLength(101);
  expect(() => classesOf(graph, edge!, { most: 1_000 })).toThrow(TooManyClasses);
});
