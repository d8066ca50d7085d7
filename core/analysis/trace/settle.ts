/**
 * What becomes of a traced message in the end, when stores give copies up: each is followed through
 * its dead letter, and on, until it rests where nothing gives it up.
 */
import type { Message } from '../../conditions/message.ts';
import type { RoutingGraph } from '../../routing/graph.ts';
import { addressOf } from '../../language/thing.ts';
import type { StoreNode } from '../../brokers/terms.ts';
import type { RotationState } from '../../routing/choose.ts';
import type { DeadLetterReason, End, Hop } from '../../routing/hop.ts';
import { type Trace, traceDeadLetter } from '../../routing/trace.ts';
import { alike, routedAlike } from '../../routing/walk.ts';

/** A store a copy was given up by; what a broker keeps with a dead letter. */
export interface Death {
  readonly node: string;
  readonly reason: DeadLetterReason;
}

/** One giving-up that happened. */
export interface GivingUp {
  readonly node: string;
  readonly reason: DeadLetterReason;
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
   * Some of it goes round without end: a dead letter that goes round past a rejection is never cut, and
   * where it meets several queues it multiplies until the broker has no memory left (seen).
   */
  readonly endless: boolean;
}

/** On circles giving up is followed at most this often; past it the rest is told as endless. */
const MOST_STEPS = 5_000;

/** Copies that a store gives up alike. */
interface Given {
  readonly hop: Hop;
  readonly reason: DeadLetterReason;
  readonly deaths: readonly Death[];
  /** What it was given up as before this, the latest first. */
  readonly past: Past | undefined;
  copies: number;
}

/** One state of a message that was given up, and those it went through before. */
interface Past {
  readonly store: string;
  readonly hop: Hop;
  readonly reason: DeadLetterReason;
  readonly deaths: readonly Death[];
  readonly turns: RotationState;
  readonly before: Past | undefined;
}

/**
 * Follows every copy of a trace through whatever its stores give it up for. A cycle of dead letters
 * without a rejection in it is cut where it would close, as brokers do. Copies that a store gives up
 * alike are followed once, and counted.
 *
 * @param reasonFor what a store does to copies that rest in it, by what is on record of them that may still
 *   matter (rejections, and stores they can come back to); undefined where they stay
 */
export function settle(
  graph: RoutingGraph,
  trace: Trace,
  reasonFor: (store: StoreNode, message: Message, deaths: readonly Death[]) => DeadLetterReason | undefined,
  turns: RotationState = new Map(),
): Settled {
  const rests = new Map<string, number>();
  const ends: { hop: Hop; end: End }[] = [];
  const steps: GivingUp[] = [];
  const given = new Map<string, Given[]>();
  let round = 0;
  let endless = false;
  const come = (hop: Hop, end: End, deaths: readonly Death[], past?: Past): void => {
    const store = graph.nodes.get(hop.node);
    const resting = isResting(end);
    const reason =
      resting && (store?.role === 'queue' || store?.role === 'subscription')
        ? reasonFor(store, hop.message, deaths)
        : undefined;
    const goesOn =
      reason &&
      (roundOf({ store: hop.node, hop, reason, deaths, turns }, past) ??
        (round < MOST_STEPS ? undefined : past));
    if (goesOn) {
      endless = true;
      const why = `it goes round without end: ${namesOf(graph, goesOn, hop.node)}`;
      const known = ends.find(
        ({ end: { outcome }, hop: { node } }) => outcome === 'endless' && node === hop.node,
      );
      const copies = end.copies + (known?.end.copies ?? 0);
      if (known) ends.splice(ends.indexOf(known), 1);
      ends.push({ hop, end: { outcome: 'endless', why, copies } });
      return;
    }
    if (!reason) {
      if (resting) rests.set(hop.node, (rests.get(hop.node) ?? 0) + end.copies);
      ends.push({ hop, end });
      return;
    }
    const here = given.get(hop.node) ?? [];
    given.set(hop.node, here);
    const like = here.find(
      (each) =>
        each.reason === reason && sameDeaths(each.deaths, deaths) && alike(each.hop.message, hop.message),
    );
    if (like) like.copies += end.copies;
    else here.push({ hop, reason, deaths, past, copies: end.copies });
  };
  for (const { hop, end } of trace.ends) come(hop, end, []);
  for (let store = next(graph, given); store !== undefined; store = next(graph, given)) {
    const here = given.get(store)!;
    given.delete(store);
    for (const { hop, reason, deaths, past, copies } of here) {
      const circular = graph.roundOrder.circular(store);
      if (circular) round++;
      const died = recorded({ node: store, reason }, deaths, circular);
      const so: Past = { store, hop, reason, deaths, turns, before: past };
      const followed = traceDeadLetter(graph, store, hop.message, reason, turns);
      turns = followed.turns;
      steps.push({ node: store, reason, copies, trace: followed.trace });
      for (const each of followed.trace.ends) {
        const more = copies * each.end.copies;
        const elsewhere = each.hop !== followed.trace.root;
        if (elsewhere && isResting(each.end) && reason !== 'rejected' && closesCycle(each.hop.node, died)) {
          const why =
            'it comes back to a store that gave it up, with no rejection between: the broker drops it';
          ends.push({ hop: each.hop, end: { outcome: 'looped', why, copies: more } });
        } else come(each.hop, { ...each.end, copies: more }, died, so);
      }
    }
  }
  return { rests, ends, steps, turns, endless };
}

/** @returns whether copies came into a store: what is refused at its door is not in it */
export const isResting = ({ outcome }: End): boolean =>
  outcome === 'held' || outcome === 'taken' || outcome === 'waiting';

/** @returns what a message went through, where one state of it was the very same as now, so that it goes round; else undefined */
function roundOf(now: Omit<Past, 'before'>, past: Past | undefined): Past | undefined {
  for (let at = past; at; at = at.before)
    if (
      at.store === now.store &&
      at.reason === now.reason &&
      at.turns === now.turns &&
      sameDeaths(at.deaths, now.deaths) &&
      // an envelope within an envelope, deeper each time, goes the same round
      routedAlike(at.hop.message, now.hop.message)
    )
      return past;
  return undefined;
}

/** The round a message goes, from a store to that store again. */
function namesOf(graph: RoutingGraph, past: Past, store: string): string {
  const name = (id: string) => addressOf(graph.nodes.get(id)!.thing);
  const stores = [store];
  for (let at: Past | undefined = past; at; at = at.before) {
    stores.push(at.store);
    if (at.store === store) break;
  }
  const names = stores.reverse().map(name);
  return (names.length > 9 ? [...names.slice(0, 7), `${names.length - 8} more`, names.at(-1)] : names).join(
    ' → ',
  );
}

/** @returns the store to give up next: one that nothing given up elsewhere can come to any more */
function next(graph: RoutingGraph, given: ReadonlyMap<string, unknown>): string | undefined {
  let first: string | undefined;
  for (const store of given.keys())
    if (first === undefined || graph.roundOrder.rank(store) < graph.roundOrder.rank(first)) first = store;
  return first;
}

/**
 * The record of deaths a broker keeps: the latest first, and the earlier ones turned round each time (seen).
 * The order matters, since a rejection ends the search for a cycle only where it stands before the store.
 * Of stores that no copy comes back to only that they rejected it is kept, without which.
 */
function recorded(death: Death, before: readonly Death[], circular: boolean): Death[] {
  const others = before
    .filter(({ node, reason }) => node === '' || node !== death.node || reason !== death.reason)
    .reverse();
  if (circular) return [death, ...others];
  return death.reason === 'rejected' ? [{ node: '', reason: 'rejected' }, ...others] : others;
}

const sameDeaths = (a: readonly Death[], b: readonly Death[]): boolean =>
  a.length === b.length && a.every(({ node, reason }, i) => node === b[i]!.node && reason === b[i]!.reason);

/** Whether a copy that died so comes round: the store is on record, and no rejection up to there. */
function closesCycle(node: string, deaths: readonly Death[]): boolean {
  const at = deaths.findIndex((death) => death.node === node);
  return at >= 0 && deaths.slice(0, at + 1).every((death) => death.reason !== 'rejected');
}
