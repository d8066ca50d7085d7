/** The permission that the ways of a topology need: who has to be allowed what, for messages to go as declared. */
import { type Thing, addressOf } from '../../language/thing.ts';
import type { Edge, GraphNode } from '../../routing/parts.ts';
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

/** What is asked about the graph around a way. */
export interface Surroundings {
  node(id: string): GraphNode | undefined;
  out(id: string): readonly Edge[];
  owner(of: Thing): string | undefined;
}

/** Where permission is asked when something is addressed: behind aliases and spreads. */
interface Entered {
  readonly on: Thing;
  /** The link that goes on from there instead of the sender. */
  readonly over?: { readonly link: Thing; readonly from: Thing };
}

function entriesBehind(around: Surroundings, id: string, seen = new Set<string>()): Entered[] {
  const node = around.node(id);
  if (!node || seen.has(id)) return [];
  seen.add(id);
  if (node.role === 'spread')
    return around
      .out(id)
      .flatMap((edge) => (edge.kind === 'member' ? entriesBehind(around, edge.to, seen) : []));
  if (node.role !== 'alias') return [{ on: node.thing }];
  return around.out(id).flatMap((edge): Entered[] => {
    if (edge.kind !== 'alias') return [];
    const behind = entriesBehind(around, edge.to, seen);
    const target = around.node(edge.to);
    if (!edge.link || target?.role === 'spread' || target?.thing.broker === node.thing.broker) return behind;
    // a remote alias is published to itself, and its link goes on
    const over = { link: edge.link.thing, from: node.thing };
    return [{ on: node.thing }, ...behind.map((each) => ({ on: each.on, over: each.over ?? over }))];
  });
}

/** @returns the permission that one way needs; none for ways that the broker itself goes */
export function needsOf(around: Surroundings, edge: Edge): Need[] {
  const caller = (thing: Thing): Caller => ({ thing, tenant: around.owner(thing) });
  const publishing = (who: Thing, to: string, source?: Thing): Need[] =>
    entriesBehind(around, to).map(({ on, over }) => ({
      who: caller(over?.link ?? who),
      action: 'publish',
      on,
      ...(over ? { source: over.from } : source ? { source } : {}),
      edge,
    }));
  const from = around.node(edge.from)?.thing;
  const to = around.node(edge.to)?.thing;
  if (!from || !to) return [];
  switch (edge.kind) {
    case 'publish':
      return publishing(from, edge.to);
    case 'subscription':
      return edge.subscription?.decl.to
        ? [{ who: caller(from), action: 'publish', on: to, source: from, edge }]
        : [];
    case 'link': {
      const link = edge.link!.thing;
      return [{ who: caller(link), action: 'consume', on: from, edge }, ...publishing(link, edge.to, from)];
    }
    case 'take':
      return [{ who: caller(to), action: 'consume', on: from, edge }];
    default:
      return [];
  }
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
