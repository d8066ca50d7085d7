/** What a publish-subscribe service declares. */
import { alias, brokerCommon } from '../common.ts';
import { accept } from '../../language/acceptance.ts';
import { address, divides, note, owner, wireName } from '../../language/common.ts';
import { deadLetter } from '../../language/dead-letter.ts';
import { filter } from '../../language/filter.ts';
import { type Infer, choice, duration, field, flag, integer, mapOf, object } from '../../language/shape.ts';

const topic = object({
  order: field(choice('best-effort', 'fifo'), 'whether order within a group is kept', {
    otherwise: '`best-effort`',
  }),
  dedupe: field(duration(), 'how long repeats of a message are recognised', {
    otherwise: 'repeats are not recognised',
  }),
  divides,
  tenant: owner,
  wireName,
  accept,
  note,
});

const hostedQueue = object({
  order: field(choice('best-effort', 'fifo'), 'whether order within a group is kept', {
    otherwise: '`best-effort`',
  }),
  lease: field(duration(), 'how long a taken message stays hidden before it is offered again', {
    otherwise: 'what the service does by itself',
  }),
  ttl: field(duration(), 'how long a message may wait', { otherwise: 'no limit' }),
  delay: field(duration(), 'how long a new message stays hidden', { otherwise: '`0s`' }),
  deadLetter: field(deadLetter, 'where given-up messages go', { otherwise: 'what is given up is lost' }),
  maxDeliveries: field(integer(1), 'how often a message is tried', { otherwise: 'no limit' }),
  tenant: owner,
  wireName,
  accept,
  note,
});

const subscription = object({
  topic: field(address('a topic'), 'the topic it subscribes to', { required: true }),
  to: field(address('a queue'), 'the queue it hands to; without one it holds its own backlog', {
    otherwise: 'it holds its own backlog',
  }),
  filter: field(filter, 'which messages it admits; none admits everything', { otherwise: 'everything' }),
  wrap: field(flag(), 'the topic puts its own envelope round the body', { otherwise: '`false`' }),
  order: field(choice('best-effort', 'fifo'), 'whether order within a group is kept', {
    otherwise: '`best-effort`',
  }),
  lease: field(duration(), 'how long a taken message stays hidden before it is offered again', {
    otherwise: 'what the service does by itself',
  }),
  ttl: field(duration(), 'how long a message may wait', { otherwise: 'no limit' }),
  maxDeliveries: field(integer(1), 'how often a message is tried', { otherwise: 'no limit' }),
  deadLetter: field(deadLetter, 'where given-up messages go', { otherwise: 'what is given up is lost' }),
  tenant: owner,
  wireName,
  accept,
  note,
});

export const pubsubBroker = object(
  {
    kind: field(choice('amqp', 'pubsub'), 'what kind of broker it is', {
      otherwise: 'one document must state it',
    }),
    ...brokerCommon,
    topics: field(mapOf(topic, 'resource'), 'named publish points'),
    queues: field(mapOf(hostedQueue, 'resource'), 'queues'),
    subscriptions: field(mapOf(subscription, 'resource'), 'named copies of what topics receive'),
    aliases: field(mapOf(alias, 'resource'), 'other names for entries'),
  },
  { adds: true },
);

export type HostedQueueDecl = Infer<typeof hostedQueue>;
export type TopicDecl = Infer<typeof topic>;
export type SubscriptionDecl = Infer<typeof subscription>;
export type PubsubBrokerDecl = Infer<typeof pubsubBroker> & { readonly variant: 'pubsub' };
