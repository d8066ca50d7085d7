/** Tries a target's addresses and rights out, each by itself, with throw-away things that go with the connection. */
import { randomBytes } from 'node:crypto';
import type { Channel, ChannelModel } from 'amqplib';
import type { AmqpBroker } from './broker.ts';
import { end, within } from './broker.ts';
import type { Tried } from '../reached.ts';
import { OUR_PREFIX } from './names.ts';
import { brokerTrouble } from './trouble.ts';

/** How long one of them may take. */
const ONE_MS = 10_000;

function wrong(what: string, error: unknown): Tried {
  const { kind, message, more } = brokerTrouble(error);
  return {
    what,
    ok: false,
    // a refusal is told in the broker's own words already, without who was refused
    said: more && kind !== 'refused' ? `${message} (the network says: ${more})` : message,
  };
}

/** @returns each thing that was tried, in order; what rests on something that failed is not tried */
export async function tryOut(broker: AmqpBroker): Promise<Tried[]> {
  const [opened, read] = await Promise.all([openAmqp(broker), readHttp(broker)]);
  const tried: Tried[] = [opened.tried, read];
  const { connection } = opened;
  if (!connection) return tried;
  try {
    return [
      ...tried,
      ...(await tryRights(broker, connection, read.ok)),
      ...(read.ok ? [await tryUsers(broker)] : []),
    ];
  } finally {
    await end(connection);
  }
}

async function openAmqp(broker: AmqpBroker): Promise<{ connection?: ChannelModel; tried: Tried }> {
  const what = 'AMQP address';
  try {
    const connection = await broker.connect();
    return { connection, tried: { what, ok: true, said: `lets us in, to virtual host ${broker.vhost}` } };
  } catch (error) {
    return { tried: wrong(what, error) };
  }
}

async function readHttp(broker: AmqpBroker): Promise<Tried> {
  const what = 'HTTP API';
  try {
    await broker.identity();
    const found = await broker.ask<unknown[]>(broker.path('exchanges'));
    if (found === undefined)
      return {
        what,
        ok: false,
        said: `there is no virtual host ${broker.vhost}, or its user may not see it`,
      };
    return { what, ok: true, said: 'answers, and tells what there is' };
  } catch (error) {
    return wrong(what, error);
  }
}

/** Whether rollouts may make users for apps, which they do where a broker's access is controlled. */
async function tryUsers(broker: AmqpBroker): Promise<Tried> {
  const what = 'managing users';
  try {
    const me = await broker.ask<{ tags?: string | string[] }>('/api/whoami');
    const ok = me?.tags?.includes('administrator') ?? false;
    const said = ok
      ? 'may be done'
      : 'may not be done: its user is no administrator. Rollouts make no users for apps then, and say so';
    return { what, ok, said };
  } catch (error) {
    return wrong(what, error);
  }
}

/** What a rollout and its probes do, done once each. */
async function tryRights(broker: AmqpBroker, connection: ChannelModel, seen: boolean): Promise<Tried[]> {
  const name = OUR_PREFIX + randomBytes(9).toString('hex');
  const tried: Tried[] = [];
  /** @returns whether it went well; what the broker refuses ends the channel, so that each has one of its own */
  const attempt = async (what: string, said: string, work: (channel: Channel) => Promise<unknown>) => {
    let refused: unknown;
    try {
      const channel = await connection.createChannel();
      channel.on('error', (error: unknown) => (refused = error));
      await within(work(channel), ONE_MS);
      tried.push({ what, ok: true, said });
      await channel.close().catch(() => {});
      return true;
    } catch (error) {
      tried.push(wrong(what, refused ?? error));
      return false;
    }
  };
  const made =
    (await attempt('making things', 'may be done', async (channel) => {
      await channel.assertExchange(name, 'direct', { durable: false, autoDelete: true });
      await channel.assertQueue(name, { exclusive: true, durable: false, autoDelete: true });
    })) && (await attempt('binding', 'may be done', (channel) => channel.bindQueue(name, name, 'x')));
  if (!made) {
    // an exchange that nothing was ever bound to does not go by itself
    const takeAway = async () => {
      const channel = await connection.createChannel();
      channel.on('error', () => {});
      await channel.deleteExchange(name);
    };
    await within(takeAway(), ONE_MS).catch(() => {});
    return tried;
  }
  await attempt('publishing', 'may be done', async (channel) => {
    channel.publish(name, 'x', Buffer.alloc(0));
    // an answer to what comes after it says that it was not refused
    await channel.checkExchange(name);
  });
  await attempt('taking', 'may be done', (channel) => channel.get(name, { noAck: true }));
  if (seen) {
    const there = await broker.ask(broker.path('queues', name)).catch(() => undefined);
    tried.push({
      what: 'one broker',
      ok: there !== undefined,
      said: there
        ? 'both addresses lead to it'
        : 'what was made by the AMQP address is not seen by the HTTP API: they lead to different brokers, or its user may not see it',
    });
  }
  await attempt('removing', 'may be done', async (channel) => {
    await channel.deleteQueue(name);
    await channel.deleteExchange(name).catch(() => {});
  });
  return tried;
}
