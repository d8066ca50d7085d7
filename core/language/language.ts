/**
 * The topology language, version 1: every construct, once. The reader's types, the findings, the
 * published JSON Schema, completion and the forms all come from this page.
 */
import { filter } from '../filters/read.ts';
import {
  choice,
  constant,
  duration,
  field,
  flag,
  id,
  integer,
  json,
  jsonMap,
  list,
  mapOf,
  number,
  object,
  rate,
  shortText,
  size,
  text,
  variant,
  type Infer,
} from './shape.ts';

const note = field(text('a sentence'), 'words for people');
const labels = (about: string) => field(list(named('a data label')), about);
const address = (of: string) => ({ ...text(`the address of ${of}, as in \`broker/name\``), names: of });
const named = (what: string) => ({ ...text(what), names: what });
const wireName = field(shortText('a name'), 'the name on the broker, where it is not the key');

const acceptance = object({
  check: field(text('the id of a check'), 'the check whose finding here is meant', { required: true }),
  because: field(text('a reason'), 'why it is meant', { required: true }),
});
const accept = field(list(acceptance), 'findings here that are meant, each with a reason');

const tenant = object({
  clears: labels('data labels this tenant may receive'),
  accept,
  note,
});

const label = object({
  guarded: field(flag(), 'who takes such data, and what carries it, must be cleared for it'),
  note,
});

const parameter = object({
  default: field(constant(), 'the value where an environment gives none'),
  accept,
  note,
});

const environment = object({
  values: field(
    { ...mapOf(constant(), 'parameter'), names: 'a parameter' },
    'parameter values in this environment',
  ),
  protected: field(flag(), 'a second person must approve what is applied here'),
  note,
});

const example = object({
  name: field(text('a name'), 'what to call this sample'),
  key: field(shortText('a routing key'), 'the routing key, where the type leaves it open'),
  headers: field(jsonMap(), 'header values'),
  properties: field(jsonMap(), 'property values'),
  body: field(json(), 'the payload'),
});

const messageType = object({
  extends: field(
    list(id('a message type'), { orOne: true }),
    'message types whose headers, body and labels it inherits',
  ),
  key: field(shortText('a routing key'), 'the routing key; {x} is one word, {x...} any number'),
  properties: field(mapOf(jsonMap(), 'parameter'), 'the domains of its properties, as JSON Schemas'),
  headers: field(mapOf(jsonMap(), 'parameter'), 'the domains of its headers, as JSON Schemas'),
  required: field(list(named('a header or property name')), 'headers and properties every such message has'),
  body: field(jsonMap(), 'a JSON Schema 2020-12 of the payload'),
  labels: labels('data labels it carries'),
  size: field(size(), 'a typical payload in bytes'),
  mustArrive: field(flag(), 'no message of this type may be lost on its way'),
  examples: field(list(example), 'sample messages'),
  accept,
  note,
});

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

const app = object({
  tenant: field(id('a tenant'), 'who owns it, where it is not the topology’s tenant'),
  home: field(id('a broker'), 'the broker it is connected to; decides `nearest` spreads'),
  instances: field(integer(0), 'how many run'),
  publishes: field(list(publish), 'what it sends, and where'),
  consumes: field(list(consume), 'what it takes, and how'),
  accept,
  note,
});

const deadLetter = object({
  to: field(address('an entry'), 'where given-up messages go', { required: true }),
  key: field(shortText('a routing key'), 'the key they get; without one they keep theirs'),
});

const owner = field(id('a tenant'), 'who owns it, where it is not the broker’s tenant');
const divides = field(
  flag(),
  'each message is meant for one way on: its conditions leave no gap and do not overlap',
);

const exchange = object({
  type: field(choice('direct', 'fanout', 'topic', 'headers'), 'how it routes', { required: true }),
  durable: field(flag(), 'it survives a broker restart'),
  unroutedTo: field(address('an exchange'), 'the exchange that gets what no binding here matched'),
  internal: field(flag(), 'publishers may not use it'),
  autoDelete: field(flag(), 'it goes when its last binding goes'),
  divides,
  wireName,
  accept,
  note,
});

const amqpQueue = object({
  durable: field(flag(), 'it survives a broker restart'),
  exclusive: field(flag(), 'it belongs to one connection'),
  autoDelete: field(flag(), 'it goes when its last consumer goes'),
  perInstanceOf: field(id('an app'), 'one such queue for each instance of this app'),
  ttl: field(duration(), 'how long a message may wait'),
  maxLength: field(integer(0), 'how many messages it keeps'),
  maxBytes: field(size(), 'how many payload bytes it keeps'),
  overflow: field(choice('drop-oldest', 'refuse-new'), 'what gives way when it is full'),
  deadLetter: field(deadLetter, 'where given-up messages go'),
  maxDeliveries: field(integer(1), 'how often a message is tried'),
  maxPriority: field(integer(0, 255), 'the highest priority it orders by'),
  expires: field(duration(), 'it is removed after this long unused'),
  order: field(choice('best-effort', 'fifo'), 'the order its takers rely on'),
  tenant: owner,
  wireName,
  accept,
  note,
});

const headersCondition = object({
  match: field(choice('all', 'any'), 'all: every value; any: at least one'),
  values: field(
    { ...mapOf(constant(), 'parameter'), names: 'a header' },
    'header values; null asks only that the header is there',
  ),
});

const binding = object({
  from: field(address('an exchange'), 'the exchange', { required: true }),
  to: field(address('a queue or exchange'), 'where what matches goes', { required: true }),
  key: field(shortText('a binding key'), 'exact on direct exchanges, a pattern on topic exchanges'),
  headers: field(headersCondition, 'the condition on a headers exchange'),
  accept,
  note,
});

const alias = object({
  to: field(address('an entry'), 'what it stands for', { required: true }),
  over: field(id('a link'), 'the link to travel, where that is on another broker'),
  accept,
  note,
});

const topic = object({
  order: field(choice('best-effort', 'fifo'), 'whether order within a group is kept'),
  dedupe: field(duration(), 'how long repeats of a message are recognised'),
  divides,
  tenant: owner,
  wireName,
  accept,
  note,
});

const hostedQueue = object({
  order: field(choice('best-effort', 'fifo'), 'whether order within a group is kept'),
  lease: field(duration(), 'how long a taken message stays hidden before it is offered again'),
  ttl: field(duration(), 'how long a message may wait'),
  delay: field(duration(), 'how long a new message stays hidden'),
  deadLetter: field(deadLetter, 'where given-up messages go'),
  maxDeliveries: field(integer(1), 'how often a message is tried'),
  tenant: owner,
  wireName,
  accept,
  note,
});

const subscription = object({
  topic: field(address('a topic'), 'the topic it subscribes to', { required: true }),
  to: field(address('a queue'), 'the queue it hands to; without one it holds its own backlog'),
  filter: field(filter, 'which messages it admits; none admits everything'),
  wrap: field(flag(), 'the topic puts its own envelope round the body'),
  order: field(choice('best-effort', 'fifo'), 'whether order within a group is kept'),
  lease: field(duration(), 'how long a taken message stays hidden before it is offered again'),
  ttl: field(duration(), 'how long a message may wait'),
  maxDeliveries: field(integer(1), 'how often a message is tried'),
  deadLetter: field(deadLetter, 'where given-up messages go'),
  tenant: owner,
  wireName,
  accept,
  note,
});

const brokerCommon = {
  tenant: field(id('a tenant'), 'who owns it, where it is not the topology’s tenant'),
  access: field(choice('controlled', 'open'), 'controlled: what no statement allows is refused'),
  transit: field(choice('encrypted', 'plain'), 'how messages travel to and from it'),
  rest: field(choice('encrypted', 'plain'), 'how messages are stored'),
  clears: labels('data labels that may pass through it'),
  accept,
  note,
};

const amqpBroker = object(
  {
    kind: field(choice('amqp', 'pubsub'), 'amqp or pubsub'),
    ...brokerCommon,
    mqtt: field(
      object({
        exchange: field(address('an exchange'), 'the exchange MQTT publishes enter', { required: true }),
      }),
      'what MQTT publishers and takers meet',
    ),
    exchanges: field(mapOf(exchange, 'resource'), 'AMQP 0-9-1 exchanges'),
    queues: field(mapOf(amqpQueue, 'resource'), 'AMQP 0-9-1 queues'),
    bindings: field(list(binding, { adds: true }), 'bindings from exchanges to queues or exchanges'),
    aliases: field(mapOf(alias, 'resource'), 'other names for entries'),
  },
  { adds: true },
);

const pubsubBroker = object(
  {
    kind: field(choice('amqp', 'pubsub'), 'amqp or pubsub'),
    ...brokerCommon,
    topics: field(mapOf(topic, 'resource'), 'named publish points'),
    queues: field(mapOf(hostedQueue, 'resource'), 'queues'),
    subscriptions: field(mapOf(subscription, 'resource'), 'named copies of what topics receive'),
    aliases: field(mapOf(alias, 'resource'), 'other names for entries'),
  },
  { adds: true },
);

const farEnd = object({
  from: field(address('a queue'), 'the queue whose messages the far end expects'),
  keys: field(
    list(shortText('a key pattern'), { orOne: true }),
    'decided where the link begins, so not here',
  ),
  batch: field(integer(1), 'decided where the link begins, so not here'),
});

const link = object({
  from: field(address('a queue'), 'the queue it takes from', { required: true }),
  to: field(address('an entry'), 'where it publishes, on another broker', { required: true }),
  keys: field(list(shortText('a key pattern'), { orOne: true }), 'only keys that match one of these travel'),
  batch: field(integer(1), 'messages carried at a time'),
  active: field(flag(), 'whether it runs'),
  latency: field(duration(), 'how long the way takes'),
  receives: field(farEnd, 'what is set at the far end, where that is set up apart'),
  accept,
  note,
});

const spread = object({
  members: field(list(address('a queue')), 'the queues it stands for', { required: true }),
  choose: field(choice('rotate', 'nearest', 'weighted'), 'how a message picks one'),
  weights: field(list(number()), 'one weight for each member, with `weighted`'),
  accept,
  note,
});

const ACTIONS = ['publish', 'consume', 'browse', 'declare', 'bind', 'subscribe'] as const;

const statement = object({
  name: field(text('a name'), 'what to call this statement'),
  allow: field(list(choice(...ACTIONS), { orOne: true }), 'the actions it allows'),
  deny: field(list(choice(...ACTIONS), { orOne: true }), 'the actions it denies; deny wins'),
  who: field(
    list(named('app:x, tenant:x, broker:x, topic:broker/x, link:x or any'), { orOne: true }),
    'whom it speaks of: app:x, tenant:x, broker:x, topic:broker/x, link:x or any',
    { required: true },
  ),
  on: field(
    list(address('a resource'), { orOne: true }),
    'addresses; * stands for anything inside one segment',
    {
      required: true,
    },
  ),
  when: field(
    object({
      source: field(address('an entry or store'), 'only for messages that come from here'),
      tenant: field(id('a tenant'), 'only for a caller of this tenant'),
      encrypted: field(flag(), 'only over an encrypted (or, with false, a plain) connection'),
      key: field(shortText('a key pattern'), 'only for keys that match'),
    }),
    'narrows the statement',
  ),
  accept,
  note,
});

const expectation = object({
  name: field(text('a name'), 'the promise in words', { required: true }),
  given: field(
    object({
      message: field(id('a message type'), 'messages of this type'),
      label: field(named('a data label'), 'messages that carry this label'),
      from: field(named('app:x'), 'only as this app publishes them'),
      key: field(shortText('a routing key'), 'with this key'),
      headers: field(jsonMap(), 'with these headers'),
      properties: field(jsonMap(), 'with these properties'),
      body: field(json(), 'with this payload'),
    }),
    'the messages it speaks of',
    { required: true },
  ),
  reaches: field(list(named('the address of a store, or app:x'), { orOne: true }), 'where they must arrive'),
  only: field(flag(), 'and nowhere else'),
  never: field(
    list(named('an address, app:x, tenant:x or broker:x'), { orOne: true }),
    'where they must never arrive',
  ),
  copies: field(integer(0), 'how many copies there must be in all'),
  within: field(duration(), 'how long the longest way may take'),
  note,
});

const sample = object({
  name: field(text('a name'), 'what to call it', { required: true }),
  group: field(text('a name'), 'what it is kept with'),
  message: field(id('a message type'), 'the message type it is of', { required: true }),
  from: field(id('an app'), 'the app that sends it, where several do'),
  key: field(shortText('a routing key'), 'the routing key, where it is not the one its headers give'),
  headers: field(jsonMap(), 'header values'),
  properties: field(jsonMap(), 'property values'),
  body: field(json(), 'the payload'),
  note,
});

/** The root of a topology document. */
export const document = object(
  {
    vondle: field(integer(1, 1), 'the version of this language: 1', { repeats: true }),
    topology: field(id('this topology'), 'the topology’s id', { repeats: true }),
    tenant: field(id('a tenant'), 'the default owner of everything', { repeats: true }),
    tenants: field(mapOf(tenant, 'id'), 'organisations and accounts that own things'),
    labels: field(
      mapOf(label, 'id'),
      'data labels; personal and financial are guarded unless said otherwise',
    ),
    parameters: field(mapOf(parameter, 'parameter'), 'values that differ between environments'),
    environments: field(mapOf(environment, 'id'), 'sets of parameter values'),
    messages: field(mapOf(messageType, 'id'), 'message types'),
    apps: field(mapOf(app, 'id'), 'publishers and takers'),
    brokers: field(
      mapOf(variant('kind', { amqp: amqpBroker, pubsub: pubsubBroker }), 'id'),
      'message servers',
    ),
    links: field(mapOf(link, 'id'), 'store-and-forward paths between brokers'),
    spreads: field(mapOf(spread, 'id'), 'one name for the same queue on several brokers'),
    access: field(list(statement, { adds: true }), 'who may do what to what'),
    samples: field(list(sample, { adds: true }), 'messages kept, to be followed again at every change'),
    expectations: field(list(expectation, { adds: true }), 'routing promises, proved on every revision'),
  },
  { adds: true },
);

export type DocumentDecl = Infer<typeof document>;
export type TenantDecl = Infer<typeof tenant>;
export type AcceptanceDecl = Infer<typeof acceptance>;
export type EnvironmentDecl = Infer<typeof environment>;
export type MessageTypeDecl = Infer<typeof messageType>;
export type ExampleDecl = Infer<typeof example>;
export type AppDecl = Infer<typeof app>;
export type PublishDecl = Infer<typeof publish>;
export type ConsumeDecl = Infer<typeof consume>;
export type ExchangeDecl = Infer<typeof exchange>;
export type AmqpQueueDecl = Infer<typeof amqpQueue>;
export type HostedQueueDecl = Infer<typeof hostedQueue>;
export type BindingDecl = Infer<typeof binding>;
export type AliasDecl = Infer<typeof alias>;
export type TopicDecl = Infer<typeof topic>;
export type SubscriptionDecl = Infer<typeof subscription>;
export type DeadLetterDecl = Infer<typeof deadLetter>;
export type AmqpBrokerDecl = Infer<typeof amqpBroker> & { readonly variant: 'amqp' };
export type PubsubBrokerDecl = Infer<typeof pubsubBroker> & { readonly variant: 'pubsub' };
export type BrokerDecl = AmqpBrokerDecl | PubsubBrokerDecl;
export type LinkDecl = Infer<typeof link>;
export type SpreadDecl = Infer<typeof spread>;
export type StatementDecl = Infer<typeof statement>;
export type ExpectationDecl = Infer<typeof expectation>;
export type SampleDecl = Infer<typeof sample>;
export type Action = (typeof ACTIONS)[number];
