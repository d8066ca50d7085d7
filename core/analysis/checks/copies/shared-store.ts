import { check } from '../check.ts';
import { addressOf } from '../../../language/thing.ts';
import { setAt } from '../../../syntax/edit/edit.ts';

/** Instances that each need every message, but share one store. */
export const sharedStore = check({
  id: 'copies/shared-store',
  severity: 'error',
  finds: 'Instances that each need every message, but take from one store.',
  why: 'Takers of one store share its messages: of three instances that each need every message, each gets about a third.',
  of: 'node',
  run: (node, context) => {
    if (node.role !== 'queue' && node.role !== 'subscription') return [];
    return context.out(node.id).flatMap((edge) => {
      if (edge.consume?.each?.value !== 'copy') return [];
      const app = context.node(edge.to)!.thing.name;
      const instances = context.app(app)?.instances?.value ?? 1;
      if (instances < 2 || ('perInstanceOf' in node.decl && node.decl.perInstanceOf?.value === app))
        return [];
      const address = addressOf(node.thing);
      const { broker, name } = node.thing;
      const own = node.role === 'queue' && context.broker(broker)?.kind.queuePerInstance === true;
      const advice = own
        ? ` Give the queue \`perInstanceOf: ${app}\`.`
        : ' Give each instance a subscription of its own.';
      return [
        {
          message: `${instances} instances of ${app} each need every message, but share ${address}; each gets only its part.${advice}`,
          place: edge.consume.each.place,
          about: edge.from,
          also: [edge.to],
          related: [{ place: node.place, message: 'the store they share' }],
          mends: own
            ? [
                {
                  title: 'Give each instance a queue of its own',
                  edit: (topology) =>
                    setAt(topology, ['brokers', broker, 'queues', name, 'perInstanceOf'], app),
                },
              ]
            : [],
        },
      ];
    });
  },
});
