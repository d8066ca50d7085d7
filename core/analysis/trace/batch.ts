/**
 * Many messages, one after another: what became of each, and the totals. Messages that fare alike
 * share one result, so that a hundred thousand of them stay small.
 */
import type { Message } from '../../conditions/message.ts';
import { addressOf } from '../../language/thing.ts';
import type { RoutingGraph } from '../../routing/graph.ts';
import type { RotationState } from '../../routing/choose.ts';
import type { Outcome, Sending } from '../../routing/hop.ts';
import { type Trace, hopsOf, trace } from '../../routing/trace.ts';

/** What became of one message, as every message that fared alike has it. */
export interface BatchResult {
  readonly rests: readonly {
    readonly store: string;
    readonly copies: number;
    readonly takers: readonly string[];
  }[];
  /** Every end but resting, with the reason. */
  readonly ends: readonly { readonly outcome: Outcome; readonly at: string; readonly why: string }[];
  readonly copies: number;
  /** The slowest way, in milliseconds. */
  readonly latency: number;
}

export interface BatchRow {
  readonly message: Message;
  readonly result: BatchResult;
}

export interface BatchTotals {
  readonly messages: number;
  readonly copies: number;
  /** By store: messages that reached it, and their copies. */
  readonly stores: ReadonlyMap<string, { readonly messages: number; readonly copies: number }>;
  /** By outcome: messages of which a branch ended so. */
  readonly outcomes: ReadonlyMap<Outcome, number>;
  /** By spread: how many copies each member was given. */
  readonly spreads: ReadonlyMap<string, ReadonlyMap<string, number>>;
  /** The message types there were. */
  readonly types: ReadonlyMap<string, number>;
}

/** A batch in the making: messages are given one by one, so that it can be watched and stopped. */
export class Batch {
  readonly rows: BatchRow[] = [];
  private turns: RotationState = new Map();
  private readonly results = new Map<string, BatchResult>();
  private copies = 0;
  private readonly stores = new Map<string, { messages: number; copies: number }>();
  private readonly outcomes = new Map<Outcome, number>();
  private readonly spreads = new Map<string, Map<string, number>>();
  private readonly types = new Map<string, number>();

  constructor(private readonly graph: RoutingGraph) {}

  /** Follows one message to everything it is sent to. Spreads go on from where the one before left them. */
  add(message: Message, sendings: readonly Sending[]): void {
    const traces = sendings.map((sending) => {
      const { trace: found, turns } = trace(this.graph, message, sending, this.turns);
      this.turns = turns;
      return found;
    });
    const result = this.resultOf(traces);
    this.rows.push({ message, result });
    this.copies += result.copies;
    for (const { store, copies } of result.rests) {
      const total = this.stores.get(store) ?? { messages: 0, copies: 0 };
      this.stores.set(store, { messages: total.messages + 1, copies: total.copies + copies });
    }
    for (const outcome of new Set(result.ends.map((end) => end.outcome)))
      this.outcomes.set(outcome, (this.outcomes.get(outcome) ?? 0) + 1);
    if (message.type) this.types.set(message.type, (this.types.get(message.type) ?? 0) + 1);
    for (const each of traces) this.countChoices(each);
  }

  /** @returns the totals so far; they go on counting as messages are added */
  get totals(): BatchTotals {
    const { copies, stores, outcomes, spreads, types } = this;
    return { messages: this.rows.length, copies, stores, outcomes, spreads, types };
  }

  private resultOf(traces: readonly Trace[]): BatchResult {
    const rests = new Map<string, { copies: number; takers: readonly string[] }>();
    let latency = 0;
    for (const rest of traces.flatMap((each) => each.rests)) {
      const store = this.nameOf(rest.node);
      const copies = (rests.get(store)?.copies ?? 0) + rest.copies;
      rests.set(store, { copies, takers: rest.takers });
      latency = Math.max(latency, rest.latency);
    }
    const ends = traces
      .flatMap((each) => each.ends)
      .filter(({ end }) => end.outcome !== 'held' && end.outcome !== 'taken')
      .map(({ hop, end }) => ({
        outcome: end.outcome,
        at: hop.address ?? this.nameOf(hop.node),
        why: end.why,
      }));
    const sign = JSON.stringify([[...rests].map(([store, { copies }]) => [store, copies]), ends, latency]);
    const known = this.results.get(sign);
    if (known) return known;
    const result: BatchResult = {
      rests: [...rests].map(([store, { copies, takers }]) => ({
        store,
        copies,
        takers: takers.map((id) => id.replace(/^app:/, '')),
      })),
      ends,
      copies: [...rests.values()].reduce((sum, { copies }) => sum + copies, 0),
      latency,
    };
    this.results.set(sign, result);
    return result;
  }

  private countChoices(made: Trace): void {
    for (const hop of hopsOf(made)) {
      if (this.graph.nodes.get(hop.node)?.role !== 'spread') continue;
      const members = this.spreads.get(hop.node) ?? new Map<string, number>();
      this.spreads.set(hop.node, members);
      for (const { node, copies } of hop.next) {
        const member = this.nameOf(node);
        members.set(member, (members.get(member) ?? 0) + copies);
      }
    }
  }

  private nameOf(node: string): string {
    const found = this.graph.nodes.get(node);
    return found ? addressOf(found.thing) : node;
  }
}
