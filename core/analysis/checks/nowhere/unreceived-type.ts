import { check } from '../check.ts';
import { listed } from '../../../base/phrase.ts';
import { takerId } from '../../../routing/edge-specs.ts';

/** A message type that is published, but comes to no app. */
export const unreceivedType = check({
  id: 'nowhere/unreceived-type',
  severity: 'warning',
  finds: 'A published message type that comes to no app.',
  why: 'Somebody sends these messages and nobody ever sees one: a binding is missing, or they are no longer needed.',
  of: 'whole',
  run: ({ topology }, context) => {
    if (!context.peopled().takers) return [];
    const received = new Set<string>();
    for (const app of topology.declared.apps?.keys() ?? [])
      for (const { type } of context.arrivals(takerId(app))) received.add(type.id);
    return [...topology.messages.values()].flatMap((type) => {
      const sent = received.has(type.id) ? undefined : context.sent(type.id);
      if (!sent) return [];
      return [
        {
          message: `${type.id} is published by ${listed(sent.by)}, and no app ever receives one.`,
          place: type.place,
          about: `message:${type.id}`,
          ...(type.mustArrive ? { severity: 'error' as const } : {}),
        },
      ];
    });
  },
});
