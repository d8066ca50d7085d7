/** The ways of a node that ask something of the messages which come to it. */
import type { Complaint } from './check.ts';
import type { CheckContext } from './context.ts';
import type { Arrival } from '../classes/variety.ts';
import type { Edge, GraphNode } from '../../brokers/terms.ts';

/**
 * Looks at each binding and subscription that leaves a node, where anything comes to it at all.
 * @param judge says what is wrong with one of them
 */
export function ofEachCondition(
  node: GraphNode,
  context: CheckContext,
  judge: (edge: Edge, arrivals: readonly Arrival[]) => readonly Complaint[],
): Complaint[] {
  const arrivals = context.arrivals(node.id);
  if (arrivals.length === 0) return [];
  const found: Complaint[] = [];
  for (const edge of context.out(node.id))
    if (edge.kind === 'binding' || edge.kind === 'subscription') found.push(...judge(edge, arrivals));
  return found;
}
