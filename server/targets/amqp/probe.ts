/** Sends a real message and finds where its copies came to lie. */
import { randomUUID } from 'node:crypto';
import type { Message } from '@vondle/core';
import type { GetMessage, Options } from 'amqplib';
import type { AmqpAddresses } from './address.ts';
import { openAmqp } from './step.ts';

export interface ProbeOrder {
  /** Wire name of the exchange; '' is the unnamed one, whose key is a queue's name. */
  readonly exchange: string;
  readonly message: Message;
  /** The queues to look in. */
  readonly queues: readonly string[];
}

export interface ProbeResult {
  readonly queues: Readonly<Record<string, number>>;
  readonly returned: boolean;
  /** Queues that held more than could be looked through. */
  readonly unseen: readonly string[];
}

/** Looking through a queue takes its messages in hand for a moment; longer queues are not looked through. */
const MOST_LOOKED_AT = 2000;

/**
 * Publishes a probe as mandatory and waits for the broker's confirm, by which it lies wherever it
 * was routed. Then looks through the queues: the probe's copies are removed, everything else is
 * put back where it was.
 */
export async function sendProbe(addresses: AmqpAddresses, order: ProbeOrder): Promise<ProbeResult> {
  const connection = await openAmqp(addresses);
  try {
    const id = `vondle-probe-${randomUUID()}`;
    const channel = await connection.createConfirmChannel();
    channel.on('error', () => {});
    let returned = false;
    channel.on('return', () => (returned = true));
    const { message } = order;
    channel.publish(order.exchange, message.key, Buffer.from(JSON.stringify(message.body ?? null)), {
      ...properties(message),
      mandatory: true,
      messageId: id,
      contentType: 'application/json',
    });
    await channel.waitForConfirms();

    const queues: Record<string, number> = {};
    const unseen: string[] = [];
    for (const queue of order.queues) {
      const others: GetMessage[] = [];
      for (;;) {
        const got = await channel.get(queue, { noAck: false });
        if (!got) break;
        if (got.properties.messageId === id) {
          queues[queue] = (queues[queue] ?? 0) + 1;
          channel.ack(got);
          break;
        }
        others.push(got);
        if (others.length >= MOST_LOOKED_AT) {
          unseen.push(queue);
          break;
        }
      }
      for (const other of others.reverse()) channel.nack(other, false, true);
    }
    await channel.waitForConfirms();
    await channel.close();
    return { queues, returned, unseen };
  } finally {
    await connection.close().catch(() => {});
  }
}

function properties(message: Message): Options.Publish {
  const { type, priority, correlationId } = message.properties;
  return {
    headers: { ...message.headers },
    ...(type === undefined ? {} : { type: String(type) }),
    ...(typeof priority === 'number' ? { priority } : {}),
    ...(correlationId === undefined ? {} : { correlationId: String(correlationId) }),
  };
}
