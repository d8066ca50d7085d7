/**
 * The order in which a rollout's steps harm no message: searched for, and where there is none, the one that harms the
 * fewest, with the windows in which it does.
 */
import type { RoutingGraph } from '../../routing/graph.ts';
import { type Step, operationsOf } from './plan.ts';
import { BrokerState, type Operation, alternateOf } from './state.ts';
import { Resters, type Traffic, trafficOf, trafficTogether } from './traffic.ts';
import { Judge, MOST_EFFORT, type Stretch, type Window, costOf, walk, windowsIn } from './windows.ts';
import type { Inventory, WireBinding } from './wire.ts';

/** A step with the single things it does. */
export interface Unit {
  readonly step: Step;
  readonly operations: readonly Operation[];
}

export interface Ordered {
  readonly units: readonly Unit[];
  readonly windows: readonly Window[];
  /** Messages of which nothing can be told, and why. */
  readonly untold: ReadonlyMap<Traffic, string>;
  /** Whether every state on the way was looked at. */
  readonly complete: boolean;
}

/** The order of more steps than this is not searched for. */
const MOST_SEARCHED = 200;
/** So many states are tried. */
const MOST_TRIED = 3000;

/**
 * @param has what the broker has
 * @param steps what leads to what is wanted, in an order in which each can be carried out
 * @param before the topology that stands there, where there is one
 * @param after the one that is wanted
 */
export function safeOrder(
  has: Inventory,
  steps: readonly Step[],
  topologies: { before?: RoutingGraph | undefined; after: RoutingGraph; broker: string },
): Ordered {
  // rights are given before all else and taken after it: no message's way hangs on their order
  const isWay = (step: Step) => !('rights' in step);
  const [first, last] = [steps.findIndex(isWay), steps.findLastIndex(isWay)];
  const still = (some: readonly Step[]): Unit[] => some.map((step) => ({ step, operations: [] }));
  if (first < 0) return { units: still(steps), windows: [], untold: new Map(), complete: true };
  const ordered = orderWays(has, steps.slice(first, last + 1), topologies);
  const units = [...still(steps.slice(0, first)), ...ordered.units, ...still(steps.slice(last + 1))];
  return { ...ordered, units };
}

function orderWays(
  has: Inventory,
  steps: readonly Step[],
  { before, after, broker }: { before?: RoutingGraph | undefined; after: RoutingGraph; broker: string },
): Ordered {
  const traffic = trafficTogether(before ? trafficOf(before, broker) : [], trafficOf(after, broker));
  const start = new BrokerState(has);
  const units = unitsOf(start, steps);
  const operations = units.flatMap((unit) => unit.operations);
  if (operations.length === 0 || traffic.length === 0)
    return { units, windows: [], untold: new Map(), complete: true };
  const end = new BrokerState(start);
  for (const each of operations) end.apply(each);
  const resters = new Resters(traffic, [start, end, ...unionsOf(start, end)]);
  const judge = new Judge(resters, resters.in(start), resters.in(end));
  const asPlanned = walk(judge, start, operations);
  let best = { units, ...asPlanned, cost: lengthOf(asPlanned.stretches, operations.length) };
  if (best.cost > 0 && units.length <= MOST_SEARCHED) {
    const found = unitsOf(
      start,
      search(judge, start, units).map(({ step }) => step),
    );
    const way = found.flatMap((unit) => unit.operations);
    const walked = walk(judge, start, way);
    const cost = lengthOf(walked.stretches, way.length);
    const there = new BrokerState(start);
    for (const each of way) there.apply(each);
    if (cost < best.cost && sameState(there, end)) best = { units: found, ...walked, cost };
  }
  return {
    units: best.units,
    windows: windowsIn(resters, best.stretches, best.units.flatMap((unit) => unit.operations).length),
    untold: resters.untold,
    complete: best.complete,
  };
}

/** @returns steps with what they do when taken one after the other; those that would do nothing are left out */
function unitsOf(start: BrokerState, steps: readonly Step[]): Unit[] {
  const state = new BrokerState(start);
  return steps.flatMap((step) => {
    const operations = operationsOf(step, state).filter((each) => {
      if (isSo(state, each)) return false;
      state.apply(each);
      return true;
    });
    return operations.length ? [{ step, operations }] : [];
  });
}

/** Whether what an operation makes so is so already. */
function isSo(state: BrokerState, operation: Operation): boolean {
  switch (operation.do) {
    case 'bind':
      return state.isBound(operation.binding);
    case 'unbind':
      return !state.isBound(operation.binding);
    case 'declare exchange':
      return state.exchanges.has(operation.exchange.name);
    case 'declare queue':
      return state.queues.has(operation.queue.name);
    case 'delete exchange':
      return !state.exchanges.has(operation.exchange.name);
    case 'delete queue':
      return !state.queues.has(operation.queue.name);
  }
}

/** @returns whether two states have the same things by name, and the same bindings */
function sameState(a: BrokerState, b: BrokerState): boolean {
  const bindings = b.bindings();
  return (
    a.exchanges.size === b.exchanges.size &&
    a.queues.size === b.queues.size &&
    [...b.exchanges.keys()].every((each) => a.exchanges.has(each)) &&
    [...b.queues.keys()].every((each) => a.queues.has(each)) &&
    a.bindings().length === bindings.length &&
    bindings.every((each) => a.isBound(each))
  );
}

/** @returns how much is wrong for how long */
function lengthOf(stretches: readonly Stretch[], last: number): number {
  return stretches.reduce(
    (sum, { from, troubles }, i) => sum + costOf(troubles) * ((stretches[i + 1]?.from ?? last + 1) - from),
    0,
  );
}

/** @returns states with all that both ends have: once with the alternates of each */
function unionsOf(start: BrokerState, end: BrokerState): BrokerState[] {
  const union = (over: BrokerState, under: BrokerState) =>
    new BrokerState({
      exchanges: [...new Map([...under.exchanges, ...over.exchanges]).values()],
      queues: [...new Map([...under.queues, ...over.queues]).values()],
      bindings: [...under.bindings(), ...over.bindings()],
    });
  return [union(end, start), union(start, end)];
}

/** Which units have to be done before which, by their places. */
function needsOf(start: BrokerState, units: readonly Unit[]): Set<number>[] {
  const isThere = ({ step }: Unit) =>
    step.do === 'declare exchange' && start.exchanges.has(step.exchange.name);
  const makes = new Map<string, number>();
  const removes = new Map<string, number>();
  const binds = new Map<string, number[]>();
  const push = (name: string, i: number) => {
    const all = binds.get(name);
    if (all) all.push(i);
    else binds.set(name, [i]);
  };
  const nameOf = ({ step }: Unit) =>
    'queue' in step ? `queue ${step.queue.name}` : 'exchange' in step ? `exchange ${step.exchange.name}` : '';
  const endsOf = ({ source, to, destination }: WireBinding) => [`exchange ${source}`, `${to} ${destination}`];
  for (const [i, unit] of units.entries()) {
    const { step } = unit;
    if (step.do.startsWith('delete')) removes.set(nameOf(unit), i);
    else if (step.do === 'bind') push(`exchange ${step.binding.source}`, i);
    else if (step.do !== 'unbind' && !makes.has(nameOf(unit))) makes.set(nameOf(unit), i);
  }
  const needs = units.map(() => new Set<number>());
  const before = (first: number | undefined, then: number) => {
    // in the order as planned each can be carried out: what leads back in it is no need
    if (first !== undefined && first < then) needs[then]!.add(first);
  };
  const made = new Set<string>();
  let tail = Infinity;
  for (const [i, unit] of units.entries()) {
    const { step } = unit;
    if (step.do === 'declare exchange' || step.do === 'declare queue') {
      // made a second time: it went with its last binding, and all that follows makes up for that
      if (made.has(nameOf(unit)) || isThere(unit)) tail = Math.min(tail, i);
      made.add(nameOf(unit));
    }
    if (i >= tail && !step.do.startsWith('delete')) for (let k = 0; k < i; k++) before(k, i);
    if ('binding' in step) {
      for (const end of endsOf(step.binding)) {
        if (step.do === 'bind') before(makes.get(end), i);
        else if (removes.has(end)) needs[removes.get(end)!]!.add(i);
      }
      // an auto-delete exchange shall not lose its last binding on the way
      if (step.do === 'unbind')
        for (const k of binds.get(`exchange ${step.binding.source}`) ?? []) before(k, i);
    } else if ('exchange' in step) {
      const alternate = alternateOf(step.exchange);
      if (alternate !== undefined && !step.do.startsWith('delete'))
        before(makes.get(`exchange ${alternate}`), i);
    }
    // what others still name goes last
    if (step.do.startsWith('delete'))
      for (const [k, { step: other }] of units.entries()) {
        const names = other.do === 'bind' && endsOf(other.binding).includes(nameOf(unit));
        if (names || other.do.startsWith('replace')) before(k, i);
      }
  }
  return needs;
}

/** @returns the units in an order that harms as little as could be found */
function search(judge: Judge, start: BrokerState, units: readonly Unit[]): Unit[] {
  const needs = needsOf(start, units);
  const dead = new Set<string>();
  const began = judge.resters.effort;
  let tried = 0;
  const tooMuch = () => tried > MOST_TRIED || judge.resters.effort - began > MOST_EFFORT;
  const costs = new Map<string, number>();
  const keyOf = (done: ReadonlySet<number>) => [...done].sort((a, b) => a - b).join();

  /** What it costs to take a unit where others are done: summed over the states on its way. */
  const take = (state: BrokerState, done: ReadonlySet<number>, i: number): number => {
    const key = `${keyOf(done)}+${i}`;
    const known = costs.get(key);
    if (known !== undefined) return known;
    tried++;
    const after = new BrokerState(state);
    let cost = 0;
    for (const each of units[i]!.operations) cost += costOf(judge.of(after.apply(each)));
    costs.set(key, cost);
    return cost;
  };
  const apply = (state: BrokerState, i: number) => {
    const after = new BrokerState(state);
    for (const each of units[i]!.operations) after.apply(each);
    return after;
  };
  const free = (done: ReadonlySet<number>) =>
    units.flatMap((_, i) => (!done.has(i) && [...needs[i]!].every((each) => done.has(each)) ? [i] : []));

  /** Depth first, over steps that harm nothing; what harms in any order is taken when nothing else is left. */
  const from = (state: BrokerState, done: ReadonlySet<number>): number[] | undefined => {
    if (done.size === units.length) return [];
    const key = keyOf(done);
    if (dead.has(key) || tooMuch()) return undefined;
    const open = free(done);
    for (const i of open) {
      if (units[i]!.step.do.startsWith('replace') || take(state, done, i) > 0) continue;
      const rest = from(apply(state, i), new Set([...done, i]));
      if (rest) return [i, ...rest];
      if (tooMuch()) return undefined;
    }
    const replacing = open.filter((i) => units[i]!.step.do.startsWith('replace'));
    if (replacing.length > 0) {
      const [i] = replacing.sort((a, b) => take(state, done, a) - take(state, done, b));
      const rest = from(apply(state, i!), new Set([...done, i!]));
      if (rest) return [i!, ...rest];
    }
    dead.add(key);
    return undefined;
  };
  const found = from(start, new Set());
  if (found) return found.map((i) => units[i]!);

  // none harms nothing: the least harm at each step
  const done = new Set<number>();
  const most = judge.resters.effort + MOST_EFFORT;
  const order: number[] = [];
  let state = start;
  while (order.length < units.length) {
    const open = free(done);
    let [next, least] = [open[0]!, Infinity];
    for (const i of open) {
      const cost = judge.resters.effort > most ? Infinity : take(state, done, i);
      if (cost < least) [next, least] = [i, cost];
      if (least === 0) break;
    }
    order.push(next);
    done.add(next);
    state = apply(state, next);
  }
  return order.map((i) => units[i]!);
}
