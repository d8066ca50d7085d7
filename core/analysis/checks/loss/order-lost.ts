import { type Complaint, check } from '../check.ts';
import type { CheckContext } from '../context.ts';
import { instancesAt, isOrdered } from '../stores.ts';
import { addressOf } from '../../../language/thing.ts';
import { setAt } from '../../../syntax/edit/edit.ts';

/** Order that one end promises and the way to it, or the takers, do not keep. */
export const orderLost = check({
  id: 'loss/order-lost',
  severity: 'warning',
  finds: 'An ordered store that an unordered topic feeds, or that several instances share.',
  why: 'Order holds only if everything on the way keeps it, and if one taker after another does the work.',
  of: 'node',
  run: (node, context) => {
    if (node.role === 'topic') return unorderedTopic(node.id, context);
    if ((node.role !== 'queue' && node.role !== 'subscription') || !isOrdered(node)) return [];
    // hosted queues keep the order within each group, however many take
    if (
      context.broker(node.thing.broker)?.kind.ordersByGroup !== false ||
      ('perInstanceOf' in node.decl && node.decl.perInstanceOf)
    )
      return [];
    const takes = context.out(node.id).filter((edge) => edge.kind === 'take');
    const hands = instancesAt(context, takes);
    if (hands < 2) return [];
    return [
      {
        message: `${addressOf(node.thing)} keeps its order, but ${hands} instances take from it at the same time: what comes first may be done last.`,
        place: node.decl.order!.place,
        about: node.id,
        also: takes.map((edge) => edge.to),
      },
    ];
  },
});

function unorderedTopic(id: string, context: CheckContext): Complaint[] {
  const topic = context.node(id)!;
  if (topic.role !== 'topic' || topic.decl.order?.value === 'fifo') return [];
  return context.out(id).flatMap((edge) => {
    const store = context.node(edge.to);
    if (
      !edge.subscription ||
      (store?.role !== 'queue' && store?.role !== 'subscription') ||
      !isOrdered(store)
    )
      return [];
    const { broker, name } = topic.thing;
    return [
      {
        message: `${addressOf(store.thing)} keeps order, but topic ${addressOf(topic.thing)}, which feeds it by ${edge.label}, does not: the order is lost before it gets there.`,
        place: store.decl.order!.place,
        about: store.id,
        also: [id, edge.subscription.id],
        related: [{ place: topic.place, message: 'the unordered topic' }],
        mends: [
          {
            title: `Let ${name} keep order`,
            edit: (topology) => setAt(topology, ['brokers', broker, 'topics', name, 'order'], 'fifo'),
          },
        ],
      },
    ];
  });
}
