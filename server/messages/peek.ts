/** Looks at the messages of a store. None is taken: what is looked at stays where it was. */
import type { Channel, ConsumeMessage, GetMessage } from 'amqplib';
import { cut, end, within, type AmqpBroker } from '../targets/amqp/broker.ts';
import { readQueue } from '../targets/amqp/inventory.ts';
import { AmqpTarget } from '../targets/amqp/target.ts';
import { BrokerTrouble, brokerTrouble } from '../targets/amqp/trouble.ts';
import type { HostedService, Lying } from '../targets/hosted/service.ts';
import { HostedTarget } from '../targets/hosted/target.ts';
import type { Reached } from '../targets/reached.ts';

/** How long looking may take: longer it shall not keep messages from those who take them. */
const PEEK_MS = 10_000;
/** No more are looked at once so much was read. */
export const MOST_BYTES = 16 * 1024 * 1024;

/** So many that somebody has in hand are passed over for one that may be taken. */
const MOST_PASSED = 100;

export interface Death {
  readonly why: string;
  readonly at: string;
  readonly count: number;
  readonly when: string | null;
}

/** A message as a broker has it. */
export interface Peeked {
  readonly key: string;
  readonly exchange: string;
  readonly headers: Readonly<Record<string, unknown>>;
  readonly properties: Readonly<Record<string, unknown>>;
  /** Its bytes; what is not bytes there is a value. */
  readonly body: { readonly bytes: Uint8Array } | { readonly value: unknown };
  /** The name of whoever sent it, where the broker vouches for that. */
  readonly sentBy?: string;
  readonly tries: number | null;
  readonly arrivedAt: string | null;
  readonly inHand: boolean;
  readonly deaths: readonly Death[];
}

export interface Looked {
  readonly messages: readonly Peeked[];
  readonly waiting: number;
  /** What looking does there, in words. */
  readonly said: string;
}

/** @throws BrokerTrouble; `refused` where looking would do something to the messages */
export function peek(reached: Reached, store: string, most: number): Promise<Looked> {
  if (reached instanceof AmqpTarget) return peekAmqp(reached.broker, store, most);
  if (reached instanceof HostedTarget) return peekHosted(reached.service, store, most);
  throw new BrokerTrouble('strange', 'nothing can be looked at there');
}

async function peekAmqp(broker: AmqpBroker, store: string, most: number): Promise<Looked> {
  const queue = await readQueue(broker, store);
  if (!queue) throw new BrokerTrouble('refused', '', `there is no queue ${store} on the broker`);
  const type = queue.arguments['x-queue-type'];
  if (type === 'stream')
    throw new BrokerTrouble('refused', '', `${store} is a stream: what is in it cannot be looked at here`);
  if (queue.arguments['x-delivery-limit'] !== undefined || queue.policy?.['delivery-limit'] !== undefined)
    throw new BrokerTrouble(
      'refused',
      '',
      `${store} counts how often a message was handed out, and gives it up after too often: each look would count`,
    );
  if (queue.exclusive)
    throw new BrokerTrouble(
      'refused',
      '',
      `${store} is exclusive: only the connection that made it may look into it`,
    );
  return briefly(broker, 'vondle look', async (channel) => {
    const got: GetMessage[] = [];
    let waiting = 0;
    let bytes = 0;
    while (got.length < most && bytes < MOST_BYTES) {
      const message = await channel.get(store);
      if (!message) break;
      if (got.length === 0) waiting = message.fields.messageCount + 1;
      bytes += message.content.byteLength;
      got.push(message);
    }
    return {
      waiting,
      messages: got.map((message) => peeked(message)),
      said: got.length
        ? 'Each was taken for a moment and put back in its place: the broker now marks it as redelivered. While it was looked at, nobody else could take it.'
        : 'Nothing waits here now; what takers have in hand cannot be looked at.',
    };
  });
}

/**
 * Does something on a channel of its own, which is closed then: what was acknowledged on it has come by then, and what it
 * has in hand is put back in its place (AMQP 0-9-1 §3.1.8).
 * @param name what the connection is called
 * @throws BrokerTrouble
 */
async function briefly<T>(
  broker: AmqpBroker,
  name: string,
  work: (channel: Channel) => Promise<T>,
): Promise<T> {
  const connection = await broker.connect(name);
  try {
    return await within(
      (async () => {
        const channel = await connection.createChannel();
        channel.on('error', () => {});
        const made = await work(channel);
        await channel.close();
        return made;
      })(),
      PEEK_MS,
    );
  } catch (error) {
    cut(connection);
    throw brokerTrouble(error);
  } finally {
    await end(connection);
  }
}

/**
 * Takes the oldest message of a store that nobody has in hand, for good.
 * @param tell what is made of it while it can still be put back: where this throws, it is
 * @returns what was made of it; undefined where none waits
 * @throws BrokerTrouble; where the connection goes in that moment, the broker has it or not
 */
export async function takeOldest<T>(
  reached: Reached,
  store: string,
  tell: (message: Peeked) => T,
): Promise<T | undefined> {
  if (reached instanceof HostedTarget) {
    const found = await reached.service.browse(store, MOST_PASSED);
    if (!found) throw new BrokerTrouble('refused', '', `there is no store ${store} on the broker`);
    for (const each of found) {
      if (each.inHand === 'yes') continue;
      const told = tell(lying(each));
      // whoever took it meanwhile has it
      if ((await reached.service.destroy(store, [each.id])) > 0) return told;
    }
    return undefined;
  }
  if (!(reached instanceof AmqpTarget)) throw new BrokerTrouble('strange', 'nothing can be taken there');
  if (!(await readQueue(reached.broker, store)))
    throw new BrokerTrouble('refused', '', `there is no queue ${store} on the broker`);
  return briefly(reached.broker, 'vondle take', async (channel) => {
    const message = await channel.get(store);
    if (!message) return undefined;
    const told = tell(peeked(message));
    channel.ack(message);
    return told;
  });
}

/** @returns a message of AMQP 0-9-1, with the properties that it has */
export function peeked({
  fields,
  properties,
  content,
}: Pick<ConsumeMessage | GetMessage, 'fields' | 'properties' | 'content'>): Peeked {
  const {
    headers = {},
    clusterId: _unused,
    ...others
  } = properties as unknown as Record<string, unknown> & {
    headers?: Record<string, unknown>;
  };
  const { timestamp, ...own } = Object.fromEntries(
    Object.entries(others).filter(([, value]) => value !== undefined && value !== null),
  );
  const deaths = Array.isArray(headers['x-death']) ? (headers['x-death'] as Record<string, unknown>[]) : [];
  const count = headers['x-delivery-count'];
  return {
    key: fields.routingKey,
    exchange: fields.exchange,
    headers: Object.fromEntries(Object.entries(headers).map(([name, value]) => [name, plain(value)])),
    properties: { ...own, ...(typeof timestamp === 'number' ? { timestamp } : {}) },
    body: { bytes: content },
    // otherwise the broker only tells that it was handed out before
    tries: typeof count === 'number' ? count : null,
    arrivedAt: null,
    inHand: false,
    deaths: deaths.map((death) => ({
      why: String(death['reason'] ?? ''),
      at: String(death['queue'] ?? ''),
      count: Number(death['count'] ?? 1),
      when: timeOf(death['time']),
    })),
  };
}

/** A timestamp of a field table (AMQP 0-9-1 §4.2.5.4), which counts seconds. */
function timeOf(value: unknown): string | null {
  const seconds =
    typeof value === 'object' && value !== null && '!' in value
      ? Number((value as { value?: unknown }).value)
      : NaN;
  return Number.isFinite(seconds) ? new Date(seconds * 1000).toISOString() : null;
}

/** @returns a value of a field table as JSON has it: bytes as text, times as RFC 3339 */
function plain(value: unknown): unknown {
  if (Buffer.isBuffer(value)) return value.toString('base64');
  if (Array.isArray(value)) return value.map(plain);
  if (typeof value !== 'object' || value === null) return typeof value === 'bigint' ? Number(value) : value;
  if ('!' in value) return timeOf(value) ?? plain((value as { value?: unknown }).value);
  return Object.fromEntries(Object.entries(value).map(([name, each]) => [name, plain(each)]));
}

async function peekHosted(service: HostedService, store: string, most: number): Promise<Looked> {
  const [found, standing] = await Promise.all([service.browse(store, most), service.standing()]);
  if (!found) throw new BrokerTrouble('refused', '', `there is no store ${store} on the broker`);
  const own = standing.stores.find(({ name }) => name === store);
  return {
    waiting: (own?.waiting ?? found.length) + (own?.inHand ?? 0) + (own?.delayed ?? 0),
    said: 'The service shows them without taking any.',
    messages: found.map(lying),
  };
}

/** @returns a message that lies in a store of a publish-subscribe service */
export const lying = ({
  arrivedAt,
  sentBy,
  tries,
  inHand,
  headers,
  properties,
  body,
  died,
}: Lying): Peeked => ({
  key: '',
  exchange: '',
  headers,
  properties,
  body: { value: body },
  ...(sentBy ? { sentBy: sentBy.replace(/^app:/, '') } : {}),
  tries,
  arrivedAt,
  inHand: inHand === 'yes',
  deaths: died ? [{ why: died.because, at: died.at, count: died.tries, when: null }] : [],
});
