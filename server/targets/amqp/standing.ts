/** How the queues and exchanges of an AMQP 0-9-1 broker stand at a moment, by its HTTP API. To be done on a thread. */
import type { BrokerNow, StoreNow, TakerNow } from '@vondle/core/analysis';
import type { AmqpBroker } from './broker.ts';
import { LINK_TAG, OUR_PREFIX } from './names.ts';
import { BrokerTrouble } from './trouble.ts';

interface HttpStats {
  publish?: number;
  publish_in?: number;
  publish_out?: number;
  ack?: number;
  deliver_no_ack?: number;
  get_no_ack?: number;
}
interface HttpQueue {
  name: string;
  node?: string;
  messages_ready?: number;
  messages_unacknowledged?: number;
  head_message_timestamp?: number | null;
  message_stats?: HttpStats;
}
interface HttpExchange {
  name: string;
  message_stats?: HttpStats;
}
interface HttpConsumer {
  queue: { name: string };
  consumer_tag: string;
  prefetch_count?: number;
  ack_required?: boolean;
  /** An empty list where the channel has just gone. */
  channel_details: { name?: string; connection_name?: string; user?: string };
}
interface HttpChannel {
  name: string;
  messages_unacknowledged?: number;
  consumer_count?: number;
  message_stats?: HttpStats;
}
interface HttpConnection {
  name: string;
  user_provided_name?: string;
}

/** Only what is looked at, of each of many. */
const COLUMNS = {
  queues: 'name,node,messages_ready,messages_unacknowledged,head_message_timestamp,message_stats',
  exchanges: 'name,message_stats',
  channels: 'name,messages_unacknowledged,consumer_count,message_stats',
  connections: 'name,user_provided_name',
};

/**
 * @returns how its queues and exchanges stand, as the broker's own statistics have it: they are some seconds old
 * @throws BrokerTrouble
 */
export async function readStanding(broker: AmqpBroker): Promise<Omit<BrokerNow, 'broker'>> {
  const list = async <T>(path: string, columns?: string): Promise<T[]> => {
    const found = await broker.ask<T[]>(columns ? `${path}?columns=${columns}` : path);
    if (found === undefined) throw new BrokerTrouble('not let in', 'there is no such virtual host');
    if (!Array.isArray(found)) throw new BrokerTrouble('strange', 'the HTTP API answered no list');
    return found;
  };
  // who may not see connections sees none: takers are then told apart by their tags
  const orNone = (asked: Promise<HttpConnection[]>) => asked.catch((): HttpConnection[] => []);
  const within = (what: string) => `/api/vhosts/${encodeURIComponent(broker.vhost)}/${what}`;
  const [queues, exchanges, consumers, channels, connections] = await Promise.all([
    list<HttpQueue>(broker.path('queues'), COLUMNS.queues),
    list<HttpExchange>(broker.path('exchanges'), COLUMNS.exchanges),
    list<HttpConsumer>(broker.path('consumers')),
    list<HttpChannel>(within('channels'), COLUMNS.channels).catch((): HttpChannel[] => []),
    orNone(list<HttpConnection>(within('connections'), COLUMNS.connections)),
  ]);
  const byName = new Map(channels.map((each) => [each.name, each]));
  const called = new Map(connections.map(({ name, user_provided_name: own }) => [name, own]));
  const takers = new Map<string, TakerNow[]>();
  for (const { queue, consumer_tag: tag, channel_details: of, ...each } of consumers) {
    if (tag.startsWith(LINK_TAG) || tag.startsWith(OUR_PREFIX)) continue;
    const channel = of.name === undefined ? undefined : byName.get(of.name);
    const own = of.connection_name === undefined ? undefined : called.get(of.connection_name);
    // the broker counts what a channel has in hand: whose it is, is known where one taker is on it
    const alone = channel?.consumer_count === 1 && each.ack_required !== false;
    const list = takers.get(queue.name) ?? [];
    list.push({
      name: own || tag,
      user: of.user ?? '',
      ...(each.prefetch_count === undefined ? {} : { atOnce: each.prefetch_count }),
      ...(alone && channel.messages_unacknowledged !== undefined
        ? { inHand: channel.messages_unacknowledged, settled: channel.message_stats?.ack ?? 0 }
        : {}),
    });
    takers.set(queue.name, list);
  }
  const theirs = ({ name }: { name: string }) => !name.startsWith(OUR_PREFIX);
  return {
    // one that the broker's statistics do not know yet is not empty, but unknown
    stores: queues
      .filter((each) => theirs(each) && each.messages_ready !== undefined)
      .map((queue): StoreNow => {
        const { message_stats: counts = {}, head_message_timestamp: head } = queue;
        const went = (counts.ack ?? 0) + (counts.deliver_no_ack ?? 0) + (counts.get_no_ack ?? 0);
        return {
          name: queue.name,
          waiting: queue.messages_ready ?? 0,
          inHand: queue.messages_unacknowledged ?? 0,
          delayed: 0,
          takers: takers.get(queue.name) ?? [],
          came: counts.publish ?? 0,
          went,
          // seconds, and only where who sent it gave it a time
          ...(typeof head === 'number' ? { oldestAt: new Date(head * 1000).toISOString() } : {}),
          ...(queue.node === undefined ? {} : { node: queue.node }),
        };
      }),
    entries: exchanges
      // the one without a name leads to queues by their names, and is no entry of its own
      .filter((each) => each.name !== '' && theirs(each))
      .map(({ name, message_stats: counts = {} }) => ({
        name,
        came: counts.publish_in ?? 0,
        went: counts.publish_out ?? 0,
      })),
  };
}
