/** What becomes of a message in two topologies, side by side. */
import { addressOf } from '../../language/thing.ts';
import type { RoutingGraph } from '../../routing/graph.ts';
import type { Outcome } from '../../routing/hop.ts';
import type { Trace } from '../../routing/trace.ts';

/** Where a message came to rest, by address, and how its other branches ended. */
export interface OutcomeOf {
  readonly rests: ReadonlyMap<string, number>;
  readonly ends: ReadonlyMap<Outcome, number>;
}

export interface OutcomeChange {
  /** Stores that get more copies than before, or some; with how many more. */
  readonly more: readonly { readonly store: string; readonly copies: number }[];
  readonly fewer: readonly { readonly store: string; readonly copies: number }[];
  /** Ends other than resting that there are now, or are no longer. */
  readonly begun: readonly Outcome[];
  readonly ended: readonly Outcome[];
}

/** @returns where the copies of one message rest, over everything it was sent to. */
export function outcomeOf(graph: RoutingGraph, traces: readonly Trace[]): OutcomeOf {
  const rests = new Map<string, number>();
  const ends = new Map<Outcome, number>();
  for (const { rests: own, ends: all } of traces) {
    for (const { node, copies } of own) {
      const found = graph.nodes.get(node);
      const name = found ? addressOf(found.thing) : node;
      rests.set(name, (rests.get(name) ?? 0) + copies);
    }
    for (const { end } of all)
      if (end.outcome !== 'held' && end.outcome !== 'taken')
        ends.set(end.outcome, (ends.get(end.outcome) ?? 0) + 1);
  }
  return { rests, ends };
}

/** @returns how an outcome differs from an earlier one; undefined where it is the same. */
export function outcomeChange(before: OutcomeOf, now: OutcomeOf): OutcomeChange | undefined {
  const gains = (from: OutcomeOf, to: OutcomeOf) =>
    [...to.rests].flatMap(([store, copies]) => {
      const added = copies - (from.rests.get(store) ?? 0);
      return added > 0 ? [{ store, copies: added }] : [];
    });
  const begun = [...now.ends.keys()].filter((outcome) => !before.ends.has(outcome));
  const ended = [...before.ends.keys()].filter((outcome) => !now.ends.has(outcome));
  const more = gains(before, now);
  const fewer = gains(now, before);
  return more.length + fewer.length + begun.length + ended.length ? { more, fewer, begun, ended } : undefined;
}
