import { addressOf } from '../model/address.ts';
import { instancesOf } from '../routing/trace.ts';
import { takesOf, type Check } from './check.ts';

/** Instances that each need every message, but share one store. */
export const sharedCopies: Check = {
  id: 'copies/shared-store',
  severity: 'error',
  why: 'Takers of one store share its messages: of three instances that each need every message, each gets about a third.',
  run: (graph) =>
    [...takesOf(graph)].flatMap((edge) => {
      if (edge.consume?.each?.value !== 'copy') return [];
      const store = graph.nodes.get(edge.from)!;
      const app = graph.nodes.get(edge.to)!.thing;
      const instances = instancesOf(graph, app.name);
      if (instances < 2 || ('perInstanceOf' in store.decl && store.decl.perInstanceOf?.value === app.name))
        return [];
      return [
        {
          message: `${instances} instances of ${app.name} each need every message, but share ${addressOf(store.thing)}; each gets only its part. Give the queue \`perInstanceOf: ${app.name}\`.`,
          place: edge.consume.each.place,
          about: edge.from,
          related: [{ place: store.place, message: 'the store they share' }],
        },
      ];
    }),
};
