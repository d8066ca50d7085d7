/**
 * What happens to messages while the steps of a rollout are taken: between any two of them, whether all that both
 * ends deliver is delivered, and whether anything arrives that neither end delivers.
 */
import type { Diagram } from '../../base/diagram.ts';
import type { Message } from '../../conditions/message.ts';
import { told } from '../classes/told.ts';
import { BrokerState, type Operation, alternateOf } from './state.ts';
import type { Resters, Resting, Traffic } from './traffic.ts';

/** Some messages do not come where they do before and after, or come where they do neither before nor after. */
export interface Window {
  /** The first and the last state in which it is so: the broker after so many operations. */
  readonly from: number;
  readonly until: number;
  readonly kind: 'missing' | 'extra';
  readonly traffic: Traffic;
  /** The queue's name on the wire. */
  readonly queue: string;
  /** A message of which it is so in all these states. */
  readonly witness: Message;
  /** Why it is not proved; undefined where it is. */
  readonly unless?: string;
}

/** The messages that miss, or are too much, by where: the same object for as long as nothing of it changes. */
export type Troubles = ReadonlyMap<string, Trouble>;

interface Trouble {
  readonly kind: Window['kind'];
  readonly traffic: number;
  readonly queue: string;
  readonly set: Diagram;
}

/** Judges states of a broker by what both ends of a rollout deliver. */
export class Judge {
  constructor(
    readonly resters: Resters,
    private readonly before: readonly Resting[],
    private readonly after: readonly Resting[],
  ) {}

  /** @returns what is wrong in a state */
  of(state: BrokerState): Troubles {
    const troubles = new Map<string, Trouble>();
    for (const [traffic, now] of this.resters.in(state).entries()) {
      const space = this.resters.spaceOf(traffic);
      if (!space) continue;
      const { diagrams } = space;
      const { no } = diagrams;
      const [then, later] = [this.before[traffic]!, this.after[traffic]!];
      const note = (kind: Window['kind'], queue: string, set: Diagram) => {
        if (set !== no) troubles.set(`${kind} ${traffic} ${queue}`, { kind, traffic, queue, set });
      };
      for (const [queue, was] of then) {
        const both = diagrams.apply(diagrams.and, was, later.get(queue) ?? no);
        note('missing', queue, diagrams.apply(diagrams.without, both, now.get(queue) ?? no));
      }
      for (const [queue, is] of now) {
        const either = diagrams.apply(diagrams.or, then.get(queue) ?? no, later.get(queue) ?? no);
        note('extra', queue, diagrams.apply(diagrams.without, is, either));
      }
    }
    return troubles;
  }
}

/** From a state on, up to the next that is named. */
export interface Stretch {
  readonly from: number;
  readonly troubles: Troubles;
}

/** So much is looked at; what is larger is told as not looked at. */
export const MOST_EFFORT = 6000;

/**
 * Goes through all states on the way.
 * @param start the broker as it is
 * @returns where what is wrong changes, in order; `upTo` is the last state that was looked at
 */
export function walk(
  judge: Judge,
  start: BrokerState,
  operations: readonly Operation[],
  most = MOST_EFFORT,
): { readonly stretches: readonly Stretch[]; readonly complete: boolean } {
  const { resters } = judge;
  const began = resters.effort;
  const known = new Map<number, Troubles>();
  const kept = new Map<number, BrokerState>([[0, start]]);
  let complete = true;
  const stateAt = (k: number): BrokerState => {
    const exact = kept.get(k);
    if (exact) return exact;
    let at = 0;
    for (const each of kept.keys()) if (each < k && each > at) at = each;
    const state = new BrokerState(kept.get(at)!);
    for (let i = at; i < k; i++) state.apply(operations[i]!);
    return state;
  };
  const at = (k: number): Troubles => {
    let troubles = known.get(k);
    if (!troubles) known.set(k, (troubles = judge.of(stateAt(k))));
    return troubles;
  };
  const between = (low: number, high: number): void => {
    if (high - low < 2 || sameTroubles(at(low), at(high))) return;
    if (resters.effort - began > most) {
      complete = false;
      return;
    }
    const middle = (low + high) >> 1;
    at(middle);
    between(low, middle);
    between(middle, high);
  };
  const runs = runsOf(start, operations);
  for (const [low, high] of runs) {
    if (resters.effort - began > most) {
      complete = false;
      break;
    }
    // the state is kept where a run begins, so that none is made from the very start
    if (low > 0) {
      const state = stateAt(low);
      kept.clear();
      kept.set(0, start);
      kept.set(low, state);
    }
    at(low);
    at(high);
    between(low, high);
  }
  const stretches = [...known]
    .sort(([a], [b]) => a - b)
    .map(([from, troubles]) => ({ from, troubles }))
    .filter(({ troubles }, i, all) => i === 0 || !sameTroubles(all[i - 1]!.troubles, troubles));
  return { stretches, complete };
}

/**
 * Parts of the way that are judged by their ends: where all is alike there, it is so all through. These are parts in
 * which each operation gives every queue more, or each gives it less; and those in which one exchange with another for
 * its unrouted is bound, or unbound, again and again: a message then goes there still, or goes where it will go, and
 * where no queue gets it both ways there is nothing between.
 */
function runsOf(start: BrokerState, operations: readonly Operation[]): [low: number, high: number][] {
  const runs: [number, number][] = [];
  const state = new BrokerState(start);
  let last: string | undefined;
  for (const [i, operation] of operations.entries()) {
    const direction = directionOf(state, operation);
    state.apply(operation);
    if (direction !== undefined && direction === last) runs.at(-1)![1] = i + 1;
    else runs.push([i, i + 1]);
    last = direction;
  }
  return runs;
}

/** @returns what parts of the way an operation may be taken together with; undefined where with none */
function directionOf(state: BrokerState, operation: Operation): string | undefined {
  switch (operation.do) {
    case 'declare exchange':
    case 'declare queue':
      return 'more';
    case 'bind':
    case 'unbind': {
      const { source, to, destination } = operation.binding;
      const exchange = state.exchanges.get(source);
      const alternate = exchange && alternateOf(exchange);
      if (alternate === undefined) return operation.do === 'bind' ? 'more' : 'less';
      const instead = queuesBehind(state, 'exchange', alternate);
      for (const queue of queuesBehind(state, to, destination)) if (instead.has(queue)) return undefined;
      return `${operation.do} ${source}`;
    }
    case 'delete exchange':
    case 'delete queue': {
      const [to, name] =
        'queue' in operation
          ? (['queue', operation.queue.name] as const)
          : (['exchange', operation.exchange.name] as const);
      // what goes with it may be what kept messages from an alternate
      const gives = state
        .into(to, name)
        .some(({ source }) => alternateOf(state.exchanges.get(source)!) !== undefined);
      return gives ? undefined : 'less';
    }
  }
}

/** @returns the queues that something leads to by any way */
function queuesBehind(state: BrokerState, kind: 'exchange' | 'queue', name: string): ReadonlySet<string> {
  if (kind === 'queue') return new Set([name]);
  const queues = new Set<string>();
  const seen = new Set([name]);
  for (const at of seen) {
    const exchange = state.exchanges.get(at);
    const alternate = exchange && alternateOf(exchange);
    if (alternate !== undefined) seen.add(alternate);
    for (const { to, destination } of state.from(at)) (to === 'queue' ? queues : seen).add(destination);
  }
  return queues;
}

function sameTroubles(a: Troubles, b: Troubles): boolean {
  if (a.size !== b.size) return false;
  for (const [key, { set }] of a) if (b.get(key)?.set !== set) return false;
  return true;
}

/** How much is wrong in a state. */
export const costOf = (troubles: Troubles): number => troubles.size;

/**
 * @param last the last state
 * @returns the windows, in order: each with a message of which it is so in every one of its states
 */
export function windowsIn(resters: Resters, stretches: readonly Stretch[], last: number): Window[] {
  const open = new Map<string, { from: number; trouble: Trouble }>();
  const windows: Window[] = [];
  const close = (key: string, until: number) => {
    const { from, trouble } = open.get(key)!;
    open.delete(key);
    const { kind, traffic, queue, set } = trouble;
    const found = told(resters.spaceOf(traffic)!, set).find(({ value }) => value === true);
    if (!found) return;
    const { witness, unless } = found;
    const maybe = unless === undefined ? {} : { unless };
    windows.push({ from, until, kind, traffic: resters.traffic[traffic]!, queue, witness, ...maybe });
  };
  for (const { from, troubles } of stretches) {
    for (const [key, { trouble }] of [...open]) {
      const now = troubles.get(key);
      const { diagrams } = resters.spaceOf(trouble.traffic)!;
      const still = now && diagrams.apply(diagrams.and, trouble.set, now.set);
      if (still && still !== diagrams.no) open.get(key)!.trouble = { ...trouble, set: still };
      else close(key, from - 1);
    }
    for (const [key, trouble] of troubles) if (!open.has(key)) open.set(key, { from, trouble });
  }
  for (const key of [...open.keys()]) close(key, last);
  return windows.sort((a, b) => a.from - b.from || a.until - b.until);
}
