import { check } from '../check.ts';
import type { CheckContext } from '../context.ts';
import { messageAmong } from '../../classes/verdicts.ts';
import { addressOf } from '../../../language/thing.ts';
import type { Edge } from '../../../brokers/terms.ts';

/** Two subscriptions of one topic that hand a queue the same message. */
export const twice = check({
  id: 'copies/twice',
  severity: 'warning',
  finds: 'Two subscriptions that bring a queue the same message twice.',
  why: 'Each subscription makes a copy of its own: the taker gets such a message twice, and does its work twice.',
  of: 'node',
  run: (node, context) => {
    if (node.role !== 'topic') return [];
    const byQueue = new Map<string, Edge[]>();
    for (const edge of context.out(node.id))
      if (edge.subscription?.decl.to) byQueue.set(edge.to, [...(byQueue.get(edge.to) ?? []), edge]);
    return [...byQueue].flatMap(([queue, edges]) =>
      edges.slice(1).flatMap((edge, i) => {
        const other = edges.slice(0, i + 1).find((each) => sharedBy(context, node.id, each, edge));
        if (!other) return [];
        return [
          {
            message: `Subscriptions ${other.label} and ${edge.label} bring ${addressOf(context.node(queue)!.thing)} the same messages twice.`,
            place: edge.place,
            about: queue,
            also: [node.id, edge.subscription!.id, other.subscription!.id],
            related: [{ place: other.place, message: 'the other subscription' }],
          },
        ];
      }),
    );
  },
});

/** Whether some message is known to pass both. */
function sharedBy(context: CheckContext, topic: string, a: Edge, b: Edge): boolean {
  return context
    .arrivals(topic)
    .some((arrival) =>
      messageAmong([a.condition, b.condition], arrival, (passing, diagrams) =>
        diagrams.all(diagrams.and, passing, diagrams.yes),
      ),
    );
}
