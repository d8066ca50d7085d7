/**
 * What people who come from other systems are used to writing, and what it is here. General words only: what
 * a setting does, not what any one system calls it.
 */

const ELSEWHERE: Readonly<Record<string, string>> = {
  lease: 'visibility invisible hidden hide lock locktime lockduration taketimeout timeout',
  ttl: 'timetolive expiry expiration expire retention retain maxage age lifetime',
  expires: 'idle idletimeout deleteafter unusedfor',
  delay: 'postpone defer delayed deliverydelay initialdelay',
  maxDeliveries:
    'retries retry attempts maxattempts maxretries redeliveries tries deliveries deliverylimit deliverycount maxdeliverycount',
  deadLetter: 'dlq deadletters deadletterqueue poison poisonqueue rejected errorqueue givenup',
  maxLength: 'limit capacity length maxmessages maxsize depth maxdepth',
  maxBytes: 'bytes sizelimit maxlengthbytes',
  maxPriority: 'priority priorities prioritylevels',
  overflow: 'whenfull onfull full overflowpolicy',
  order: 'fifo ordered ordering sequence sequencing',
  dedupe: 'deduplication deduplicate dedup idempotent duplicates',
  durable: 'persistent persisted permanent',
  persistent: 'durable persisted deliverymode',
  autoDelete: 'temporary transient autoremove',
  exclusive: 'private single',
  wireName: 'physicalname realname brokername queuename exchangename topicname externalname name named',
  unroutedTo: 'alternate alternative fallback unrouted unroutable catchall',
  key: 'routingkey bindingkey pattern routing subject topickey',
  from: 'source exchange queue subscription store origin',
  to: 'destination target queue exchange address endpoint topic',
  over: 'via through link bridge',
  via: 'protocol transport',
  filter: 'selector condition rule rules where expression filters when',
  wrap: 'envelope wrapped enveloped',
  wrapped: 'envelope wrap enveloped',
  topic: 'source from channel',
  publishes: 'producers producer produces sends send outputs emits writes outgoing publish publishers',
  consumes: 'consumers consumer subscribes receives inputs reads takes incoming listens consume takers',
  instances: 'replicas count copies processes scale parallelism',
  each: 'delivery mode sharing competing broadcast',
  ack: 'acknowledge acknowledgement acknowledgements acks autoack ackmode',
  prefetch: 'concurrency window inflight batch credit qos',
  takes: 'duration processingtime worktime latency handles',
  expects: 'types messages events accepts',
  message: 'type event messagetype eventtype payload',
  extends: 'parent inherits base basedon includes supertype',
  body: 'payload schema content data value',
  headers: 'attributes metadata arguments applicationproperties userproperties',
  required: 'mandatory musthave',
  mustArrive: 'critical important guaranteed reliable',
  labels: 'tags classification classes categories sensitivity',
  examples: 'samples example sample',
  messages: 'events messagetypes types schemas contracts',
  apps: 'applications services clients components systems application service',
  brokers: 'servers hosts clusters namespaces broker server',
  exchanges: 'exchange routers',
  queues: 'queue channels',
  topics: 'topic channels',
  subscriptions: 'subscription subscribers subs',
  bindings: 'binding routes bind rules',
  links: 'bridges bridge forwarders forwarding link routes replication',
  spreads: 'pools pool groups shards sharding balancers partitions',
  members: 'queues targets nodes',
  choose: 'strategy policy balance algorithm mode',
  access: 'permissions acl acls policies policy grants authorization rights',
  allow: 'permit grant actions action can permissions',
  deny: 'forbid refuse block revoke',
  who: 'principal principals user users identity role account subject',
  on: 'resource resources object target address',
  when: 'if conditions condition where unless',
  expectations: 'tests promises assertions guarantees rules invariants',
  given: 'for message input send',
  reaches: 'arrives goesto delivers arrivesat to expect',
  never: 'not neverreaches forbidden excludes',
  within: 'timeout latency maxlatency deadline',
  parameters: 'variables vars params settings constants',
  environments: 'stages profiles env envs deployments',
  values: 'variables parameters vars overrides',
  default: 'value initial',
  protected: 'approval locked production guarded',
  clears: 'clearance mayreceive allowedlabels',
  tenants: 'organisations organizations accounts owners teams customers',
  tenant: 'owner organisation organization account team customer',
  note: 'description comment comments doc docs summary remark',
  transit: 'tls encryption ssl secure',
  rest: 'storageencryption atrest storage',
  home: 'broker connectsto site location region',
  latency: 'delay lag',
  active: 'enabled running on',
  because: 'reason why note comment',
};

const plain = (word: string): string => word.toLowerCase().replace(/[^a-z0-9]/g, '');

const OURS = new Map<string, string[]>();
for (const [ours, theirs] of Object.entries(ELSEWHERE))
  for (const word of theirs.split(' ')) OURS.set(word, [...(OURS.get(word) ?? []), ours]);

/**
 * @param word a key that means nothing where it stands
 * @param known the keys that mean something there
 * @returns the key that a word known from elsewhere is here; undefined for one that is not on the list
 */
export const oursFor = (word: string, known: readonly string[]): string | undefined =>
  OURS.get(plain(word))?.find((ours) => known.includes(ours));
