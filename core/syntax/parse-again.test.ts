import type { AmqpBrokerDecl } from '../brokers/amqp/declares.ts';
import type { Edge } from '../brokers/terms.ts';
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import fc from 'fast-check';
import { type TextDocument, applyTo } from '../base/edits.ts';
import { type RoutingGraph, buildGraph } from '../routing/graph.ts';
import { parseAgain } from './parse-again.ts';
import { parseDocument } from './parse.ts';
import { type Node, type Tree, startIn } from './tree.ts';
import { plain } from '../testing/plain.ts';
import { replacement, stepTo } from '../testing/steps.ts';
import { TopologyReader, readTopology } from '../topology/read.ts';
import type { Topology } from '../topology/topology.ts';

const DEMO = join(__dirname, '../../demo/draft');
const demo = readdirSync(DEMO).map((name) => ({ name, text: readFileSync(join(DEMO, name), 'utf8') }));

/** `FUZZ=10` tries ten times as many. */
const RUNS = Number(process.env['FUZZ'] ?? 1) * 3;

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

/** A tree as what it says and where each part of it stands. */
function told(tree: Tree): unknown {
  const visit = (node: Node): unknown => {
    const at = [startIn(tree, node), node.length, node.lead, node.kind];
    if (node.kind === 'scalar') return [...at, node.value, node.source, node.quoted];
    if (node.kind === 'list') return [...at, node.flow, node.items.map(visit)];
    return [...at, node.flow, node.entries.map(({ key, value }) => [visit(key), visit(value)])];
  };
  return [tree.root && visit(tree.root), tree.problems, tree.everyday];
}

test('reading again gives what reading all of it gives, and what was read before stays what it was', () => {
  let again = 0;
  fc.assert(
    fc.property(fc.array(edit, { minLength: 1, maxLength: 12 }), fc.boolean(), (edits, windows) => {
      let { text } = demo[edits[0]!.doc % demo.length]!;
      if (windows) text = text.replaceAll('\n', '\r\n');
      let tree = parseDocument(text);
      const before: { tree: Tree; told: unknown }[] = [];
      for (const each of edits) {
        before.push({ tree, told: told(tree) });
        const after = apply(text, each);
        tree = parseAgain(tree, [replacement(text, after)]);
        if (tree.now.size > 0) again++;
        expect(told(tree)).toEqual(told(parseDocument(after)));
        // what broke the text is taken back: half a line being written soon becomes a whole one
        if (tree.everyday) text = after;
        else {
          tree = parseAgain(tree, [replacement(after, text)]);
          expect(told(tree)).toEqual(told(parseDocument(text)));
        }
      }
      for (const { tree: earlier, told: as } of before) expect(told(earlier)).toEqual(as);
    }),
    { numRuns: RUNS * 12 },
  );
  // most edits touch one item's lines, and the whole document is the exception
  expect(again).toBeGreaterThan(10 * RUNS);
});

test('several replacements in one go', () => {
  fc.assert(
    fc.property(fc.array(edit, { minLength: 2, maxLength: 6 }), (edits) => {
      const { text } = demo[edits[0]!.doc % demo.length]!;
      const apart: { start: number; end: number; text: string }[] = [];
      for (const { at, cut, put } of edits) {
        const start = at % (text.length + 1);
        const end = Math.min(text.length, start + cut);
        if (apart.every((other) => other.end < start || end < other.start))
          apart.push({ start, end, text: put });
      }
      const after = applyTo(
        text,
        [...apart].sort((a, b) => a.start - b.start),
      );
      expect(told(parseAgain(parseDocument(text), apart))).toEqual(told(parseDocument(after)));
    }),
    { numRuns: RUNS * 20 },
  );
});

test('only the lines of the edit are read again', () => {
  const text = demo.find(({ name }) => name === 'mainland.yaml')!.text;
  const parsed = parseDocument(text);
  const before = new Set<unknown>();
  const visit = (node: unknown, see: (each: object) => void) => {
    if (typeof node !== 'object' || node === null) return;
    see(node);
    for (const [key, each] of Object.entries(node))
      if (key !== 'within' && key !== 'origin') visit(each, see);
  };
  visit(parsed.root, (node) => before.add(node));
  const after = text.replace(/ttl: \S+/, 'ttl: 99m');
  expect(after).not.toBe(text);
  let fresh = 0;
  visit(parseAgain(parsed, [replacement(text, after)]).root, (node) => {
    if ('kind' in node && !before.has(node)) fresh++;
  });
  // the item, and the maps it is in
  expect(fresh).toBeLessThan(30);
});

/** A topology with the edits of its mends in the place of what works them out. */
function edited(topology: Topology) {
  const findings = topology.findings.map((finding) => ({
    ...finding,
    mends: finding.mends?.map(({ title, edit }) => {
      const { ok, edits, message } = { edits: [], message: '', ...edit(topology) };
      return { title, ok, edits, message };
    }),
  }));
  // what is remembered is no part of what is read
  const { memory: _, names: __, ...read } = topology;
  return { ...read, findings };
}

/** A reader taken from one state of the documents to the next. */
class Along {
  private readonly reader = new TopologyReader();
  private documents: readonly TextDocument[] = [];

  to(documents: readonly TextDocument[], environment?: string) {
    const options = environment ? { environment } : {};
    const part = stepTo(this.reader, this.documents, documents, options);
    this.documents = documents;
    const whole = readTopology(documents, options);
    expect(plain(edited(part), part)).toEqual(plain(edited(whole), whole));
    return { part, whole };
  }
}

/** An edge as plain data. */
function shown(edge: Edge): object {
  const { name: _, with: __, ...rest } = { ...edge } as Edge & { name?: unknown; with?: unknown };
  return { ...rest, id: edge.id };
}

function expectSameGraph(graph: RoutingGraph, anew: RoutingGraph) {
  const [now, then] = [graph.topology, anew.topology];
  expect(plain(graph.edges.map(shown), now)).toEqual(plain(anew.edges.map(shown), then));
  expect(plain(graph.nodes, now)).toEqual(plain(anew.nodes, then));
  for (const end of ['out', 'into'] as const) {
    for (const id of anew.nodes.keys())
      expect(plain((graph[end].get(id) ?? []).map(shown), now)).toEqual(
        plain((anew[end].get(id) ?? []).map(shown), then),
      );
    // what is no longer there has no ways
    for (const [id, edges] of graph[end]) if (!anew.nodes.has(id)) expect(edges).toEqual([]);
  }
}

test('a topology read again and again, and its graph, are what one reading gives', () => {
  fc.assert(
    fc.property(
      fc.array(fc.tuple(edit, fc.constantFrom(undefined, 'rehearsal')), { minLength: 1, maxLength: 8 }),
      (edits) => {
        const along = new Along();
        let documents = demo;
        buildGraph(along.to(documents).part);
        for (const [each, environment] of edits) {
          const chosen = each.doc % documents.length;
          documents = documents.map((document, i) =>
            i === chosen ? { ...document, text: apply(document.text, each) } : document,
          );
          const { part, whole } = along.to(documents, environment);
          const graph = buildGraph(part);
          const anew = buildGraph(whole);
          expectSameGraph(graph, anew);
          for (const node of anew.nodes.values())
            if (node.role === 'exchange')
              expect(graph.router(node).bindings.map((edge) => edge.id)).toEqual(
                anew.router(node).bindings.map((edge) => edge.id),
              );
        }
      },
    ),
    { numRuns: RUNS },
  );
});

test('what an edit did not touch stays the same objects: after the same was read again, and in a broker not touched before', () => {
  const part = (broker: string, i: number) => ({
    name: `${broker}-${i}.yaml`,
    text: `apps: { app-${broker}-${i}: {} }\nbrokers:\n  ${broker}:\n    ${i ? '' : 'kind: amqp\n    '}queues: { q${i}: { maxLength: 5 } }\n    exchanges: { e${i}: { type: topic } }\n    bindings: [{ from: e${i}, to: q${i}, key: a }]\n`,
  });
  const documents = ['m', 'n'].flatMap((broker) => [part(broker, 0), part(broker, 1)]);
  const reader = new TopologyReader();
  let before = reader.read(documents);
  const change = (doc: string, words: string, text: string) => {
    const start = before.documents.find(({ name }) => name === doc)!.text.indexOf(words);
    return reader.change([{ doc, start, end: start + words.length, text }]);
  };
  // a digit in a setting, in one broker and in the other; between them all is read again as it is
  for (const [doc, words, text] of [
    ['m-0.yaml', 'maxLength: 5', 'maxLength: 6'],
    ['n-1.yaml', 'maxLength: 5', 'maxLength: 7'],
    ['m-0.yaml', 'maxLength: 6', 'maxLength: x'],
    ['n-0.yaml', 'maxLength: 5', 'maxLength: 8'],
    ['m-0.yaml', 'maxLength: x', 'maxLength: 9'],
  ] as const) {
    reader.read(before.documents);
    const after = change(doc, words, text);
    expect(after.declared.apps).toBe(before.declared.apps);
    expect(after.names).toBe(before.names);
    const [changed, other] = doc.startsWith('m') ? ['m', 'n'] : ['n', 'm'];
    // what has findings is read anew each time
    if (after.findings.length === 0 || changed === 'm')
      expect(after.declared.brokers!.get(other)).toBe(before.declared.brokers!.get(other));
    const [now, then] = [after, before].map(
      ({ declared }) => declared.brokers!.get(changed)!.value as AmqpBrokerDecl,
    );
    expect(now!.exchanges).toBe(then!.exchanges);
    expect(now!.bindings).toBe(then!.bindings);
    before = after;
  }
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
  test('the type of the exchange that an MQTT taker meets', () => {
    const far = (type: string) => [
      {
        name: 'far.yaml',
        text: `brokers:\n  n: { kind: amqp, mqtt: { exchange: far }, exchanges: { far: { type: ${type} } } }\n`,
      },
      { name: 'near.yaml', text: 'apps:\n  watch: { consumes: [{ from: n, via: mqtt, topic: "a/#" }] }\n' },
    ];
    const along = new Along();
    buildGraph(along.to(far('topic')).part);
    const conditions: string[] = [];
    for (const type of ['fanout', 'direct', 'topic']) {
      const { part, whole } = along.to(far(type));
      const graph = buildGraph(part);
      conditions.push(graph.edges.find(({ kind }) => kind === 'binding')!.condition.op);
      expectSameGraph(graph, buildGraph(whole));
    }
    expect(conditions).toEqual(['always', 'equals', 'words']);
  });
  test('whether an app in another document runs', () => {
    const running = (instances: number) => [
      {
        name: 'apps.yaml',
        text: `apps:\n  board: { instances: ${instances}, consumes: [{ from: n/one }] }\n`,
      },
      {
        name: 'broker.yaml',
        text: 'brokers:\n  n: { kind: amqp, exchanges: { e: { type: fanout } }, queues: { each: { perInstanceOf: board }, one: {} }, bindings: [{ from: e, to: each }] }\n',
      },
    ];
    const along = new Along();
    buildGraph(along.to(running(1)).part);
    const seen: string[] = [];
    for (const instances of [0, 2, 0]) {
      const { part, whole } = along.to(running(instances));
      const graph = buildGraph(part);
      seen.push(graph.edges.map(({ kind, condition }) => `${kind} ${condition.op}`).join(', '));
      expectSameGraph(graph, buildGraph(whole));
    }
    expect(seen).toEqual(['binding never', 'binding always, take always', 'binding never']);
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
    const along = new Along();
    buildGraph(along.to(base).part);
    for (const next of [documents, base, documents]) {
      const { part, whole } = along.to(next);
      const graph = buildGraph(part);
      expectSameGraph(graph, buildGraph(whole));
    }
  });
});
