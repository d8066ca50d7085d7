import { addressOf } from '../model/address.ts';
import { tenantOf } from '../routing/graph.ts';
import type { Check } from './check.ts';

/** A topic that hands to a queue into which no statement lets it publish. */
export const missingLeave: Check = {
  id: 'access/missing-leave',
  severity: 'error',
  why: 'A topic needs leave to publish into the queue it hands to. Without it every message on this way is refused, and nobody is told.',
  run: (graph) =>
    graph.edges.flatMap((edge) => {
      if (edge.kind !== 'subscription' || !edge.subscription?.decl.to) return [];
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
          mends: mendsFor(
            graph.topology.declared.access?.items.at(-1)?.place,
            topic.id,
            addressOf(queue),
            edge.label,
          ),
        },
      ];
    }),
};

/** The narrowest statement, put behind the last one; where there is none yet, words alone must do. */
function mendsFor(last: { doc: string; end: number } | undefined, who: string, on: string, name: string) {
  if (!last) return [];
  const text = `\n  - { name: ${name} feed, allow: [publish], who: "${who}", on: ${on} }`;
  return [
    { title: 'Give the narrowest leave', edits: [{ doc: last.doc, start: last.end, end: last.end, text }] },
  ];
}
