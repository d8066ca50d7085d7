/** Reads what a broker has, through its HTTP API. Large answers: to be done on a thread. */
import type { Arguments, Inventory, WireQueue } from '@vondle/core/analysis';
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
}

interface HttpQueue {
  name: string;
  durable: boolean;
  auto_delete: boolean;
  exclusive: boolean;
  arguments: Arguments;
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
  const [exchanges, queues, bindings] = await Promise.all([
    list<HttpExchange>('exchanges'),
    list<HttpQueue>('queues'),
    list<HttpBinding>('bindings'),
  ]);
  // who carries links is no taker that anybody would miss
  const carriers = new Map<string, number>();
  if (queues.some(({ consumers = 0 }) => consumers > 0))
    for (const { queue, consumer_tag } of await list<HttpConsumer>('consumers'))
      if (consumer_tag.startsWith(LINK_TAG)) carriers.set(queue.name, (carriers.get(queue.name) ?? 0) + 1);
  const theirs = (name: string) => !name.startsWith(OUR_PREFIX);
  return {
    exchanges: exchanges
      .filter(({ name }) => theirs(name))
      .map(({ name, type, durable, auto_delete, internal, arguments: terms }) => ({
        name,
        type,
        durable,
        autoDelete: auto_delete,
        internal,
        arguments: terms,
      })),
    queues: queues.filter(({ name }) => theirs(name)).map((each) => queueOf(each, carriers.get(each.name))),
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

/** @param carriers consumers of it that carry links */
function queueOf(
  { name, durable, auto_delete, exclusive, arguments: terms, ...queue }: HttpQueue,
  carriers = 0,
): WireQueue {
  return {
    name,
    durable,
    autoDelete: auto_delete,
    exclusive,
    // the broker says of every queue what kind it is; only what was asked for is compared
    arguments: terms,
    messages: queue.messages ?? 0,
    ready: queue.messages_ready ?? queue.messages ?? 0,
    takers: Math.max(0, (queue.consumers ?? 0) - carriers),
    ...(queue.effective_policy_definition && Object.keys(queue.effective_policy_definition).length
      ? { policy: queue.effective_policy_definition as Arguments }
      : {}),
  };
}

/** @returns one queue as it is at this moment; undefined where there is none. */
export async function readQueue(broker: AmqpBroker, name: string): Promise<WireQueue | undefined> {
  const found = await broker.ask<HttpQueue>(broker.path('queues', name));
  const ours = found?.consumer_details?.filter(({ consumer_tag }) => consumer_tag.startsWith(LINK_TAG));
  return found && queueOf(found, ours?.length);
}

/** @returns one exchange as it is at this moment; undefined where there is none. */
export async function readExchange(broker: AmqpBroker, name: string) {
  const found = await broker.ask<HttpExchange>(broker.path('exchanges', name));
  if (!found) return undefined;
  const { type, durable, auto_delete, internal, arguments: terms } = found;
  return { name, type, durable, autoDelete: auto_delete, internal, arguments: terms };
}

/** The HTTP API tells a void value (AMQP 0-9-1 §4.2.5.5) as the text `undefined`. */
function withVoids(terms: Arguments): Arguments {
  if (!Object.hasOwn(terms, 'x-match')) return terms;
  return Object.fromEntries(
    Object.entries(terms).map(([name, value]) => [name, value === 'undefined' ? null : value]),
  );
}
