/** Which members of a spread copies are dealt to. */
import { type Thing, addressOf } from '../language/thing.ts';
import { takerId } from './nodes.ts';
import type { RoutingGraph } from './graph.ts';
import type { Edge, SpreadNode } from '../brokers/terms.ts';

/** Counters of spreads, so that repeating a message shows the next choice. Never changed in place. */
export type RotationState = ReadonlyMap<string, number>;

/** One member's part of the copies that come to a spread. */
export interface Share {
  readonly edge: Edge;
  readonly copies: number;
}

/** How copies were dealt: the shares in the members' order, none of nothing, and the choice in words. */
export interface Dealt {
  readonly shares: readonly Share[];
  readonly why: string;
  readonly turns: RotationState;
}

/** Turns of weights are taken to repeat after at most so many, so that dealing stays bounded. */
const LONGEST_ROUND = 100_000;
/** The same for weights that are no whole numbers, which may never repeat. */
const UNEVEN_ROUND = 10_000;

/**
 * Deals copies to a spread's members, each copy a turn of its own.
 * @param copies how many come, at least one
 * @param publisher the app that sent them, for the nearest member
 * @param turns the counters so far
 * @returns undefined where the spread has no member that could be chosen
 */
export function deal(
  graph: RoutingGraph,
  spread: SpreadNode,
  copies: number,
  publisher: Thing | undefined,
  turns: RotationState,
): Dealt | undefined {
  const members = (graph.out.get(spread.id) ?? []).filter((edge) => edge.kind === 'member');
  if (members.length === 0) return undefined;
  const name = (edge: Edge) => addressOf(graph.nodes.get(edge.to)!.thing);
  const how = spread.decl.choose?.value ?? 'rotate';
  if (how === 'nearest') {
    const home = publisher && homeOf(graph, publisher.name);
    const near = home && members.find((edge) => graph.nodes.get(edge.to)!.thing.broker === home);
    const edge = near || members[0]!;
    const why = near
      ? `${name(near)} is on ${home}, the publisher’s broker`
      : `no member is on the publisher’s broker; ${name(edge)} is first`;
    return { shares: [{ edge, copies }], why, turns };
  }
  const turn = turns.get(spread.id) ?? 0;
  const weights =
    how === 'weighted' ? members.map((_, i) => spread.decl.weights?.items[i]?.value ?? 1) : undefined;
  const counts = weights ? weightedCounts(weights, turn, copies) : evenCounts(members.length, turn, copies);
  if (!counts) return undefined;
  const shares = members.flatMap((edge, i) => (counts[i]! > 0 ? [{ edge, copies: counts[i]! }] : []));
  const total = weights?.reduce((sum, weight) => sum + weight, 0) ?? members.length;
  const why =
    copies > 1
      ? `${copies} turns over ${members.length} members`
      : weights
        ? `${name(shares[0]!.edge)} has ${weights[members.indexOf(shares[0]!.edge)]} of ${total} shares`
        : `turn ${(turn % members.length) + 1} of ${members.length} is ${name(shares[0]!.edge)}`;
  return { shares, why, turns: new Map(turns).set(spread.id, turn + copies) };
}

/** How often each of so many members comes up when they take turns. */
function evenCounts(members: number, turn: number, copies: number): number[] {
  const each = Math.floor(copies / members);
  const counts = Array.from({ length: members }, () => each);
  for (let i = 0; i < copies % members; i++) counts[(turn + i) % members]!++;
  return counts;
}

/** Smooth weighted turns: over any total of weights each index comes up by its share, spaced out. */
function weightedCounts(weights: readonly number[], turn: number, copies: number): number[] | undefined {
  const total = weights.reduce((sum, weight) => sum + weight, 0);
  if (total <= 0) return undefined;
  // turns repeat once every share has been dealt; for whole weights that is after `total` of them
  const round = weights.every(Number.isInteger) ? Math.min(total, LONGEST_ROUND) : UNEVEN_ROUND;
  const counts = weights.map(() => 0);
  const current = weights.map(() => 0);
  const next = (): number => {
    weights.forEach((weight, i) => (current[i]! += weight));
    const chosen = current.indexOf(current.reduce((most, each) => Math.max(most, each), -Infinity));
    current[chosen]! -= total;
    return chosen;
  };
  const rounds = Math.floor(copies / round);
  if (rounds > 0) {
    const whole = weights.map(() => 0);
    for (let step = 0; step < round; step++) whole[next()]!++;
    whole.forEach((count, i) => (counts[i]! += count * rounds));
    current.fill(0);
  }
  for (let step = 0; step < turn % round; step++) next();
  for (let step = 0; step < copies % round; step++) counts[next()]!++;
  return counts;
}

/** @returns the broker an app is connected to: the one it names, else the one most of its ways lead to. */
export function homeOf(graph: RoutingGraph, app: string): string | undefined {
  const decl = graph.topology.declared.apps?.get(app)?.value;
  if (decl?.home) return decl.home.value;
  const counts = new Map<string, number>();
  const ways = [...(graph.out.get(`publisher:${app}`) ?? []), ...(graph.into.get(takerId(app)) ?? [])];
  for (const edge of ways) {
    const broker = [edge.to, edge.from].map((id) => graph.nodes.get(id)!.thing.broker).find(Boolean);
    if (broker) counts.set(broker, (counts.get(broker) ?? 0) + 1);
  }
  return [...counts].sort((a, b) => b[1] - a[1])[0]?.[0];
}
