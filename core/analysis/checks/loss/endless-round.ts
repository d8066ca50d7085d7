import { check } from '../check.ts';
import { givesUpByItself, isStore, takenAtOnce, toldRound, wayBack } from './rounds.ts';
import { addressOf } from '../../../language/thing.ts';

/** Dead letters that come round past a taker, who may reject them each time: no broker ever cuts that. */
export const endlessRound = check({
  id: 'loss/endless-round',
  severity: 'advice',
  finds: 'Dead letters that come back to a queue whose takers may reject them again.',
  why: 'A round with a rejection in it is never cut. A message that is rejected each time goes round without end; where the takers do not count the rounds, it keeps them busy for ever.',
  of: 'node',
  run: (node, context) => {
    if (!isStore(node) || !node.decl.deadLetter) return [];
    const rejects = (store: typeof node) =>
      store.decl.deadLetter !== undefined && takenAtOnce(store, context);
    if (!rejects(node) && !givesUpByItself(node)) return [];
    const way = wayBack(context, node.id, (store) => givesUpByItself(store) || rejects(store));
    // without a taker on the way it is cut, and told of so
    if (!way?.some((id) => takenAtOnce(context.node(id)!, context))) return [];
    return [
      {
        message: `What is rejected in ${addressOf(node.thing)} may come round to it without end (${toldRound(context, node.id, way)}): nothing counts the rounds.`,
        place: node.decl.deadLetter.place,
        about: node.id,
        also: way,
      },
    ];
  },
});
