/** Carries the messages of a queue over to another, in their order, none taken before the broker has it again. */
import { createHash } from 'node:crypto';
import type { ChannelModel, ConfirmChannel, ConsumeMessage, Options } from 'amqplib';
import { within } from './broker.ts';
import { OUR_PREFIX } from './names.ts';
import { BrokerTrouble, brokerTrouble } from './trouble.ts';

/** A channel that does not close in this time is left to go with its connection. */
const CLOSE_MS = 1000;
/** So many are on their way at once. */
const AT_ONCE = 500;

const KEPT = `${OUR_PREFIX}kept.`;

/** @returns what keeps a queue's messages while the queue is replaced: the same name whoever asks */
export const keptFor = (queue: string): string =>
  KEPT + createHash('sha256').update(queue).digest('hex').slice(0, 32);

/**
 * Moves what waits in one queue to another, as at least once: each is published with its own key and confirmed before it
 * is acknowledged. What others have in hand is not moved.
 * @param silentMs how long nothing may move
 * @param signal ends it at once
 * @returns how many were moved
 * @throws BrokerTrouble; what was not moved is where it was, and what was is in the other
 */
export async function carryOver(
  connection: ChannelModel,
  from: string,
  to: string,
  silentMs: number,
  signal: AbortSignal,
): Promise<number> {
  if (signal.aborted) throw new BrokerTrouble('gone');
  const channel = await within(connection.createConfirmChannel(), silentMs);
  let fail: (error: unknown) => void = () => {};
  const failed = new Promise<never>((_, reject) => (fail = reject));
  channel.on('error', (error: unknown) => fail(error));
  channel.on('close', () => fail(new BrokerTrouble('gone')));
  // the queue it goes to went: the broker tells before it confirms
  channel.on('return', () => fail(new BrokerTrouble('refused', '', `there is no queue ${to} any more`)));
  const stopped = { yet: false };
  failed.catch(() => (stopped.yet = true));
  // a connection that is cut says nothing any more
  const cutOff = () => fail(new BrokerTrouble('gone'));
  signal.addEventListener('abort', cutOff);
  let last = performance.now();
  const watch = setInterval(
    () => {
      if (performance.now() - last > silentMs) fail(new BrokerTrouble('slow'));
    },
    Math.min(1000, silentMs),
  );
  // a fanout exchange of our own leaves each message the key it came with
  const through = `${keptFor(to)}.through`;
  let moved = 0;
  try {
    await Promise.race([
      failed,
      (async () => {
        await channel.assertExchange(through, 'fanout', { durable: false, autoDelete: true });
        await channel.bindQueue(to, through, '');
        await channel.prefetch(AT_ONCE);
        for (;;) {
          const { messageCount } = await channel.checkQueue(from);
          if (messageCount === 0) break;
          moved += await takeSome(
            channel,
            from,
            through,
            messageCount,
            stopped,
            () => (last = performance.now()),
          );
        }
        await channel.unbindQueue(to, through, '');
      })(),
    ]);
    return moved;
  } catch (error) {
    throw brokerTrouble(error);
  } finally {
    stopped.yet = true;
    clearInterval(watch);
    signal.removeEventListener('abort', cutOff);
    // nobody may answer any more
    await within((async () => channel.close())(), CLOSE_MS).catch(() => {});
  }
}

/** Takes so many messages at most, and ends when as many as there are were moved. */
async function takeSome(
  channel: ConfirmChannel,
  from: string,
  through: string,
  most: number,
  stopped: { readonly yet: boolean },
  alive: () => void,
): Promise<number> {
  let [taken, done] = [0, 0];
  let ended: () => void = () => {};
  let fail: (error: unknown) => void = () => {};
  const over = new Promise<void>((resolve, reject) => ([ended, fail] = [resolve, reject]));
  const { consumerTag } = await channel.consume(from, (message) => {
    if (!message) return fail(new BrokerTrouble('strange', `the queue ${from} went while it was emptied`));
    if (stopped.yet) return;
    if (taken >= most) return channel.nack(message, false, true);
    taken++;
    alive();
    channel.publish(through, message.fields.routingKey, message.content, propertiesOf(message), (error) => {
      // what is not acknowledged is put back when the channel closes, which it does now
      if (stopped.yet) return;
      if (error)
        return fail(
          new BrokerTrouble(
            'refused',
            '',
            `the broker did not take a message of ${from} again; it stays there`,
          ),
        );
      alive();
      channel.ack(message);
      if (++done === most) ended();
    });
  });
  // others may take them meanwhile: then fewer come than were there
  const look = setInterval(() => {
    if (stopped.yet) return fail(new BrokerTrouble('gone'));
    channel.checkQueue(from).then(({ messageCount }) => {
      alive();
      if (messageCount === 0 && done === taken) ended();
    }, fail);
  }, 200);
  try {
    await over;
  } finally {
    clearInterval(look);
    await channel.cancel(consumerTag).catch(() => {});
  }
  return done;
}

/** All that a message came with but for the user it was published by, which the broker holds against ours. */
export function propertiesOf({ properties }: ConsumeMessage): Options.Publish {
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
