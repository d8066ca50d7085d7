/** The routing graph: everything a message can be at, and every way it can go on from there. */
import { accessOf, type Decide } from '../access/decide.ts';
import type {
  AliasDecl,
  AmqpQueueDecl,
  AppDecl,
  BindingDecl,
  BrokerDecl,
  ConsumeDecl,
  DeadLetterDecl,
  ExchangeDecl,
  HostedQueueDecl,
  LinkDecl,
  PublishDecl,
  SpreadDecl,
  SubscriptionDecl,
  TopicDecl,
} from '../language/language.ts';
import type { Topology } from '../language/read.ts';
import type { Thing } from '../model/address.ts';
import type { Place, Val } from '../model/place.ts';
import { ALWAYS, type Predicate } from '../predicate/predicate.ts';
import { exchangeRouter, type Router } from './router.ts';
import { nodesOf, waysOf, type Way, type Ways } from './ways.ts';

/** A node's role in the flow; an app that both sends and takes is two nodes. */
export type NodeRole =
  'publisher' | 'exchange' | 'topic' | 'alias' | 'spread' | 'queue' | 'subscription' | 'taker';

interface NodeOf<R extends NodeRole, D> {
  readonly id: string;
  readonly role: R;
  readonly thing: Thing;
  readonly place: Place;
  readonly decl: D;
}

export type ExchangeNode = NodeOf<'exchange', ExchangeDecl>;
export type QueueNode = NodeOf<'queue', AmqpQueueDecl | HostedQueueDecl>;
/** The store of an MQTT taker, which no document declares by itself. */
type SessionDecl = SubscriptionDecl & Pick<AmqpQueueDecl, 'perInstanceOf'>;
export type SubscriptionNode = NodeOf<'subscription', SessionDecl>;
export type StoreNode = QueueNode | SubscriptionNode;
export type TopicNode = NodeOf<'topic', TopicDecl>;
export type AliasNode = NodeOf<'alias', AliasDecl>;
export type SpreadNode = NodeOf<'spread', SpreadDecl>;
export type AppNode = NodeOf<'publisher' | 'taker', AppDecl>;
export type GraphNode =
  ExchangeNode | QueueNode | SubscriptionNode | TopicNode | AliasNode | SpreadNode | AppNode;

export type EdgeKind =
  'publish' | 'binding' | 'unrouted' | 'subscription' | 'deadLetter' | 'alias' | 'link' | 'member' | 'take';

/** A way from one node to another. */
export interface Edge {
  /** Unique, and the same for the same declaration in two revisions. */
  readonly id: string;
  readonly kind: EdgeKind;
  readonly from: string;
  readonly to: string;
  /** The declaration that makes it. */
  readonly place: Place;
  /** What a message must meet to go this way. */
  readonly condition: Predicate;
  /** The words on it in a picture: a key, a filter. Empty for none. */
  readonly label: string;
  /** What a router finds it by: the binding key, or the one an MQTT topic filter becomes. */
  readonly key?: string;
  readonly publish?: PublishDecl;
  readonly consume?: ConsumeDecl;
  readonly binding?: BindingDecl;
  readonly subscription?: SubscriptionNode;
  readonly link?: { readonly thing: Thing; readonly decl: LinkDecl };
  readonly deadLetter?: DeadLetterDecl;
}

export interface RoutingGraph {
  readonly topology: Topology;
  readonly nodes: ReadonlyMap<string, GraphNode>;
  readonly edges: readonly Edge[];
  readonly out: ReadonlyMap<string, readonly Edge[]>;
  readonly into: ReadonlyMap<string, readonly Edge[]>;
  /** For each exchange, the bindings a message meets, found without trying all. */
  readonly routers: ReadonlyMap<string, Router>;
  readonly decide: Decide;
}

/** @returns who owns a thing: the tenant it names, its broker's, or the topology's. */
export function tenantOf({ declared }: Topology, of: Thing): string | undefined {
  const app = of.kind === 'app' ? declared.apps?.get(of.name)?.value.tenant : undefined;
  const broker = declared.brokers?.get(of.kind === 'broker' ? of.name : of.broker)?.value;
  return (app ?? ownTenant(broker, of) ?? broker?.tenant ?? declared.tenant)?.value;
}

function ownTenant(broker: BrokerDecl | undefined, { kind, name }: Thing): Val<string> | undefined {
  if (kind === 'queue') return broker?.queues?.get(name)?.value.tenant;
  if (broker?.variant !== 'pubsub') return undefined;
  if (kind === 'topic') return broker.topics?.get(name)?.value.tenant;
  return kind === 'subscription' ? broker.subscriptions?.get(name)?.value.tenant : undefined;
}

/** What was kept of a graph to make the next one of: the ways it was made from, and each one's edges. */
interface Making {
  readonly ways: Ways;
  /** Where each way's edge stands in the edges; one more for the end. */
  readonly starts: readonly number[];
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
  const nodes = nodesOf(topology);
  const ways = waysOf(topology, nodes, making?.ways);
  const { edges, out, into, ...made } = (making && patch(before, making, ways)) ?? assemble(ways, before);
  const routers = new Map<string, Router>();
  for (const node of nodes.values()) {
    if (node.role !== 'exchange') continue;
    const type = node.decl.type?.value ?? 'direct';
    const known = before?.routers.get(node.id);
    const still = known?.type === type && made.touched?.has(node.id) === false;
    const bindings = () => (out.get(node.id) ?? []).filter((edge) => edge.kind === 'binding');
    routers.set(node.id, still ? known : exchangeRouter(type, bindings()));
  }
  const graph = { topology, nodes, edges, out, into, routers, decide: accessOf(topology, before?.decide) };
  makings.set(graph, made.making);
  return graph;
}

interface Assembled extends Pick<RoutingGraph, 'edges' | 'out' | 'into'> {
  readonly making: Making;
  /** The nodes whose edges changed; undefined for all. */
  readonly touched?: ReadonlySet<string>;
}

/** The edge made of a way last: the same one again, as long as its number among those alike stays. */
const edgesMade = new WeakMap<Way, Edge>();

function assemble(ways: Ways, before?: RoutingGraph): Assembled {
  const edges: Edge[] = [];
  const out = new Map<string, readonly Edge[]>();
  const into = new Map<string, readonly Edge[]>();
  const counts = new Map<string, number>();
  const starts: number[] = [];
  for (const way of ways.all) {
    starts.push(edges.length);
    if (!way.open) continue;
    const known = edgesMade.get(way);
    const made = known ?? makeEdge(way);
    const base = baseOf(made);
    const count = (counts.get(base) ?? 0) + 1;
    counts.set(base, count);
    const id = count > 1 ? `${base} #${count}` : base;
    const edge = known?.id === id ? known : { ...made, id };
    edgesMade.set(way, edge);
    edges.push(edge);
    push(out as Map<string, Edge[]>, edge.from, edge);
    push(into as Map<string, Edge[]>, edge.to, edge);
  }
  starts.push(edges.length);
  // a list that is what it was is the one it was: others tell by that what changed
  for (const [now, then] of [[out, before?.out] as const, [into, before?.into] as const]) {
    if (!then) continue;
    for (const [id, list] of now) {
      const known = then.get(id);
      if (known?.length === list.length && known.every((edge, i) => edge === list[i])) now.set(id, known);
    }
  }
  return { edges, out, into, making: { ways, starts, counts } };
}

interface Step {
  readonly from: number;
  readonly to: number;
  readonly ways: readonly Way[];
}

/** @returns which ways were replaced by which; undefined for more than are worth replacing. */
function stepsBetween(old: readonly Way[], ways: readonly Way[]): Step[] | undefined {
  const shorter = Math.min(old.length, ways.length);
  let first = 0;
  while (first < shorter && sameWay(old[first]!, ways[first]!)) first++;
  let same = 0;
  while (same < shorter - first && sameWay(old[old.length - 1 - same]!, ways[ways.length - 1 - same]!))
    same++;
  // a name that changed shows in several places, with ways between them that did not
  const middle = ways.slice(first, ways.length - same);
  const steps: Step[] = [];
  if (old.length === ways.length) {
    middle.forEach((way, i) => {
      if (!sameWay(old[first + i]!, way)) steps.push({ from: first + i, to: first + i + 1, ways: [way] });
    });
  } else {
    steps.push({ from: first, to: old.length - same, ways: middle });
  }
  const changed = steps.reduce((sum, { from, to, ways: each }) => sum + to - from + each.length, 0);
  return changed > MOST_CHANGED ? undefined : steps;
}

/** The parts of an earlier graph with the edges of changed ways replaced; undefined where that is no shortcut. */
function patch(
  before: RoutingGraph,
  { ways: old, starts, counts }: Making,
  ways: Ways,
): Assembled | undefined {
  const steps = stepsBetween(old.all, ways.all);
  if (!steps) return undefined;
  makings.delete(before);
  const edges: Edge[] = [];
  const at: number[] = [];
  let done = 0;
  const keep = (to: number) => {
    const shift = edges.length - starts[done]!;
    for (let i = done; i < to; i++) at.push(starts[i]! + shift);
    for (let i = starts[done]!; i < starts[to]!; i++) edges.push(before.edges[i]!);
    done = to;
  };
  const out = new Rearranged(before.out, 'from');
  const into = new Rearranged(before.into, 'to');
  const gone = steps.map(({ from, to }) => before.edges.slice(starts[from], starts[to]));
  for (const edge of gone.flat()) {
    // the numbers of edges that are alike follow from their order
    if (counts.get(baseOf(edge)) !== 1) return undefined;
    counts.delete(baseOf(edge));
  }
  for (const [i, step] of steps.entries()) {
    keep(step.from);
    const come: Edge[] = [];
    for (const way of step.ways) {
      at.push(edges.length + come.length);
      if (!way.open) continue;
      const made = makeEdge(way);
      const id = baseOf(made);
      if (counts.has(id)) return undefined;
      counts.set(id, 1);
      const edge = { ...made, id };
      edgesMade.set(way, edge);
      come.push(edge);
    }
    edges.push(...come);
    out.replace(gone[i]!, come);
    into.replace(gone[i]!, come);
    done = step.to;
  }
  keep(old.all.length);
  at.push(edges.length);
  return {
    edges,
    out: out.finish(edges),
    into: into.finish(edges),
    making: { ways, starts: at, counts },
    touched: out.touched,
  };
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

  finish(edges: readonly Edge[]): RoutingGraph['out'] {
    const { before, end, touched, anew, swaps } = this;
    if (touched.size === 0) return before;
    const lists = new Map(before) as Map<string, Edge[]>;
    for (const id of touched) {
      if (anew.has(id)) lists.delete(id);
      else
        lists.set(
          id,
          before.get(id)!.map((edge) => swaps.get(edge) ?? edge),
        );
    }
    if (anew.size) for (const edge of edges) if (anew.has(edge[end])) push(lists, edge[end], edge);
    return lists;
  }
}

const sameWay = (a: Way, b: Way): boolean =>
  a === b ||
  (a.of === b.of &&
    a.from === b.from &&
    a.to === b.to &&
    a.with === b.with &&
    a.open === b.open &&
    a.kind === b.kind);

const makeEdge = ({ kind, from, to, make }: Way): Omit<Edge, 'id'> => ({
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
