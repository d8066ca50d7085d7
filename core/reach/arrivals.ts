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

/**
 * Follows every published type through the graph. Refusals are not asked about: they are findings of
 * their own, and what lies behind one is not wrong for it.
 * @param before those of an earlier state: what stayed the same is the same list
 */
export function arrivalsIn(graph: RoutingGraph, before?: Arrivals): Arrivals {
  const { nodes, out, topology } = graph;
  const found = new Map<string, Set<Arrival>>();
  const work: { readonly node: GraphNode; readonly arrival: Arrival }[] = [];
  const enter = (id: string, arrival: Arrival, addressed: boolean): void => {
    const node = nodes.get(id);
    if (!node) return;
    let form = arrival;
    // through the unnamed exchange a key is the queue's name (AMQP 0-9-1 §3.1.3.1)
    if (
      addressed &&
      node.role === 'queue' &&
      topology.declared.brokers?.get(node.thing.broker)?.value.variant === 'amqp'
    )
      form = arrivalOf(
        arrival.type,
        ('wireName' in node.decl && node.decl.wireName?.value) || node.thing.name,
        arrival.wrapped,
      );
    let here = found.get(id);
    if (!here) found.set(id, (here = new Set()));
    if (here.has(form)) return;
    here.add(form);
    work.push({ node, arrival: form });
  };
  for (const app of topology.declared.apps?.keys() ?? []) {
    for (const edge of out.get(`publisher:${app}`) ?? []) {
      const arrival = edge.kind === 'publish' ? publishedBy(graph, edge) : undefined;
      if (arrival) enter(edge.to, arrival, true);
    }
  }
  for (let next = work.pop(); next; next = work.pop()) {
    const { node, arrival } = next;
    const ways = out.get(node.id) ?? [];
    let allRouted = false;
    for (const edge of ways) {
      if (edge.kind === 'unrouted') continue;
      const verdict = verdictAt(edge, arrival);
      if (edge.kind === 'binding' && verdict.every) allRouted = true;
      if (!verdict.some) continue;
      if (edge.kind === 'deadLetter') {
        const key = edge.deadLetter?.key?.value;
        enter(edge.to, key === undefined ? arrival : arrivalOf(arrival.type, key, arrival.wrapped), true);
      } else if (edge.kind === 'subscription') {
        const wraps = edge.subscription?.decl.wrap?.value === true;
        enter(edge.to, wraps ? arrivalOf(arrival.type, '', true) : arrival, false);
      } else enter(edge.to, arrival, edge.kind !== 'binding' && edge.kind !== 'take');
    }
    if (!allRouted) for (const edge of ways) if (edge.kind === 'unrouted') enter(edge.to, arrival, false);
  }
  const result = new Map<string, readonly Arrival[]>();
  for (const [id, here] of found) {
    const known = before?.get(id);
    const same = known?.length === here.size && known.every((each) => here.has(each));
    result.set(id, same ? known : [...here]);
  }
  return result;
}
