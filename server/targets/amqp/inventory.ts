/** Reads what a broker has, through its HTTP API. Large answers: to be done on a thread. */
import type { Arguments, Inventory, WireExchange, WireQueue } from '@vondle/core/analysis';
import type { AmqpBroker } from './broker.ts';
import { LINK_TAG, OUR_PREFIX } from './names.ts';
import { BrokerTrouble } from './trouble.ts';

interface HttpExchange {
  name: string;
  type: string;
  durable: boolean;
  auto_delete: boolean;
  internal: boolean;
  arguments: Arguments;
  /** The name of the policy that applies to it. */
  policy?: string | null;
}

interface HttpPolicy {
  name: string;
  definition: Record<string, unknown>;
}

interface HttpQueue {
  name: string;
  durable: boolean;
  auto_delete: boolean;
  exclusive: boolean;
  arguments: Arguments;
  /** Its kind: classic, quorum, stream. */
  type?: string;
  messages?: number;
  messages_ready?: number;
  consumers?: number;
  /** Told of one queue, not in a list. */
  consumer_details?: { consumer_tag: string }[];
  effective_policy_definition?: Record<string, unknown>;
}

interface HttpConsumer {
  queue: { name: string };
  consumer_tag: string;
}

interface HttpBinding {
  source: string;
  destination: string;
  destination_type: 'queue' | 'exchange';
  routing_key: string;
  arguments: Arguments;
}

/** @returns the exchanges, queues and bindings of the target's virtual host, without what we put there ourselves for a moment. */
export async function readInventory(broker: AmqpBroker): Promise<Inventory> {
  const list = async <T>(what: string) => {
    const found = await broker.ask<T[]>(broker.path(what));
    if (found === undefined) throw new BrokerTrouble('not let in', 'there is no such virtual host');
    if (!Array.isArray(found)) throw new BrokerTrouble('strange', `the HTTP API answered no list of ${what}`);
    return found;
  };
  const [exchanges, queues, bindings, consumers] = await Promise.all([
    list<HttpExchange>('exchanges'),
    list<HttpQueue>('queues'),
    list<HttpBinding>('bindings'),
    // a queue's own count of them lags some seconds behind
    list<HttpConsumer>('consumers'),
  ]);
  const takers = new Map<string, number>();
  for (const { queue, consumer_tag } of consumers)
    if (isTaker(consumer_tag)) takers.set(queue.name, (takers.get(queue.name) ?? 0) + 1);
  const theirs = (name: string) => !name.startsWith(OUR_PREFIX);
  const policies = exchanges.some(({ policy }) => policy) ? await policiesOf(broker) : new Map();
  return {
    exchanges: exchanges.filter(({ name }) => theirs(name)).map((each) => exchangeOf(each, policies)),
    queues: queues
      .filter(({ name }) => theirs(name))
      .map((each) => queueOf(each, takers.get(each.name) ?? 0)),
    passing: queues.flatMap(({ name }) => (theirs(name) ? [] : [name])),
    bindings: bindings
      // every queue is bound to the unnamed exchange by the protocol itself (§3.1.3.1)
      .filter(({ source, destination }) => source !== '' && theirs(source) && theirs(destination))
      .map(({ source, destination, destination_type, routing_key, arguments: terms }) => ({
        source,
        destination,
        to: destination_type,
        key: routing_key,
        arguments: withVoids(terms),
      })),
  };
}

/** @returns the settings of each policy; none where the target's user may not see them */
async function policiesOf(broker: AmqpBroker): Promise<ReadonlyMap<string, Arguments>> {
  const found = await broker.ask<HttpPolicy[]>(broker.path('policies')).catch((error: unknown) => {
    if (error instanceof BrokerTrouble && error.kind === 'not let in') return [];
    throw error;
  });
  return new Map((found ?? []).map(({ name, definition }) => [name, definition as Arguments]));
}

function exchangeOf(
  { name, type, durable, auto_delete, internal, arguments: terms, policy }: HttpExchange,
  policies: ReadonlyMap<string, Arguments>,
): WireExchange {
  return {
    name,
    type,
    durable,
    autoDelete: auto_delete,
    internal,
    arguments: terms,
    // one whose settings cannot be seen is told by its name
    ...(policy ? { policy: policies.get(policy) ?? { policy } } : {}),
  };
}

/** Who carries a link, or messages of a queue that is replaced, is no taker that anybody would miss. */
const isTaker = (tag: string) => !tag.startsWith(LINK_TAG) && !tag.startsWith(OUR_PREFIX);

function queueOf(
  { name, durable, auto_delete, exclusive, arguments: terms, ...queue }: HttpQueue,
  takers: number,
): WireQueue {
  return {
    name,
    durable,
    autoDelete: auto_delete,
    exclusive,
    // the broker says of every queue what kind it is; only what was asked for is compared
    arguments: terms,
    ...(queue.type && queue.type !== 'classic' ? { kind: queue.type } : {}),
    messages: queue.messages ?? 0,
    ready: queue.messages_ready ?? queue.messages ?? 0,
    takers,
    ...(queue.effective_policy_definition && Object.keys(queue.effective_policy_definition).length
      ? { policy: queue.effective_policy_definition as Arguments }
      : {}),
  };
}

/** @returns one queue as it is at this moment; undefined where there is none. */
export async function readQueue(broker: AmqpBroker, name: string): Promise<WireQueue | undefined> {
  const found = await broker.ask<HttpQueue>(broker.path('queues', name));
  if (!found) return undefined;
  const { consumer_details: details, consumers = 0 } = found;
  return queueOf(
    found,
    details ? details.filter(({ consumer_tag }) => isTaker(consumer_tag)).length : consumers,
  );
}

/** @returns one exchange as it is at this moment; undefined where there is none. */
export async function readExchange(broker: AmqpBroker, name: string): Promise<WireExchange | undefined> {
  const found = await broker.ask<HttpExchange>(broker.path('exchanges', name));
  if (!found) return undefined;
  return exchangeOf(found, found.policy ? await policiesOf(broker) : new Map());
}

/** The HTTP API tells a void value (AMQP 0-9-1 §4.2.5.5) as the text `undefined`. @returns arguments of a binding as they are */
export function withVoids(terms: Arguments): Arguments {
  if (!Object.hasOwn(terms, 'x-match')) return terms;
  return Object.fromEntries(
    Object.entries(terms).map(([name, value]) => [name, value === 'undefined' ? null : value]),
  );
}
