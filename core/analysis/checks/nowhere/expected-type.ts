import { check } from '../check.ts';
import { nearest } from '../../../base/similar.ts';
import { writing } from '../../../language/finding.ts';
import { addressOf } from '../../../language/thing.ts';

/** An app that takes from a store to which a message type it expects never comes. */
export const expectedType = check({
  id: 'nowhere/expected-type',
  severity: 'warning',
  finds: 'An app that takes from a store which the message types it expects cannot reach.',
  why: 'The app is there for messages that never come; usually a binding, or a publisher, is missing.',
  of: 'node',
  run: (node, context) => {
    if (node.role !== 'queue' && node.role !== 'subscription') return [];
    const arrivals = context.arrivals(node.id);
    if (arrivals.length === 0) return [];
    const expecting = context.out(node.id).filter(({ consume }) => consume?.expects?.items.length);
    if (expecting.length === 0) return [];
    const here = new Set(arrivals.flatMap(({ type }) => type.lineage));
    return expecting.flatMap((edge) =>
      (edge.consume?.expects?.items ?? []).flatMap(({ value, place }) => {
        if (here.has(value)) return [];
        const hint = nearest(value, [...new Set(arrivals.map(({ type }) => type.id))]);
        return [
          {
            message: `${context.node(edge.to)!.thing.name} expects ${value} from ${addressOf(node.thing)}, but none ever comes there.${hint ? ` Did you mean \`${hint}\`?` : ''}`,
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
