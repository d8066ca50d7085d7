import { type Complaint, check } from '../check.ts';
import { addressOf } from '../../../language/thing.ts';
import { setIn } from '../../../syntax/edit/edit.ts';

/** A taker that expects the plain body where envelopes come, or the reverse. */
export const wrapping = check({
  id: 'loss/wrapping',
  severity: 'error',
  finds: 'A taker that expects the plain body where the topic’s envelope comes, or the reverse.',
  why: 'The taker cannot read what it gets: every message fails, and is tried again until it is given up.',
  of: 'node',
  run: (node, context) => {
    if (node.role !== 'queue' && node.role !== 'subscription') return [];
    const arrivals = context.arrivals(node.id);
    if (arrivals.length === 0) return [];
    const wrapped = arrivals.filter((arrival) => arrival.wrapped).length;
    return context.out(node.id).flatMap((edge): Complaint[] => {
      if (edge.kind !== 'take') return [];
      const expects = edge.consume?.wrapped?.value === true;
      const { name } = context.node(edge.to)!.thing;
      const mixed = wrapped > 0 && wrapped < arrivals.length;
      if (mixed)
        return [
          {
            message: `Some messages come to ${addressOf(node.thing)} in a topic’s envelope and some plain: ${name} cannot expect both.`,
            place: edge.place,
            about: node.id,
            also: [edge.to],
          },
        ];
      if (expects === wrapped > 0) return [];
      return [
        {
          message: wrapped
            ? `${name} expects the plain body, but what comes to ${addressOf(node.thing)} is wrapped in the topic’s envelope.`
            : `${name} expects the topic’s envelope, but what comes to ${addressOf(node.thing)} is the plain body.`,
          place: edge.consume?.wrapped?.place ?? edge.place,
          about: node.id,
          also: [edge.to],
          mends: [
            {
              title: wrapped
                ? `Say that ${name} reads the envelope`
                : `Say that ${name} reads the plain body`,
              edit: (topology) => setIn(topology, edge.place, ['wrapped'], wrapped > 0),
            },
          ],
        },
      ];
    });
  },
});
