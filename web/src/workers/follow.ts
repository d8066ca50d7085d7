/** A message followed from where it is sent, as plain data to draw and tell. */
import {
  allFollowed,
  keptSamples,
  missesAt,
  outcomeChange,
  outcomeOf,
  remarksOn,
  sendingsOf,
  summarise,
  throughApps,
  traceSample,
  whyHop,
  type Consequence,
} from '@vondle/core/analysis';
import {
  trace,
  hopsOf,
  traceDeadLetter,
  type DeadLetterReason,
  type Hop,
  type RoutingGraph,
  type Trace,
} from '@vondle/core/routing';
import type { Message } from '@vondle/core/conditions';
import { followsId, handsId } from './drawing.ts';
import type { Workspace } from './workspace.ts';
import type { FollowView, HopView, KeptView, Sending, ThenView } from './views.ts';
import { nodeName } from '@vondle/core/assist';

interface Followed {
  readonly from: string;
  readonly to: string;
  readonly via: string;
  readonly trace: Trace;
}

/** Follows one message from every place it is sent to. */
export const follow = (workspace: Workspace, sendings: readonly Sending[]): FollowView =>
  viewOf(workspace, tracesOf(workspace.graph, sendings), remarksIn(workspace, sendings[0]?.message));

/** What in a message is not as its type says. */
function remarksIn({ graph }: Workspace, message: Message | undefined): string[] {
  const type = graph.topology.messages.get(message?.type ?? '');
  return type && message ? remarksOn(type, message) : [];
}

/** Follows a copy on that its store gives up. */
export function followGivenUp(
  workspace: Workspace,
  node: string,
  message: Message,
  reason: DeadLetterReason,
): FollowView {
  const { trace: found } = traceDeadLetter(workspace.graph, node, message, reason);
  return viewOf(workspace, [{ from: '', to: nodeName(workspace.graph, node), via: '', trace: found }]);
}

export function tracesOf(graph: RoutingGraph, sendings: readonly Sending[]): Followed[] {
  return sendings.map(({ message, to, via, from }) => ({
    from,
    to,
    via,
    trace: trace(graph, message, {
      to,
      ...(via === 'mqtt' ? { via } : {}),
      ...(from ? { from: `app:${from}` } : {}),
    }).trace,
  }));
}

/** @returns what a message of an app lit up in what the draft is compared with, which may declare other places to send it to */
export function litBefore(base: RoutingGraph, message: Message, app: string): FollowView['lit'] {
  const traces = sendingsOf(base.topology, message.type ?? '', app).map((sending) => ({
    trace: trace(base, message, sending).trace,
    from: app,
  }));
  return light(base, traces);
}

/** Follows every kept sample, here and in what the draft is compared with. */
export function followKept(workspace: Workspace, base: RoutingGraph | undefined): KeptView[] {
  const { graph } = workspace;
  const before = new Map((base ? keptSamples(base.topology) : []).map((sample) => [sample.name, sample]));
  return keptSamples(graph.topology).map((sample) => {
    const type = sample.message.type!;
    const now = outcomeOf(graph, traceSample(graph, sample));
    // the message as it is now, sent there as it was sent then: what differs is then the routing
    const known = before.get(sample.name);
    const then =
      base && outcomeOf(base, traceSample(base, { ...sample, sendings: (known ?? sample).sendings }));
    const change = then && outcomeChange(then, now);
    const said = (list: readonly { store: string; copies: number }[]) =>
      list.map(({ store, copies }) => (copies > 1 ? `${store} ×${copies}` : store));
    return {
      name: sample.name,
      group: sample.group,
      type,
      from: sample.sendings[0]?.from?.replace(/^app:/, '') ?? '',
      spot: workspace.spot(sample.place),
      rests: said([...now.rests].map(([store, copies]) => ({ store, copies }))),
      ends: [...now.ends.keys()],
      known: known !== undefined,
      ...(change
        ? {
            change: {
              more: said(change.more),
              fewer: said(change.fewer),
              begun: [...change.begun],
              ended: [...change.ended],
            },
          }
        : {}),
    };
  });
}

/** What a store may do to a message: what its settings give a reason for, and what a taker may. */
function reasonsFor(graph: RoutingGraph, node: string): DeadLetterReason[] {
  const store = graph.nodes.get(node);
  if (store?.role !== 'queue' && store?.role !== 'subscription') return [];
  const { decl } = store;
  const bounded = ('maxLength' in decl && decl.maxLength) || ('maxBytes' in decl && decl.maxBytes);
  return [
    ...(decl.ttl ? (['expired'] as const) : []),
    'rejected',
    ...(bounded ? (['overflow'] as const) : []),
    ...(decl.maxDeliveries ? (['too many deliveries'] as const) : []),
  ];
}

function viewOf(workspace: Workspace, traces: readonly Followed[], remarks: string[] = []): FollowView {
  const { graph } = workspace;
  const { text, trouble } = summarise(graph, ...traces.map(({ trace: each }) => each));
  const then = [
    ...allFollowed(
      throughApps(
        graph,
        traces.map(({ trace: each }) => each),
      ),
    ),
  ];
  return {
    remarks,
    then: then.map(({ step, depth }) => thenView(workspace, step, depth)),
    entries: traces.map(({ to, via, from, trace: each }) => ({
      to,
      via,
      from,
      hop: hopView(workspace, each.root),
    })),
    sentence: text,
    trouble: trouble.map(({ text: words, place }) => ({ text: words, ...workspace.spotIf(place) })),
    rests: traces.flatMap(({ trace: each }) =>
      each.rests.map((rest) => ({
        node: rest.node,
        name: nodeName(graph, rest.node),
        copies: rest.copies,
        takers: rest.takers.map((id) => id.replace(/^app:/, '')),
        outcome: rest.outcome,
        latency: rest.latency,
        message: each.ends.find(({ hop }) => hop.node === rest.node)?.hop.message ?? each.message,
        reasons: reasonsFor(graph, rest.node),
      })),
    ),
    lit: lightJoins(
      then.map(({ step }) => step),
      light(graph, [
        ...traces,
        ...then.flatMap(({ step: { app, sent } }) => (sent ? [{ trace: sent.trace, from: app }] : [])),
      ]),
    ),
  };
}

/** Lights the lines that join what an app takes to what it does because of it. */
function lightJoins(steps: readonly Consequence[], lit: FollowView['lit']): FollowView['lit'] {
  for (const { app, handedTo } of steps) {
    if (handedTo === undefined) lit.edges[followsId(app)] = 'passed';
    else {
      lit.edges[handsId(app, handedTo)] = 'passed';
      lit.nodes[`taker:${handedTo}`] ??= 1;
    }
  }
  return lit;
}

function thenView(workspace: Workspace, step: Consequence, depth: number): ThenView {
  const { app, from, because, copies, place, sent, handedTo, round } = step;
  return {
    depth,
    app,
    from,
    because,
    copies,
    spot: workspace.spot(place),
    handedTo: handedTo ?? '',
    round: round === true,
    ...(sent
      ? {
          publishes: {
            type: sent.message.type ?? '',
            to: sent.sending.to,
            key: sent.message.key,
            sentence: summarise(workspace.graph, sent.trace).text,
            hop: hopView(workspace, sent.trace.root),
          },
        }
      : {}),
  };
}

/** A way is told so many hops deep. */
const DEEPEST = 60;
/** Of one sending so many hops are told. */
const MOST_HOPS = 2_000;
/** Of the ways not taken from a hop so many are told. */
const MOST_MISSES = 100;

/** @param room how many hops may still be told, this one included; goes down as they are */
function hopView(
  workspace: Workspace,
  hop: Hop,
  before?: Hop,
  depth = 0,
  room = { hops: MOST_HOPS },
): HopView {
  const { graph } = workspace;
  room.hops--;
  const told = depth < DEEPEST ? hop.next.slice(0, Math.max(0, room.hops)) : [];
  const misses = missesAt(graph, hop);
  const node = graph.nodes.get(hop.node);
  const telling = whyHop(graph, hop, before);
  return {
    node: hop.node,
    name: node ? nodeName(graph, hop.node) : (hop.address ?? 'nothing'),
    role: node?.role ?? '',
    why: telling.text,
    ...workspace.spotIf(telling.place),
    copies: hop.copies,
    latency: hop.latency,
    again: hop.again === true,
    joins: hop.joins !== undefined,
    ...(hop.note ? { note: hop.note } : {}),
    takers: [...(hop.takers ?? [])],
    ...(hop.end
      ? { end: { outcome: hop.end.outcome, why: hop.end.why, ...workspace.spotIf(hop.end.place) } }
      : {}),
    misses: misses.slice(0, MOST_MISSES).map(({ edge, text, place }) => ({
      to: edge.to,
      name: edge.kind === 'subscription' ? edge.label : nodeName(graph, edge.to),
      text,
      spot: workspace.spot(place ?? edge.place),
    })),
    missed: misses.length,
    next: told.map((each) => hopView(workspace, each, hop, depth + 1, room)),
    left: hop.next.slice(told.length).reduce((sum, each) => sum + [...hopsOf({ root: each })].length, 0),
  };
}

/** What of the graph lights up, with copies. */
function light(graph: RoutingGraph, traces: readonly { trace: Trace; from: string }[]): FollowView['lit'] {
  const lit: FollowView['lit'] = { nodes: {}, edges: {}, ends: {} };
  const pass = (id: string, copies: number) => (lit.nodes[id] = (lit.nodes[id] ?? 0) + copies);
  const come = (hop: Hop): void => {
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
  };
  for (const { trace: each, from } of traces) {
    const refused = each.root.end?.outcome === 'refused';
    for (const edge of graph.out.get(`publisher:${from}`) ?? []) {
      if (edge.to === each.root.node && edge.label === each.message.type)
        lit.edges[edge.id] = refused ? 'refused' : 'passed';
    }
    if (from) pass(`publisher:${from}`, 0);
    for (const hop of hopsOf(each)) come(hop);
  }
  return lit;
}
