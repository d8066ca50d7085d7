/** What an AMQP 0-9-1 broker declares. */
import { alias, brokerCommon } from '../common.ts';
import { accept } from '../../language/acceptance.ts';
import { address, divides, note, owner, wireName } from '../../language/common.ts';
import { deadLetter } from '../../language/dead-letter.ts';
import {
  type Infer,
  choice,
  constant,
  duration,
  field,
  flag,
  id,
  integer,
  list,
  mapOf,
  object,
  shortText,
  size,
  wholly,
} from '../../language/shape.ts';

const exchange = object({
  type: field(choice('direct', 'fanout', 'topic', 'headers'), 'how it routes', { required: true }),
  durable: field(flag(), 'it survives a broker restart', { otherwise: '`true`' }),
  unroutedTo: field(address('an exchange'), 'the exchange that gets what no binding here matched', {
    otherwise: 'what no binding matches is lost',
  }),
  internal: field(flag(), 'publishers may not use it', { otherwise: '`false`' }),
  autoDelete: field(flag(), 'it goes when its last binding goes', { otherwise: '`false`' }),
  divides,
  wireName,
  accept,
  note,
});

const amqpQueue = object({
  durable: field(flag(), 'it survives a broker restart', { otherwise: '`true`' }),
  exclusive: field(flag(), 'it belongs to one connection', { otherwise: '`false`' }),
  autoDelete: field(flag(), 'it goes when its last consumer goes', { otherwise: '`false`' }),
  perInstanceOf: field(id('an app'), 'one such queue for each instance of this app', {
    otherwise: 'one queue, whoever takes from it',
  }),
  ttl: field(duration(), 'how long a message may wait', { otherwise: 'no limit' }),
  maxLength: field(integer(0), 'how many messages it keeps', { otherwise: 'no limit' }),
  maxBytes: field(size(), 'how many payload bytes it keeps', { otherwise: 'no limit' }),
  overflow: field(choice('drop-oldest', 'refuse-new'), 'what gives way when it is full', {
    otherwise: '`drop-oldest`',
  }),
  deadLetter: field(deadLetter, 'where given-up messages go', { otherwise: 'what is given up is lost' }),
  maxDeliveries: field(integer(1), 'how often a message is tried', { otherwise: 'no limit' }),
  maxPriority: field(integer(0, 255), 'the highest priority it orders by', {
    otherwise: 'priorities mean nothing',
  }),
  expires: field(duration(), 'it is removed after this long unused', { otherwise: 'never' }),
  order: field(choice('best-effort', 'fifo'), 'the order its takers rely on', { otherwise: '`best-effort`' }),
  tenant: owner,
  wireName,
  accept,
  note,
});

const headersCondition = object({
  match: field(choice('all', 'any'), 'all: every value; any: at least one', { otherwise: '`all`' }),
  values: field(
    { ...wholly(mapOf(constant(), 'parameter')), names: 'a header' },
    'header values; null asks only that the header is there',
    { otherwise: 'none: every message' },
  ),
});

const binding = object({
  from: field(address('an exchange'), 'the exchange', { required: true }),
  to: field(address('a queue or exchange'), 'where what matches goes', { required: true }),
  key: field(shortText('a binding key'), 'exact on direct exchanges, a pattern on topic exchanges', {
    otherwise: 'the empty key',
  }),
  headers: field(headersCondition, 'the condition on a headers exchange', { otherwise: 'every message' }),
  accept,
  note,
});

export const amqpBroker = object(
  {
    kind: field(choice('amqp', 'pubsub'), 'what kind of broker it is', {
      otherwise: 'one document must state it',
    }),
    ...brokerCommon,
    mqtt: field(
      object({
        exchange: field(address('an exchange'), 'the exchange MQTT publishes enter', { required: true }),
      }),
      'what MQTT publishers and takers meet',
      { otherwise: 'it does not speak MQTT' },
    ),
    exchanges: field(mapOf(exchange, 'resource'), 'AMQP 0-9-1 exchanges'),
    queues: field(mapOf(amqpQueue, 'resource'), 'AMQP 0-9-1 queues'),
    bindings: field(list(binding, { adds: true }), 'bindings from exchanges to queues or exchanges'),
    aliases: field(mapOf(alias, 'resource'), 'other names for entries'),
  },
  { adds: true },
);

export type ExchangeDecl = Infer<typeof exchange>;
export type AmqpQueueDecl = Infer<typeof amqpQueue>;
export type BindingDecl = Infer<typeof binding>;
export type AmqpBrokerDecl = Infer<typeof amqpBroker> & { readonly variant: 'amqp' };
