import { check } from '../check.ts';
import { instancesAt, isOrdered, leastRate } from '../stores.ts';
import { verdictAt } from '../../classes/verdicts.ts';
import { formatDuration } from '../../../base/values.ts';
import { addressOf } from '../../../language/thing.ts';

/** A store that gets more than its takers can do. */
export const slowTaker = check({
  id: 'loss/slow-taker',
  severity: 'warning',
  finds: 'Takers that cannot keep up, such as one at a time behind an ordered queue.',
  why: 'What comes faster than it is taken piles up without end; an ordered queue is worked off one by one, however many instances there are.',
  of: 'node',
  run: (node, context) => {
    if (node.role !== 'queue' && node.role !== 'subscription') return [];
    const takes = context.out(node.id).filter((edge) => edge.kind === 'take');
    const slowest = takes.reduce((most, edge) => Math.max(most, edge.consume?.takes?.value ?? 0), 0);
    if (slowest === 0 || ('perInstanceOf' in node.decl && node.decl.perInstanceOf)) return [];
    const inTurn = isOrdered(node) && takes.every((edge) => edge.consume?.prefetch?.value === 1);
    const hands = inTurn ? 1 : instancesAt(context, takes);
    if (hands === 0) return [];
    const does = (hands * 1000) / slowest;
    const gets = leastRate(context, node.id, (edge) => {
      const arrivals = context.arrivals(edge.from);
      return arrivals.length > 0 && arrivals.every((arrival) => verdictAt(edge, arrival).every);
    });
    if (gets <= does) return [];
    const how = inTurn
      ? 'one at a time, because it is ordered'
      : `by ${hands} ${hands === 1 ? 'instance' : 'instances'}`;
    return [
      {
        message: `${addressOf(node.thing)} gets at least ${round(gets)} messages a second, but at ${formatDuration(slowest)} each, ${how}, only ${round(does)} are taken: it fills without end.`,
        place: node.place,
        about: node.id,
        also: takes.map((edge) => edge.to),
      },
    ];
  },
});

const round = (rate: number): string => String(rate >= 10 ? Math.round(rate) : Math.round(rate * 100) / 100);
