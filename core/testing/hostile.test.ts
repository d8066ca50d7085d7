/**
 * Documents that are made to hurt: nothing hangs, overflows or throws, and what is right beside them is still read.
 * `FUZZ=50` mangles fifty times as many texts.
 *
 * What the mangler cannot make: texts that are hostile by their size alone, and chains; those are made one by one.
 */
import fc from 'fast-check';
import { checkAll, type Checked } from '../analysis/checks/run.ts';
import { proveAll } from '../analysis/expectations/prove.ts';
import { message } from '../conditions/message.ts';
import { hopsOf, trace } from '../routing/trace.ts';
import { buildGraph, type RoutingGraph } from '../routing/graph.ts';
import { LONGEST_TOGETHER, TopologyReader, readTopology } from '../topology/read.ts';
import { demo } from './demo.ts';
import './seed.ts';

const MORE = Number(process.env['FUZZ'] ?? 1);
const each = (count: number, line: (i: number) => string, by = '\n') =>
  Array.from({ length: count }, (_, i) => line(i)).join(by);

/** Reads, checks and proves a text. */
function all(...texts: string[]): { graph: RoutingGraph; checked: Checked; said: string[] } {
  const topology = readTopology(texts.map((text, i) => ({ name: `${i}.yaml`, text })));
  const graph = buildGraph(topology);
  const checked = checkAll(graph);
  proveAll(graph);
  return {
    graph,
    checked,
    said: [...topology.findings, ...checked.findings].map(
      ({ check, message: words }) => `${check}: ${words}`,
    ),
  };
}

const ends = (graph: RoutingGraph, to: string) =>
  trace(graph, message({ key: 'a' }), { to }).trace.ends.map(({ end }) => end.outcome);

const SENDER =
  'messages: { m: { key: a } }\napps: { p: { publishes: [{ message: m, to: b/e0, rate: 1/s }] }, t: { consumes: [{ from: b/q, takes: 1s }] } }\n';
const on = (lines: string) => `${SENDER}brokers:\n  b:\n    kind: amqp\n    access: open\n${lines}\n`;

describe('in a row', () => {
  test('ten thousand aliases', () => {
    const { graph, said } = all(
      on(
        `    queues: { q: {} }\n    aliases:\n${each(10_000, (i) => `      e${i}: { to: ${i === 9_999 ? 'q' : `e${i + 1}`} }`)}`,
      ),
    );
    expect(ends(graph, 'b/e0')).toEqual(['taken']);
    expect(said).toEqual([expect.stringContaining('b/e0 leads through more than 64 other aliases')]);
  });

  test('a circle of aliases is told once', () => {
    const { graph, said } = all(
      on(
        `    aliases: { ${each(50, (i) => `e${i}: { to: e${(i + 1) % 50} }`, ', ')} }\n    queues: { q: {} }`,
      ),
    );
    expect(ends(graph, 'b/e7')).toEqual(['unresolved']);
    expect(said.filter((words) => words.startsWith('nowhere/alias-chain'))).toHaveLength(1);
  });

  test.each([
    ['the one above', (i: number) => (i ? `extends: m${i - 1}` : '')],
    ['the one below', (i: number) => (i < 4_999 ? `extends: m${i + 1}` : '')],
  ])('five thousand types, each extending %s', (_, parent) => {
    const { said } = all(
      `messages:\n${each(5_000, (i) => `  m${i}: { ${parent(i)}${parent(i) ? ', ' : ''}headers: { h${i}: {} } }`)}\n`,
    );
    expect(said.length).toBeLessThan(110);
    expect(said[0]).toContain('language/extends-too-deep');
  });

  test('four thousand exchanges, and a ring of unrouted-to', () => {
    const bound = all(
      on(
        `    exchanges: { ${each(4_000, (i) => `e${i}: { type: fanout }`, ', ')} }\n    queues: { q: {} }\n    bindings:\n${each(4_000, (i) => `      - { from: e${i}, to: ${i === 3_999 ? 'q' : `e${i + 1}`} }`)}`,
      ),
    );
    expect(ends(bound.graph, 'b/e0')).toEqual(['taken']);
    const ring = all(
      on(
        `    exchanges: { ${each(4_000, (i) => `e${i}: { type: topic, unroutedTo: e${(i + 1) % 4_000} }`, ', ')} }`,
      ),
    );
    expect(ends(ring.graph, 'b/e0')).toEqual(['lost']);
  });

  test('two thousand links', () => {
    const { graph } = all(
      `brokers:\n${each(2_001, (i) => `  b${i}: { kind: amqp, access: open, queues: { q: {} } }`)}\nlinks:\n${each(2_000, (i) => `  l${i}: { from: b${i}/q, to: b${i + 1}/q }`)}\n`,
    );
    const { trace: found } = trace(graph, message({}), { to: 'b0/q' });
    expect(found.rests).toMatchObject([{ node: 'queue:b2000/q' }]);
    expect([...hopsOf(found)]).toHaveLength(2_001);
  });

  test('ten thousand terms, and twenty thousand alternatives', () => {
    const filtered = (selector: string) =>
      all(
        `messages: { m: { headers: { a: { type: integer } } } }\napps: { p: { publishes: [{ message: m, to: s/t }] } }\nbrokers: { s: { kind: pubsub, access: open, topics: { t: {} }, subscriptions: { x: { topic: t, filter: { selector: "${selector}" } } } } }\n`,
      );
    const sum = filtered(`${each(10_000, () => 'a', ' + ')} > 1`);
    expect(trace(sum.graph, message({ headers: { a: 1 } }), { to: 's/t' }).trace.copies).toBe(1);
    const some = filtered(each(20_000, (i) => `a = ${i}`, ' OR '));
    expect(trace(some.graph, message({ headers: { a: 19_999 } }), { to: 's/t' }).trace.copies).toBe(1);
  });
});

describe('what multiplies', () => {
  test('ways beside each other, forty times', () => {
    const { graph } = all(
      on(
        `    exchanges: { ${each(41, (i) => `e${i}: { type: fanout }, f${i}: { type: fanout }`, ', ')} }\n    queues: { q: {} }\n    bindings:\n${each(40, (i) => `      - { from: e${i}, to: e${i + 1} }\n      - { from: e${i}, to: f${i} }\n      - { from: f${i}, to: e${i + 1} }`)}\n      - { from: e40, to: q }`,
      ),
    );
    expect(ends(graph, 'b/e0')).toEqual(['taken']);
  });

  test('aliases of aliases: one finding, in words, and the other documents are read', () => {
    const bomb = `x: &a [1, 2, 3, 4, 5, 6, 7, 8, 9]\n${each(12, (i) => `y${i}: &${'bcdefghijklmn'[i]} [${each(9, () => `*${'abcdefghijklm'[i]}`, ', ')}]`)}\n`;
    const { said, graph } = all(
      bomb,
      on(
        '    exchanges: { e0: { type: fanout } }\n    queues: { q: {} }\n    bindings: [{ from: e0, to: q }]',
      ),
    );
    expect(said).toEqual([
      'language/syntax: Aliases in this document stand for more than 20,000 values, by far more than is written; nothing of it is read. Write out what is meant.',
    ]);
    expect(ends(graph, 'b/e0')).toEqual(['taken']);
  });

  test('a pattern that keeps an ordinary matcher busy for ever', () => {
    const { said } = all(
      `messages: { m: { headers: { h: { type: string, pattern: "^(a+)+$" } }, examples: [{ headers: { h: "${'a'.repeat(60)}!" } }] } }\n`,
    );
    expect(said).toEqual([expect.stringContaining('loss/bad-example')]);
  });

  test('schemas that refer to themselves', () => {
    const { said } = all(
      'messages: { m: { body: { $ref: "#" }, examples: [{ body: { a: 1 } }] }, n: { headers: { h: { allOf: [{ $ref: "#/a" }] } }, examples: [{ headers: { h: 1 } }] } }\n',
    );
    expect(said.every((words) => words.startsWith('loss/'))).toBe(true);
  });
});

describe('what is too much', () => {
  const long = (mib: number, name: string) => `apps:\n  ${name}: {}\n# ${'x'.repeat(mib * 1024 * 1024)}\n`;

  test('four documents of 13 MiB: as many are read as there is room for, and the others are named', () => {
    const topology = readTopology(['a', 'b', 'c', 'd'].map((name) => ({ name, text: long(13, name) })));
    expect([...topology.declared.apps!.keys()]).toEqual(['a', 'b']);
    expect(topology.findings.map(({ check, place }) => [check, place.doc])).toEqual([
      ['language/too-large', 'c'],
      ['language/too-large', 'd'],
    ]);
    expect(13 * 3 * 1024 * 1024).toBeGreaterThan(LONGEST_TOGETHER);
  });

  test('one that grows takes the room of the next, and gives it back', () => {
    const reader = new TopologyReader();
    const apps = () => [...(topology.declared.apps?.keys() ?? [])];
    let topology = reader.read(['a', 'b', 'c'].map((name) => ({ name, text: long(10, name) })));
    expect(apps()).toEqual(['a', 'b', 'c']);
    const more = '# '.padEnd(4 * 1024 * 1024, 'x');
    topology = reader.change([{ doc: 'a', start: 0, end: 0, text: `${more}\n` }]);
    expect(apps()).toEqual(['a', 'b']);
    topology = reader.change([{ doc: 'a', start: 0, end: more.length + 1, text: '' }]);
    expect(apps()).toEqual(['a', 'b', 'c']);
    expect(topology.findings).toEqual([]);
  });
});

test.each([
  ['brackets', '['.repeat(20_000)],
  ['braces', `a: ${'{ b: '.repeat(5_000)}`],
  ['indentation', each(3_000, (i) => `${' '.repeat(i)}a:`)],
  ['tabs', `${'\t'.repeat(100_000)}a: b\n`],
  ['line ends', 'a:\r'.repeat(50_000)],
  ['escapes', `a: "${'\\u0000'.repeat(50_000)}`],
  ['dashes', '- '.repeat(20_000)],
  ['question marks', '? '.repeat(5_000)],
  ['NUL', 'apps: { a: {} }\n# \0\n'],
  ['bytes that were no UTF-8', 'apps: { a: { note: "\ufffd" } }\n'],
  ['merge keys', 'x: &a { q: {} }\nbrokers: { b: { kind: amqp, queues: { <<: *a } } }\n'],
])('nothing but %s is a finding, and what is beside it is read', (_, text) => {
  const { said, graph } = all(text, 'apps: { beside: {} }\n');
  expect(said.filter((words) => words.startsWith('language/')).length).toBeGreaterThan(0);
  expect(graph.topology.declared.apps?.has('beside')).toBe(true);
});

test('keys that stand twice are told wherever they stand', () => {
  const twice = [
    'messages: { m: { headers: { h: { type: string, type: integer } } } }',
    'messages: { m: { examples: [{ headers: { a: 1, a: 2 } }] } }',
    'brokers: { s: { kind: pubsub, topics: { t: {} }, subscriptions: { x: { topic: t, filter: { match: { a: 1, a: 2 } } } } } }',
    'brokers: { b: { kind: amqp, exchanges: { x: { type: headers } }, queues: { q: {} }, bindings: [{ from: x, to: q, headers: { values: { a: 1, a: 2 } } }] } }',
    'parameters: { p: { default: 1, default: 2 } }',
  ];
  for (const text of twice)
    expect(readTopology([{ name: 'a', text }]).findings.map(({ check }) => check)).toEqual([
      'language/declared-twice',
    ]);
});

test('texts mangled at random', () => {
  const texts = demo('draft').map(({ text }) => text);
  const piece = fc.constantFrom(
    '{',
    '}',
    '[',
    ']',
    ':',
    ' ',
    '\n',
    '- ',
    '&a',
    '*a',
    '!t',
    '|',
    '>',
    '"',
    "'",
    '#',
    '${x}',
    '\0',
    '\t',
    '<<: ',
    '__proto__: ',
    '999999999999999999999',
    '*',
    '\u{1f6a2}',
  );
  fc.assert(
    fc.property(
      fc.nat(),
      fc.array(fc.record({ at: fc.nat(), cut: fc.nat(40), put: fc.array(piece, { maxLength: 4 }) }), {
        minLength: 1,
        maxLength: 6,
      }),
      (which, edits) => {
        let text = texts[which % texts.length]!;
        for (const { at, cut, put } of edits) {
          const start = at % (text.length + 1);
          text = text.slice(0, start) + put.join('') + text.slice(start + cut);
        }
        const { graph } = all(text, 'apps: { beside: {} }\n');
        expect(graph.topology.declared.apps?.has('beside')).toBe(true);
      },
    ),
    { numRuns: 25 * MORE },
  );
});
