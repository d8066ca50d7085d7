/**
 * Ways after edits are those of the same text read at once. The generator has few ends and keys, so that most ways
 * are called alike and are told apart by their number; what it cannot make (links, takers, subscriptions) is in
 * `parse-again.test.ts`.
 */
import fc from 'fast-check';
import { buildGraph, type RoutingGraph } from './graph.ts';
import { stepTo } from '../testing/steps.ts';
import { TopologyReader, readTopology } from '../topology/read.ts';

interface Bound {
  readonly from: string;
  readonly to: string;
  readonly key: string;
}

const bound: fc.Arbitrary<Bound> = fc.record({
  from: fc.constantFrom('e0', 'e1', 'e2'),
  to: fc.constantFrom('q0', 'q1', 'e2', 'gone'),
  key: fc.constantFrom('a', 'b'),
});

type Step =
  | { readonly do: 'put'; readonly at: number; readonly binding: Bound }
  | { readonly do: 'add'; readonly at: number; readonly binding: Bound }
  | { readonly do: 'remove'; readonly at: number }
  | { readonly do: 'unrouted'; readonly of: boolean };

const step: fc.Arbitrary<Step> = fc.oneof(
  { weight: 6, arbitrary: fc.record({ do: fc.constant('put' as const), at: fc.nat(), binding: bound }) },
  { weight: 2, arbitrary: fc.record({ do: fc.constant('add' as const), at: fc.nat(), binding: bound }) },
  { weight: 2, arbitrary: fc.record({ do: fc.constant('remove' as const), at: fc.nat() }) },
  { weight: 1, arbitrary: fc.record({ do: fc.constant('unrouted' as const), of: fc.boolean() }) },
);

function text(bindings: readonly Bound[], unrouted: boolean): string {
  return [
    'brokers:',
    '  m:',
    '    kind: amqp',
    '    exchanges:',
    `      e0: { type: topic${unrouted ? ', unroutedTo: e2' : ''} }`,
    '      e1: { type: direct }',
    '      e2: { type: fanout }',
    '    queues: { q0: {}, q1: {} }',
    '    bindings:',
    ...bindings.map(({ from, to, key }) => `      - { from: ${from}, to: ${to}, key: ${key} }`),
    '',
  ].join('\n');
}

const shown = ({ nodes, edges, out, into }: RoutingGraph) => ({
  edges: edges.map(({ id }) => id),
  lists: [...nodes.keys()].map((id) => [
    id,
    (out.get(id) ?? []).map((edge) => edge.id),
    (into.get(id) ?? []).map((edge) => edge.id),
  ]),
});

test('after edits, ways are listed and told apart as in the same text read at once', () => {
  fc.assert(
    fc.property(
      fc.array(bound, { minLength: 1, maxLength: 40 }),
      fc.array(step, { maxLength: 12 }),
      (first, steps) => {
        const reader = new TopologyReader();
        let [bindings, unrouted]: [readonly Bound[], boolean] = [first, false];
        let before: { name: string; text: string }[] = [];
        const look = () => {
          const now = [{ name: 'a.yaml', text: text(bindings, unrouted) }];
          const graph = buildGraph(stepTo(reader, before, now));
          before = now;
          expect(shown(graph)).toEqual(shown(buildGraph(readTopology(now))));
        };
        look();
        for (const each of steps) {
          if (each.do === 'unrouted') unrouted = each.of;
          else {
            const at = bindings.length ? each.at % bindings.length : 0;
            const put = each.do === 'remove' ? [] : [each.binding];
            bindings = bindings.toSpliced(at, each.do === 'add' ? 0 : 1, ...put);
          }
          look();
        }
      },
    ),
    { numRuns: 60 * Number(process.env['FUZZ'] ?? 1) },
  );
});

test('a way that is alike another no more is called by no number, and the other keeps its list', () => {
  const reader = new TopologyReader();
  const bindings = [
    { from: 'e0', to: 'q0', key: 'a' },
    { from: 'e0', to: 'q0', key: 'a' },
    { from: 'e1', to: 'q1', key: 'a' },
  ];
  const first = [{ name: 'a.yaml', text: text(bindings, false) }];
  const before = buildGraph(stepTo(reader, [], first));
  const then = [{ name: 'a.yaml', text: text([{ ...bindings[0]!, key: 'b' }, ...bindings.slice(1)], false) }];
  const now = buildGraph(stepTo(reader, first, then));
  const named = (graph: RoutingGraph) =>
    graph.into.get('queue:m/q0')!.map(({ id }) => id.split(' ').slice(4).join(' '));
  expect(named(before)).toEqual(['a', 'a #2']);
  expect(named(now)).toEqual(['b', 'a']);
  expect(now.into.get('queue:m/q1')).toBe(before.into.get('queue:m/q1'));
  expect(now.out.get('exchange:m/e1')).toBe(before.out.get('exchange:m/e1'));
});
