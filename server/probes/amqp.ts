/**
 * Probes of an AMQP 0-9-1 broker, which see where a real message's copies go without taking any: beside each queue it
 * may come to, a queue of our own is bound in just the same way, and what comes there is what comes to the other.
 */
import type { Message } from '@vondle/core/conditions';
import type { WireBinding } from '@vondle/core/analysis';
import type { ChannelModel, ConfirmChannel, Options } from 'amqplib';
import { connectAsync } from 'mqtt';
import { cut, end, within, type AmqpBroker } from '../targets/amqp/broker.ts';
import { LINK_MARK, OUR_PREFIX } from '../targets/amqp/names.ts';
import { BrokerTrouble, brokerTrouble } from '../targets/amqp/trouble.ts';
import type { Arrivals, OpenTaps, SentHow } from './taps.ts';

/** A queue to look beside, with the bindings it has. */
export interface Beside {
  readonly queue: string;
  readonly bindings: readonly WireBinding[];
}

/** How long anything of a probe may take on one broker. */
const PROBE_MS = 30_000;

export interface ToSend {
  /** Wire name of the exchange; '' is the unnamed one, whose key is a queue's name. */
  readonly exchange: string;
  readonly key: string;
  /** Where a link is to carry it, by the address of a remote alias. */
  readonly mark?: string;
  readonly message: Message;
  /** After how many milliseconds its copies go by themselves; undefined where they would be dead letters then. */
  readonly expires?: number;
}

/** Queues of our own beside others', which go with the connection, whatever ends it. */
export class AmqpTaps implements OpenTaps {
  private readonly arrived = new Map<string, number[]>();

  private constructor(
    private readonly connection: ChannelModel,
    private readonly channel: ConfirmChannel,
    private readonly ours: readonly string[],
  ) {}

  /** @param id what the probe is known by. @throws BrokerTrouble */
  static async open(broker: AmqpBroker, id: string, beside: readonly Beside[]): Promise<AmqpTaps> {
    const connection = await broker.connect();
    try {
      return await within(
        (async () => {
          const channel = await connection.createConfirmChannel();
          channel.on('error', () => {});
          const ours: string[] = [];
          const taps = new AmqpTaps(connection, channel, ours);
          for (const [i, { queue, bindings }] of beside.entries()) {
            const name = `${OUR_PREFIX}probe.${id}.${i}`;
            await channel.assertQueue(name, {
              exclusive: true,
              durable: false,
              arguments: { 'x-expires': 2 * PROBE_MS },
            });
            for (const { source, key, arguments: terms } of bindings)
              await channel.bindQueue(name, source, key, terms);
            await channel.consume(
              name,
              (got) => {
                if (!got || !isIt(got.properties.messageId, got.content, id)) return;
                taps.arrived.set(queue, [...(taps.arrived.get(queue) ?? []), performance.now()]);
              },
              { noAck: true },
            );
            ours.push(name);
          }
          return taps;
        })(),
        PROBE_MS,
      );
    } catch (error) {
      cut(connection);
      throw brokerTrouble(error);
    }
  }

  /** Publishes as mandatory and waits for the broker's confirm, by which it lies wherever it was routed. @throws BrokerTrouble */
  async send(id: string, { exchange, key, mark, message, expires }: ToSend): Promise<SentHow> {
    let returned = false;
    this.channel.on('return', () => (returned = true));
    const at = performance.now();
    this.channel.publish(exchange, key, Buffer.from(JSON.stringify(message.body ?? null)), {
      ...properties(message),
      headers: { ...message.headers, ...(mark === undefined ? {} : { [LINK_MARK]: mark }) },
      mandatory: true,
      messageId: id,
      contentType: 'application/json',
      ...(expires === undefined ? {} : { expiration: expires }),
    });
    const refused = await within(this.channel.waitForConfirms(), PROBE_MS).then(
      () => false,
      (error: unknown) => {
        if (/nacked/.test(String(error))) return true;
        throw brokerTrouble(error);
      },
    );
    // by the protocol, what is published there and neither sent back nor refused lies in the queue of that name
    const lies = exchange === '' && !returned && !refused;
    if (exchange === '') this.arrived.set(key, lies ? [performance.now()] : []);
    return { at, returned, refused };
  }

  async settle(): Promise<void> {
    // a queue answers behind what it has delivered on the same channel
    for (const name of this.ours) await within(this.channel.checkQueue(name), PROBE_MS);
  }

  seen(): Arrivals {
    return this.arrived;
  }

  async close(): Promise<void> {
    await end(this.connection);
  }
}

/** Publishes by MQTT (3.1.1), which knows neither headers nor message ids: the probe is known by its payload. */
export async function sendByMqtt(
  address: string,
  id: string,
  { topic, message }: { topic: string; message: Message },
): Promise<SentHow> {
  let client;
  try {
    client = await within(
      connectAsync(address, { reconnectPeriod: 0, connectTimeout: 10_000, clientId: id.slice(-23) }),
      12_000,
    );
  } catch (error) {
    throw new BrokerTrouble('unreachable', String(error).slice(0, 300), 'its MQTT address cannot be reached');
  }
  try {
    const { body } = message;
    const payload = typeof body === 'object' && body !== null ? { ...body, probe: id } : { body, probe: id };
    const at = performance.now();
    // acknowledged once it lies wherever it was routed (MQTT 3.1.1 §4.3.2)
    await within(client.publishAsync(topic, JSON.stringify(payload), { qos: 1 }), PROBE_MS);
    return { at, returned: false, refused: false };
  } catch (error) {
    throw brokerTrouble(error);
  } finally {
    client.end(true);
  }
}

const isIt = (messageId: unknown, content: Buffer, id: string): boolean =>
  messageId === id || content.includes(id);

function properties(message: Message): Options.Publish {
  const { type, priority, correlationId } = message.properties;
  return {
    ...(type === undefined ? {} : { type: String(type) }),
    ...(typeof priority === 'number' ? { priority } : {}),
    ...(correlationId === undefined ? {} : { correlationId: String(correlationId) }),
  };
}
