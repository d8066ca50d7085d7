import { check } from '../check.ts';
import type { CheckContext } from '../context.ts';
import { verdictAt } from '../../classes/verdicts.ts';
import { addressOf } from '../../../language/thing.ts';
import type { GraphNode } from '../../../brokers/terms.ts';

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
    return [
      {
        message: `Dead letters of ${addressOf(node.thing)} come back to it by expiry alone (${names.join(' → ')}): the second time round they are thrown away.`,
        place:
          (node.role === 'queue' || node.role === 'subscription' ? node.decl.deadLetter?.place : undefined) ??
          node.place,
        about: node.id,
        also: way,
      },
    ];
  },
});

/** Whether messages leave a store by its dead letter without a taker. */
function givesUpByItself(node: GraphNode): boolean {
  return (
    (node.role === 'queue' || node.role === 'subscription') &&
    node.decl.ttl !== undefined &&
    node.decl.deadLetter !== undefined
  );
}

/** A queue with takers gives up what they reject, which is no cycle by itself. */
const takenAtOnce = (node: GraphNode, context: CheckContext): boolean =>
  context.out(node.id).some(({ kind }) => kind === 'take' || kind === 'link');

/** The stores on the way of a store's dead letters back to it. */
function wayBack(context: CheckContext, home: string): string[] | undefined {
  const seen = new Set<string>();
  const visit = (id: string, way: readonly string[]): string[] | undefined => {
    for (const edge of context.out(id)) {
      const at = context.node(edge.to);
      const store = context.node(id)?.role === 'queue' || context.node(id)?.role === 'subscription';
      if (!at || (store ? edge.kind !== 'deadLetter' : edge.kind === 'take')) continue;
      if (!store && !context.arrivals(id).some((arrival) => verdictAt(edge, arrival).some)) continue;
      if (edge.to === home) return [...way, home];
      if (seen.has(edge.to)) continue;
      seen.add(edge.to);
      const isStore = at.role === 'queue' || at.role === 'subscription';
      if (isStore && (!givesUpByItself(at) || takenAtOnce(at, context))) continue;
      const further = visit(edge.to, isStore ? [...way, edge.to] : way);
      if (further) return further;
    }
    return undefined;
  };
  return visit(home, []);
}
