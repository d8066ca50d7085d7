/** All the leave that one route needs: from an app that sends a message type to everyone who gets it. */
import { differences } from '../language/differences.ts';
import { addItem, applyEdits, type Edited } from '../language/edit.ts';
import type { Topology } from '../language/read.ts';
import type { Json } from '../language/render.ts';
import { addressOf } from '../model/address.ts';
import { arrivalOf, publishedBy, verdictAt } from '../reach/arrivals.ts';
import type { Arrival } from '../reach/variety.ts';
import { tenantOf, type Edge, type RoutingGraph } from '../routing/graph.ts';
import { publisherId } from '../routing/ways.ts';
import { isMet, narrowest, needsOf, type Need } from './needs.ts';

/** @returns the leave that every hop of a route may need, each once, in the order a message needs it */
export function needsOfRoute(graph: RoutingGraph, app: string, type: string): Need[] {
  const around = {
    node: (id: string) => graph.nodes.get(id),
    out: (id: string) => graph.out.get(id) ?? [],
    owner: (of: Parameters<typeof tenantOf>[1]) => tenantOf(graph.topology, of),
  };
  const found = new Map<string, Need>();
  const seen = new Set<string>();
  const go = (edge: Edge, arrival: Arrival): void => {
    for (const need of needsOf(around, edge)) {
      const id = `${need.who.thing.id} ${need.action} ${need.on.id}`;
      if (!found.has(id)) found.set(id, need);
    }
    const id = `${edge.to} ${arrival.key} ${arrival.wrapped}`;
    if (seen.has(id)) return;
    seen.add(id);
    for (const next of around.out(edge.to)) {
      // dead letters are another route, which begins when something goes wrong
      if (next.kind === 'deadLetter' || !verdictAt(next, arrival).some) continue;
      const wraps = next.subscription?.decl.wrap?.value === true;
      go(next, wraps ? arrivalOf(arrival.type, '', true) : arrival);
    }
  };
  for (const edge of around.out(publisherId(app))) {
    const arrival = edge.kind === 'publish' && edge.label === type ? publishedBy(graph, edge) : undefined;
    if (arrival) go(edge, arrival);
  }
  return [...found.values()];
}

/** @returns the edits that add the narrowest statements for those needs that are not met */
export function allowNeeds(topology: Topology, graph: RoutingGraph, needs: readonly Need[]): Edited {
  let documents = topology.documents;
  const missing = needs.filter((need) => !isMet(graph.decide, need).allowed);
  if (missing.length === 0) return { ok: false, message: 'Every hop has its leave already.' };
  for (const need of missing) {
    const edited = addItem(documents, ['access'], narrowest(need, tenantOf(topology, need.on)) as Json);
    if (!edited.ok) return edited;
    documents = applyEdits(documents, edited.edits);
  }
  return { ok: true, edits: differences(topology.documents, documents) };
}

/** @returns a need as a person says it */
export const needTitle = ({ who, action, on }: Need): string =>
  `${who.thing.kind === 'topic' ? addressOf(who.thing) : who.thing.name} ${action === 'publish' ? 'publishes to' : 'consumes from'} ${addressOf(on)}`;
