/** A trace as the one-line JSON the command line promises, and as text. */
import { whyHop } from '../analysis/trace/narrate.ts';
import { isResting, settle } from '../analysis/trace/settle.ts';
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
  }[];
}

/**
 * @param index the message's place in its file, from 0
 * @param reason what stores do to what rests in them; without one, copies stay
 * @param remarks on the message, which are told with it
 * @returns where copies rest in the end, how every branch finished, and every hop in order
 */
export function traceData(
  graph: RoutingGraph,
  trace: Trace,
  index: number,
  locate: (place: Place) => Position,
  reason?: DeadLetterReason,
  remarks: readonly string[] = [],
): TraceData {
  const at = (hop: Hop) => {
    const found = graph.nodes.get(hop.node);
    return found ? addressOf(found.thing) : (hop.address ?? '');
  };
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
  const hops: TraceData['hops'][number][] = [];
  // a way may be longer than a stack is deep
  const open: { readonly hop: Hop; readonly before: Hop | undefined; readonly depth: number }[] = [];
  const visit = ({ hop, before, depth }: (typeof open)[number]): void => {
    const told = whyHop(graph, hop, before);
    const position = told.place && locate(told.place);
    hops.push({
      at: at(hop),
      depth,
      by: hop.edge?.kind ?? 'publish',
      why: told.text,
      copies: hop.copies,
      key: hop.message.key,
      ...(hop.latency ? { latency: hop.latency } : {}),
      ...(position ? { place: `${told.place!.doc}:${position.line}:${position.column}` } : {}),
      ...(hop.again ? { again: true as const } : {}),
      ...(hop.joins ? { joins: true as const } : {}),
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
  return {
    index,
    ...(remarks.length ? { remarks } : {}),
    stores: [...stores.values()],
    ends: settled.ends.map(({ hop, end }) => ({
      outcome: end.outcome,
      at: at(hop),
      why: end.why,
      copies: end.copies,
    })),
    hops,
  };
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
  for (const store of data.stores) {
    const takers = store.takers.length ? `, taken by ${store.takers.join(', ')}` : '';
    lines.push(`  rests in ${store.at}: ${store.copies} ${store.copies === 1 ? 'copy' : 'copies'}${takers}`);
  }
  for (const end of data.ends) {
    if (!['held', 'taken'].includes(end.outcome))
      lines.push(`  ${end.outcome} at ${end.at || 'nowhere'}: ${end.why}`);
  }
  for (const hop of data.hops) {
    const place = hop.place ? ` (${hop.place})` : '';
    lines.push(
      `    ${'  '.repeat(hop.depth)}${hop.at || '?'}: ${hop.again ? 'has its copy already' : hop.why}${hop.joins ? '; goes on with the other copies that come here' : ''}${place}`,
    );
  }
  return `${lines.join('\n')}\n`;
}
