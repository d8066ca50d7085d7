import { check } from '../check.ts';
import type { CheckContext } from '../context.ts';
import { ARRIVALS } from '../../classes/arrivals.ts';
import { addressOf } from '../../../language/thing.ts';
import type { GraphNode, StoreNode } from '../../../brokers/terms.ts';
import { type Domain, entered, onward } from '../../../routing/onward.ts';

/** Dead letters that go round without anybody rejecting one: the broker cuts that, and the message is gone. */
export const deadLetterCycle = check({
  id: 'loss/dead-letter-cycle',
  severity: 'error',
  finds: 'Dead letters that come back to where they expired, without a taker having rejected them.',
  why: 'A broker throws a message away that comes round to the same queue again by expiry alone.',
  of: 'node',
  run: (node, context) => {
    if (!givesUpByItself(node) || takenAtOnce(node, context)) return [];
    const way = wayBack(context, node.id);
    if (!way) return [];
    const names = [node.id, ...way].map((id) => addressOf(context.node(id)!.thing));
    const round =
      names.length > MOST_NAMES
        ? [...names.slice(0, 3), `${names.length - 5} more`, ...names.slice(-2)]
        : names;
    return [
      {
        message: `Dead letters of ${addressOf(node.thing)} come back to it by expiry alone (${round.join(' → ')}): the second time round they are thrown away.`,
        place: (isStore(node) ? node.decl.deadLetter?.place : undefined) ?? node.place,
        about: node.id,
        also: way,
      },
    ];
  },
});

const isStore = (node: GraphNode): node is StoreNode => node.role === 'queue' || node.role === 'subscription';

/** Whether messages leave a store by its dead letter without a taker. */
const givesUpByItself = (node: GraphNode): boolean =>
  isStore(node) && node.decl.ttl !== undefined && node.decl.deadLetter !== undefined;

/** A queue with takers gives up what they reject, which is no cycle by itself. */
const takenAtOnce = (node: GraphNode, context: CheckContext): boolean =>
  context.out(node.id).some(({ kind }) => kind === 'take' || kind === 'link');

/** Where nothing declared is known to come, only ways are followed that let everything through. */
const UNKNOWN: Domain<true> = {
  through: ({ condition }) => (condition.op === 'always' ? true : undefined),
  past: () => true,
  keyed: () => true,
  wrapped: () => true,
};

/** Longer rounds are told by their first and last stores. */
const MOST_NAMES = 8;

/** Rounds of more stores are not looked for: nobody builds such, and each store would follow all of it. */
const MOST_STORES = 100;

/**
 * @returns the stores on the way of a store's dead letters back to it, that one last; only of rounds in which
 *   its id is the first, so that each is told once
 */
function wayBack(context: CheckContext, home: string): readonly string[] | undefined {
  const arrivals = context.arrivals(home);
  return arrivals.length
    ? roundOf(context, home, arrivals, ARRIVALS)
    : roundOf(context, home, [true], UNKNOWN);
}

/** Follows what a store gives up until it is there again. */
function roundOf<M>(
  context: CheckContext,
  home: string,
  from: readonly M[],
  domain: Domain<M>,
): readonly string[] | undefined {
  const seen = new Map<string, Set<M>>();
  const open = from.map((messages) => ({ id: home, messages, way: [] as readonly string[] }));
  for (let at = open.pop(); at; at = open.pop()) {
    const node = context.node(at.id)!;
    for (const { edge, messages, enters, sender } of onward(context, node, at.messages, domain)) {
      const behind = context.node(edge.to);
      if (
        !behind ||
        messages === undefined ||
        (isStore(node) ? edge.kind !== 'deadLetter' : edge.kind === 'take')
      )
        continue;
      if (edge.to === home) return [...at.way, home];
      const form = enters || sender ? entered(behind, messages, domain) : messages;
      const known = seen.get(edge.to) ?? new Set();
      if (known.has(form)) continue;
      seen.set(edge.to, known.add(form));
      if (isStore(behind) && (!givesUpByItself(behind) || takenAtOnce(behind, context))) continue;
      if (isStore(behind) && (edge.to < home || at.way.length >= MOST_STORES)) continue;
      open.push({ id: edge.to, messages: form, way: isStore(behind) ? [...at.way, edge.to] : at.way });
    }
  }
  return undefined;
}
