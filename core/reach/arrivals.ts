/** Which published message types come to which node, told by what the conditions on the way can let through. */
import type { MessageType } from '../language/messages.ts';
import type { Edge, GraphNode, RoutingGraph } from '../routing/graph.ts';
import { verdictOn, type Arrival, type Verdict } from './variety.ts';

/** By node; a type comes once for each form (its own key or another, plain or wrapped) it comes in. */
export type Arrivals = ReadonlyMap<string, readonly Arrival[]>;

/** One object for the same messages in the same form. */
const interned = new WeakMap<MessageType, Map<string, Arrival>>();

/** @returns messages of a type in a form: one object for the same */
export function arrivalOf(type: MessageType, key: string | undefined, wrapped: boolean): Arrival {
  let forms = interned.get(type);
  if (!forms) interned.set(type, (forms = new Map()));
  const id = `${wrapped ? 'w' : 'p'}${key === undefined ? '' : `=${key}`}`;
  let found = forms.get(id);
  if (!found) forms.set(id, (found = { type, key, wrapped }));
  return found;
}

const verdicts = new WeakMap<Edge, Map<Arrival, Verdict>>();

/** @returns what a way's condition does to messages that come to it; remembered. */
export function verdictAt(edge: Edge, arrival: Arrival): Verdict {
  let known = verdicts.get(edge);
  if (!known) verdicts.set(edge, (known = new Map()));
  let found = known.get(arrival);
  if (!found) known.set(arrival, (found = verdictOn(edge.condition, arrival)));
  return found;
}

/** @returns the messages of a publish, as they enter. */
export function publishedBy(graph: RoutingGraph, { publish }: Edge): Arrival | undefined {
  const type = graph.topology.messages.get(publish?.message?.value ?? '');
  if (!type) return undefined;
  const key = type.key?.value;
  return arrivalOf(type, publish!.via?.value === 'mqtt' ? key?.replaceAll('/', '.') : key, false);
}

/** What is known of the arrivals in an earlier graph. */
export interface Followed {
  readonly graph: RoutingGraph;
  readonly arrivals: Arrivals;
}

/**
 * Follows every published type through the graph. Refusals are not asked about: they are findings of
 * their own, and what lies behind one is not wrong for it.
 * @param before an earlier state by the same reader: only what lies behind a change is followed again,
 *   and what stayed the same is the same list
 */
export function arrivalsIn(graph: RoutingGraph, before?: Followed): Arrivals {
  const { nodes, into, topology } = graph;
  const anew = before && behindChanges(graph, before);
  if (before && anew?.size === 0) return before.arrivals;
  const partly = before && anew && anew.size * 2 < nodes.size;
  const found = new Map<string, Set<Arrival> | readonly Arrival[]>(partly ? before.arrivals : []);
  const walk = new Following(graph, found, partly ? anew : undefined);
  if (partly) for (const id of anew) found.delete(id);
  const publishers = partly
    ? new Set(
        [...anew].flatMap((id) =>
          (into.get(id) ?? []).flatMap(({ kind, from }) => (kind === 'publish' ? [from] : [])),
        ),
      )
    : [...(topology.declared.apps?.keys() ?? [])].map((app) => `publisher:${app}`);
  for (const id of publishers) walk.publish(id);
  if (partly) {
    // what comes from outside of what is followed again
    for (const id of new Set([...anew].flatMap((each) => (into.get(each) ?? []).map(({ from }) => from)))) {
      const node = nodes.get(id);
      if (node && !anew.has(id)) for (const arrival of found.get(id) ?? []) walk.goOn(node, arrival);
    }
  }
  walk.finish();
  const order = inOrder(topology.messages.keys());
  const result = new Map<string, readonly Arrival[]>();
  for (const [id, here] of found) {
    if (!(here instanceof Set)) {
      result.set(id, here);
      continue;
    }
    const known = before?.arrivals.get(id);
    const same = known?.length === here.size && known.every((each) => here.has(each));
    result.set(id, same ? known : order(here));
  }
  return result;
}

/** Arrivals on their way through a graph. */
class Following {
  private readonly work: { readonly node: GraphNode; readonly arrival: Arrival }[] = [];

  constructor(
    private readonly graph: RoutingGraph,
    private readonly found: Map<string, Set<Arrival> | readonly Arrival[]>,
    /** The nodes that are followed again; all others are known already. */
    private readonly anew: ReadonlySet<string> | undefined,
  ) {}

  publish(publisher: string): void {
    for (const edge of this.graph.out.get(publisher) ?? []) {
      const arrival = edge.kind === 'publish' ? publishedBy(this.graph, edge) : undefined;
      if (arrival) this.enter(edge.to, arrival, true);
    }
  }

  finish(): void {
    for (let next = this.work.pop(); next; next = this.work.pop()) this.goOn(next.node, next.arrival);
  }

  private enter(id: string, arrival: Arrival, addressed: boolean): void {
    if (this.anew && !this.anew.has(id)) return;
    const node = this.graph.nodes.get(id);
    if (!node) return;
    let form = arrival;
    // through the unnamed exchange a key is the queue's name (AMQP 0-9-1 §3.1.3.1)
    if (addressed && node.role === 'queue' && this.isAmqp(node.thing.broker)) {
      const name = ('wireName' in node.decl && node.decl.wireName?.value) || node.thing.name;
      form = arrivalOf(arrival.type, name, arrival.wrapped);
    }
    let here = this.found.get(id);
    if (!(here instanceof Set)) this.found.set(id, (here = new Set()));
    if (here.has(form)) return;
    here.add(form);
    this.work.push({ node, arrival: form });
  }

  /** From a node on, by every way that may let it. */
  goOn(node: GraphNode, arrival: Arrival): void {
    const ways = this.graph.out.get(node.id) ?? [];
    let allRouted = false;
    for (const edge of ways) {
      if (edge.kind === 'unrouted') continue;
      const verdict = verdictAt(edge, arrival);
      if (edge.kind === 'binding' && verdict.every) allRouted = true;
      if (!verdict.some) continue;
      if (edge.kind === 'deadLetter') {
        const key = edge.deadLetter?.key?.value;
        this.enter(
          edge.to,
          key === undefined ? arrival : arrivalOf(arrival.type, key, arrival.wrapped),
          true,
        );
      } else if (edge.kind === 'subscription') {
        const wraps = edge.subscription?.decl.wrap?.value === true;
        this.enter(edge.to, wraps ? arrivalOf(arrival.type, '', true) : arrival, false);
      } else this.enter(edge.to, arrival, edge.kind !== 'binding' && edge.kind !== 'take');
    }
    if (!allRouted)
      for (const edge of ways) if (edge.kind === 'unrouted') this.enter(edge.to, arrival, false);
  }

  private isAmqp(broker: string): boolean {
    return this.graph.topology.declared.brokers?.get(broker)?.value.variant === 'amqp';
  }
}

/** In order of declaration, whichever way came first. */
function inOrder(types: Iterable<string>): (here: ReadonlySet<Arrival>) => readonly Arrival[] {
  const rank = new Map([...types].map((type, i) => [type, i]));
  const form = ({ key, wrapped }: Arrival) => `${wrapped ? 1 : 0}${key ?? ''}`;
  return (here) =>
    here.size < 2
      ? [...here]
      : [...here].sort((a, b) => rank.get(a.type.id)! - rank.get(b.type.id)! || (form(a) < form(b) ? -1 : 1));
}

/** The nodes to which something else may come than before: behind whatever changed. */
function behindChanges(graph: RoutingGraph, { graph: then }: Followed): Set<string> | undefined {
  const { nodes, out, topology } = graph;
  const was = then.topology;
  if (brokersOf(graph) !== brokersOf(then)) return undefined;
  const types = new Set<string>();
  for (const [id, type] of topology.messages) if (was.messages.get(id) !== type) types.add(id);
  for (const id of was.messages.keys()) if (!topology.messages.has(id)) types.add(id);
  const behind = new Set<string>();
  const all = [nodes, ...(nodes.size === then.nodes.size && sameKeys(nodes, then.nodes) ? [] : [then.nodes])];
  for (const ids of all) {
    for (const id of ids.keys()) {
      const [now, before] = [nodes.get(id), then.nodes.get(id)];
      // a queue's name on the wire is a key
      if (now !== before && (now?.role === 'queue' || !now || !before)) behind.add(id);
      const [ways, known] = [out.get(id), then.out.get(id)];
      const sends = types.size > 0 && ways?.some(({ kind, label }) => kind === 'publish' && types.has(label));
      if (ways !== known || sends)
        for (const edge of [...(ways ?? []), ...(known ?? [])]) behind.add(edge.to);
    }
  }
  for (const id of behind) {
    for (const edge of out.get(id) ?? []) behind.add(edge.to);
    for (const edge of then.out.get(id) ?? []) behind.add(edge.to);
  }
  return behind;
}

const brokersOf = ({ topology }: RoutingGraph): string =>
  [...(topology.declared.brokers ?? [])].map(([id, { value }]) => `${id} ${value.variant}`).join();

const sameKeys = (a: ReadonlyMap<string, unknown>, b: ReadonlyMap<string, unknown>): boolean => {
  for (const key of a.keys()) if (!b.has(key)) return false;
  return true;
};
