import { addressOf } from '../../model/address.ts';
import { show } from '../../predicate/explain.ts';
import { verdictAt } from '../../reach/arrivals.ts';
import { check } from '../check.ts';
import { ofEachCondition } from '../conditions.ts';

/** A filter that lets through everything that comes to it. */
export const always = check({
  id: 'match/always',
  severity: 'advice',
  finds: 'A filter or headers condition that everything meets which comes to it.',
  why: 'A condition that is always true hides that nothing is chosen here; or the messages it should keep out no longer come.',
  of: 'node',
  run: (node, look) =>
    ofEachCondition(node, look, (edge, arrivals) => {
      const { condition } = edge;
      const stated =
        edge.subscription?.decl.filter ??
        (edge.binding?.headers?.values?.size ? edge.binding.headers : undefined);
      if (
        !stated ||
        condition.op === 'always' ||
        !arrivals.every((arrival) => verdictAt(edge, arrival).every)
      )
        return [];
      const where = edge.subscription
        ? `subscription ${edge.label}`
        : `the binding to ${addressOf(look.node(edge.to)!.thing)}`;
      return [
        {
          message: `Every message that comes to ${addressOf(node.thing)} meets the condition of ${where}: \`${show(condition)}\` is always true here.`,
          place: stated.place,
          about: edge.subscription?.id ?? edge.to,
          also: [node.id],
        },
      ];
    }),
});
