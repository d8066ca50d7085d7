import { addressOf } from '../../model/address.ts';
import { isGivenUpTo, takersOf } from '../stores.ts';
import { check } from '../check.ts';

/** A store that nobody takes from and no link empties. */
export const untakenStore = check({
  id: 'nowhere/untaken-store',
  severity: 'warning',
  finds: 'A queue or subscription that nobody takes from.',
  why: 'What nobody takes piles up until it expires, is dropped, or fills the broker.',
  of: 'node',
  run: (node, look) => {
    if ((node.role !== 'queue' && node.role !== 'subscription') || !look.peopled().takers) return [];
    if (look.into(node.id).length === 0 || takersOf(look, node.id).length) return [];
    // one that holds messages back for a while, or keeps what was given up, is told about elsewhere
    const passesOn = look.out(node.id).some((edge) => edge.kind === 'deadLetter') && node.decl.ttl;
    if (passesOn || isGivenUpTo(look, node.id)) return [];
    return [
      {
        message: `Nobody takes from ${addressOf(node.thing)}: what comes there stays${node.decl.ttl ? ' until it expires' : ' for ever'}.`,
        place: node.place,
        about: node.id,
      },
    ];
  },
});
