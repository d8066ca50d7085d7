import { check } from '../check.ts';
import { ofEachCondition } from '../conditions.ts';
import { verdictAt } from '../../classes/verdicts.ts';
import { show } from '../../../conditions/explain.ts';
import { addressOf } from '../../../language/thing.ts';

/** A filter that lets through everything that comes to it. */
export const always = check({
  id: 'match/always',
  severity: 'advice',
  finds: 'A filter or headers condition that everything meets which comes to it.',
  why: 'A condition that is always true hides that nothing is chosen here; or the messages it should keep out no longer come.',
  of: 'node',
  run: (node, context) =>
    ofEachCondition(node, context, (edge, arrivals) => {
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
        : `the binding to ${addressOf(context.node(edge.to)!.thing)}`;
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
