import { check } from '../check.ts';
import { isGivenUpTo, takersOf } from '../stores.ts';
import { addressOf } from '../../../language/thing.ts';

/** A store of dead letters that nobody takes from. */
export const unreadDeadLetter = check({
  id: 'loss/unread-dead-letter',
  severity: 'warning',
  finds: 'A store of dead letters that nobody takes from.',
  why: 'What failed is kept, but nobody will notice: dead letters are the first place where trouble shows.',
  of: 'node',
  run: (node, context) => {
    if ((node.role !== 'queue' && node.role !== 'subscription') || !context.peopled().takers) return [];
    if (!isGivenUpTo(context, node.id) || takersOf(context, node.id).length) return [];
    // one that holds them back for a while and sends them on is no end
    if (node.decl.ttl && node.decl.deadLetter) return [];
    return [
      {
        message: `Dead letters come to ${addressOf(node.thing)}, and nobody takes them from there.`,
        place: node.place,
        about: node.id,
      },
    ];
  },
});
