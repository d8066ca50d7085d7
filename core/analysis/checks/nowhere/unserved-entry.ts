import { check } from '../check.ts';
import { addressOf } from '../../../language/thing.ts';

/** A topic without subscriptions, or an exchange without bindings and unrouted-to: all it gets is lost. */
export const unservedEntry = check({
  id: 'nowhere/unserved-entry',
  severity: 'warning',
  finds: 'An exchange or topic from which no way leads on.',
  why: 'Whatever is published to an exchange or topic that leads nowhere is lost without a word.',
  of: 'node',
  run: (node, context) => {
    if ((node.role !== 'exchange' && node.role !== 'topic') || context.out(node.id).length) return [];
    // told of the queue that lacks it, where there is one and no other
    if (context.apart(node.thing.broker)?.entry === node.id) return [];
    const why = node.role === 'topic' ? 'nobody subscribes to it' : 'it has no bindings and no unroutedTo';
    return [
      {
        message: `${addressOf(node.thing)} leads nowhere: ${why}. All that is published to it is lost.`,
        place: node.place,
        about: node.id,
      },
    ];
  },
});
