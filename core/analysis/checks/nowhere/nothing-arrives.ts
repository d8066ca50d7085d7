import { check } from '../check.ts';
import { addressOf } from '../../../language/thing.ts';

/** A store that ways lead to, but on none of them does anything come. */
export const nothingArrives = check({
  id: 'nowhere/nothing-arrives',
  severity: 'warning',
  finds: 'A queue or subscription that no published message can come to.',
  why: 'The ways to it are there, but nobody publishes where they begin: its takers wait in vain.',
  of: 'node',
  run: (node, context) => {
    if ((node.role !== 'queue' && node.role !== 'subscription') || !context.peopled().publishers) return [];
    const ways = context.into(node.id).filter(({ condition }) => condition.op !== 'never');
    if (ways.length === 0 || context.arrivals(node.id).length) return [];
    // where messages come to the other end of a way, its condition is told about by itself
    if (ways.some((edge) => context.arrivals(edge.from).length)) return [];
    const from = [...new Set(ways.map((edge) => addressOf(context.node(edge.from)!.thing)))];
    return [
      {
        message: `Nothing can come to ${addressOf(node.thing)}: nobody publishes anything that reaches ${from.slice(0, 3).join(' or ')}.`,
        place: node.place,
        about: node.id,
      },
    ];
  },
});
