import { check } from '../check.ts';
import { listed } from '../../../base/phrase.ts';
import { writing } from '../../../language/finding.ts';

/** A taker that lets the broker forget at once what must not be lost. */
export const autoAck = check({
  id: 'loss/auto-ack',
  severity: 'error',
  finds: 'An app that acknowledges at once messages that must not be lost.',
  why: 'With automatic acknowledgement the broker forgets a message as it hands it over: if the app stops in the middle of its work, the message is gone.',
  of: 'node',
  run: (node, context) => {
    if (node.role !== 'queue' && node.role !== 'subscription') return [];
    const kept = context.arrivals(node.id).filter(({ type }) => type.mustArrive);
    if (kept.length === 0) return [];
    return context.out(node.id).flatMap((edge) => {
      const ack = edge.consume?.ack;
      if (ack?.value !== 'auto') return [];
      return [
        {
          message: `${context.node(edge.to)!.thing.name} acknowledges at once, but ${listed([...new Set(kept.map(({ type }) => type.id))])} must not be lost.`,
          place: ack.place,
          about: node.id,
          also: [edge.to],
          mends: ack.from ? [] : [writing(ack.place, 'manual', 'Acknowledge after the work')],
        },
      ];
    });
  },
});
