import { check } from '../check.ts';
import { formatDuration } from '../../../base/values.ts';
import { writing } from '../../../language/finding.ts';
import { addressOf } from '../../../language/thing.ts';
import { setIn } from '../../../syntax/edit/edit.ts';

/** A lease that ends while a taker is still at work. */
export const shortLease = check({
  id: 'loss/short-lease',
  severity: 'warning',
  finds: 'A lease that is shorter than the time a taker needs.',
  why: 'When the lease ends the message is offered again, though somebody is still at work on it: it is handled twice, or given up.',
  of: 'node',
  run: (node, context) => {
    if (
      (node.role !== 'queue' && node.role !== 'subscription') ||
      !('lease' in node.decl) ||
      !node.decl.lease
    )
      return [];
    const { lease } = node.decl;
    return context.out(node.id).flatMap((edge) => {
      const { takes, prefetch } = edge.consume ?? {};
      if (!takes) return [];
      const inHand = prefetch?.value || 1;
      const needs = takes.value * inHand;
      if (needs < lease.value) return [];
      const why = inHand > 1 ? `for the ${inHand} messages it has in hand` : 'for one message';
      const ample = formatDuration(Math.ceil((needs * 2) / 1000) * 1000);
      return [
        {
          message: `A message of ${addressOf(node.thing)} is leased for ${formatDuration(lease.value)}, but ${context.node(edge.to)!.thing.name} needs ${formatDuration(needs)} ${why}: it is offered again meanwhile.`,
          place: lease.place,
          about: node.id,
          also: [edge.to],
          mends: [
            lease.from
              ? {
                  title: `Lease it for ${ample}`,
                  edit: (topology) => setIn(topology, lease.place, [], ample),
                }
              : writing(lease.place, ample, `Lease it for ${ample}`),
          ],
        },
      ];
    });
  },
});
