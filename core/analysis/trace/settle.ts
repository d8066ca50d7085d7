/**
 * What becomes of a traced message in the end, when stores give copies up: each is followed through
 * its dead letter, and on, until it rests where nothing gives it up.
 */
import type { Message } from '../../conditions/message.ts';
import type { RoutingGraph } from '../../routing/graph.ts';
import type { StoreNode } from '../../routing/parts.ts';
import type { RotationState } from '../../routing/choose.ts';
import type { DeadLetterReason, End, Hop } from '../../routing/hop.ts';
import { type Trace, traceDeadLetter } from '../../routing/trace.ts';

/** A store a copy was given up by; what a broker keeps with a dead letter. */
export interface Death {
  readonly node: string;
  readonly fate: DeadLetterReason;
}

/** One giving-up that happened. */
export interface GivingUp {
  readonly node: string;
  readonly fate: DeadLetterReason;
  readonly copies: number;
  readonly trace: Trace;
}

export interface Settled {
  /** Copies by store, where nothing gives them up any more. */
  readonly rests: ReadonlyMap<string, number>;
  /** How every branch finished. */
  readonly ends: readonly { readonly hop: Hop; readonly end: End }[];
  readonly steps: readonly GivingUp[];
  readonly turns: RotationState;
  /**
   * It was given up as often as is followed: a dead letter that goes round past a rejection is never
   * cut, and where it meets several queues it multiplies until the broker has no memory left (seen).
   */
  readonly endless: boolean;
}

/** Giving up is followed at most this often; past it the rest is told as looped. */
const MOST_STEPS = 5_000;

/**
 * Follows every copy of a trace through the fates its stores have for it. A cycle of dead letters
 * without a rejection in it is cut where it would close, as brokers do.
 *
 * @param fateOf what a store does to copies that rest in it, by what is on record of them; undefined where they stay
 */
export function settle(
  graph: RoutingGraph,
  trace: Trace,
  fateOf: (store: StoreNode, message: Message, deaths: readonly Death[]) => DeadLetterReason | undefined,
  turns: RotationState = new Map(),
): Settled {
  const rests = new Map<string, number>();
  const ends: { hop: Hop; end: End }[] = [];
  const steps: GivingUp[] = [];
  const work: { hop: Hop; end: End; copies: number; deaths: readonly Death[] }[] = trace.ends.map((each) => ({
    ...each,
    copies: each.end.copies,
    deaths: [],
  }));
  for (let item = work.shift(); item; item = work.shift()) {
    const { hop, end, copies, deaths } = item;
    const store = graph.nodes.get(hop.node);
    const resting = end.outcome === 'held' || end.outcome === 'taken' || end.outcome === 'waiting';
    const fate =
      resting && (store?.role === 'queue' || store?.role === 'subscription')
        ? fateOf(store, hop.message, deaths)
        : undefined;
    if (!fate || steps.length >= MOST_STEPS) {
      if (resting) rests.set(hop.node, (rests.get(hop.node) ?? 0) + copies);
      ends.push({ hop, end: { ...end, copies } });
      continue;
    }
    const died = recorded({ node: hop.node, fate }, deaths);
    const next = traceDeadLetter(graph, hop.node, hop.message, fate, turns);
    turns = next.turns;
    steps.push({ node: hop.node, fate, copies, trace: next.trace });
    for (const each of next.trace.ends) {
      const more = copies * each.end.copies;
      const elsewhere = each.hop !== next.trace.root;
      if (elsewhere && fate !== 'rejected' && closesCycle(each.hop.node, died)) {
        const why =
          'it comes back to a store that gave it up, with no rejection between: the broker drops it';
        ends.push({ hop: each.hop, end: { outcome: 'looped', why, copies: more } });
      } else {
        work.push({ ...each, copies: more, deaths: died });
      }
    }
  }
  return { rests, ends, steps, turns, endless: steps.length >= MOST_STEPS };
}

/**
 * The record of deaths a broker keeps: the latest first, and the earlier ones turned round each time (seen).
 * The order matters, since a rejection ends the search for a cycle only where it stands before the store.
 */
function recorded(death: Death, before: readonly Death[]): Death[] {
  return [death, ...before.filter(({ node, fate }) => node !== death.node || fate !== death.fate).reverse()];
}

/** Whether a copy that died so comes round: the store is on record, and no rejection up to there. */
function closesCycle(node: string, deaths: readonly Death[]): boolean {
  const at = deaths.findIndex((death) => death.node === node);
  return at >= 0 && deaths.slice(0, at + 1).every((death) => death.fate !== 'rejected');
}
