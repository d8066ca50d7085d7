import { type Complaint, check } from '../check.ts';
import { asAmqp } from '../../../brokers/kinds.ts';

/** An exchange that MQTT clients meet and that cannot do what they ask of it. */
export const mqttExchange = check({
  id: 'broker/mqtt-exchange',
  severity: 'error',
  finds: 'An exchange for MQTT that is internal, or not of type topic.',
  why: 'What MQTT clients publish is refused by an internal exchange, and what they subscribe to are patterns, which only a topic exchange knows.',
  of: 'broker',
  run: ({ name, decl }) => {
    const amqp = asAmqp(decl);
    const address = amqp?.mqtt?.exchange;
    const exchange = address && amqp.exchanges?.get(address.value.replace(/^exchange:/, ''))?.value;
    if (!exchange) return [];
    const about = `exchange:${name}/${address.value.replace(/^exchange:/, '')}`;
    const found: Complaint[] = [];
    const { type, internal } = exchange;
    if (type && type.value !== 'topic')
      found.push({
        message: `MQTT clients meet ${name}/${address.value}, which is of type ${type.value}: topic filters need type topic.`,
        place: address.place,
        about,
        related: [{ place: type.place, message: 'its type' }],
      });
    if (internal?.value)
      found.push({
        message: `MQTT clients meet ${name}/${address.value}, which is internal: everything they publish is refused.`,
        place: address.place,
        about,
        related: [{ place: internal.place, message: 'it is internal' }],
      });
    return found;
  },
});
