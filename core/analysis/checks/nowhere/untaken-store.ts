import { check } from '../check.ts';
import { isGivenUpTo, takersOf } from '../stores.ts';
import { addressOf } from '../../../language/thing.ts';

/** A store that nobody takes from and no link empties. */
export const untakenStore = check({
  id: 'nowhere/untaken-store',
  severity: 'warning',
  finds: 'A queue or subscription that nobody takes from.',
  why: 'What nobody takes piles up until it expires, is dropped, or fills the broker.',
  of: 'node',
  run: (node, context) => {
    if ((node.role !== 'queue' && node.role !== 'subscription') || !context.peopled().takers) return [];
    if (context.into(node.id).length === 0 || takersOf(context, node.id).length) return [];
    // one that holds messages back for a while, or keeps what was given up, is told about elsewhere
    const passesOn = context.out(node.id).some((edge) => edge.kind === 'deadLetter') && node.decl.ttl;
    if (passesOn || isGivenUpTo(context, node.id)) return [];
    return [
      {
        message: `Nobody takes from ${addressOf(node.thing)}: what comes there stays${node.decl.ttl ? ' until it expires' : ' for ever'}.`,
        place: node.place,
        about: node.id,
      },
    ];
  },
});
