/** A trace as the one-line JSON the command line promises, and as text. */
import { missesAt, whyHop } from '../analysis/trace/narrate.ts';
import { type Settled, isResting, settle } from '../analysis/trace/settle.ts';
import { allFollowed, throughApps } from '../analysis/trace/through.ts';
import type { Position } from '../base/span.ts';
import { addressOf } from '../language/thing.ts';
import type { RoutingGraph } from '../routing/graph.ts';
import type { DeadLetterReason, Hop } from '../routing/hop.ts';
import type { Trace } from '../routing/trace.ts';
import type { Place } from '../syntax/place.ts';

export interface TraceData {
  readonly index: number;
  /** What in the message is not as its type says. */
  readonly remarks?: readonly string[];
  readonly stores: readonly {
    readonly at: string;
    readonly kind: 'queue' | 'subscription';
    readonly copies: number;
    readonly takers: readonly string[];
  }[];
  readonly ends: readonly {
    readonly outcome: string;
    readonly at: string;
    readonly why: string;
    readonly copies: number;
  }[];
  readonly hops: readonly {
    readonly at: string;
    /** How many hops lie before it on its branch. */
    readonly depth: number;
    readonly by: string;
    readonly why: string;
    readonly copies: number;
    readonly key: string;
    readonly latency?: number;
    readonly place?: string;
    readonly again?: true;
    /** Its copies go on with others that came to the same place alike: see the hop with the most before it. */
    readonly joins?: true;
    /** The ways not taken from here, where they were asked for. */
    readonly misses?: readonly { readonly at: string; readonly why: string; readonly place?: string }[];
  }[];
  /** What apps do because of it, in order; each with what follows from it behind it. */
  readonly then?: readonly FollowedData[];
}

/** One thing an app does because of a message it took. */
export interface FollowedData {
  /** How many apps lie before it. */
  readonly depth: number;
  readonly app: string;
  /** The store it took the message from, and the type of that. */
  readonly took: string;
  readonly because: string;
  readonly copies: number;
  /** The app it hands on to, outside of brokers. */
  readonly handsTo?: string;
  /** What it publishes. */
  readonly publishes?: { readonly to: string; readonly type: string; readonly key: string };
  readonly stores?: TraceData['stores'];
  readonly ends?: TraceData['ends'];
  /** It was followed before on this way: apps answer each other without end. */
  readonly round?: true;
}

/**
 * @param index the message's place in its file, from 0
 * @param reason what stores do to what rests in them; without one, copies stay
 * @param more remarks on the message, which are told with it; and whether the ways not taken are told
 * @returns where copies rest in the end, how every branch finished, and every hop in order
 */
export function traceData(
  graph: RoutingGraph,
  trace: Trace,
  index: number,
  locate: (place: Place) => Position,
  reason?: DeadLetterReason,
  { remarks = [], misses = false }: { remarks?: readonly string[]; misses?: boolean } = {},
): TraceData {
  const at = addressIn(graph);
  const { settled, stores, ends } = outcomeData(graph, trace, reason);
  const hops: TraceData['hops'][number][] = [];
  // a way may be longer than a stack is deep
  const open: { readonly hop: Hop; readonly before: Hop | undefined; readonly depth: number }[] = [];
  const visit = ({ hop, before, depth }: (typeof open)[number]): void => {
    const told = whyHop(graph, hop, before);
    const positionOf = (place: Place | undefined) => {
      const position = place && locate(place);
      return position ? { place: `${place.doc}:${position.line}:${position.column}` } : {};
    };
    const missed = misses
      ? missesAt(graph, hop).map(({ edge, text, place }) => ({
          at: edge.kind === 'subscription' ? edge.label : addressIn(graph)({ node: edge.to } as Hop),
          why: text,
          ...positionOf(place),
        }))
      : [];
    hops.push({
      at: at(hop),
      depth,
      by: hop.edge?.kind ?? 'publish',
      why: told.text,
      copies: hop.copies,
      key: hop.message.key,
      ...(hop.latency ? { latency: hop.latency } : {}),
      ...positionOf(told.place),
      ...(hop.again ? { again: true as const } : {}),
      ...(hop.joins ? { joins: true as const } : {}),
      ...(missed.length ? { misses: missed } : {}),
    });
    for (const next of hop.next.toReversed()) open.push({ hop: next, before: hop, depth: depth + 1 });
  };
  const visitAll = (hop: Hop, before: Hop | undefined, depth: number): void => {
    open.push({ hop, before, depth });
    for (let next = open.pop(); next; next = open.pop()) visit(next);
  };
  visitAll(trace.root, undefined, 0);
  for (const { trace: round } of settled.steps)
    for (const next of round.root.next) visitAll(next, round.root, 1);
  // of what is given up nobody makes anything
  const then = reason ? [] : followedData(graph, trace);
  return {
    index,
    ...(then.length ? { then } : {}),
    ...(remarks.length ? { remarks } : {}),
    stores,
    ends,
    hops,
  };
}

const addressIn = (graph: RoutingGraph) => (hop: Hop) => {
  const found = graph.nodes.get(hop.node);
  return found ? addressOf(found.thing) : (hop.address ?? '');
};

/** Where copies rest in the end, and how every branch finished. */
function outcomeData(
  graph: RoutingGraph,
  trace: Trace,
  reason?: DeadLetterReason,
): Pick<TraceData, 'stores' | 'ends'> & { readonly settled: Settled } {
  const at = addressIn(graph);
  const settled = settle(graph, trace, (store) => (reason && gives(store.decl, reason) ? reason : undefined));
  const stores = new Map<
    string,
    { at: string; kind: 'queue' | 'subscription'; copies: number; takers: string[] }
  >();
  for (const { hop, end } of settled.ends) {
    if (!isResting(end)) continue;
    const copies = (stores.get(hop.node)?.copies ?? 0) + end.copies;
    const kind = graph.nodes.get(hop.node)?.role === 'subscription' ? 'subscription' : 'queue';
    const more = (hop.takers ?? []).filter((id) => id.startsWith('app:'));
    const takers = [...new Set([...(stores.get(hop.node)?.takers ?? []), ...more])];
    stores.set(hop.node, { at: at(hop), kind, copies, takers });
  }
  return {
    settled,
    stores: [...stores.values()],
    ends: settled.ends.map(({ hop, end }) => ({
      outcome: end.outcome,
      at: at(hop),
      why: end.why,
      copies: end.copies,
    })),
  };
}

function followedData(graph: RoutingGraph, of: Trace): FollowedData[] {
  return [...allFollowed(throughApps(graph, [of]))].map(({ step, depth }): FollowedData => {
    const { app, from: took, because, copies, sent, handedTo, round } = step;
    const known = { depth, app, took, because, copies, ...(round ? { round } : {}) };
    if (!sent) return { ...known, handsTo: handedTo! };
    const { message, sending, trace } = sent;
    const { stores, ends } = outcomeData(graph, trace);
    return {
      ...known,
      publishes: { to: sending.to, type: message.type ?? '', key: message.key },
      ...(round ? {} : { stores, ends }),
    };
  });
}

/**
 * Whether a store can do that to a message at all: expiry asks for a time to live, overflow for a
 * limit, too many deliveries for a limit of those; anything can be rejected.
 */
function gives(decl: object, reason: DeadLetterReason): boolean {
  const set = (...names: string[]) =>
    names.some((name) => (decl as Record<string, unknown>)[name] !== undefined);
  switch (reason) {
    case 'expired':
      return set('ttl');
    case 'overflow':
      return set('maxLength', 'maxBytes');
    case 'too many deliveries':
      return set('maxDeliveries');
    case 'rejected':
      return true;
  }
}

/** @returns a trace for people: where copies rest, then the ladder of hops. */
export function traceText(data: TraceData): string {
  const lines = [`message ${data.index}`, ...(data.remarks ?? []).map((each) => `  remark: ${each}`)];
  lines.push(...outcomeLines(data).map((line) => `  ${line}`));
  for (const hop of data.hops) {
    const place = hop.place ? ` (${hop.place})` : '';
    lines.push(
      `    ${'  '.repeat(hop.depth)}${hop.at || '?'}: ${hop.again ? 'has its copy already' : hop.why}${hop.joins ? '; goes on with the other copies that come here' : ''}${place}`,
    );
    for (const { at, why, place: stands } of hop.misses ?? [])
      lines.push(`    ${'  '.repeat(hop.depth + 1)}not to ${at}: ${why}${stands ? ` (${stands})` : ''}`);
  }
  for (const each of data.then ?? []) {
    const indent = '  '.repeat(each.depth + 1);
    const does = each.publishes
      ? `publishes ${each.publishes.type} to ${each.publishes.to}`
      : `hands on to ${each.handsTo}`;
    lines.push(`${indent}${each.app} takes ${each.because} from ${each.took} and ${does}`);
    if (each.round) lines.push(`${indent}  and so on, round and round`);
    lines.push(...outcomeLines(each).map((line) => `${indent}  ${line}`));
  }
  return `${lines.join('\n')}\n`;
}

function outcomeLines({ stores, ends }: Partial<Pick<TraceData, 'stores' | 'ends'>>): string[] {
  return [
    ...(stores ?? []).map(({ at, copies, takers }) => {
      const taken = takers.length ? `, taken by ${takers.join(', ')}` : '';
      return `rests in ${at}: ${copies} ${copies === 1 ? 'copy' : 'copies'}${taken}`;
    }),
    ...(ends ?? [])
      .filter(({ outcome }) => !['held', 'taken'].includes(outcome))
      .map(({ outcome, at, why }) => `${outcome} at ${at || 'nowhere'}: ${why}`),
  ];
}
