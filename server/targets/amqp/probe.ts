/**
 * Sends a real message and sees where its copies go, without taking any: beside each queue it may come
 * to, a queue of our own is bound in just the same way, and what comes there is what comes to the other.
 */
import { randomUUID } from 'node:crypto';
import type { Message } from '@vondle/core/conditions';
import type { WireBinding } from '@vondle/core/analysis';
import type { Options } from 'amqplib';
import { end, within, type AmqpBroker } from './broker.ts';
import { OUR_PREFIX } from './names.ts';
import { brokerTrouble } from './trouble.ts';

export interface ProbeOrder {
  /** Wire name of the exchange; '' is the unnamed one, whose key is a queue's name. */
  readonly exchange: string;
  readonly message: Message;
  /** The queues to look beside, each with the bindings it has. */
  readonly beside: readonly { readonly queue: string; readonly bindings: readonly WireBinding[] }[];
  /** After how many milliseconds its copies go by themselves; undefined where they would be dead letters then. */
  readonly expires?: number;
}

export interface ProbeResult {
  /** Copies by queue. */
  readonly queues: ReadonlyMap<string, number>;
  /** No queue wanted it: the broker sent it back (AMQP 0-9-1 §1.8.3.9, basic.return). */
  readonly returned: boolean;
  /** A queue that is full refused it (basic.nack). */
  readonly refused: boolean;
}

/** All of a probe, from the first queue of ours to its answer. */
const PROBE_MS = 30_000;

/**
 * Publishes a probe as mandatory and waits for the broker's confirm, by which it lies wherever it was
 * routed. The queues of our own are exclusive: they go with the connection, whatever ends it.
 * @throws BrokerTrouble
 */
export async function sendProbe(broker: AmqpBroker, order: ProbeOrder): Promise<ProbeResult> {
  const connection = await broker.connect();
  try {
    return await within(
      (async () => {
        const channel = await connection.createConfirmChannel();
        channel.on('error', () => {});
        const id = `vondle-probe-${randomUUID()}`;
        const ours = new Map<string, string>();
        for (const [i, { queue, bindings }] of order.beside.entries()) {
          const name = `${OUR_PREFIX}probe.${id}.${i}`;
          await channel.assertQueue(name, {
            exclusive: true,
            durable: false,
            arguments: { 'x-expires': 2 * PROBE_MS },
          });
          for (const { source, key, arguments: terms } of bindings)
            await channel.bindQueue(name, source, key, terms);
          ours.set(queue, name);
        }
        let returned = false;
        channel.on('return', () => (returned = true));
        const { message } = order;
        channel.publish(order.exchange, message.key, Buffer.from(JSON.stringify(message.body ?? null)), {
          ...properties(message),
          mandatory: true,
          messageId: id,
          contentType: 'application/json',
          ...(order.expires === undefined ? {} : { expiration: order.expires }),
        });
        const refused = await channel.waitForConfirms().then(
          () => false,
          (error: unknown) => {
            if (/nacked/.test(String(error))) return true;
            throw error;
          },
        );
        const queues = new Map<string, number>();
        if (order.exchange === '') {
          // by the protocol, what is published there and neither sent back nor refused lies in the queue of that name
          queues.set(message.key, returned || refused ? 0 : 1);
        }
        for (const [queue, name] of ours) {
          let copies = 0;
          for (;;) {
            const got = await channel.get(name, { noAck: true });
            if (!got) break;
            if (got.properties.messageId === id) copies++;
          }
          if (copies) queues.set(queue, copies);
        }
        return { queues, returned, refused };
      })(),
      PROBE_MS,
    );
  } catch (error) {
    throw brokerTrouble(error);
  } finally {
    await end(connection);
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
