/** Ends of links on AMQP 0-9-1 brokers. */
import { randomUUID } from 'node:crypto';
import { cut, type AmqpBroker } from '../../targets/amqp/broker.ts';
import { propertiesOf } from '../../targets/amqp/carry.ts';
import { LINK_TAG } from '../../targets/amqp/names.ts';
import type { Place } from './end.ts';

/** @returns a broker as links take from it and deliver to it */
export function amqpPlace(broker: AmqpBroker): Place {
  const open = async (failed: (error: unknown) => void) => {
    const connection = await broker.connect();
    connection.on('error', failed);
    connection.on('close', () => failed(new Error('Connection closed')));
    return connection;
  };
  return {
    async source(store, failed) {
      const connection = await open(failed);
      try {
        const channel = await connection.createChannel();
        channel.on('error', failed);
        channel.on('close', () => failed(new Error('Channel closed')));
        const consumerTag = `${LINK_TAG}${randomUUID()}`;
        return {
          async take(most, take) {
            await channel.prefetch(most);
            await channel.consume(
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
    async sink(failed) {
      const connection = await open(failed);
      try {
        const channel = await connection.createConfirmChannel();
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
