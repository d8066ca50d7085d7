/** A message followed from where it is sent, as plain data to draw and tell. */
import { missesAt, summarise, trace, whyHop, type Hop, type RoutingGraph, type Trace } from '@vondle/core';
import type { Held } from './held.ts';
import type { FollowView, HopView, Sending } from './views.ts';
import { nodeName } from './words.ts';

export function follow(held: Held, sendings: readonly Sending[]): FollowView {
  const { graph } = held;
  const traces = sendings.map(({ message, to, via, from }) => ({
    from,
    to,
    via,
    trace: trace(graph, message, {
      to,
      ...(via === 'mqtt' ? { via } : {}),
      ...(from ? { from: `app:${from}` } : {}),
      mandatory: isMandatory(graph, from, message.type, to),
    }).trace,
  }));
  const { text, trouble } = summarise(graph, ...traces.map(({ trace: each }) => each));
  return {
    entries: traces.map(({ to, via, from, trace: each }) => ({
      to,
      via,
      from,
      hop: hopView(held, each.root),
    })),
    sentence: text,
    trouble: trouble.map(({ text: words, place }) => ({ text: words, ...held.spotIf(place) })),
    rests: traces.flatMap(({ trace: each }) =>
      each.rests.map((rest) => ({
        node: rest.node,
        name: nodeName(graph, rest.node),
        copies: rest.copies,
        takers: rest.takers.map((id) => id.replace(/^app:/, '')),
        outcome: rest.outcome,
        latency: rest.latency,
      })),
    ),
    lit: light(graph, traces),
  };
}

function hopView(held: Held, hop: Hop, before?: Hop): HopView {
  const { graph } = held;
  const node = graph.nodes.get(hop.node);
  const telling = whyHop(graph, hop, before);
  return {
    node: hop.node,
    name: node ? nodeName(graph, hop.node) : (hop.address ?? 'nothing'),
    role: node?.role ?? '',
    why: telling.text,
    ...held.spotIf(telling.place),
    copies: hop.copies,
    latency: hop.latency,
    again: hop.again === true,
    ...(hop.note ? { note: hop.note } : {}),
    takers: [...(hop.takers ?? [])],
    ...(hop.end
      ? { end: { outcome: hop.end.outcome, why: hop.end.why, ...held.spotIf(hop.end.place) } }
      : {}),
    misses: missesAt(graph, hop).map(({ edge, text, place }) => ({
      to: edge.to,
      name: edge.kind === 'subscription' ? edge.label : nodeName(graph, edge.to),
      text,
      spot: held.spot(place ?? edge.place),
    })),
    next: hop.next.map((each) => hopView(held, each, hop)),
  };
}

/** What of the graph lights up, with copies. */
function light(graph: RoutingGraph, traces: readonly { trace: Trace; from: string }[]): FollowView['lit'] {
  const lit: FollowView['lit'] = { nodes: {}, edges: {}, ends: {} };
  const pass = (id: string, copies: number) => (lit.nodes[id] = (lit.nodes[id] ?? 0) + copies);
  const visit = (hop: Hop): void => {
    const { end } = hop;
    const stopped = end?.outcome === 'refused' || end?.outcome === 'unresolved';
    if (hop.edge) lit.edges[hop.edge.id] = stopped ? 'refused' : 'passed';
    if (end && end.outcome !== 'held' && end.outcome !== 'taken') lit.ends[hop.node] = end.outcome;
    if (!hop.again && !stopped) pass(hop.node, hop.copies);
    for (const taker of stopped ? [] : (hop.takers ?? [])) {
      const edge = (graph.out.get(hop.node) ?? []).find(
        (each) => each.kind === 'take' && each.to === taker.replace(/^app:/, 'taker:'),
      );
      if (!edge) continue;
      lit.edges[edge.id] = 'passed';
      pass(edge.to, hop.copies);
    }
    hop.next.forEach(visit);
  };
  for (const { trace: each, from } of traces) {
    const refused = each.root.end?.outcome === 'refused';
    for (const edge of graph.out.get(`publisher:${from}`) ?? []) {
      if (edge.to === each.root.node && edge.label === each.message.type)
        lit.edges[edge.id] = refused ? 'refused' : 'passed';
    }
    if (from) pass(`publisher:${from}`, 0);
    visit(each.root);
  }
  return lit;
}

function isMandatory(graph: RoutingGraph, app: string, type: string | undefined, to: string): boolean {
  const publishes = graph.topology.declared.apps?.get(app)?.value.publishes?.items ?? [];
  return publishes.some(
    (each) => each.message?.value === type && each.to?.value === to && each.mandatory?.value === true,
  );
}
