/** The ways of a node that ask something of the messages which come to it. */
import type { Arrival } from '../reach/variety.ts';
import type { Edge, GraphNode } from '../routing/graph.ts';
import type { Look } from './look.ts';
import type { Complaint } from './check.ts';

/**
 * Looks at each binding and subscription that leaves a node, where anything comes to it at all.
 * @param judge says what is wrong with one of them
 */
export function ofEachCondition(
  node: GraphNode,
  look: Look,
  judge: (edge: Edge, arrivals: readonly Arrival[]) => readonly Complaint[],
): Complaint[] {
  const arrivals = look.arrivals(node.id);
  if (arrivals.length === 0) return [];
  return look
    .out(node.id)
    .flatMap((edge) =>
      edge.kind === 'binding' || edge.kind === 'subscription' ? judge(edge, arrivals) : [],
    );
}
