import { check } from '../check.ts';
import { listed } from '../../../base/phrase.ts';
import type { Edge } from '../../../brokers/terms.ts';
import { addressOf } from '../../../language/thing.ts';

/** A subscription without a filter beside siblings that have one. */
export const unfilteredSibling = check({
  id: 'match/unfiltered-sibling',
  severity: 'warning',
  finds: 'A subscription without a filter beside subscriptions that have one.',
  why: 'Without a filter a subscription receives everything: where its siblings choose, that is mostly forgotten, and dear.',
  of: 'node',
  run: (node, context) => {
    if (node.role !== 'topic') return [];
    const ways = context.out(node.id).filter((edge) => edge.subscription);
    // one that could not be read is there all the same
    const chooses = ({ subscription }: Edge) =>
      Boolean(subscription!.decl.filter) || subscription!.decl.unread?.includes('filter') === true;
    const filtered = ways.filter(chooses);
    if (filtered.length === 0) return [];
    return ways.flatMap((edge) =>
      chooses(edge)
        ? []
        : [
            {
              message: `Subscription ${edge.label} has no filter and receives everything of ${addressOf(node.thing)}; ${listed(filtered.map(({ label }) => label))} ${filtered.length === 1 ? 'chooses' : 'choose'}.`,
              place: edge.place,
              about: edge.subscription!.id,
              also: [edge.to, node.id],
            },
          ],
    );
  },
});
