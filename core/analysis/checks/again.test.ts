import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import fc from 'fast-check';
import { type Checked, checkAll } from './run.ts';
import { settingsOf } from '../../assist/settings.ts';
import { usesOf } from '../../assist/symbols.ts';
import type { TextDocument } from '../../base/edits.ts';
import { type RoutingGraph, buildGraph } from '../../routing/graph.ts';
import { spanOf } from '../../syntax/place.ts';
import { CASES } from '../../testing/check-cases.ts';
import { plain } from '../../testing/plain.ts';
import { randomTopology, topologies } from '../../testing/random-topology.ts';
import { stepTo } from '../../testing/steps.ts';
import { declarationOf, declarationsIn } from '../../topology/declarations.ts';
import { TopologyReader, readTopology } from '../../topology/read.ts';
import type { Finding, Topology } from '../../topology/topology.ts';

const RUNS = Number(process.env['FUZZ'] ?? 1) * 3;

const DEMO = join(__dirname, '../../../demo/draft');
const demo: readonly TextDocument[] = readdirSync(DEMO).map((name) => ({
  name,
  text: readFileSync(join(DEMO, name), 'utf8'),
}));

/** Everything checks say, in an order of its own, the places as they are now. */
const said = (topology: Topology, { findings, accepted }: Checked): string[] => {
  const one = ({ check, severity, message, about, place, mends }: Finding) =>
    JSON.stringify([
      check,
      severity,
      message,
      about,
      spanOf(topology, place),
      mends?.map(({ title }) => title),
    ]);
  return [
    ...findings.map(one),
    ...accepted.map(({ finding, because }) => `${one(finding)} because ${because}`),
  ].sort();
};

/** Every node and the ways from it and to it, in their order; the nodes in one of their own. */
function ways({ topology, nodes, out, into }: RoutingGraph): unknown {
  const lists = (of: RoutingGraph['out']) =>
    [...of]
      .filter(([, list]) => list.length > 0)
      .map(([id, list]) => [id, list.map((edge) => [edge.id, edge.label, plain(edge.condition, topology)])])
      .sort();
  return [[...nodes.keys()].sort(), lists(out), lists(into)];
}

/** What the interface asks of every thing there is. */
function asked(topology: Topology): unknown {
  return [...declarationsIn(topology)].map(({ of, place }) => [
    of,
    spanOf(topology, place),
    spanOf(topology, declarationOf(topology, of)!),
    settingsOf(topology, of).map(({ name, written }) => [name, written]),
    usesOf(topology, of).map((use) => spanOf(topology, use)),
  ]);
}

/** One reader, graph and checking, taken from one state of the text to the next. */
class Along {
  private readonly reader = new TopologyReader();
  private documents: readonly TextDocument[] = [];
  /** Every state so far, with what was said of it. */
  private readonly earlier: { readonly topology: Topology; readonly said: unknown }[] = [];

  /** Goes on to documents, and compares with what these give by themselves. */
  expectSame(documents: readonly TextDocument[]): void {
    const topology = stepTo(this.reader, this.documents, documents);
    this.documents = documents;
    const graph = buildGraph(topology);
    const again = said(topology, checkAll(graph));
    const whole = readTopology(documents);
    const fresh = buildGraph(whole);
    expect(ways(graph)).toEqual(ways(fresh));
    expect(again).toEqual(said(whole, checkAll(fresh)));
    expect(plain(topology.declared, topology)).toEqual(plain(whole.declared, whole));
    expect(plain(topology.messages, topology)).toEqual(plain(whole.messages, whole));
    expect(asked(topology)).toEqual(asked(whole));
    this.earlier.push({ topology, said: asked(topology) });
  }

  /** Whoever still holds an earlier state finds it as it was. */
  expectEarlierStand(): void {
    for (const { topology, said: before } of this.earlier) expect(asked(topology)).toEqual(before);
  }
}

const cuts = fc.array(fc.tuple(fc.nat(), fc.nat(), fc.integer({ min: 1, max: 2 ** 31 - 1 })), {
  minLength: 1,
  maxLength: 8,
});

test('lines of random topologies in the place of others', () => {
  fc.assert(
    fc.property(topologies, cuts, (seed, edits) => {
      const along = new Along();
      let lines = randomTopology(seed).split('\n');
      along.expectSame([{ name: 'a.yaml', text: lines.join('\n') }]);
      for (const [from, , other] of edits) {
        const others = randomTopology(other).split('\n');
        const at = from % lines.length;
        lines = [...lines.slice(0, at), ...others.slice(at, at + 1), ...lines.slice(at + 1)];
        along.expectSame([{ name: 'a.yaml', text: lines.join('\n') }]);
      }
      along.expectEarlierStand();
    }),
    { numRuns: RUNS },
  );
});

test('lines of the demo’s documents moved, doubled, swapped and taken away', () => {
  fc.assert(
    fc.property(cuts, (edits) => {
      const along = new Along();
      along.expectSame(demo);
      let documents = demo;
      for (const [which, from, what] of edits) {
        const chosen = which % demo.length;
        documents = documents.map((document, i) => {
          if (i !== chosen) return document;
          const lines = document.text.split('\n');
          const at = from % lines.length;
          const put = [[], [lines[at]!, lines[at]!], [lines[what % lines.length]!], ['']][what % 4]!;
          return { ...document, text: lines.toSpliced(at, 1, ...put).join('\n') };
        });
        along.expectSame(documents);
      }
      // and back, by one document after the other
      for (const [i, document] of demo.entries())
        along.expectSame((documents = documents.map((each, k) => (k === i ? document : each))));
    }),
    { numRuns: RUNS },
  );
});

/**
 * Brokers of either kind that three documents declare together, with whatever is looked at piece by piece: the
 * same binding in two places, dead letters, wire names, settings that some leave out, owners, what hands over
 * and what does not, queues for each instance of an app that has none. Of a document with anchors, as the last
 * one is, nothing is read piece by piece, so the others have none. Not made here: names that nothing has, of
 * which there are enough once lines have changed places.
 */
const shared: readonly TextDocument[] = [
  `vondle: 1
topology: shared
tenant: quay
messages:
  left: { key: "left.{area}", headers: { area: { type: string } } }
apps:
  sender: { publishes: [{ message: left, to: m/in }, { message: left, to: s/news }] }
  taker: { instances: 1, consumes: [{ from: m/a }, { from: m/b }, { from: s/kept }] }
brokers:
  m:
    kind: amqp
    exchanges:
      in: { type: topic }
      more: { type: fanout, unroutedTo: in }
    queues:
      a: { ttl: 1m, maxLength: 10 }
      b: { ttl: 1m, deadLetter: { to: more }, perInstanceOf: taker }
    bindings:
      - { from: in, to: a, key: left.* }
      - { from: in, to: b, key: "left.#" }
      - { from: in, to: c, key: left.north }
      - { from: more, to: d }
`,
  `brokers:
  m:
    exchanges:
      other: { type: direct, wireName: others }
    queues:
      c: { ttl: 2m, deadLetter: { to: more, key: gone } }
      d: { ttl: 2m, wireName: a, tenant: quay }
    bindings:
      - { from: in, to: a, key: left.* }
      - { from: other, to: more, key: "" }
      - { from: in, to: c, key: left.north }
  s:
    kind: pubsub
    topics:
      news: {}
    queues:
      held: {}
    subscriptions:
      kept: { topic: news, tenant: quay }
      over: { topic: news, to: held, deadLetter: { to: held } }
`,
  `brokers:
  m:
    queues:
      e: { maxLength: 10 }
    bindings:
      - { from: more, to: e }
      - &twice { from: in, to: e, key: nothing }
      - *twice
      - { from: in, to: a, key: left.* }
    aliases:
      front: { to: in }
tenants:
  quay: {}
`,
].map((text, i) => ({ name: `${i}.yaml`, text }));

test('documents that declare brokers together are right as they are', () => {
  expect(readTopology(shared).findings.map(({ message }) => message)).toEqual([]);
});

const PUT = [
  'instances: 0',
  'instances: 1',
  'to: held',
  'ttl: 1m',
  'unroutedTo: more',
  'wireName: a',
  'perInstanceOf: taker',
];

test('lines of documents that declare brokers together', () => {
  fc.assert(
    fc.property(cuts, (edits) => {
      const along = new Along();
      along.expectSame(shared);
      let documents = shared;
      for (const [which, from, what] of edits) {
        const all = documents.flatMap(({ text }) => text.split('\n'));
        documents = documents.map((document, i) => {
          if (i !== which % shared.length) return document;
          const lines = document.text.split('\n');
          const at = from % lines.length;
          const line = lines[at]!;
          const put = [
            [],
            [line, line],
            [all[what % all.length]!],
            [line, all[what % all.length]!],
            [line.replace(/\{ /, `{ ${PUT[what % PUT.length]!}, `)],
            [line.replace(/\w+(?=[,} ]*$)/, 'a')],
          ][what % 6]!;
          return { ...document, text: lines.toSpliced(at, 1, ...put).join('\n') };
        });
        along.expectSame(documents);
      }
      for (const [i, document] of shared.entries())
        along.expectSame((documents = documents.map((each, k) => (k === i ? document : each))));
      along.expectEarlierStand();
    }),
    { numRuns: 10 * RUNS },
  );
});

test('a queue that becomes one for each instance of an app that has none', () => {
  const along = new Along();
  const with0 = shared.map((each) => ({ ...each, text: each.text.replace('instances: 1', 'instances: 0') }));
  along.expectSame(with0);
  const of = (setting: string) =>
    with0.map((each) => ({
      ...each,
      text: each.text.replace('    a: { ttl: 1m,', `    a: { ttl: 1m, ${setting}`),
    }));
  along.expectSame(of('perInstanceOf: taker,'));
  along.expectSame(with0);
});

test('documents that come, go and change places', () => {
  fc.assert(
    fc.property(fc.array(fc.subarray([...demo.keys()], { minLength: 1 }), { maxLength: 6 }), (states) => {
      const along = new Along();
      along.expectSame(demo);
      for (const [step, indexes] of states.entries()) {
        const chosen = indexes.map((index) => demo[index]!);
        along.expectSame(step % 2 ? chosen.reverse() : chosen);
      }
      along.expectSame(demo);
    }),
    { numRuns: RUNS },
  );
});

describe('into what a check finds and out of it again', () => {
  test.each(CASES)('$check: $what', ({ has, nearly }) => {
    const clean = has.replace(nearly[0], nearly[1]);
    const state = (text: string) => [
      { name: 'a.yaml', text },
      { name: 'b.yaml', text: 'messages:\n  unrelated-thing: { key: other.thing }\n' },
    ];
    const along = new Along();
    for (const text of [clean, has, clean, has, `# moved\n${has}`, clean]) along.expectSame(state(text));
  });
});
