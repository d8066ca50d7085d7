import { check } from '../check.ts';
import { listed } from '../../../base/phrase.ts';
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
    const filtered = ways.filter((edge) => edge.subscription!.decl.filter);
    if (filtered.length === 0) return [];
    return ways.flatMap((edge) =>
      edge.subscription!.decl.filter
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
