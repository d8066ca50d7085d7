/** What an interpreter written from the documents alone found, case by case. */
import { checkAll } from '../analysis/checks/run.ts';
import { proveAll } from '../analysis/expectations/prove.ts';
import { wantedState } from '../analysis/rollout/wire.ts';
import { samplesOf } from '../analysis/samples/samples.ts';
import { spreadOf } from '../analysis/samples/spread.ts';
import { whyNot } from '../analysis/why-not/why-not.ts';
import { understand } from '../formats/messages.ts';
import { traceData } from '../formats/trace.ts';
import { message, type Message } from '../conditions/message.ts';

import { locator, readTopology } from '../topology/read.ts';
import { buildGraph } from '../routing/graph.ts';
import type { DeadLetterReason, Sending } from '../routing/hop.ts';
import { trace } from '../routing/trace.ts';
import type { RotationState } from '../routing/choose.ts';

const graphOf = (text: string) => buildGraph(readTopology([{ name: 'a.yaml', text }]));

/** @returns how a message ends, and where it rests: `outcome at place`, and copies by store */
function ends(
  text: string,
  sending: Sending,
  parts: Partial<Message> = {},
  reason?: DeadLetterReason,
  turns?: RotationState,
) {
  const graph = graphOf(text);
  const made = trace(graph, message({ key: 'k', ...parts }), sending, turns);
  const data = traceData(graph, made.trace, 0, locator(graph.topology), reason);
  return {
    ends: data.ends.map(({ outcome, at }) => `${outcome} at ${at}`),
    whys: data.ends.map(({ why }) => why).join('; '),
    stores: Object.fromEntries(data.stores.map(({ at, copies }) => [at, copies])),
    takers: Object.fromEntries(data.stores.map(({ at, takers }) => [at, takers])),
    hops: data.hops,
    turns: made.turns,
  };
}

const TWO = (links: string, more = '') => `
brokers:
  a: { kind: amqp, access: open, queues: { out: {} }, aliases: { far: { to: b/in, over: l } } }
  b: { kind: amqp, access: open, exchanges: { in: { type: fanout } }, queues: { q: {} }, bindings: [{ from: in, to: q }] }
  c: { kind: amqp, access: open, queues: { q: {} } }
links: { ${links} }
${more}`;

describe('links', () => {
  test('a remote alias goes over a link from its broker to the other, and over no other', () => {
    expect(ends(TWO('l: { from: a/out, to: b/q }'), { to: 'a/far' }).stores).toEqual({ 'b/q': 1 });
    expect(ends(TWO('l: { from: "queue:a/out", to: b/q }'), { to: 'a/far' }).stores).toEqual({ 'b/q': 1 });
    const toC = ends(TWO('l: { from: a/out, to: c/q }'), { to: 'a/far' });
    expect(toC.ends).toEqual(['unresolved at a/far']);
    expect(toC.whys).toBe('link l leads from a to c, not from a to b');
    expect(ends(TWO('l: { from: c/q, to: b/q }'), { to: 'a/far' }).ends).toEqual(['unresolved at a/far']);
    expect(ends(TWO('l: { from: a/gone, to: b/q }'), { to: 'a/far' }).ends).toEqual(['unresolved at a/far']);
  });

  test('one whose link may not take from its queue waits', () => {
    const text = TWO('l: { from: a/out, to: b/q }', 'access: [{ deny: [consume], who: link:l, on: a/out }]');
    expect(ends(text, { to: 'a/far' }).ends).toEqual(['waiting at a/far']);
  });

  test('a link to a name that is not there leads nowhere', () => {
    const { ends: found, whys } = ends(TWO('l: { from: a/out, to: b/gone }'), { to: 'a/out' });
    expect(found).toEqual(['unresolved at a/out']);
    expect(whys).toBe('link l leads to nothing that is there');
  });

  test('a copy waits only if none of several links can carry it', () => {
    const two = (first: string, more = '') =>
      ends(TWO(`l: { from: a/out, to: b/q, ${first} }, m: { from: a/out, to: c/q }`, more), { to: 'a/out' });
    expect(two('active: false').stores).toEqual({ 'c/q': 1 });
    expect(two('keys: ["x.#"]').stores).toEqual({ 'c/q': 1 });
    expect(two('batch: 1', 'access: [{ deny: [consume], who: link:l, on: a/out }]').stores).toEqual({
      'c/q': 1,
    });
    expect(two('batch: 1').stores).toEqual({ 'b/q': 1 });
    const none = 'access: [{ deny: [consume], who: any, on: a/out }]';
    expect(two('active: false', none).ends).toEqual(['waiting at a/out']);
    // an app that may not take leaves the copy to a link that may
    const apps =
      'apps: { x: { consumes: [{ from: a/out }] } }\naccess: [{ deny: [consume], who: app:x, on: a/out }]';
    expect(two('batch: 1', apps).stores).toEqual({ 'b/q': 1 });
  });

  test('keys that cannot be read carry nothing', () => {
    const { ends: found, whys } = ends(TWO('l: { from: a/out, to: b/q, keys: [[x]] }'), { to: 'a/out' });
    expect([found, whys]).toEqual([['waiting at a/out'], 'its keys could not be read']);
  });
});

const ON = (lines: string, more = '') => `
brokers:
  b:
    kind: amqp
    access: open
${lines}
${more}`;

describe('no message is without an end', () => {
  test('a ring of exchanges loses what reaches no queue', () => {
    const text = ON(
      '    exchanges: { x: { type: fanout }, y: { type: fanout } }\n    bindings: [{ from: x, to: y }, { from: y, to: x }]',
    );
    expect(ends(text, { to: 'b/x' })).toMatchObject({
      ends: ['lost at b/x'],
      whys: 'it goes round between exchanges (b/x → b/y → b/x) and reaches no queue',
    });
    expect(ends(text, { to: 'b/x', mandatory: true }).ends).toEqual(['sent back at b/x']);
  });

  test('a ring of unrouted-to', () => {
    const text = ON(
      '    exchanges: { x: { type: topic, unroutedTo: y }, y: { type: topic, unroutedTo: x } }',
    );
    expect(ends(text, { to: 'b/x' }).ends).toEqual(['lost at b/x']);
    expect(ends(ON('    exchanges: { x: { type: topic, unroutedTo: x } }'), { to: 'b/x' }).ends).toEqual([
      'lost at b/x',
    ]);
  });

  test('a dead-letter round that is never cut is one line with the round it goes', () => {
    const text = ON('    queues: { x: { deadLetter: { to: y } }, y: { deadLetter: { to: x } } }');
    const { ends: found, whys, hops } = ends(text, { to: 'b/x' }, {}, 'rejected');
    expect(found).toEqual(['endless at b/x']);
    expect(whys).toBe('it goes round without end: b/x → b/y → b/x');
    expect(hops.length).toBeLessThan(12);
  });

  test('what is rejected where nothing takes dead letters is lost', () => {
    const text = ON('    queues: { x: { ttl: 1s } }');
    for (const reason of ['rejected', 'expired'] as const)
      expect(ends(text, { to: 'b/x' }, {}, reason).ends).toEqual(['lost at b/x']);
  });
});

test('mandatory where the app says so of what it sends there', () => {
  const text = ON(
    '    exchanges: { x: { type: topic }, y: { type: topic } }',
    `messages: { m: {}, n: {} }
apps: { p: { publishes: [{ message: m, to: b/x, mandatory: true }, { message: n, to: b/x }, { message: m, to: b/y }] } }`,
  );
  const sent = (type: string, to: string, more = {}) =>
    ends(text, { to, from: 'app:p', ...more }, { type }).ends[0];
  expect(sent('m', 'b/x')).toBe('sent back at b/x');
  expect(sent('n', 'b/x')).toBe('lost at b/x');
  expect(sent('m', 'b/y')).toBe('lost at b/y');
  expect(sent('m', 'b/x', { mandatory: false })).toBe('lost at b/x');
  expect(sent('m', 'b/x', { from: undefined })).toBe('lost at b/x');
});

describe('apps without instances', () => {
  const text = ON(
    `    exchanges: { x: { type: fanout, unroutedTo: rest }, rest: { type: fanout } }
    queues: { each: { perInstanceOf: idle }, one: {}, all: {} }
    bindings: [{ from: x, to: each }, { from: rest, to: all }]`,
    'apps: { idle: { instances: 0, consumes: [{ from: b/one }] } }',
  );
  test('their queues are not there: what matched only them is unmatched', () => {
    expect(ends(text, { to: 'b/x' })).toMatchObject({ stores: { 'b/all': 1 }, ends: ['held at b/all'] });
    const without = text.replace(', unroutedTo: rest', '');
    expect(ends(without, { to: 'b/x' }).ends).toEqual(['lost at b/x']);
    expect(ends(without, { to: 'b/x', mandatory: true }).ends).toEqual(['sent back at b/x']);
  });

  test('they take nothing', () => {
    expect(ends(text, { to: 'b/one' }).ends).toEqual(['held at b/one']);
    expect(ends(text.replace('instances: 0', 'instances: 2'), { to: 'b/one' }).ends).toEqual([
      'taken at b/one',
    ]);
  });

  test('and come back when they run again, in the same reading', () => {
    const running = text.replace('instances: 0', 'instances: 2');
    expect(ends(running, { to: 'b/x' }).stores).toEqual({ 'b/each': 2 });
  });
});

describe('MQTT', () => {
  const text = (takers: string, more = '') =>
    ON('    mqtt: { exchange: t }\n    exchanges: { t: { type: topic } }', `apps: { ${takers} }\n${more}`);
  const taker = (name: string, topic: string, instances = 1) =>
    `${name}: { instances: ${instances}, consumes: [{ from: b, via: mqtt, topic: "${topic}" }] }`;
  const sent = (of: string, topic: string) => ends(of, { to: 'b', via: 'mqtt' }, { key: topic });

  test('takers of one share name and filter share, across apps', () => {
    const both = text(`${taker('x', '$share/crew/deck/+', 3)}, ${taker('y', '$share/crew/deck/+')}`);
    const found = sent(both, 'deck/wind');
    expect(found.stores).toEqual({ 'b/$share/crew/deck/+': 1 });
    expect(found.takers).toEqual({ 'b/$share/crew/deck/+': ['app:x', 'app:y'] });
    const apart = text(`${taker('x', '$share/crew/deck/+')}, ${taker('y', '$share/other/deck/+', 2)}`);
    expect(Object.values(sent(apart, 'deck/wind').stores)).toEqual([1, 1]);
    expect(Object.values(sent(text(taker('x', 'deck/+', 3)), 'deck/wind').stores)).toEqual([3]);
  });

  test('a star in a filter is a character like any other', () => {
    const star = text(taker('x', 'deck/*/wind'));
    expect(sent(star, 'deck/*/wind').ends).toEqual(['taken at b/x:deck/*/wind']);
    expect(sent(star, 'deck/a/wind').ends).toEqual(['lost at b/t']);
    expect(sent(text(taker('x', '+/*/#')), 'a/b/*').ends).toEqual(['lost at b/t']);
    expect(sent(text(taker('x', '+/*/#')), 'a/*/b/c').ends).toEqual(['taken at b/x:+/*/#']);
  });

  test('an internal exchange refuses what is published over MQTT too', () => {
    const internal = text(taker('x', 'deck/#')).replace('type: topic', 'type: topic, internal: true');
    expect(sent(internal, 'deck/wind').ends).toEqual(['refused at b/t']);
  });

  test('a taker needs permission at the exchange that MQTT meets', () => {
    const controlled = text(
      taker('x', 'deck/#'),
      'access: [{ allow: [consume], who: app:x, on: b/t }]',
    ).replace('access: open', 'access: controlled');
    expect(sent(controlled, 'deck/wind').ends).toEqual(['taken at b/x:deck/#']);
    expect(sent(controlled.replace('on: b/t', 'on: b/other'), 'deck/wind').ends).toEqual([
      'held at b/x:deck/#',
    ]);
  });
});

describe('what cannot be read admits nothing', () => {
  test('a binding key, and headers', () => {
    const bound = (type: string, how: string) =>
      ends(
        ON(
          `    exchanges: { x: { type: ${type} } }\n    queues: { q: {} }\n    bindings: [{ from: x, to: q, ${how} }]`,
        ),
        { to: 'b/x' },
        { key: '' },
      );
    expect(bound('direct', 'key: [a]').ends).toEqual(['lost at b/x']);
    expect(bound('topic', 'key: "${nobody}"').ends).toEqual(['lost at b/x']);
    expect(bound('headers', 'headers: { values: { a: [1] } }').ends).toEqual(['lost at b/x']);
    expect(bound('headers', 'headers: { match: some }').ends).toEqual(['lost at b/x']);
    expect(bound('fanout', 'key: [a]').ends).toEqual(['held at b/q']);
  });

  test('a filter', () => {
    const text = `
brokers:
  p:
    kind: pubsub
    access: open
    topics: { t: {} }
    subscriptions: { s: { topic: t, filter: { selector: "a = = 1" } } }
`;
    const graph = graphOf(text);
    expect(ends(text, { to: 'p/t' }).ends).toEqual(['lost at p/t']);
    expect(graph.edges.map(({ condition }) => condition)).toMatchObject([
      { op: 'never', unread: true, why: 'its filter could not be read' },
    ]);
  });
});

test('nothing is claimed by checks, and nothing proved, that rests on what cannot be read', () => {
  const text = `messages: { m: { key: a.b } }
apps: { p: { publishes: [{ message: m, to: b/x }] }, t: { consumes: [{ from: b/q }] } }
brokers: { b: { kind: amqp, access: open, exchanges: { x: { type: topic } }, queues: { q: {} }, bindings: [{ from: x, to: q, key: [a] }] } }
expectations: [{ name: e, given: { message: m }, never: [b/q] }]
`;
  const graph = graphOf(text);
  expect(checkAll(graph).findings).toEqual([]);
  expect(proveAll(graph).map(({ verdict, basis }) => [verdict, basis.whole])).toEqual([['kept', false]]);
});

test('a binding to another broker is not followed', () => {
  const text = `
brokers:
  a: { kind: amqp, access: open, exchanges: { x: { type: fanout } }, bindings: [{ from: x, to: b/q }] }
  b: { kind: amqp, access: open, queues: { q: {} } }
`;
  expect(ends(text, { to: 'a/x' }).ends).toEqual(['lost at a/x']);
  const { findings } = readTopology([{ name: 'a.yaml', text }]);
  expect(findings.map(({ check, message: said }) => [check, said])).toEqual([
    ['language/other-broker', expect.stringContaining('a broker binds only what it has itself')],
  ]);
});

test('takers of a store are those of all copies that come there', () => {
  const text = `
brokers:
  b:
    kind: amqp
    exchanges: { x: { type: fanout } }
    queues: { q: { deadLetter: { to: q2, key: other } }, q2: {} }
    bindings: [{ from: x, to: q }, { from: x, to: q2 }]
apps: { one: { consumes: [{ from: b/q2 }] }, two: { consumes: [{ from: b/q2 }] } }
access:
  - { allow: [consume], who: app:one, on: b/q2, when: { key: k } }
  - { allow: [consume], who: app:two, on: b/q2, when: { key: q2 } }
`;
  const fed = text.replace('{ to: q2, key: other }', '{ to: q2 }').replace('q: {', 'q: { ttl: 1s,');
  expect(ends(fed, { to: 'b/x' }, {}, 'expired').takers['b/q2']).toEqual(['app:one', 'app:two']);
});

describe('weights', () => {
  const text = (spread: string) =>
    `${ON('    queues: { q: {}, r: {} }')}spreads: { w: { members: [b/q, b/r], ${spread} } }\n`;
  /** @returns how often each member came up in so many messages */
  function dealt(spread: string, count: number): number[] {
    const graph = graphOf(text(spread));
    const counts = [0, 0];
    let turns: RotationState | undefined;
    for (let i = 0; i < count; i++) {
      const made = trace(graph, message({}), { to: 'spread:w' }, turns);
      ({ turns } = made);
      counts[made.trace.rests[0]!.node === 'queue:b/q' ? 0 : 1]!++;
    }
    return counts;
  }

  test.each([
    ['choose: weighted, weights: [0.7, 0.3]', 1000, [700, 300]],
    ['choose: weighted, weights: [9999, 1]', 10_000, [9999, 1]],
    ['choose: weighted, weights: [3]', 8, [6, 2]],
    ['choose: weighted, weights: [0, 1]', 5, [0, 5]],
  ])('%s', (spread, count, wanted) => expect(dealt(spread, count)).toEqual(wanted));

  test('without any share nothing is chosen', () => {
    const { ends: found, whys } = ends(text('choose: weighted, weights: [0, 0]'), { to: 'spread:w' });
    expect([found, whys]).toEqual([['unresolved at spread:w'], 'spread:w has no member with a share']);
  });
});

describe('names that mean something to JavaScript', () => {
  const textOf = (name: string) => `messages:
  m:
    key: "a.{${name}}"
    headers: { ${name}: { type: string, enum: [x, y] } }
    properties: { type: { const: left } }
    required: [${name}]
    examples: [{ headers: { ${name}: x } }]
apps: { p: { publishes: [{ message: m, to: b/h }, { message: m, to: b/t }, { message: m, to: s/t }] } }
brokers:
  b:
    kind: amqp
    access: open
    exchanges: { h: { type: headers }, t: { type: topic } }
    queues: { q: {}, r: {}, ${name}: {} }
    bindings: [{ from: h, to: q, headers: { values: { ${name}: x } } }, { from: t, to: r, key: "a.x" }, { from: t, to: ${name}, key: "#" }]
  s:
    kind: pubsub
    access: open
    topics: { t: {} }
    subscriptions: { sel: { topic: t, filter: { selector: "${name} = 'x'" } }, mat: { topic: t, filter: { match: { ${name}: x } } }, pre: { topic: t, filter: { prefix: { ${name}: x } } } }
expectations: [{ name: e, given: { message: m, headers: { ${name}: x } }, reaches: [b/q, b/r] }]
samples: [{ name: s, message: m, headers: { ${name}: x } }]
parameters: { ${name}: { default: 1 } }
`;

  /** Everything that is said of a header of that name, with another name in its place. */
  function said(name: string): unknown {
    const topology = readTopology([{ name: 'a', text: textOf(name) }]);
    const graph = buildGraph(topology);
    const sent = (to: string, value: string) => {
      const order = understand(
        graph,
        JSON.parse(`{"to":"${to}","type":"m","headers":{"${name}":"${value}"}}`),
      );
      if ('error' in order) return order.error;
      const { rests } = trace(graph, order.message, order.sending!).trace;
      return [order.remarks, rests.map(({ node }) => node), order.message.key];
    };
    const event = understand(
      graph,
      JSON.parse(`{"specversion":"1.0","type":"left","${name}":"x","to":"b/h"}`),
    );
    const told = {
      findings: topology.findings.map(({ message: words }) => words),
      checks: checkAll(graph)
        .findings.map(({ check, message: words }) => `${check}: ${words}`)
        .sort(),
      samples: samplesOf(topology.messages.get('m')!).map(({ message: { key, headers } }) => [
        key,
        Object.entries(headers),
      ]),
      spread: spreadOf(topology.messages.get('m')!, 4).map(({ key, headers }) => [
        key,
        Object.entries(headers),
      ]),
      sent: ['b/h', 'b/t', 's/t'].flatMap((to) => ['x', 'z'].map((value) => sent(to, value))),
      event: 'error' in event ? event.error : Object.entries(event.message.headers),
      whyNot: ['queue:b/q', 'subscription:s/mat'].flatMap((store) => {
        const to = store === 'queue:b/q' ? 'b/h' : 's/t';
        const { changes } = whyNot(graph, message({ type: 'm', key: 'k' }), { to }, store);
        return changes.map(({ title }) => title);
      }),
      proofs: proveAll(graph).map(({ verdict }) => verdict),
      wanted: wantedState(topology, 'b').bindings.map((each) => Object.entries(each.arguments)),
    };
    return JSON.parse(JSON.stringify(told).replaceAll(name, 'plain'));
  }

  test.each(['__proto__', 'constructor', 'toString', 'hasOwnProperty'])(
    '%s is a name like any other',
    (name) => expect(said(name)).toEqual(said('plain')),
  );
});
