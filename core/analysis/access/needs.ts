/** The permission that the ways of a topology need: who has to be allowed what, for messages to go as declared. */
import { type Thing, addressOf } from '../../language/thing.ts';
import { type RoutingGraph, surroundingsOf } from '../../routing/graph.ts';
import { type Surroundings, asksOf } from '../../routing/onward.ts';
import type { Edge } from '../../brokers/terms.ts';
import { tenantOf } from '../../topology/owner.ts';
import type { AccessRequest, Caller, Decide, Decision } from '../../routing/permission.ts';

/** One permission that a way needs. */
export interface Need {
  readonly who: Caller;
  readonly action: 'publish' | 'consume';
  readonly on: Thing;
  /** Where the message comes from, for statements narrowed by `source`. */
  readonly source?: Thing;
  /** The way that needs it. */
  readonly edge: Edge;
}

/** What is asked about the graph around a way, and who owns what. */
export interface Owned extends Surroundings {
  owner(of: Thing): string | undefined;
}

/** @returns a graph as ways are asked about in it */
export const ownedIn = (graph: RoutingGraph): Owned => ({
  ...surroundingsOf(graph),
  owner: (of) => tenantOf(graph.topology, of),
});

/** @returns the permission that one way needs; none for ways that the broker itself goes */
export function needsOf(around: Owned, edge: Edge): Need[] {
  return asksOf(around, edge).map(({ who, ...ask }) => ({
    ...ask,
    who: { thing: who, tenant: around.owner(who) },
    edge,
  }));
}

/** @returns what is asked of `decide` for a need */
export function requestOf({ who, action, on, source }: Need): AccessRequest {
  return { who, action, on, ...(source ? { source } : {}) };
}

/** @returns whether a need is met; permission for some keys counts, since what keys there are is asked of each message */
export function isMet(decide: Decide, need: Need): Decision {
  const decision = decide(requestOf(need));
  return !decision.allowed && decision.why.includes('for keys that match')
    ? { ...decision, allowed: true }
    : decision;
}

/** @returns the narrowest statement that meets some needs of one caller on one thing, as it is written */
export function narrowest(
  need: Need,
  owner: string | undefined,
): Readonly<Record<string, string | string[] | Record<string, string>>> {
  const { who, action, on } = need;
  const foreign = who.tenant !== undefined && who.tenant !== owner;
  const verb = action === 'publish' ? 'into' : 'takes';
  return {
    name: `${who.thing.name} ${verb} ${on.name}`,
    allow: [action],
    who: who.thing.id,
    on: ambiguousName(on) ? on.id : addressOf(on),
    ...(foreign ? { when: { tenant: who.tenant! } } : {}),
  };
}

/** A `*` in a name would be read as any name. */
const ambiguousName = (on: Thing): boolean => on.name.includes('*');
