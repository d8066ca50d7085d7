/** The routing graph: everything a message can be at, and every way it can go on from there. */
import { ALWAYS } from '../conditions/predicate.ts';
import { Layered, differing, sharesKeys } from '../incremental/layered.ts';
import { type EdgeSpec, type EdgeSpecs, type Nodes, edgeSpecsOf, nodesOf } from './edge-specs.ts';
import type { Surroundings } from './onward.ts';
import { type GatheringOrder, gatheringOrder } from './order.ts';
import type { Edge, ExchangeNode, GraphNode } from './parts.ts';
import { type Decide, accessOf } from './permission.ts';
import { type Router, exchangeRouter } from './router.ts';
import type { Topology } from '../topology/topology.ts';

export interface RoutingGraph {
  readonly topology: Topology;
  readonly nodes: ReadonlyMap<string, GraphNode>;
  readonly edges: readonly Edge[];
  readonly out: ReadonlyMap<string, readonly Edge[]>;
  readonly into: ReadonlyMap<string, readonly Edge[]>;
  /** For each exchange, the bindings a message meets, found without trying all. */
  readonly routers: ReadonlyMap<string, Router>;
  readonly decide: Decide;
  /** In which order copies are gathered. */
  readonly order: GatheringOrder;
  /** The same, dead letters followed too. */
  readonly roundOrder: GatheringOrder;
}

const NO_EDGES: readonly Edge[] = [];

/** @returns what can be asked about the graph around a node */
export const surroundingsOf = ({ nodes, out }: Pick<RoutingGraph, 'nodes' | 'out'>): Surroundings => ({
  node: (id) => nodes.get(id),
  out: (id) => out.get(id) ?? NO_EDGES,
});

/** The ways of declarations that belong together, and the edge of each that leads somewhere. */
interface EdgePart {
  readonly specs: readonly EdgeSpec[];
  readonly edges: readonly (Edge | undefined)[];
}

/** What is kept of a graph to make the next one of. */
interface Making {
  readonly nodes: Nodes;
  readonly specs: EdgeSpecs;
  readonly parts: ReadonlyMap<string, EdgePart>;
  /** How many edges would have the same id but for their number. */
  readonly counts: Map<string, number>;
}

const makings = new WeakMap<RoutingGraph, Making>();

/** More ways than this changed, and making everything anew is no dearer. */
const MOST_CHANGED = 500;

/**
 * Builds the routing graph of a topology. References that name nothing make no edge (they are
 * findings already); everything else is there once.
 *
 * @param before the graph of an earlier state by the same reader: what did not change is taken from
 *   it, and it is of no more use
 */
export function buildGraph(topology: Topology, before?: RoutingGraph): RoutingGraph {
  const making = before && makings.get(before);
  const nodes = nodesOf(topology, making?.nodes);
  const specs = edgeSpecsOf(topology, nodes, making?.specs);
  const assembled = (making && patch(before, making, specs)) ?? assemble(specs, before);
  const { parts, counts, out, into } = assembled;
  let edges: readonly Edge[] | undefined;
  let order: GatheringOrder | undefined;
  let roundOrder: GatheringOrder | undefined;
  const graph: RoutingGraph = {
    topology,
    nodes: nodes.all,
    // few ask for all of them
    get edges() {
      return (edges ??= [...parts.values()].flatMap((part) =>
        part.edges.filter((edge) => edge !== undefined),
      ));
    },
    out,
    into,
    routers: routersOf(nodes.all, out, before, assembled.touched),
    decide: accessOf(topology, before?.decide),
    // only messages that go several ways over links are gathered
    get order() {
      return (order ??= gatheringOrder(nodes.all.keys(), out));
    },
    get roundOrder() {
      return (roundOrder ??= gatheringOrder(nodes.all.keys(), out, true));
    },
  };
  makings.set(graph, { nodes, specs, parts, counts });
  return graph;
}

/** @param touched the nodes whose edges changed since `before`; undefined where any may have */
function routersOf(
  nodes: RoutingGraph['nodes'],
  out: RoutingGraph['out'],
  before: RoutingGraph | undefined,
  touched: ReadonlySet<string> | undefined,
): RoutingGraph['routers'] {
  const routerOf = (node: ExchangeNode): Router => {
    const type = node.decl.type?.value ?? 'direct';
    const known = before?.routers.get(node.id);
    if (known?.type === type && touched?.has(node.id) === false) return known;
    return exchangeRouter(
      type,
      (out.get(node.id) ?? []).filter((edge) => edge.kind === 'binding'),
    );
  };
  if (before && touched && sharesKeys(before.nodes, nodes)) {
    const changes = new Map<string, Router>();
    for (const id of new Set([...differing(before.nodes, nodes), ...touched])) {
      const node = nodes.get(id);
      if (node?.role === 'exchange') changes.set(id, routerOf(node));
    }
    return Layered.on(before.routers).with(changes);
  }
  const routers = new Map<string, Router>();
  for (const node of nodes.values()) if (node.role === 'exchange') routers.set(node.id, routerOf(node));
  return routers;
}

interface Assembled extends Pick<RoutingGraph, 'out' | 'into'>, Pick<Making, 'parts' | 'counts'> {
  /** The nodes whose edges changed; undefined for all. */
  readonly touched?: ReadonlySet<string>;
}

/** The edge made of a way last: the same one again, as long as its number among those alike stays. */
const edgesMade = new WeakMap<EdgeSpec, Edge>();

function assemble(specs: EdgeSpecs, before?: RoutingGraph): Assembled {
  const out = new Map<string, readonly Edge[]>();
  const into = new Map<string, readonly Edge[]>();
  const counts = new Map<string, number>();
  const edgeOf = (spec: EdgeSpec): Edge | undefined => {
    if (!spec.open) return undefined;
    const known = edgesMade.get(spec);
    const made = known ?? makeEdge(spec);
    const base = baseOf(made);
    const count = (counts.get(base) ?? 0) + 1;
    counts.set(base, count);
    const id = count > 1 ? `${base} #${count}` : base;
    const edge = known?.id === id ? known : { ...made, id };
    edgesMade.set(spec, edge);
    push(out as Map<string, Edge[]>, edge.from, edge);
    push(into as Map<string, Edge[]>, edge.to, edge);
    return edge;
  };
  const parts = new Map<string, EdgePart>();
  for (const [name, { made }] of specs.parts) parts.set(name, { specs: made, edges: made.map(edgeOf) });
  // a list that is what it was is the one it was: others tell by that what changed
  for (const [now, then] of [[out, before?.out] as const, [into, before?.into] as const]) {
    if (!then) continue;
    for (const [id, list] of now) {
      const known = then.get(id);
      if (known?.length === list.length && known.every((edge, i) => edge === list[i])) now.set(id, known);
    }
  }
  return { parts, counts, out, into };
}

interface Step {
  readonly from: number;
  readonly to: number;
  readonly specs: readonly EdgeSpec[];
}

/** @returns which ways were replaced by which */
function stepsBetween(old: readonly EdgeSpec[], specs: readonly EdgeSpec[]): Step[] {
  const shorter = Math.min(old.length, specs.length);
  let first = 0;
  while (first < shorter && sameSpec(old[first]!, specs[first]!)) first++;
  let same = 0;
  while (same < shorter - first && sameSpec(old[old.length - 1 - same]!, specs[specs.length - 1 - same]!))
    same++;
  // a name that changed shows in several places, with specs between them that did not
  const middle = specs.slice(first, specs.length - same);
  const steps: Step[] = [];
  if (old.length === specs.length) {
    middle.forEach((spec, i) => {
      if (!sameSpec(old[first + i]!, spec)) steps.push({ from: first + i, to: first + i + 1, specs: [spec] });
    });
  } else {
    steps.push({ from: first, to: old.length - same, specs: middle });
  }
  return steps;
}

/** The parts of an earlier graph with the edges of changed ways replaced; undefined where that is no shortcut. */
function patch(
  before: RoutingGraph,
  { parts: old, counts }: Making,
  { parts: now }: EdgeSpecs,
): Assembled | undefined {
  const names = [...now.keys()];
  if (old.size !== now.size || ![...old.keys()].every((name, i) => name === names[i])) return undefined;
  const stepsOf = new Map<string, readonly Step[]>();
  let changed = 0;
  for (const [name, { made }] of now) {
    const { specs } = old.get(name)!;
    if (specs === made) continue;
    const steps = stepsBetween(specs, made);
    for (const { from, to, specs: come } of steps) changed += to - from + come.length;
    if (changed > MOST_CHANGED) return undefined;
    stepsOf.set(name, steps);
  }
  makings.delete(before);
  const goneAt = ({ from, to }: Step, { edges }: EdgePart) =>
    edges.slice(from, to).filter((edge) => edge !== undefined);
  for (const [name, steps] of stepsOf) {
    for (const step of steps) {
      for (const edge of goneAt(step, old.get(name)!)) {
        // the numbers of edges that are alike follow from their order
        if (counts.get(baseOf(edge)) !== 1) return undefined;
        counts.delete(baseOf(edge));
      }
    }
  }
  const out = new Rearranged(before.out, 'from');
  const into = new Rearranged(before.into, 'to');
  const parts = new Map(old);
  for (const [name, steps] of stepsOf) {
    const part = old.get(name)!;
    const edges: (Edge | undefined)[] = [];
    let done = 0;
    for (const step of steps) {
      for (; done < step.from; done++) edges.push(part.edges[done]);
      done = step.to;
      const made = step.specs.map((spec) => edgeOnce(spec, counts));
      if (made.includes('twice')) return undefined;
      const come = made.filter((edge) => typeof edge === 'object');
      for (const each of made as (Edge | undefined)[]) edges.push(each);
      const gone = goneAt(step, part);
      out.replace(gone, come);
      into.replace(gone, come);
    }
    for (; done < part.edges.length; done++) edges.push(part.edges[done]);
    parts.set(name, { specs: now.get(name)!.made, edges });
  }
  return { parts, counts, out: out.finish(parts), into: into.finish(parts), touched: out.touched };
}

/** The edge of a way that came, if it leads somewhere; `twice` where there is one like it already. */
function edgeOnce(spec: EdgeSpec, counts: Map<string, number>): Edge | 'twice' | undefined {
  if (!spec.open) return undefined;
  const made = makeEdge(spec);
  const id = baseOf(made);
  if (counts.has(id)) return 'twice';
  counts.set(id, 1);
  const edge = { ...made, id };
  edgesMade.set(spec, edge);
  return edge;
}

/** Edges by one of their ends, some of them replaced, each list still in the order of all edges. */
class Rearranged {
  readonly touched = new Set<string>();
  private readonly anew = new Set<string>();
  private readonly swaps = new Map<Edge, Edge>();

  constructor(
    private readonly before: RoutingGraph['out'],
    private readonly end: 'from' | 'to',
  ) {}

  replace(gone: readonly Edge[], come: readonly Edge[]): void {
    const { end } = this;
    const [old, made] = [gone[0], come[0]];
    for (const edge of [...gone, ...come]) this.touched.add(edge[end]);
    if (gone.length === 1 && come.length === 1 && old![end] === made![end]) this.swaps.set(old!, made!);
    else for (const edge of [...gone, ...come]) this.anew.add(edge[end]);
  }

  finish(parts: Making['parts']): RoutingGraph['out'] {
    const { before, end, touched, anew, swaps } = this;
    const changes = new Map<string, Edge[]>();
    for (const id of touched)
      changes.set(id, anew.has(id) ? [] : before.get(id)!.map((edge) => swaps.get(edge) ?? edge));
    if (anew.size)
      for (const { edges } of parts.values())
        for (const edge of edges) if (edge && anew.has(edge[end])) changes.get(edge[end])!.push(edge);
    if ([...changes.keys()].every((id) => before.has(id))) return Layered.on(before).with(changes);
    return new Map([...before, ...changes]);
  }
}

const sameSpec = (a: EdgeSpec, b: EdgeSpec): boolean =>
  a === b ||
  (a.of === b.of &&
    a.from === b.from &&
    a.to === b.to &&
    a.with === b.with &&
    a.open === b.open &&
    a.kind === b.kind);

const makeEdge = ({ kind, from, to, make }: EdgeSpec): Omit<Edge, 'id'> => ({
  kind,
  from,
  to,
  condition: ALWAYS,
  label: '',
  ...make(),
});

const baseOf = ({ kind, from, to, label }: Pick<Edge, 'kind' | 'from' | 'to' | 'label'>): string =>
  `${kind} ${from} → ${to}${label ? ` ${label}` : ''}`;

function push<K, V>(map: Map<K, V[]>, key: K, value: V): void {
  const list = map.get(key);
  if (list) list.push(value);
  else map.set(key, [value]);
}
