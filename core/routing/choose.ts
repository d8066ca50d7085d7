/** Which members of a spread copies are dealt to. */
import { type Thing, addressOf } from '../language/thing.ts';
import { takerId } from './nodes.ts';
import type { RoutingGraph } from './graph.ts';
import type { Edge, SpreadNode } from '../brokers/terms.ts';

/** Where a spread is in its turns. */
interface Turns {
  /** How many were taken. */
  readonly taken: number;
  /** What each member is owed, where they have weights. */
  readonly owed?: readonly number[];
}

/** The turns of spreads, so that repeating a message shows the next choice. Never changed in place. */
export type RotationState = ReadonlyMap<string, Turns>;

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

/** Of more copies than this at once each member gets its share, and only the rest takes turns. */
const MOST_TURNS = 10_000;

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
  const { taken, owed } = turns.get(spread.id) ?? { taken: 0 };
  const weights = how === 'weighted' ? wholeWeights(members.map((_, i) => weightOf(spread, i))) : undefined;
  if (weights?.every((weight) => weight === 0)) return undefined;
  const dealt = weights
    ? weightedCounts(weights, owed ?? weights.map(() => 0), copies)
    : { counts: evenCounts(members.length, taken, copies) };
  const shares = members.flatMap((edge, i) =>
    dealt.counts[i]! > 0 ? [{ edge, copies: dealt.counts[i]! }] : [],
  );
  const chosen = members.indexOf(shares[0]!.edge);
  const total = members.reduce((sum, _, i) => sum + weightOf(spread, i), 0);
  const why =
    copies > 1
      ? `${copies} turns over ${members.length} members`
      : weights
        ? `${name(members[chosen]!)} has ${weightOf(spread, chosen)} of ${shown(total)} shares`
        : `turn ${(taken % members.length) + 1} of ${members.length} is ${name(members[chosen]!)}`;
  const next = { taken: taken + copies, ...('owed' in dealt ? { owed: dealt.owed } : {}) };
  return { shares, why, turns: new Map(turns).set(spread.id, next) };
}

/**
 * @returns turns of a spread in which each of its members is next that ever is; one where none is chosen by turns
 */
export function everyTurn(graph: RoutingGraph, spread: SpreadNode): readonly Turns[] {
  const members = (graph.out.get(spread.id) ?? []).filter((edge) => edge.kind === 'member');
  const how = spread.decl.choose?.value ?? 'rotate';
  if (how === 'nearest') return [{ taken: 0 }];
  if (how === 'rotate') return members.map((_, taken) => ({ taken }));
  const weights = wholeWeights(members.map((_, i) => weightOf(spread, i)));
  const total = weights.reduce((sum, weight) => sum + weight, 0);
  return weights.flatMap((weight, i) =>
    weight > 0 ? [{ taken: 0, owed: weights.map((_, j) => (i === j ? total : 0)) }] : [],
  );
}

/** Where weights are missing a member has one share; a list that could not be read says nothing. */
const weightOf = ({ decl }: SpreadNode, i: number): number => decl.weights?.items[i]?.value ?? 1;

/** A sum of decimals as a person writes it. */
const shown = (total: number): string => String(Number(total.toPrecision(12)));

/** @returns weights as whole numbers in the same proportion, as small as they can be: what has no fraction drifts nowhere */
function wholeWeights(weights: readonly number[]): number[] {
  const places = Math.max(...weights.map((weight) => /\.(\d+)$/.exec(String(weight))?.[1]?.length ?? 0));
  const whole = weights.map((weight) => Math.round(weight * 10 ** Math.min(places, 9)));
  const common = whole.reduce((a, b) => divisor(a, b), 0) || 1;
  return whole.map((weight) => weight / common);
}

const divisor = (a: number, b: number): number => (b === 0 ? a : divisor(b, a % b));

/** How often each of so many members comes up when they take turns. */
function evenCounts(members: number, turn: number, copies: number): number[] {
  const each = Math.floor(copies / members);
  const counts = Array.from({ length: members }, () => each);
  for (let i = 0; i < copies % members; i++) counts[(turn + i) % members]!++;
  return counts;
}

/**
 * Smooth weighted turns: over any total of weights each index comes up by its share, spaced out. What a member is
 * owed is carried from one message to the next, so that a turn costs no more than the members.
 */
function weightedCounts(
  weights: readonly number[],
  before: readonly number[],
  copies: number,
): { readonly counts: readonly number[]; readonly owed: readonly number[] } {
  const total = weights.reduce((sum, weight) => sum + weight, 0);
  const owed = [...before];
  // after as many turns as there are shares every member is owed what it was
  const rounds = Math.floor(copies / total);
  const counts = weights.map((weight) => weight * rounds);
  let left = copies - rounds * total;
  if (left > MOST_TURNS) {
    const shares = weights.map((weight) => Math.floor((weight * left) / total));
    shares.forEach((share, i) => (counts[i]! += share));
    left -= shares.reduce((sum, share) => sum + share, 0);
  }
  for (; left > 0; left--) {
    let chosen = 0;
    for (let i = 0; i < weights.length; i++) {
      owed[i]! += weights[i]!;
      if (owed[i]! > owed[chosen]!) chosen = i;
    }
    owed[chosen]! -= total;
    counts[chosen]!++;
  }
  return { counts, owed };
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
