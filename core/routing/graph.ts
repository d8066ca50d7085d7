/** The routing graph: everything a message can be at, and every way it can go on from there. */
import type { Edge, ExchangeNode, GraphNode } from '../brokers/terms.ts';
import { Question, remembered } from '../incremental/memory.ts';
import type { Topology } from '../topology/topology.ts';
import { nodesOf } from './nodes.ts';
import type { Surroundings } from './onward.ts';
import { type GatheringOrder, gatheringOrder } from './order.ts';
import { type Decide, accessOf } from './permission.ts';
import { type Router, exchangeRouter } from './router.ts';
import { waysOf } from './ways.ts';

export interface RoutingGraph {
  readonly topology: Topology;
  readonly nodes: ReadonlyMap<string, GraphNode>;
  readonly edges: readonly Edge[];
  readonly out: ReadonlyMap<string, readonly Edge[]>;
  readonly into: ReadonlyMap<string, readonly Edge[]>;
  /** @returns the bindings of an exchange that a message meets, found without trying all */
  router(exchange: ExchangeNode): Router;
  readonly decide: Decide;
  /** In which order copies are gathered. */
  readonly order: GatheringOrder;
  /** The same, dead letters followed too. */
  readonly roundOrder: GatheringOrder;
}

const NO_EDGES: readonly Edge[] = [];
const ORDER = new Question<GatheringOrder>('order');
const ROUND_ORDER = new Question<GatheringOrder>('order with dead letters');

/**
 * Builds the routing graph of a topology. References that name nothing make no edge (they are
 * findings already); everything else is there once. What stayed since an earlier state of the same
 * topology is the same object.
 */
export function buildGraph(topology: Topology): RoutingGraph {
  const nodes = nodesOf(topology);
  const { edges, out, into } = waysOf(topology, nodes);
  const { memory } = topology;
  return {
    topology,
    nodes,
    get edges() {
      return edges();
    },
    out,
    into,
    router: ({ id, decl }) => routerOf(out.get(id) ?? NO_EDGES, decl.type?.value ?? 'direct'),
    decide: accessOf(topology),
    // only messages that go several ways over links are gathered
    get order() {
      return memory.latest(ORDER, [nodes, out], () => gatheringOrder(nodes.keys(), out));
    },
    get roundOrder() {
      return memory.latest(ROUND_ORDER, [nodes, out], () => gatheringOrder(nodes.keys(), out, true));
    },
  };
}

const routerOf = remembered(
  (edges: readonly Edge[], type: Router['type']) =>
    exchangeRouter(
      type,
      edges.filter(({ kind }) => kind === 'binding'),
    ),
  (router, _, type) => router.type === type,
);

/** @returns what can be asked about the graph around a node */
export const surroundingsOf = ({ nodes, out }: Pick<RoutingGraph, 'nodes' | 'out'>): Surroundings => ({
  node: (id) => nodes.get(id),
  out: (id) => out.get(id) ?? NO_EDGES,
});
