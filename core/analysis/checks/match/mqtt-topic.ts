import { check } from '../check.ts';
import { unpublishable } from '../../../conditions/mqtt.ts';

/** A message type that is sent over MQTT with a key no topic can have. */
export const mqttTopic = check({
  id: 'match/mqtt-topic',
  severity: 'error',
  finds: 'A message type sent over MQTT whose key can be no topic.',
  why: 'A topic that is published to has at least one character and no wildcard; a client is cut off when it tries another.',
  of: 'message',
  run: (type, context) => {
    if (!context.sent(type.id)?.mqtt) return [];
    const wrong = unpublishable((type.key?.value ?? '').replace(/\{[^{}]*\}/g, 'x'));
    if (!wrong) return [];
    return [
      {
        message: `${type.id} is sent over MQTT, but ${type.key ? `its key \`${type.key.value}\` cannot be its topic` : 'has no key to be its topic'}: ${wrong}.`,
        place: type.key?.place ?? type.place,
        about: `message:${type.id}`,
      },
    ];
  },
});
