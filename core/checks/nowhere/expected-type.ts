import { addressOf } from '../../model/address.ts';
import { nearest } from '../../model/values.ts';
import { writing } from '../../model/finding.ts';
import { check } from '../check.ts';

/** An app that takes from a store to which a message type it expects never comes. */
export const expectedType = check({
  id: 'nowhere/expected-type',
  severity: 'warning',
  finds: 'An app that takes from a store which the message types it expects cannot reach.',
  why: 'The app is there for messages that never come; usually a binding, or a publisher, is missing.',
  of: 'node',
  run: (node, look) => {
    if (node.role !== 'queue' && node.role !== 'subscription') return [];
    const arrivals = look.arrivals(node.id);
    if (arrivals.length === 0) return [];
    const here = new Set(arrivals.flatMap(({ type }) => type.lineage));
    return look.out(node.id).flatMap((edge) =>
      (edge.consume?.expects?.items ?? []).flatMap(({ value, place }) => {
        if (here.has(value)) return [];
        const hint = nearest(value, [...new Set(arrivals.map(({ type }) => type.id))]);
        return [
          {
            message: `${look.node(edge.to)!.thing.name} expects ${value} from ${addressOf(node.thing)}, but none ever comes there.${hint ? ` Did you mean \`${hint}\`?` : ''}`,
            place,
            about: node.id,
            also: [edge.to],
            ...(hint ? { mends: [writing(place, hint)] } : {}),
          },
        ];
      }),
    );
  },
});
