import fc from 'fast-check';
import { type Arrivals, arrivalsIn } from './arrivals.ts';
import { sendingsOf } from '../samples/kept.ts';
import { spreadOf } from '../samples/spread.ts';
import { buildGraph } from '../../routing/graph.ts';
import type { Hop } from '../../routing/hop.ts';
import { trace, traceDeadLetter } from '../../routing/trace.ts';
import { randomTopology, topologies } from '../../testing/random-topology.ts';
import { stepTo } from '../../testing/steps.ts';
import { TopologyReader, readTopology } from '../../topology/read.ts';

const RUNS = 120 * Number(process.env['FUZZ'] ?? 1);
const read = (text: string) => readTopology([{ name: 'a.yaml', text }]);

function hopsOf(hop: Hop): Hop[] {
  return [hop, ...hop.next.flatMap(hopsOf)];
}

/** What comes where, in an order of its own. */
const sign = (arrivals: Arrivals): string[] =>
  [...arrivals]
    .filter(([, all]) => all.length > 0)
    .map(
      ([node, all]) =>
        `${node}: ${all.map(({ type, key, wrapped }) => `${type.id} ${key} ${wrapped}`).join()}`,
    )
    .sort();

test('whatever a trace comes by, its type is said to come by', () => {
  let hops = 0;
  fc.assert(
    fc.property(topologies, (seed) => {
      // what is refused stops a trace, and not what may come
      const graph = buildGraph(
        read(
          randomTopology(seed).replaceAll('access: controlled', 'access: open').replaceAll('deny:', 'allow:'),
        ),
      );
      const arrivals = arrivalsIn(graph);
      for (const type of graph.topology.messages.values()) {
        for (const message of spreadOf(type, 30)) {
          for (const sending of sendingsOf(graph.topology, type.id)) {
            const { trace: found } = trace(graph, message, sending);
            const all = hopsOf(found.root);
            // a store gives up what rests there, whose key may be another by then
            for (const { node, message: held, end } of hopsOf(found.root))
              if (end?.outcome === 'held' || end?.outcome === 'taken')
                all.push(...hopsOf(traceDeadLetter(graph, node, held, 'rejected').trace.root));
            for (const { node } of all) {
              if (!graph.nodes.has(node)) continue;
              hops++;
              const here = (arrivals.get(node) ?? []).map((each) => each.type.id);
              expect([seed, type.id, node, here]).toEqual([
                seed,
                type.id,
                node,
                expect.arrayContaining([type.id]),
              ]);
            }
          }
        }
      }
    }),
    { numRuns: RUNS },
  );
  expect(hops).toBeGreaterThan(1000);
});

test('followed again after edits, they are what following all of them gives', () => {
  fc.assert(
    fc.property(
      topologies,
      fc.array(fc.tuple(fc.nat(), topologies), { minLength: 1, maxLength: 6 }),
      (seed, edits) => {
        const reader = new TopologyReader();
        let lines = randomTopology(seed).split('\n');
        let documents = [{ name: 'a.yaml', text: lines.join('\n') }];
        let graph = buildGraph(reader.read(documents));
        arrivalsIn(graph);
        for (const [from, other] of edits) {
          const others = randomTopology(other).split('\n');
          const at = from % lines.length;
          lines = [...lines.slice(0, at), ...others.slice(at, at + 1), ...lines.slice(at + 1)];
          const next = [{ name: 'a.yaml', text: lines.join('\n') }];
          graph = buildGraph(stepTo(reader, documents, next));
          documents = next;
          expect(sign(arrivalsIn(graph))).toEqual(sign(arrivalsIn(buildGraph(readTopology(next)))));
        }
      },
    ),
    { numRuns: RUNS },
  );
});

const SMALL = `vondle: 1
topology: small
messages:
  note: { key: a/b }
apps:
  sender: { publishes: [{ message: note, to: m/in, rate: 1/s }] }
  other: { publishes: [{ message: note, via: mqtt, to: m }] }
brokers:
  m:
    kind: amqp
    mqtt: { exchange: in }
    exchanges: { in: { type: topic, unroutedTo: rest }, rest: { type: fanout } }
    queues: { some: {}, left: {} }
    bindings:
      - { from: in, to: some, key: a.b }
      - { from: rest, to: left }
`;

/** One edit at a time, each of which moves messages by one thing alone: random ones rarely do. */
test.each([
  ['all goes a way that let some go where nothing matched', 'key: a.b', 'key: "#"'],
  ['nothing matches any more', 'key: a.b', 'key: nothing'],
  [
    'what was sent over MQTT is sent as it is',
    'message: note, via: mqtt, to: m }',
    'message: note, to: m/in }',
  ],
  ['what nothing matched goes nowhere', 'type: topic, unroutedTo: rest', 'type: topic'],
  ['a type has another key', 'key: a/b', 'key: b/c'],
  ['a publish of another type', 'message: note, to: m/in', 'message: none, to: m/in'],
])('followed again: %s, and back', (_, from, to) => {
  const reader = new TopologyReader();
  const states = [SMALL, SMALL.replace(from, to), SMALL].map((text) => [{ name: 'a.yaml', text }]);
  const seen = states.map((state, i) => {
    const now = sign(arrivalsIn(buildGraph(stepTo(reader, states[i - 1] ?? [], state))));
    expect(now).toEqual(sign(arrivalsIn(buildGraph(readTopology(state)))));
    return now.join('; ');
  });
  expect(seen[2]).toBe(seen[0]);
  expect(seen[1]).not.toBe(seen[0]);
});

test('a change that moves no message gives the very same lists', () => {
  const reader = new TopologyReader();
  const text = randomTopology(7);
  const first = buildGraph(reader.read([{ name: 'a.yaml', text }]));
  const lists = new Map(arrivalsIn(first));
  const graph = buildGraph(
    stepTo(
      reader,
      [{ name: 'a.yaml', text }],
      [{ name: 'a.yaml', text: text.replace('instances: 1', 'instances: 4') }],
    ),
  );
  for (const [node, list] of arrivalsIn(graph)) expect(list).toBe(lists.get(node));
});
