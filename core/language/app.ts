/** Apps: who sends what where, and who takes from where. */
import { accept } from './acceptance.ts';
import { address, note } from './common.ts';
import { type Infer, choice, duration, field, flag, id, integer, list, object, rate, text } from './shape.ts';

const publish = object({
  message: field(id('a message type'), 'the message type it sends', { required: true }),
  to: field(address('an entry'), 'the exchange, topic, queue, alias or spread it sends to', {
    required: true,
  }),
  via: field(choice('amqp', 'mqtt'), 'the protocol; with mqtt, `to` is the broker'),
  rate: field(rate(), 'how many it sends'),
  persistent: field(flag(), 'the message survives a broker restart in a durable queue'),
  mandatory: field(flag(), 'the message is sent back when it reaches no queue'),
  accept,
});

const consume = object({
  from: field(address('a queue or subscription'), 'the store it takes from; with mqtt, the broker', {
    required: true,
  }),
  via: field(choice('amqp', 'mqtt'), 'the protocol'),
  topic: field(text('an MQTT topic filter'), 'what it subscribes to, via mqtt'),
  each: field(choice('share', 'copy'), 'share: instances divide the work; copy: each needs every message'),
  ack: field(
    choice('manual', 'auto'),
    'manual: it acknowledges after its work; auto: the broker forgets at once',
  ),
  prefetch: field(integer(0, 65535), 'messages in hand before the first acknowledge'),
  takes: field(duration(), 'how long one message keeps it busy'),
  expects: field(list(id('a message type'), { orOne: true }), 'the message types it is there for'),
  wrapped: field(flag(), 'it reads the topic’s envelope, not the plain body'),
  competes: field(flag(), 'it means to share the messages of this store with other apps'),
  accept,
});

export const app = object({
  tenant: field(id('a tenant'), 'who owns it, where it is not the topology’s tenant'),
  home: field(id('a broker'), 'the broker it is connected to; decides `nearest` spreads'),
  instances: field(integer(0), 'how many run'),
  publishes: field(list(publish), 'what it sends, and where'),
  consumes: field(list(consume), 'what it takes, and how'),
  accept,
  note,
});

export type AppDecl = Infer<typeof app>;
export type PublishDecl = Infer<typeof publish>;
export type ConsumeDecl = Infer<typeof consume>;
