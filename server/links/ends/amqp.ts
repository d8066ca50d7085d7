/** Ends of links on AMQP 0-9-1 brokers. */
import { randomUUID } from 'node:crypto';
import { cut, within, type AmqpBroker } from '../../targets/amqp/broker.ts';
import { propertiesOf } from '../../targets/amqp/carry.ts';
import { LINK_TAG } from '../../targets/amqp/names.ts';
import type { Place } from './end.ts';

/** Milliseconds a broker has for each answer. */
const ANSWER_MS = 15_000;

/** @returns a broker as links take from it and deliver to it */
export function amqpPlace(broker: AmqpBroker): Place {
  const open = async (failed: (error: unknown) => void, blocked: (why?: string) => void = () => {}) => {
    const connection = await broker.connect();
    connection.on('error', failed);
    connection.on('close', () => failed(new Error('Connection closed')));
    // a broker that runs out of memory or disk reads no more of those who publish (connection.blocked)
    connection.on('blocked', (why: string) => blocked(why));
    connection.on('unblocked', () => blocked(undefined));
    return connection;
  };
  return {
    async source(store, failed) {
      const connection = await open(failed);
      try {
        const channel = await within(connection.createChannel(), ANSWER_MS);
        channel.on('error', failed);
        channel.on('close', () => failed(new Error('Channel closed')));
        const consumerTag = `${LINK_TAG}${randomUUID()}`;
        return {
          async take(most, take) {
            await within(channel.prefetch(most), ANSWER_MS);
            const consuming = channel.consume(
              store,
              (message) => {
                if (!message) return failed(new Error('its queue went'));
                const { mandatory: _returned, ...properties } = propertiesOf(message);
                take({
                  key: message.fields.routingKey,
                  content: message.content,
                  properties,
                  settle: () => channel.ack(message),
                });
              },
              { consumerTag },
            );
            await within(consuming, ANSWER_MS);
          },
          stop: async () => void (await channel.cancel(consumerTag)),
          // acknowledgements are sent before the channel is closed
          close: () => channel.close(),
          cut: () => cut(connection),
        };
      } catch (error) {
        cut(connection);
        throw error;
      }
    },
    async sink(failed, blocked) {
      const connection = await open(failed, blocked);
      try {
        const channel = await within(connection.createConfirmChannel(), ANSWER_MS);
        channel.on('error', failed);
        channel.on('close', () => failed(new Error('Channel closed')));
        return {
          publish: ({ exchange, queue }, { key, content, properties }, done) =>
            void channel.publish(exchange, queue ?? key, content, properties, (error: unknown) =>
              done(error ?? undefined),
            ),
          cut: () => cut(connection),
        };
      } catch (error) {
        cut(connection);
        throw error;
      }
    },
  };
}
