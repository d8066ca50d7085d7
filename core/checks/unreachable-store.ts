import { addressOf } from '../model/address.ts';
import type { Check } from './check.ts';

/** A queue that no publish, binding, subscription, link or dead letter leads to. */
export const unreachableStore: Check = {
  id: 'nowhere/unreachable-store',
  severity: 'warning',
  why: 'A queue that nothing leads to stays empty for ever, and its takers wait in vain: usually a binding is missing.',
  run: (graph) =>
    [...graph.nodes.values()].flatMap((node) => {
      if (node.role !== 'queue' || graph.into.get(node.id)?.length) return [];
      const takers = (graph.out.get(node.id) ?? []).filter((edge) => edge.kind === 'take');
      const waiting = takers.length
        ? `; ${[...new Set(takers.map((edge) => graph.nodes.get(edge.to)!.thing.name))].join(' and ')} will wait in vain`
        : '';
      return [
        {
          message: `Nothing leads to ${addressOf(node.thing)}: no binding, subscription, publish or link${waiting}.`,
          place: node.place,
          about: node.id,
        },
      ];
    }),
};
