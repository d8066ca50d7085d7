/** The permission that the ways of a topology need: who has to be allowed what, for messages to go as declared. */
import { type Thing, addressOf } from '../../language/thing.ts';
import { type WordToken, covered, overlaps } from '../../conditions/word-sets.ts';
import { wordsOf } from '../../conditions/words.ts';
import { type Arrival, keyWords } from '../classes/variety.ts';
import { verdictAt } from '../classes/verdicts.ts';
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
  return asksOf(around, edge).map(({ who, action, on, source }) => {
    const own = { who: new OwnedCaller(who, around), action, on, edge };
    return source ? { ...own, source } : own;
  });
}

/** Somebody of whom it is asked whose they are only where that matters: an open broker lets anybody. */
class OwnedCaller implements Caller {
  private known: { readonly tenant: string | undefined } | undefined;

  constructor(
    readonly thing: Thing,
    private readonly around: Owned,
  ) {}

  get tenant(): string | undefined {
    return (this.known ??= { tenant: this.around.owner(this.thing) }).tenant;
  }
}

/** @returns what is asked of `decide` for a need */
export function requestOf({ who, action, on, source }: Need): AccessRequest {
  return source ? { who, action, on, source } : { who, action, on };
}

/**
 * @param keysOf tells those that messages may have on this way, where they are known; asked only where keys matter
 * @returns whether a need is met; permission for some of the keys counts, since each message is asked for its own
 */
export function isMet(
  decide: Decide,
  need: Need,
  keysOf?: () => readonly (readonly WordToken[])[] | undefined,
): Decision {
  const decision = decide(requestOf(need));
  const { forKeys } = decision;
  if (!forKeys) return decision;
  const keys = keysOf?.();
  const some = (pattern: string) => !keys || keys.some((each) => overlaps(each, wordsOf(pattern)));
  if (!decision.allowed) return forKeys.allowed.some(some) ? { ...decision, allowed: true } : decision;
  // denied for every key there is, it is denied
  const all = keys?.length && keys.every((each) => forKeys.denied.some((one) => covered(each, wordsOf(one))));
  return all
    ? { ...decision, allowed: false, why: `a statement denies it for every key there is` }
    : decision;
}

/** @returns the keys that messages may have which come by a way; undefined where they are not known */
export function keysOn(
  arrivals: readonly Arrival[],
  edge: Edge,
): readonly (readonly WordToken[])[] | undefined {
  const keys: (readonly WordToken[])[] = [];
  for (const arrival of arrivals) {
    if (edge.kind !== 'publish' && !verdictAt(edge, arrival).some) continue;
    // inside an envelope there is no key
    const words = arrival.wrapped ? [] : keyWords(arrival);
    if (!words) return undefined;
    keys.push(words);
  }
  return keys.length ? keys : undefined;
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
