import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import fc from 'fast-check';
import { buildGraph, type RoutingGraph } from '../routing/graph.ts';
import { plain } from '../testing/plain.ts';
import { changeBetween, parseAgain } from './parse-again.ts';
import { parseDocument } from './parse.ts';
import { readTopology, TopologyReader, type Topology, type TopologyDocument } from './read.ts';

const DEMO = join(__dirname, '../../demo/draft');
const demo = readdirSync(DEMO).map((name) => ({ name, text: readFileSync(join(DEMO, name), 'utf8') }));

/** Things people type, and things that break a line. */
const TYPED = fc.constantFrom(
  '',
  'x',
  ' ',
  '  ',
  '\n',
  '\n\n',
  ': ',
  '- ',
  '#',
  ' # a word\n',
  '{',
  ' }',
  ', ',
  '"',
  '      boards-2: { ttl: 5m }\n',
  '      - { from: sailings, to: boards, key: "a.#" }\n',
  '        note: a word\n',
  '    note: a word\n',
  'extra:\n  a: 1\n',
  '\n      - from: sailings\n        to: boards\n',
);
const edit = fc.record({ at: fc.nat(), cut: fc.nat(30), put: TYPED, doc: fc.nat() });

function apply(text: string, { at, cut, put }: { at: number; cut: number; put: string }): string {
  const start = at % (text.length + 1);
  return text.slice(0, start) + put + text.slice(start + cut);
}

/** A tree without what is kept with its nodes. */
const bare = (tree: unknown) =>
  JSON.parse(
    JSON.stringify(tree, (key, value: unknown) => (key === 'memo' || key === 'place' ? undefined : value)),
  );

test('the change between two texts is the smallest', () => {
  fc.assert(
    fc.property(fc.string({ unit: fc.constantFrom('a', 'b') }), edit, (text, each) => {
      const after = apply(text, each);
      const { start, end, by } = changeBetween(text, after);
      expect(text.slice(0, start) + after.slice(start, end + by) + text.slice(end)).toBe(after);
      if (start < end && start < end + by) expect(text[start]).not.toBe(after[start]);
    }),
  );
  const long = 'x'.repeat(20_000);
  expect(changeBetween(`${long}a${long}`, `${long}bc${long}`)).toEqual({ start: 20_000, end: 20_001, by: 1 });
});

test('reading again gives what reading all of it gives', () => {
  let again = 0;
  fc.assert(
    fc.property(fc.array(edit, { minLength: 1, maxLength: 12 }), (edits) => {
      let { text } = demo[edits[0]!.doc % demo.length]!;
      let parsed = parseDocument(text);
      for (const each of edits) {
        const after = apply(text, each);
        const whole = parseDocument(after);
        const part = parseAgain(parsed, text, after);
        if (part) {
          again++;
          expect(bare(part)).toEqual(bare(whole));
          parsed = part;
          text = after;
        } else if (whole.everyday) {
          parsed = whole;
          text = after;
        }
      }
    }),
    { numRuns: 300 },
  );
  // most edits touch one item's lines, and the whole document is the exception
  expect(again).toBeGreaterThan(100);
});

test('only the lines of the edit are read again', () => {
  const text = demo.find(({ name }) => name === 'mainland.yaml')!.text;
  const parsed = parseDocument(text);
  const before = new Set<unknown>();
  const visit = (node: unknown, see: (each: object) => void) => {
    if (typeof node !== 'object' || node === null) return;
    see(node);
    for (const each of Object.values(node)) visit(each, see);
  };
  visit(parsed.root, (node) => before.add(node));
  const after = text.replace(/ttl: \S+/, 'ttl: 99m');
  expect(after).not.toBe(text);
  let fresh = 0;
  visit(parseAgain(parsed, text, after)!.root, (node) => {
    if ('kind' in node && !before.has(node)) fresh++;
  });
  // the item, and the maps it is in
  expect(fresh).toBeLessThan(30);
});

/** A topology with the edits of its mends in the place of what works them out. */
function edited(topology: Topology) {
  const findings = topology.findings.map((finding) => ({
    ...finding,
    mends: finding.mends?.map(({ title, edit }) => ({ title, edited: edit(topology) })),
  }));
  return { ...topology, findings };
}

function expectSame(reader: TopologyReader, documents: TopologyDocument[], environment?: string) {
  const options = environment ? { environment } : {};
  const part = reader.read(documents, options);
  const whole = readTopology(documents, options);
  expect(plain(edited(part))).toEqual(plain(edited(whole)));
  return { part, whole };
}

function expectSameGraph(graph: RoutingGraph, anew: RoutingGraph) {
  expect(plain(graph.edges)).toEqual(plain(anew.edges));
  expect(plain(graph.nodes)).toEqual(plain(anew.nodes));
  for (const end of ['out', 'into'] as const) {
    for (const id of anew.nodes.keys())
      expect(plain(graph[end].get(id) ?? [])).toEqual(plain(anew[end].get(id) ?? []));
    // what is no longer there has no ways
    for (const [id, edges] of graph[end]) if (!anew.nodes.has(id)) expect(edges).toEqual([]);
  }
  expect([...graph.routers.keys()].sort()).toEqual([...anew.routers.keys()].sort());
}

test('a topology read again and again, and its graph, are what one reading gives', () => {
  fc.assert(
    fc.property(
      fc.array(fc.tuple(edit, fc.constantFrom(undefined, 'rehearsal')), { minLength: 1, maxLength: 8 }),
      (edits) => {
        const reader = new TopologyReader();
        let documents = demo;
        let graph = buildGraph(reader.read(documents));
        for (const [each, environment] of edits) {
          const chosen = each.doc % documents.length;
          documents = documents.map((document, i) =>
            i === chosen ? { ...document, text: apply(document.text, each) } : document,
          );
          const { part, whole } = expectSame(reader, documents, environment);
          graph = buildGraph(part, graph);
          const anew = buildGraph(whole);
          expectSameGraph(graph, anew);
          for (const [id, router] of anew.routers)
            expect(graph.routers.get(id)!.bindings.map((edge) => edge.id)).toEqual(
              router.bindings.map((edge) => edge.id),
            );
        }
      },
    ),
    { numRuns: 25 },
  );
});

describe('what hangs on something elsewhere is seen to change', () => {
  const base = [
    {
      name: 'a.yaml',
      text: 'parameters:\n  wait: { default: 5m }\nbrokers:\n  m:\n    kind: amqp\n    queues:\n      boards: { ttl: "${wait}" }\n    exchanges:\n      e: { type: topic }\n',
    },
    {
      name: 'b.yaml',
      text: 'brokers:\n  m:\n    bindings:\n      - { from: e, to: boards, key: "#" }\n      - { from: e, to: boards, key: "#" }\n',
    },
  ];
  const changed = (doc: number, from: string, to: string) =>
    base.map((each, i) => (i === doc ? { ...each, text: each.text.replace(from, to) } : each));
  test('the type of an exchange on another broker, bound from here', () => {
    const far = (type: string) => [
      { name: 'far.yaml', text: `brokers:\n  n: { kind: amqp, exchanges: { far: { type: ${type} } } }\n` },
      { name: 'near.yaml', text: base[0]!.text },
      {
        name: 'bound.yaml',
        text: 'brokers:\n  m:\n    bindings:\n      - { from: n/far, to: boards, key: "a.#" }\n',
      },
    ];
    const reader = new TopologyReader();
    let graph = buildGraph(reader.read(far('topic')));
    for (const type of ['fanout', 'direct', 'topic']) {
      const { part, whole } = expectSame(reader, far(type));
      graph = buildGraph(part, graph);
      expect(graph.edges).toHaveLength(1);
      expectSameGraph(graph, buildGraph(whole));
    }
  });
  test.each([
    ['a parameter’s value', changed(0, '5m', '9m')],
    ['a parameter’s name', changed(0, 'wait:', 'weight:')],
    ['the name of a queue that is bound', changed(0, 'boards', 'tables')],
    [
      'a second thing of the same name',
      changed(0, 'exchanges:', 'exchanges:\n      boards: { type: fanout }'),
    ],
    ['the type of an exchange', changed(0, 'topic', 'fanout')],
    ['one of two bindings that are alike', changed(1, 'key: "#" }\n', 'key: "a" }\n')],
    ['text above everything', changed(1, 'brokers', '# a comment\nbrokers')],
  ])('%s', (_, documents) => {
    const reader = new TopologyReader();
    let graph = buildGraph(reader.read(base));
    for (const next of [documents, base, documents]) {
      const { part, whole } = expectSame(reader, next);
      graph = buildGraph(part, graph);
      expectSameGraph(graph, buildGraph(whole));
    }
  });
});
