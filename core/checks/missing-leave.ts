import { addItem } from '../language/edit.ts';
import { addressOf } from '../model/address.ts';
import type { Mend } from '../model/finding.ts';
import { tenantOf, type RoutingGraph } from '../routing/graph.ts';
import { subscriptionsOf, type Check } from './check.ts';

/** A topic that hands to a queue into which no statement lets it publish. */
export const missingLeave: Check = {
  id: 'access/missing-leave',
  severity: 'error',
  why: 'A topic needs leave to publish into the queue it hands to. Without it every message on this way is refused, and nobody is told.',
  run: (graph) =>
    [...subscriptionsOf(graph)].flatMap((edge) => {
      if (!edge.subscription?.decl.to) return [];
      const topic = graph.nodes.get(edge.from)!.thing;
      const queue = graph.nodes.get(edge.to)!.thing;
      const tenant = tenantOf(graph.topology, topic);
      const { allowed, why } = graph.decide({
        who: { thing: topic, tenant },
        action: 'publish',
        on: queue,
        source: topic,
      });
      // leave that depends on the message's key is given for some messages
      if (allowed || why.includes('for keys that match')) return [];
      return [
        {
          message: `Topic ${addressOf(topic)} may not publish into ${addressOf(queue)}: subscription ${edge.label} hands messages to this queue, but ${why}. Every message on this way is refused.`,
          place: edge.place,
          about: edge.to,
          mends: mendsFor(graph, topic.id, addressOf(queue), edge.label),
        },
      ];
    }),
};

/** The narrowest statement that gives the leave. */
function mendsFor(graph: RoutingGraph, who: string, on: string, name: string): Mend[] {
  const statement = { name: `${name} feed`, allow: ['publish'], who, on };
  const edited = addItem(graph.topology.documents, ['access'], statement);
  return edited.ok ? [{ title: 'Give the narrowest leave', edits: edited.edits }] : [];
}
