import { check } from '../check.ts';
import { listed } from '../../../base/phrase.ts';
import { addressOf } from '../../../language/thing.ts';

/** A queue with room for less than one message that must arrive. */
export const tooLarge = check({
  id: 'loss/too-large',
  severity: 'error',
  finds: 'A message that must arrive and is larger than all a queue on its way may keep.',
  why: 'A queue that is full drops or refuses what comes; one that is full before the first message keeps none of them.',
  of: 'node',
  run: (node, context) => {
    const room = node.role === 'queue' && 'maxBytes' in node.decl ? node.decl.maxBytes : undefined;
    if (!room) return [];
    const large = context
      .arrivals(node.id)
      .filter(({ type }) => type.mustArrive && (type.decl.size?.value ?? 0) > room.value);
    const names = [...new Set(large.map(({ type }) => type.id))];
    if (names.length === 0) return [];
    return [
      {
        message: `${addressOf(node.thing)} keeps at most ${room.value} bytes, and ${listed(names)} must arrive and ${names.length === 1 ? 'is' : 'are'} larger: none of them is kept.`,
        place: room.place,
        about: node.id,
        also: names.map((name) => `message:${name}`),
      },
    ];
  },
});
