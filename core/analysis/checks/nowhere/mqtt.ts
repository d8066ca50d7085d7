import { type Complaint, check } from '../check.ts';
import type { Located } from '../../../syntax/place.ts';

/** Something sent or taken over MQTT where the broker speaks none. */
export const withoutMqtt = check({
  id: 'nowhere/without-mqtt',
  severity: 'error',
  finds: 'An app that sends or takes over MQTT, at a broker that has no exchange for it.',
  why: 'A broker lets MQTT clients meet one exchange, and says which by `mqtt`; without it nothing they send comes anywhere.',
  of: 'node',
  run: (node, context) => {
    if (node.role !== 'publisher' && node.role !== 'taker') return [];
    const { name, id } = node.thing;
    const complain = (broker: Located<string> | undefined, what: string): Complaint[] => {
      const traits = broker && context.broker(broker.value);
      if (!traits || traits.mqtt) return [];
      return [
        {
          message: `${name} ${what} ${broker.value} over MQTT, but ${broker.value} has no \`mqtt\`: no exchange of it is met that way.`,
          place: broker.place,
          about: id,
          also: [`broker:${broker.value}`],
        },
      ];
    };
    const items = node.role === 'publisher' ? node.decl.publishes?.items : undefined;
    const sends = (items ?? []).filter(({ via }) => via?.value === 'mqtt');
    const takes =
      node.role === 'taker'
        ? (node.decl.consumes?.items ?? []).filter(({ via }) => via?.value === 'mqtt')
        : [];
    return [
      ...sends.flatMap(({ to, message }) => complain(to, `sends ${message?.value ?? 'messages'} to`)),
      ...takes.flatMap(({ from }) => complain(from, 'takes from')),
    ];
  },
});
