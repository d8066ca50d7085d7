/** Which published message types come to which node, told by what the conditions on the way can let through. */
import { candidatesOf } from './met.ts';
import type { Arrival } from './variety.ts';
import { arrivalOf, verdictAt } from './verdicts.ts';
import { Layered, differing, orderOf, sharesKeys } from '../../incremental/layered.ts';
import { Question, sameItems } from '../../incremental/memory.ts';
import { type RoutingGraph, surroundingsOf } from '../../routing/graph.ts';
import { type Domain, type Surroundings, entered, onward } from '../../routing/onward.ts';
import type { Topology } from '../../topology/topology.ts';
import type { Edge, GraphNode } from '../../brokers/terms.ts';

/** By node; a type comes once for each form (its own key or another, plain or wrapped) it comes in. */
export type Arrivals = ReadonlyMap<string, readonly Arrival[]>;

/** Messages of declared types, each in the form it comes in. */
export const ARRIVALS: Domain<Arrival> = {
  candidates: (_, arrival, out) => candidatesOf(out, arrival),
  through: (edge, arrival) => (verdictAt(edge, arrival).some ? arrival : undefined),
  past: (edge, arrival) => (verdictAt(edge, arrival).every ? undefined : arrival),
  keyed: ({ type, wrapped }, key) => arrivalOf(type, key, wrapped),
  wrapped: ({ type }) => arrivalOf(type, '', true),
};

/** The same where an exchange's other bindings need not be asked. */
const alongOnly = (edges: readonly Edge[]): Domain<Arrival> => ({
  ...ARRIVALS,
  candidates: (_, arrival) => candidatesOf(edges, arrival),
});

/** @returns the messages of a publish, as they enter. */
export function publishedBy(graph: RoutingGraph, { publish }: Edge): Arrival | undefined {
  const type = graph.topology.messages.get(publish?.message?.value ?? '');
  if (!type) return undefined;
  const key = type.key?.value;
  return arrivalOf(type, publish!.via?.value === 'mqtt' ? key?.replaceAll('/', '.') : key, false);
}

/**
 * @returns which published messages come to one node, in order of declaration; costs what leads there
 */
export function arrivalsAt(graph: RoutingGraph, id: string): readonly Arrival[] {
  const { into, topology } = graph;
  const upstream = new Set([id]);
  const publishers: string[] = [];
  for (const at of upstream)
    for (const { kind, from } of into.get(at) ?? []) {
      if (kind === 'publish') publishers.push(from);
      else upstream.add(from);
    }
  const found = new Map<string, Set<Arrival>>();
  const walk = new Following(graph, found, upstream);
  for (const publisher of new Set(publishers)) walk.publish(publisher);
  walk.finish();
  return inOrder(ranksIn(topology))(found.get(id) ?? new Set());
}

/** What was followed last, and through what. */
interface Followed {
  readonly graph: Pick<RoutingGraph, 'nodes' | 'out' | 'topology'>;
  readonly arrivals: Arrivals;
}

const RANKS = new Question<ReadonlyMap<string, number>>('ranks of message types');
const FOLLOWED_LAST = new Question<{ last?: Followed }>('arrivals');

/**
 * Follows every published type through the graph. Refusals are not asked about: they are findings of
 * their own, and what lies behind one is not wrong for it. Only what lies behind a change is followed
 * again, and what stayed the same is the same list.
 * @returns which published messages come to which node
 */
export function arrivalsIn(graph: RoutingGraph): Arrivals {
  const { topology, nodes, out } = graph;
  const { memory } = topology;
  const kept = memory.own(FOLLOWED_LAST, (): { last?: Followed } => ({}));
  const before = kept.last;
  if (before?.graph.nodes === nodes && before.graph.out === out && before.graph.topology === topology)
    return before.arrivals;
  const arrivals = follow(graph, before);
  kept.last = { graph: { nodes, out, topology }, arrivals };
  return arrivals;
}

function follow(graph: RoutingGraph, before: Followed | undefined): Arrivals {
  const { nodes, into, topology } = graph;
  const behind = before && behindChanges(graph, before.graph);
  if (before && behind?.size === 0) return before.arrivals;
  const anew = behind && behind.size * 2 < nodes.size ? behind : undefined;
  const found = new Map<string, Set<Arrival>>();
  const known = before && anew ? before.arrivals : undefined;
  const walk = new Following(graph, found, anew);
  const publishers = anew
    ? new Set(
        [...anew].flatMap((id) =>
          (into.get(id) ?? []).flatMap(({ kind, from }) => (kind === 'publish' ? [from] : [])),
        ),
      )
    : [...(topology.declared.apps?.keys() ?? [])].map((app) => `publisher:${app}`);
  for (const id of publishers) walk.publish(id);
  if (anew) {
    // what comes from outside of what is followed again
    const ways = new Map<string, Edge[]>();
    for (const each of anew)
      for (const edge of into.get(each) ?? []) {
        const others = ways.get(edge.from);
        if (others) others.push(edge);
        else ways.set(edge.from, [edge]);
      }
    for (const [id, edges] of ways) {
      const node = nodes.get(id);
      if (!node || anew.has(id)) continue;
      // what no binding matches can be told by all of them only
      const domain = edges.some(({ kind }) => kind === 'unrouted') ? ARRIVALS : alongOnly(edges);
      for (const arrival of known!.get(id) ?? []) walk.goOn(node, arrival, domain);
    }
  }
  walk.finish();
  const order = inOrder(ranksIn(topology));
  const steady = before && sharesKeys(before.graph.topology.messages, topology.messages);
  const fresh = new Map<string, readonly Arrival[] | undefined>();
  for (const id of anew ?? []) fresh.set(id, undefined);
  for (const [id, here] of found) {
    const was = before?.arrivals.get(id);
    const now =
      was?.length === here.size && was.every((each) => here.has(each)) && steady ? was : order(here);
    fresh.set(id, was && sameItems(was, now) ? was : now);
  }
  if (known) return Layered.on(known).with(fresh);
  return Layered.on(fresh as ReadonlyMap<string, readonly Arrival[]>);
}

/** What does not come anywhere: one list, so that it is seen to stay. */
export const NO_ARRIVALS: readonly Arrival[] = [];

/** Arrivals on their way through a graph. */
class Following {
  private readonly work: { readonly node: GraphNode; readonly arrival: Arrival }[] = [];
  private readonly around: Surroundings;

  constructor(
    private readonly graph: RoutingGraph,
    private readonly found: Map<string, Set<Arrival>>,
    /** The nodes that are followed again; all others are known already. */
    private readonly anew: ReadonlySet<string> | undefined,
  ) {
    this.around = surroundingsOf(graph);
  }

  publish(publisher: string): void {
    for (const edge of this.graph.out.get(publisher) ?? []) {
      const arrival = edge.kind === 'publish' ? publishedBy(this.graph, edge) : undefined;
      if (arrival) this.enter(edge.to, arrival, true);
    }
  }

  finish(): void {
    for (let next = this.work.pop(); next; next = this.work.pop()) this.goOn(next.node, next.arrival);
  }

  private enter(id: string, arrival: Arrival, enters: boolean): void {
    if (this.anew && !this.anew.has(id)) return;
    const node = this.graph.nodes.get(id);
    if (!node) return;
    const form = enters ? entered(node, arrival, ARRIVALS) : arrival;
    let here = this.found.get(id);
    if (!here) this.found.set(id, (here = new Set()));
    if (here.has(form)) return;
    here.add(form);
    this.work.push({ node, arrival: form });
  }

  /** From a node on, by every way that may let it. */
  goOn(node: GraphNode, arrival: Arrival, domain = ARRIVALS): void {
    for (const { edge, messages, sender, enters } of onward(this.around, node, arrival, domain))
      if (messages) this.enter(edge.to, messages, sender !== undefined || enters === true);
  }
}

/** The message types by their place among all. */
const ranksIn = ({ memory, messages }: Topology): ReadonlyMap<string, number> =>
  memory.latest(RANKS, [orderOf(messages)], () => new Map([...messages.keys()].map((type, i) => [type, i])));

/** In order of declaration, whichever way came first. */
function inOrder(rank: ReadonlyMap<string, number>): (here: ReadonlySet<Arrival>) => readonly Arrival[] {
  const form = ({ key, wrapped }: Arrival) => `${wrapped ? 1 : 0}${key ?? ''}`;
  return (here) =>
    here.size < 2
      ? [...here]
      : [...here].sort((a, b) => rank.get(a.type.id)! - rank.get(b.type.id)! || (form(a) < form(b) ? -1 : 1));
}

/** @returns the nodes to which something else may come than before: behind whatever changed; undefined for all */
function behindChanges(graph: RoutingGraph, then: Followed['graph']): ReadonlySet<string> | undefined {
  const { nodes, out, topology } = graph;
  // types that changed places change the order of every list
  if (!sameOrderOfThose(topology.messages, then.topology.messages)) return undefined;
  const types = differing<string, unknown>(topology.messages, then.topology.messages);
  const behind = new Set<string>();
  for (const id of differing(nodes, then.nodes)) {
    const [now, before] = [nodes.get(id), then.nodes.get(id)];
    // a queue's name on the wire is a key, and an exchange's unrouted-to a way
    if (now?.role === 'queue' || !now || !before) behind.add(id);
  }
  for (const id of differing(out, then.out)) {
    const [now, before] = [out.get(id) ?? NO_EDGES, then.out.get(id) ?? NO_EDGES];
    const changed = [...notIn(before, now), ...notIn(now, before)];
    for (const edge of changed) behind.add(edge.to);
    // what goes where nothing matched hangs on all other ways
    if (changed.length > 0)
      for (const list of [now, before])
        for (const edge of list) if (edge.kind === 'unrouted') behind.add(edge.to);
  }
  if (types.size)
    for (const app of topology.declared.apps?.keys() ?? [])
      for (const edge of out.get(`publisher:${app}`) ?? NO_EDGES)
        if (edge.kind === 'publish' && types.has(edge.label)) behind.add(edge.to);
  for (const id of behind) {
    for (const edge of out.get(id) ?? []) behind.add(edge.to);
    for (const edge of then.out.get(id) ?? []) behind.add(edge.to);
  }
  return behind;
}

/** @returns the ways of a list that are not, and let nothing else go, in another */
function notIn(others: readonly Edge[], list: readonly Edge[]): readonly Edge[] {
  const same = new Set(others);
  const open = list.filter((edge) => !same.has(edge));
  // rates, acknowledgement and the like change no arrival
  return open.filter((edge) => !others.some((other) => letsTheSame(edge, other)));
}

/** Whether two ways that may differ let the same published messages come to the same place. */
function letsTheSame(a: Edge, b: Edge): boolean {
  if (a.kind !== b.kind || a.to !== b.to) return false;
  if (a.kind === 'take') return true;
  return a.kind === 'publish' && a.label === b.label && a.publish?.via?.value === b.publish?.via?.value;
}

const NO_EDGES: readonly Edge[] = [];

/** Whether the keys that are in both maps follow each other the same way in both. */
function sameOrderOfThose(a: ReadonlyMap<string, unknown>, b: ReadonlyMap<string, unknown>): boolean {
  if (sharesKeys(a, b)) return true;
  const others = [...b.keys()].filter((id) => a.has(id));
  let i = 0;
  for (const id of a.keys()) if (b.has(id) && others[i++] !== id) return false;
  return true;
}
