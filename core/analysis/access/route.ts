/** All the permission that one route needs: from an app that sends a message type to everyone who gets it. */
import { type Need, isMet, narrowest, needsOf, ownedIn } from './needs.ts';
import { ARRIVALS, publishedBy } from '../classes/arrivals.ts';
import type { Arrival } from '../classes/variety.ts';
import type { Edited } from '../../base/edits.ts';
import { addressOf } from '../../language/thing.ts';
import { publisherId } from '../../routing/nodes.ts';
import type { RoutingGraph } from '../../routing/graph.ts';
import { entered, onward } from '../../routing/onward.ts';
import type { Edge } from '../../brokers/terms.ts';
import { addItem } from '../../syntax/edit/edit.ts';
import { sequence } from '../../syntax/edit/proved.ts';
import type { Json } from '../../syntax/render.ts';
import { tenantOf } from '../../topology/owner.ts';
import type { Topology } from '../../topology/topology.ts';

/** @returns the permission that every hop of a route may need, each once, in the order a message needs it */
export function needsOfRoute(graph: RoutingGraph, app: string, type: string): Need[] {
  const around = ownedIn(graph);
  const found = new Map<string, Need>();
  const seen = new Map<string, Set<Arrival>>();
  const needed = (edge: Edge): void => {
    for (const need of needsOf(around, edge)) {
      const id = `${need.who.thing.id} ${need.action} ${need.on.id}`;
      if (!found.has(id)) found.set(id, need);
    }
  };
  const open: { readonly edge: Edge; readonly arrival: Arrival; readonly enters: boolean }[] = [];
  for (const edge of around.out(publisherId(app)).toReversed()) {
    const arrival = edge.kind === 'publish' && edge.label === type ? publishedBy(graph, edge) : undefined;
    if (arrival) open.push({ edge, arrival, enters: true });
  }
  for (let at = open.pop(); at; at = open.pop()) {
    const { edge, arrival, enters } = at;
    needed(edge);
    const node = around.node(edge.to);
    if (!node) continue;
    const here = enters ? entered(node, arrival, ARRIVALS) : arrival;
    const known = seen.get(node.id) ?? new Set();
    seen.set(node.id, known);
    if (known.has(here)) continue;
    known.add(here);
    for (const way of onward(around, node, here, ARRIVALS).toReversed()) {
      // dead letters are another route, which begins when something goes wrong
      if (way.edge.kind === 'deadLetter' || !way.messages) continue;
      open.push({ edge: way.edge, arrival: way.messages, enters: way.sender !== undefined });
    }
  }
  return [...found.values()];
}

/** @returns the edits that add the narrowest statements for those needs that are not met */
export function allowNeeds(topology: Topology, graph: RoutingGraph, needs: readonly Need[]): Edited {
  const missing = needs.filter((need) => !isMet(graph.decide, need).allowed);
  if (missing.length === 0) return { ok: false, message: 'Every hop has its permissions already.' };
  return sequence(
    topology,
    missing.map(
      (need) => (now) => addItem(now, ['access'], narrowest(need, tenantOf(topology, need.on)) as Json),
    ),
  );
}

/** @returns a need as a person says it */
export const needTitle = ({ who, action, on }: Need): string =>
  `${who.thing.kind === 'topic' ? addressOf(who.thing) : who.thing.name} ${action === 'publish' ? 'publishes to' : 'consumes from'} ${addressOf(on)}`;
