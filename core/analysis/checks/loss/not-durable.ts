import { check } from '../check.ts';
import { listed } from '../../../base/phrase.ts';
import { writing } from '../../../language/finding.ts';
import { addressOf } from '../../../language/thing.ts';

/** Persistent messages that come into or through something that does not survive a restart. */
export const notDurable = check({
  id: 'loss/not-durable',
  severity: 'warning',
  finds: 'Persistent messages that come into a queue, or through an exchange, that is not durable.',
  why: 'A persistent message survives a restart of the broker only in a durable queue that a durable exchange leads to.',
  of: 'node',
  run: (node, context) => {
    if (node.role !== 'queue' && node.role !== 'exchange') return [];
    if (!('durable' in node.decl) || node.decl.durable?.value !== false) return [];
    const kept = context
      .arrivals(node.id)
      .map(({ type }) => type)
      .filter((type) => type.mustArrive || context.sent(type.id)?.persistent);
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
