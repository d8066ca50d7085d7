/** What a probe message should show: where on one real broker the trace says its copies land. */
import type { RoutingGraph } from '../routing/graph.ts';
import type { Hop, Trace } from '../routing/trace.ts';
import { wireNames } from './amqp.ts';

export interface ProbeExpectation {
  /** Copies by wire queue name. */
  readonly queues: Readonly<Record<string, number>>;
  /** Whether the broker would hand a mandatory message back. */
  readonly returned: boolean;
}

/**
 * @returns where copies of a traced message come to lie on one broker. Links are not followed: what
 * they would carry away rests in their queue there.
 */
export function expectProbe(graph: RoutingGraph, trace: Trace, broker: string): ProbeExpectation {
  const queues: Record<string, number> = {};
  const visit = (hop: Hop): void => {
    if (hop.edge?.kind === 'link') return;
    const node = graph.nodes.get(hop.node);
    if (node?.role === 'queue' && node.thing.broker === broker && !hop.again && hop.copies > 0) {
      const decl = graph.topology.declared.brokers!.get(broker)!.value;
      const queue = decl.variant === 'amqp' ? decl.queues?.get(node.thing.name)?.value : undefined;
      for (const wire of queue ? wireNames(graph.topology, node.thing.name, queue) : []) {
        queues[wire] = (queues[wire] ?? 0) + 1;
      }
    }
    hop.next.forEach(visit);
  };
  visit(trace.root);
  return { queues, returned: Object.keys(queues).length === 0 };
}
