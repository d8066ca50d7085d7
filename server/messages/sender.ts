/** Sends real messages to a broker, one after the other, as apps do. */
import type { Message } from '@vondle/core/conditions';
import type { ChannelModel, ConfirmChannel, Options } from 'amqplib';
import { connectAsync } from 'mqtt';
import { end, within } from '../targets/amqp/broker.ts';
import { LINK_MARK } from '../targets/amqp/names.ts';
import { AmqpTarget } from '../targets/amqp/target.ts';
import { BrokerTrouble, brokerTrouble } from '../targets/amqp/trouble.ts';
import type { HostedService } from '../targets/hosted/service.ts';
import { HostedTarget } from '../targets/hosted/target.ts';
import type { Reached } from '../targets/reached.ts';
import type { Entry } from './entry.ts';

/** How long a broker may take to take one message. */
const SEND_MS = 15_000;

/** What became of a message. */
export interface SentHow {
  /** No store wanted it; undefined where the protocol does not tell. */
  readonly returned?: boolean;
  /** Why the broker did not take it. */
  readonly why?: string;
}

export interface Sender {
  /** Resolves once the broker has it for certain. @throws BrokerTrouble where that is not known */
  send(entry: Entry, message: Message, persistent?: boolean): Promise<SentHow>;
  close(): Promise<void>;
}

/** @param name what the connection is called on the broker. @throws BrokerTrouble */
export async function openSender(reached: Reached, name: string): Promise<Sender> {
  if (reached instanceof HostedTarget) return hostedSender(reached.service);
  if (reached instanceof AmqpTarget) return AmqpSender.open(reached, name);
  throw new BrokerTrouble('strange', 'nothing can be sent to such a target');
}

const hostedSender = (service: HostedService): Sender => ({
  async send(entry, message) {
    if (entry.kind !== 'hosted') throw new BrokerTrouble('strange', 'that is no entry of such a service');
    const { messageId } = message.properties;
    const { copies, why } = await service.send(
      entry,
      message,
      messageId === undefined ? undefined : String(messageId),
    );
    return why === undefined ? { returned: copies === 0 } : { why };
  },
  async close() {
    // each request is a connection of its own
  },
});

class AmqpSender implements Sender {
  private returned = false;

  private constructor(
    private readonly target: AmqpTarget,
    private readonly connection: ChannelModel,
    private readonly channel: ConfirmChannel,
  ) {
    // sent back before it is confirmed (AMQP 0-9-1 §1.8.3.3)
    channel.on('return', () => (this.returned = true));
  }

  static async open(target: AmqpTarget, name: string): Promise<AmqpSender> {
    const connection = await target.broker.connect(name);
    const channel = await within(connection.createConfirmChannel(), SEND_MS);
    channel.on('error', () => {});
    return new AmqpSender(target, connection, channel);
  }

  async send(entry: Entry, message: Message, persistent = false): Promise<SentHow> {
    if (entry.kind === 'hosted') throw new BrokerTrouble('strange', 'that is no entry of such a broker');
    if (entry.kind === 'mqtt') return this.byMqtt(entry.topic, message);
    this.returned = false;
    try {
      await within(
        new Promise<void>((done, fail) => {
          // a channel that the broker closes confirms nothing any more
          this.channel.once('error', fail);
          this.channel.publish(
            entry.exchange,
            entry.key,
            bytesOf(message.body),
            optionsOf(message, persistent, entry.mark),
            (error) => {
              this.channel.off('error', fail);
              if (error) fail(error as Error);
              else done();
            },
          );
        }),
        SEND_MS,
      );
    } catch (error) {
      if (/nacked/.test(String(error)))
        return { why: 'a queue that is full, and refuses more, was among those it was to come to' };
      const trouble = brokerTrouble(error);
      if (trouble.kind === 'refused') return { why: trouble.message };
      throw trouble;
    }
    return { returned: this.returned };
  }

  private async byMqtt(topic: string, { body }: Message): Promise<SentHow> {
    const address = this.target.mqttAddress();
    if (!address) return { why: 'no MQTT address is set for this target: connect it again with one' };
    try {
      const client = await within(
        connectAsync(address, { reconnectPeriod: 0, connectTimeout: 10_000 }),
        SEND_MS,
      );
      try {
        // acknowledged once it lies wherever it was routed (MQTT 3.1.1 §4.3.2)
        await within(client.publishAsync(topic, bytesOf(body), { qos: 1 }), SEND_MS);
      } finally {
        client.end(true);
      }
      return {};
    } catch (error) {
      throw brokerTrouble(error);
    }
  }

  close(): Promise<void> {
    return end(this.connection);
  }
}

/** @returns a body's bytes: text as it is, all else as JSON */
export const bytesOf = (body: unknown): Buffer =>
  body === undefined || body === null
    ? Buffer.alloc(0)
    : Buffer.from(typeof body === 'string' ? body : JSON.stringify(body));

function optionsOf(
  { headers, properties, body }: Message,
  persistent: boolean,
  mark: string | undefined,
): Options.Publish {
  const { contentType, messageId, correlationId, replyTo, type, appId, priority, expiration } = properties;
  const text = (name: keyof Options.Publish, value: unknown) =>
    value === undefined ? {} : { [name]: String(value) };
  return {
    ...text(
      'contentType',
      contentType ??
        (body === undefined ? undefined : typeof body === 'string' ? 'text/plain' : 'application/json'),
    ),
    ...text('messageId', messageId),
    ...text('correlationId', correlationId),
    ...text('replyTo', replyTo),
    ...text('type', type),
    ...text('appId', appId),
    ...text('expiration', expiration),
    ...(typeof priority === 'number' ? { priority } : {}),
    headers: { ...headers, ...(mark === undefined ? {} : { [LINK_MARK]: mark }) },
    timestamp: Math.floor(Date.now() / 1000),
    deliveryMode: persistent ? 2 : 1,
    mandatory: true,
  };
}
