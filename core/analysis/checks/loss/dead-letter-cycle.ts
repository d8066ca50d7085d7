import { check } from '../check.ts';
import { givesUpByItself, isStore, takenAtOnce, toldRound, wayBack } from './rounds.ts';
import { addressOf } from '../../../language/thing.ts';

/** Dead letters that go round without anybody rejecting one: the broker cuts that, and the message is gone. */
export const deadLetterCycle = check({
  id: 'loss/dead-letter-cycle',
  severity: 'error',
  finds: 'Dead letters that come back to where they expired, without a taker having rejected them.',
  why: 'A broker throws a message away that comes round to the same queue again by expiry alone.',
  of: 'node',
  run: (node, context) => {
    if (!isStore(node) || !givesUpByItself(node) || takenAtOnce(node, context)) return [];
    const way = wayBack(context, node.id, (store) => givesUpByItself(store) && !takenAtOnce(store, context));
    if (!way) return [];
    return [
      {
        message: `Dead letters of ${addressOf(node.thing)} come back to it by expiry alone (${toldRound(context, node.id, way)}): the second time round they are thrown away.`,
        place: node.decl.deadLetter?.place ?? node.place,
        about: node.id,
        also: way,
      },
    ];
  },
});
