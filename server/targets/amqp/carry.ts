/** Carries the messages of a queue over to another, in their order, none taken before the broker has it again. */
import { createHash, randomUUID } from 'node:crypto';
import type { ChannelModel, ConfirmChannel, ConsumeMessage, Options } from 'amqplib';
import { within } from './broker.ts';
import { OUR_PREFIX } from './names.ts';
import { BrokerTrouble, brokerTrouble } from './trouble.ts';

/** A channel that does not close in this time is left to go with its connection. */
const CLOSE_MS = 1000;
/** So many are on their way at once, and about so many bytes. */
export const AT_ONCE = 500;
const BYTES_AT_ONCE = 32 * 1024 * 1024;
/** So many where it is not known how large they are. */
export const UNSEEN_AT_ONCE = 8;

/** @param bytes how large a message is @returns how many such are on their way at once; at least 1 */
export const roomFor = (bytes: number): number =>
  Math.min(AT_ONCE, Math.max(1, Math.floor(BYTES_AT_ONCE / Math.max(1, bytes))));

/** How the names of all that keeps messages begin. */
export const KEPT = `${OUR_PREFIX}kept.`;

/** @returns what keeps a queue's messages while the queue is replaced: the same name whoever asks */
export const keptFor = (queue: string): string =>
  KEPT + createHash('sha256').update(queue).digest('hex').slice(0, 32);

/** What a way of messages is told of: a channel of its own that is given up when nothing moves on it. */
export interface Lane {
  readonly channel: ConfirmChannel;
  /** Says that something moved. */
  alive(): void;
  readonly stopped: { readonly yet: boolean };
  /** @throws BrokerTrouble when the channel fails before the work is done */
  during<T>(work: Promise<T>): Promise<T>;
  close(): Promise<void>;
}

/**
 * @param silentMs how long nothing may move
 * @param signal ends it at once
 * @throws BrokerTrouble
 */
export async function openLane(
  connection: ChannelModel,
  silentMs: number,
  signal: AbortSignal,
): Promise<Lane> {
  if (signal.aborted) throw new BrokerTrouble('gone');
  const channel = await within(connection.createConfirmChannel(), silentMs).catch((error: unknown) => {
    throw brokerTrouble(error);
  });
  let fail: (error: unknown) => void = () => {};
  const failed = new Promise<never>((_, reject) => (fail = reject));
  channel.on('error', (error: unknown) => fail(error));
  channel.on('close', () => fail(new BrokerTrouble('gone')));
  // the queue it goes to went: the broker tells before it confirms
  channel.on('return', () =>
    fail(new BrokerTrouble('refused', '', 'there is no queue any more to carry messages to')),
  );
  const stopped = { yet: false };
  failed.catch(() => (stopped.yet = true));
  // a connection that is cut says nothing any more
  const cutOff = () => fail(new BrokerTrouble('gone'));
  signal.addEventListener('abort', cutOff);
  let last = performance.now();
  let busy = 0;
  const watch = setInterval(
    () => {
      if (busy && performance.now() - last > silentMs) fail(new BrokerTrouble('slow'));
    },
    Math.min(1000, silentMs),
  );
  return {
    channel,
    stopped,
    alive: () => (last = performance.now()),
    async during(work) {
      busy++;
      last = performance.now();
      try {
        return await Promise.race([failed, work]);
      } catch (error) {
        stopped.yet = true;
        throw brokerTrouble(error);
      } finally {
        busy--;
      }
    },
    async close() {
      stopped.yet = true;
      clearInterval(watch);
      signal.removeEventListener('abort', cutOff);
      // nobody answers on a connection that is cut, and on others perhaps
      if (!signal.aborted) await within((async () => channel.close())(), CLOSE_MS).catch(() => {});
    },
  };
}

/**
 * Moves what waits in one queue to another, as at least once: each is published with its own key and confirmed before it
 * is acknowledged. What others have in hand is not moved.
 * @param silentMs how long nothing may move
 * @param signal ends it at once
 * @param atOnce how many may be on their way at once; see {@link roomFor}
 * @returns how many were moved
 * @throws BrokerTrouble; what was not moved is where it was, and what was is in the other
 */
export async function carryOver(
  connection: ChannelModel,
  from: string,
  to: string,
  silentMs: number,
  signal: AbortSignal,
  atOnce: number,
): Promise<number> {
  const lane = await openLane(connection, silentMs, signal);
  const { channel } = lane;
  // a fanout exchange of our own leaves each message the key it came with
  const through = `${keptFor(to)}.through`;
  try {
    return await lane.during(
      (async () => {
        let moved = 0;
        await channel.assertExchange(through, 'fanout', { durable: true, autoDelete: true });
        await channel.bindQueue(to, through, '');
        for (;;) {
          const taking = await takeSome(lane, from, through, atOnce);
          if (!taking) break;
          moved += taking;
        }
        await channel.unbindQueue(to, through, '');
        return moved;
      })(),
    );
  } finally {
    await lane.close();
  }
}

/**
 * Copies what waits in a queue without taking it: all copied messages stay in hand, unacknowledged, until the
 * lane is closed, which puts them back where they were; or until the queue is removed, and they with it.
 */
export class Copies {
  private skipped = 0;
  /** How many are in hand. */
  count = 0;
  /** How large the largest of them is. */
  largest = 0;
  private readonly refused: number[] = [];
  private readonly after: number[] = [];

  /**
   * @param through a fanout exchange that leads to where the copies go
   * @param skip how many of the first are already there
   * @param change what a message is published with
   * @param first how many may be on their way before it is seen how large they are
   */
  constructor(
    private readonly lane: Lane,
    private readonly from: string,
    private readonly through: string,
    private readonly skip: number,
    private readonly change: (properties: Options.Publish) => Options.Publish,
    private readonly first: number,
  ) {}

  /** How many may be on their way. */
  get atOnce(): number {
    return this.largest ? roomFor(this.largest) : this.first;
  }

  /** Copies until nothing waits any more. @throws BrokerTrouble */
  async all(): Promise<void> {
    await this.lane.during(
      (async () => {
        while (await takeSome(this.lane, this.from, this.through, this.atOnce, this));
      })(),
    );
  }

  /** @returns what the next one in hand is published with; undefined where it is not */
  next(message: ConsumeMessage): Options.Publish | undefined {
    this.count++;
    this.largest = Math.max(this.largest, message.content.byteLength, 1);
    return this.skipped < this.skip ? void this.skipped++ : this.change(propertiesOf(message));
  }

  /** Notes whether the broker took a copy. */
  answered(tag: number, taken: boolean): void {
    if (!taken) this.refused.push(tag);
    else if (this.refused.length) this.after.push(tag);
  }

  /** Takes what was copied, and leaves what the broker refused. */
  takeCopied(): void {
    const { channel } = this.lane;
    const acknowledge = (deliveryTag: number, upTo: boolean) =>
      channel.ack({ fields: { deliveryTag } } as ConsumeMessage, upTo);
    const first = Math.min(...this.refused);
    // confirms may come in any order: each that was taken is known apart only from the first refusal on
    if (first > 1) acknowledge(first - 1, true);
    for (const tag of this.after) if (tag > first) acknowledge(tag, false);
  }
}

/**
 * Takes messages, and ends when all of them were confirmed: all that are there, which are acknowledged, or some of them
 * for copies, for which they stay in hand.
 * @param atOnce how many may be on their way
 * @returns how many; 0 where none waits
 */
async function takeSome(
  { channel, stopped, alive }: Lane,
  from: string,
  through: string,
  atOnce: number,
  copies?: Copies,
): Promise<number> {
  const take = copies === undefined;
  const { messageCount } = await channel.checkQueue(from);
  const most = take ? messageCount : Math.min(messageCount, atOnce);
  if (most === 0) return 0;
  let [taken, done, refused] = [0, 0, false];
  let ended: () => void = () => {};
  let fail: (error: unknown) => void = () => {};
  const over = new Promise<void>((resolve, reject) => ([ended, fail] = [resolve, reject]));
  const confirmed = () => {
    alive();
    if (++done === taken && (refused || done === most)) ended();
  };
  // a taker that acknowledges nothing gets no more than this
  await channel.prefetch(Math.min(most, atOnce));
  const consumerTag = `${OUR_PREFIX}${randomUUID()}`;
  const takeOne = (message: ConsumeMessage | null) => {
    // a queue that is removed tells its takers
    if (!message) return fail(new BrokerTrouble('strange', `the queue ${from} went while it was emptied`));
    if (stopped.yet) return;
    if (taken >= most || refused) return channel.nack(message, false, true);
    taken++;
    alive();
    const properties = copies ? copies.next(message) : propertiesOf(message);
    if (!properties) return confirmed();
    const { routingKey, deliveryTag } = message.fields;
    channel.publish(through, routingKey, message.content, properties, (error) => {
      // what is not acknowledged is put back when the channel closes, which it does now
      if (stopped.yet) return;
      copies?.answered(deliveryTag, !error);
      if (error) refused = true;
      else if (take) channel.ack(message);
      confirmed();
    });
  };
  await channel.consume(from, takeOne, { consumerTag });
  // others may take them meanwhile: then fewer come than were there
  const look = setInterval(() => {
    if (stopped.yet) return fail(new BrokerTrouble('gone'));
    channel.checkQueue(from).then(({ messageCount: left }) => {
      alive();
      if (left === 0 && done === taken) ended();
    }, fail);
  }, 200);
  try {
    await over;
  } finally {
    clearInterval(look);
    // a taker whose hands are full gets nothing more; one that goes may take its queue along (auto-delete)
    if (take || done < most) await channel.cancel(consumerTag).catch(() => {});
  }
  // what came before it was cancelled is confirmed too
  while (done < taken && !stopped.yet) await channel.waitForConfirms().catch(() => {});
  if (refused)
    throw new BrokerTrouble(
      'refused',
      '',
      `the broker did not take a message of ${from} again; it stays there`,
    );
  return done;
}

/** All that a message came with but for the user it was published by, which the broker holds against ours. */
export function propertiesOf({ properties }: Pick<ConsumeMessage, 'properties'>): Options.Publish {
  const { contentType, contentEncoding, headers, deliveryMode, priority, correlationId, replyTo } =
    properties;
  const { expiration, messageId, timestamp, type, appId } = properties;
  return {
    contentType: contentType as string | undefined,
    contentEncoding: contentEncoding as string | undefined,
    headers,
    deliveryMode: deliveryMode as number | undefined,
    priority: priority as number | undefined,
    correlationId: correlationId as string | undefined,
    replyTo: replyTo as string | undefined,
    expiration: expiration as string | undefined,
    messageId: messageId as string | undefined,
    timestamp: timestamp as number | undefined,
    type: type as string | undefined,
    appId: appId as string | undefined,
    mandatory: true,
  };
}
