/**
 * The trace of one message: the tree of hops it makes through the routing graph, and how each
 * branch ends. Exact by the rules of docs/routing.md; explanations are not made here but on
 * demand, from the edges a hop names (see narrate.ts), so that a hundred thousand messages can be
 * traced for their outcome alone.
 */
import type { Message } from '../conditions/message.ts';
import { type Thing, thing } from '../language/thing.ts';
import type { RotationState } from './choose.ts';
import type { RoutingGraph } from './graph.ts';
import type { DeadLetterReason, End, Hop, Sending } from './hop.ts';
import { Walk } from './walk.ts';

/** Where copies came to rest, over all branches. */
export interface Rest {
  readonly node: string;
  readonly store: Thing;
  readonly copies: number;
  readonly takers: readonly string[];
  readonly outcome: 'held' | 'taken' | 'waiting';
  /** The latest arrival, in milliseconds. */
  readonly latency: number;
}

export interface Trace {
  readonly message: Message;
  /** The app it was published by, when one is known. */
  readonly from?: string;
  readonly root: Hop;
  readonly rests: readonly Rest[];
  readonly ends: readonly { readonly hop: Hop; readonly end: End }[];
  /** Copies at rest in all. */
  readonly copies: number;
}

export interface TraceResult {
  readonly trace: Trace;
  readonly turns: RotationState;
}

/**
 * Traces one message.
 * @param sending where it is sent, by whom
 * @param turns the spread counters of the traces before it
 */
export function trace(
  graph: RoutingGraph,
  message: Message,
  sending: Sending,
  turns: RotationState = new Map(),
): TraceResult {
  const walk = new Walk(graph, turns);
  const root = walk.send(message, sending);
  return { trace: finish(message, root, sending.from), turns: walk.turns };
}

/**
 * Follows a copy that its store gives up on.
 * @param node the store's node id
 * @param message the message as it rested there
 * @returns the trace that begins at that store
 */
export function traceDeadLetter(
  graph: RoutingGraph,
  node: string,
  message: Message,
  reason: DeadLetterReason,
  turns: RotationState = new Map(),
): TraceResult {
  const walk = new Walk(graph, turns);
  const root = walk.giveUp(node, message, reason);
  return { trace: finish(message, root), turns: walk.turns };
}

/** @returns every hop of a trace, each before those that follow it */
export function* hopsOf(trace: { readonly root: Hop }): Generator<Hop> {
  // a way may be longer than a stack is deep
  const open: Hop[] = [trace.root];
  for (let hop = open.pop(); hop; hop = open.pop()) {
    yield hop;
    for (let i = hop.next.length - 1; i >= 0; i--) open.push(hop.next[i]!);
  }
}

/** Of copies that rest in one store the first of these is told. */
const STRONGEST: readonly Rest['outcome'][] = ['taken', 'waiting', 'held'];

function finish(message: Message, root: Hop, from?: string): Trace {
  const rests = new Map<string, Rest>();
  const ends: { hop: Hop; end: End }[] = [];
  let copies = 0;
  for (const hop of hopsOf({ root })) {
    const { end } = hop;
    if (!end) continue;
    ends.push({ hop, end });
    const { outcome } = end;
    if (outcome !== 'held' && outcome !== 'taken' && outcome !== 'waiting') continue;
    const before = rests.get(hop.node);
    const [kind, address] = split(hop.node);
    copies += end.copies;
    const takers = new Set([...(before?.takers ?? []), ...(hop.takers ?? [])]);
    rests.set(hop.node, {
      node: hop.node,
      store: before?.store ?? thing(kind, address.name, address.broker),
      copies: (before?.copies ?? 0) + end.copies,
      takers: [...takers],
      outcome:
        before && STRONGEST.indexOf(before.outcome) < STRONGEST.indexOf(outcome) ? before.outcome : outcome,
      latency: Math.max(before?.latency ?? 0, hop.latency),
    });
  }
  return { message, ...(from ? { from } : {}), root, rests: [...rests.values()], ends, copies };
}

function split(node: string): [Thing['kind'], { broker: string; name: string }] {
  const colon = node.indexOf(':');
  const slash = node.indexOf('/');
  return [
    node.slice(0, colon) as Thing['kind'],
    { broker: node.slice(colon + 1, slash), name: node.slice(slash + 1) },
  ];
}
