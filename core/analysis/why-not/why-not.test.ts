import fc from 'fast-check';
import { whyNot } from './why-not.ts';
import { applyEdits } from '../../base/edits.ts';
import { evaluate } from '../../conditions/evaluate.ts';
import { type Message, message } from '../../conditions/message.ts';
import { parseSelector } from '../../conditions/selector.ts';
import { assign, nearestKey, solve } from '../../conditions/solve.ts';
import { wordsMatch, wordsOf } from '../../conditions/words.ts';
import { buildGraph } from '../../routing/graph.ts';
import type { Sending } from '../../routing/hop.ts';
import { trace } from '../../routing/trace.ts';
import { writtenAt } from '../../syntax/place.ts';
import { readTopology } from '../../topology/read.ts';

const TEXT = `tenant: auklet
apps: { officer: { publishes: [ { message: note, to: m/in } ] } }
messages: { note: {} }
brokers:
  m:
    kind: amqp
    access: open
    exchanges: { in: { type: topic }, cargo: { type: headers }, deep: { type: topic } }
    queues: { boards: {}, customs: {}, far: {}, lonely: {}, down: {} }
    bindings:
      - { from: in, to: boards, key: "sailing.*.departed" }
      - { from: in, to: deep, key: "deep.#" }
      - { from: deep, to: far, key: "#.far" }
      - { from: in, to: down, key: "down.#" }
      - { from: cargo, to: customs, headers: { match: all, values: { hazard: true, class: 3 } } }
  s:
    kind: pubsub
    topics: { notices: {} }
    queues: { texting: {} }
    subscriptions:
      texts: { topic: notices, to: texting, filter: { selector: "severity >= 3 AND route <> 'north'" } }
links:
  over: { from: m/down, to: s/notices, active: false }
`;

const ask = (store: string, sending: Sending, parts: Partial<Message> = {}) => {
  const topology = readTopology([{ name: 'a.yaml', text: TEXT }]);
  const graph = buildGraph(topology);
  const found = whyNot(graph, message(parts), sending, store);
  // every change told is true
  for (const change of found.changes) {
    const changed =
      change.of === 'message'
        ? trace(graph, change.message, sending)
        : trace(
            buildGraph(readTopology(applyEdits(topology.documents, change.edits))),
            message(parts),
            sending,
          );
    expect(changed.trace.rests.map((rest) => rest.node)).toContain(store);
  }
  return { ...found, topology, titles: found.changes.map((change) => change.title) };
};

describe('why not', () => {
  test('a key that misses by a word', () => {
    const found = ask('queue:m/boards', { to: 'm/in' }, { key: 'sailing.north.delayed' });
    expect(found.failed!.text).toBe(
      '`sailing.*.departed` does not match `sailing.north.delayed`: word 3 is `delayed`, not `departed`',
    );
    expect(writtenAt(found.topology, found.failed!.place!)).toBe('"sailing.*.departed"');
    expect(found.titles).toEqual([
      'send it with key "sailing.north.departed"',
      'bind boards to in for this message too',
    ]);
  });

  test('two conditions in a row are met together', () => {
    const found = ask('queue:m/far', { to: 'm/in' }, { key: 'x' });
    expect(found.branch.map((edge) => edge.to)).toEqual(['exchange:m/deep', 'queue:m/far']);
    expect(found.titles.length).toBeGreaterThan(0);
  });

  test('headers that are missing or of another type', () => {
    const found = ask('queue:m/customs', { to: 'm/cargo' }, { headers: { hazard: 'true' } });
    expect(found.failed!.text).toContain('hazard = true');
    expect(found.titles[0]).toBe('send it with hazard true and class 3');
  });

  test('a filter, and permission after it', () => {
    const found = ask('queue:s/texting', { to: 's/notices' }, { headers: { severity: 1, route: 'south' } });
    expect(found.failed!.text).toBe('`severity >= 3` is false: severity is 1');
    // the message alone cannot get there: the topic has no permission either
    expect(found.changes.map((change) => change.of)).toEqual(['topology']);
    expect(found.titles[0]).toContain('let topic s/notices publish into s/texting');
  });

  test('a link that is not active, and no way at all', () => {
    const over = ask(
      'queue:s/texting',
      { to: 'm/in' },
      { key: 'down.x', headers: { severity: 4, route: 'south' } },
    );
    expect(over.failed!.text).toBe('link over is not active');
    const lonely = ask('queue:m/lonely', { to: 'm/in' }, { key: 'x' });
    expect(lonely.failed!.text).toBe('no way leads from m/in to m/lonely');
    expect(lonely.titles).toEqual(['bind lonely to in']);
    expect(ask('queue:m/boards', { to: 'm/none' }).changes).toEqual([]);
    expect(ask('queue:m/boards', { to: 'm/in' }, { key: 'sailing.a.departed' }).reached).toBe(true);
  });
});

describe('solving', () => {
  const word = fc.constantFrom('a', 'b', 'c', '');
  test('the nearest key fits its pattern', () => {
    const pattern = fc.array(fc.oneof(word, fc.constantFrom('*', '#')), { maxLength: 5 });
    fc.assert(
      fc.property(pattern, fc.array(word, { maxLength: 5 }), (parts, words) => {
        // a pattern of one empty word is no pattern: it is written as the empty one
        const written = wordsOf(parts.join('.'));
        if (written.every((each) => each === '' || each === '*') && written.length === 1) return;
        expect(wordsMatch(written, wordsOf(nearestKey(written, words)))).toBe(true);
      }),
    );
  });

  test('a solution does what it says', () => {
    const part = fc.constantFrom(
      'n > 3',
      'n <= 1',
      "s = 'x'",
      "s <> 'x'",
      "s LIKE 'a_%'",
      "s IN ('p', 'q')",
      'f',
      'n BETWEEN 2 AND 4',
      's IS NULL',
      'm IS NOT NULL',
      '5 < m',
    );
    const selector = fc
      .tuple(part, fc.constantFrom(' AND ', ' OR '), part, fc.boolean())
      .map(([a, op, b, not]) => (not ? `NOT (${a}${op}${b})` : `${a}${op}${b}`));
    const headers = fc.record(
      { n: fc.integer({ min: 0, max: 6 }), s: fc.constantFrom('x', 'ab', 'p'), f: fc.boolean() },
      { requiredKeys: [] },
    );
    let solved = 0;
    fc.assert(
      fc.property(selector, headers, (text, given) => {
        const result = parseSelector(text);
        if (!result.ok) throw new Error(result.problem.message);
        const sent = message({ headers: given });
        for (const solution of solve(result.predicate, sent)) {
          solved++;
          expect(evaluate(result.predicate, assign(sent, solution))).toBe(true);
        }
      }),
    );
    expect(solved).toBeGreaterThan(50);
  });
});

describe('on a way of many hindrances', () => {
  const alternatives = (header: string) =>
    Array.from({ length: 14 }, (_, i) => `${header} = ${i + 1}`).join(' OR ');
  const text = (access: string) => `brokers:
  s:
    kind: pubsub
    access: ${access}
    topics: { t: {}, u: {}, v: {}, w: {} }
    queues: { q1: {}, q2: {}, q3: {}, q: {} }
    subscriptions:
      a: { topic: t, to: q1, filter: { selector: "${alternatives('a')}" } }
      b: { topic: u, to: q2, filter: { selector: "${alternatives('b')}" } }
      c: { topic: v, to: q3, filter: { selector: "${alternatives('c')}" } }
      d: { topic: w, to: q, filter: { selector: "${alternatives('d')}" } }
links: { l1: { from: s/q1, to: s/u }, l2: { from: s/q2, to: s/v }, l3: { from: s/q3, to: s/w } }
`;
  const asked = (of: string) =>
    whyNot(
      buildGraph(readTopology([{ name: 'a', text: of }])),
      message({ key: 'k' }),
      { to: 's/t' },
      'queue:s/q',
    ).changes.map(({ title }) => title);

  test('four conditions of fourteen alternatives: the smallest changes, and not all 38,416', () => {
    expect(asked(text('open'))).toEqual([
      'send it with a 1 and b 1 and c 1 and d 1',
      'send it with a 1 and b 1 and c 1 and d 2',
      'send it with a 1 and b 1 and c 1 and d 3',
      expect.stringMatching(/^take the filter a = 1 or .{0,70}… off subscription a, and take the filter b/),
    ]);
  });

  test('every permission that is missing is in one change, where no access section exists', () => {
    const [change] = asked(text('controlled'));
    expect(change).toContain(
      'let topic s/t publish into s/q1, and let link:l1 take from s/q1, and let link:l1 publish into s/u',
    );
    const two = `apps: { p: {} }
brokers: { s: { kind: pubsub, topics: { t: {} }, queues: { q: {} }, subscriptions: { a: { topic: t, to: q } } } }
`;
    const graph = buildGraph(readTopology([{ name: 'a', text: two }]));
    const { changes } = whyNot(graph, message({}), { to: 's/t', from: 'app:p' }, 'queue:s/q');
    expect(changes).toMatchObject([
      {
        title: 'let p publish into s/t, and let topic s/t publish into s/q',
        edits: [{ text: expect.stringMatching(/access:\n.*app:p.*\n.*topic:s\/t/) }],
      },
    ]);
  });
});
