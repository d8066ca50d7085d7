import { check } from '../check.ts';
import type { CheckContext } from '../context.ts';
import { listed } from '../../../base/phrase.ts';

/** A message type that is published, but comes to no app. */
export const unreceivedType = check({
  id: 'nowhere/unreceived-type',
  severity: 'warning',
  finds: 'A published message type that comes to no app.',
  why: 'Somebody sends these messages and nobody ever sees one: a binding is missing, or they are no longer needed.',
  of: 'message',
  run: (type, context) => {
    if (!context.peopled().takers || context.received(type.id)) return [];
    const sent = context.sent(type.id);
    if (!sent || sent.to.every((to) => isTold(context, to))) return [];
    return [
      {
        message: `${type.id} is published by ${listed(sent.by)}, and no app ever receives one.`,
        place: type.place,
        about: `message:${type.id}`,
        ...(type.mustArrive ? { severity: 'error' as const } : {}),
      },
    ];
  },
});

/** Whether what is sent somewhere is told of the queue that lacks it. */
function isTold(context: CheckContext, address: string): boolean {
  const [broker = '', ...name] = address.replace(/^\w+:/, '').split('/');
  const entry = context.apart(broker)?.entry;
  return entry !== undefined && entry.slice(entry.indexOf(':') + 1) === `${broker}/${name.join('/')}`;
}
