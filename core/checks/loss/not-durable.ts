import { writing } from '../../model/finding.ts';
import { addressOf } from '../../model/address.ts';
import { listed } from '../../model/phrase.ts';
import { check } from '../check.ts';

/** Persistent messages that come into or through something that does not survive a restart. */
export const notDurable = check({
  id: 'loss/not-durable',
  severity: 'warning',
  finds: 'Persistent messages that come into a queue, or through an exchange, that is not durable.',
  why: 'A persistent message survives a restart of the broker only in a durable queue that a durable exchange leads to.',
  of: 'node',
  run: (node, look) => {
    if (node.role !== 'queue' && node.role !== 'exchange') return [];
    if (!('durable' in node.decl) || node.decl.durable?.value !== false) return [];
    const kept = look
      .arrivals(node.id)
      .map(({ type }) => type)
      .filter((type) => type.mustArrive || look.sent(type.id)?.persistent);
    if (kept.length === 0) return [];
    const { durable } = node.decl;
    const names = listed([...new Set(kept.map(({ id }) => id))]);
    const lost = node.role === 'queue' ? 'they are gone' : 'its bindings are gone, and they are lost';
    return [
      {
        message: `${addressOf(node.thing)} is not durable, but gets messages that are to survive a restart (${names}): after one ${lost}.`,
        place: durable.place,
        about: node.id,
        ...(kept.some(({ mustArrive }) => mustArrive) ? { severity: 'error' as const } : {}),
        mends: durable.from ? [] : [writing(durable.place, 'true', 'Make it durable')],
      },
    ];
  },
});
