/** Apps: who sends what where, and who takes from where. */
import { accept } from './acceptance.ts';
import { address, note } from './common.ts';
import { type Infer, choice, duration, field, flag, id, integer, list, object, rate, text } from './shape.ts';

const because = field(
  list(id('a message type'), { orOne: true }),
  'the message types it takes that this follows from',
  { otherwise: 'it follows from nothing it takes' },
);

const hand = object({
  to: field(id('an app'), 'the app it hands to: a database, a file store, a caller', { required: true }),
  because,
  note,
});

const publish = object({
  message: field(id('a message type'), 'the message type it sends', { required: true }),
  to: field(address('an entry'), 'the exchange, topic, queue, alias or spread it sends to', {
    required: true,
  }),
  via: field(choice('amqp', 'mqtt'), 'the protocol; with mqtt, `to` is the broker', { otherwise: '`amqp`' }),
  rate: field(rate(), 'how many it sends', { otherwise: 'not known' }),
  persistent: field(flag(), 'the message survives a broker restart in a durable queue', {
    otherwise: '`false`',
  }),
  mandatory: field(flag(), 'the message is sent back when it reaches no queue', { otherwise: '`false`' }),
  because,
  accept,
});

const consume = object({
  from: field(address('a queue or subscription'), 'the store it takes from; with mqtt, the broker', {
    required: true,
  }),
  via: field(choice('amqp', 'mqtt'), 'the protocol', { otherwise: '`amqp`' }),
  topic: field(text('an MQTT topic filter'), 'what it subscribes to, via mqtt', { otherwise: 'none' }),
  each: field(choice('share', 'copy'), 'share: instances divide the work; copy: each needs every message', {
    otherwise: '`share`',
  }),
  ack: field(
    choice('manual', 'auto'),
    'manual: it acknowledges after its work; auto: the broker forgets at once',
    { otherwise: '`manual`' },
  ),
  prefetch: field(integer(0, 65535), 'messages in hand before the first acknowledge', {
    otherwise: 'no limit',
  }),
  takes: field(duration(), 'how long one message keeps it busy', { otherwise: 'not known' }),
  expects: field(list(id('a message type'), { orOne: true }), 'the message types it is there for', {
    otherwise: 'whatever comes',
  }),
  wrapped: field(flag(), 'it reads the topic’s envelope, not the plain body', { otherwise: '`false`' }),
  competes: field(flag(), 'it means to share the messages of this store with other apps', {
    otherwise: '`false`',
  }),
  accept,
});

export const app = object({
  tenant: field(id('a tenant'), 'who owns it, where it is not the topology’s tenant', {
    otherwise: 'the topology’s tenant',
  }),
  home: field(id('a broker'), 'the broker it is connected to; decides `nearest` spreads', {
    otherwise: 'none: `nearest` takes the first member',
  }),
  instances: field(integer(0), 'how many run', { otherwise: '`1`' }),
  publishes: field(list(publish), 'what it sends, and where', { otherwise: 'nothing' }),
  consumes: field(list(consume), 'what it takes, and how', { otherwise: 'nothing' }),
  hands: field(list(hand), 'what it hands on outside of brokers', { otherwise: 'nothing' }),
  accept,
  note,
});

export type AppDecl = Infer<typeof app>;
export type PublishDecl = Infer<typeof publish>;
export type ConsumeDecl = Infer<typeof consume>;
