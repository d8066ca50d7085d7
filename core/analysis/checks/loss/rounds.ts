/** Rounds that dead letters go: what leaves a store comes back to it. */
import { ARRIVALS } from '../../classes/arrivals.ts';
import type { CheckContext } from '../context.ts';
import type { GraphNode, StoreNode } from '../../../brokers/terms.ts';
import { addressOf } from '../../../language/thing.ts';
import { type Domain, entered, onward } from '../../../routing/onward.ts';

export const isStore = (node: GraphNode): node is StoreNode =>
  node.role === 'queue' || node.role === 'subscription';

/** Whether messages leave a store by its dead letter without a taker. */
export const givesUpByItself = (node: GraphNode): boolean =>
  isStore(node) && node.decl.ttl !== undefined && node.decl.deadLetter !== undefined;

/** A queue with takers gives up what they reject. */
export const takenAtOnce = (node: GraphNode, context: CheckContext): boolean =>
  context.out(node.id).some(({ kind }) => kind === 'take' || kind === 'link');

/** Longer rounds are told by their first and last stores. */
const MOST_NAMES = 8;

/** @returns a round in words, from a store on */
export function toldRound(context: CheckContext, home: string, way: readonly string[]): string {
  const names = [home, ...way].map((id) => addressOf(context.node(id)!.thing));
  const shown =
    names.length > MOST_NAMES
      ? [...names.slice(0, 3), `${names.length - 5} more`, ...names.slice(-2)]
      : names;
  return shown.join(' → ');
}

/** Rounds of more stores are not looked for: nobody builds such, and each store would follow all of it. */
const MOST_STORES = 100;

/** Where nothing declared is known to come, only ways are followed that let everything through. */
const UNKNOWN: Domain<true> = {
  through: ({ condition }) => (condition.op === 'always' ? true : undefined),
  past: () => true,
  keyed: () => true,
  wrapped: () => true,
};

/**
 * @param passes whether a store on the way gives up what comes to it
 * @returns the stores on the way of a store's dead letters back to it, that one last; only of rounds in which
 *   its id is the first, so that each is told once
 */
export function wayBack(
  context: CheckContext,
  home: string,
  passes: (store: StoreNode) => boolean,
): readonly string[] | undefined {
  const arrivals = context.arrivals(home);
  return arrivals.length
    ? roundOf(context, home, arrivals, ARRIVALS, passes)
    : roundOf(context, home, [true], UNKNOWN, passes);
}

/** Follows what a store gives up until it is there again. */
function roundOf<M>(
  context: CheckContext,
  home: string,
  from: readonly M[],
  domain: Domain<M>,
  passes: (store: StoreNode) => boolean,
): readonly string[] | undefined {
  const seen = new Map<string, Set<M>>();
  const open = from.map((messages) => ({ id: home, messages, way: [] as readonly string[] }));
  for (let at = open.pop(); at; at = open.pop()) {
    const node = context.node(at.id)!;
    for (const { edge, messages, enters, sender } of onward(context, node, at.messages, domain)) {
      const behind = context.node(edge.to);
      const leaves = isStore(node) ? edge.kind === 'deadLetter' : edge.kind !== 'take';
      if (!behind || messages === undefined || !leaves) continue;
      if (edge.to === home) return [...at.way, home];
      const form = enters || sender ? entered(behind, messages, domain) : messages;
      const known = seen.get(edge.to) ?? new Set();
      if (known.has(form)) continue;
      seen.set(edge.to, known.add(form));
      if (isStore(behind) && (!passes(behind) || edge.to < home || at.way.length >= MOST_STORES)) continue;
      open.push({ id: edge.to, messages: form, way: isStore(behind) ? [...at.way, edge.to] : at.way });
    }
  }
  return undefined;
}
