/**
 * A tap of an AMQP 0-9-1 broker: a queue of our own that has the bindings of the place, and no others, so that what
 * matches nothing is still returned, or goes where what matches nothing goes. It is bounded in count and time, the oldest
 * copies going first, and goes by itself once nobody listens.
 */
import { bindingId, type WireBinding } from '@vondle/core/analysis';
import type { Channel, ChannelModel, ConsumeMessage } from 'amqplib';
import { peeked } from '../messages/peek.ts';
import { cut, end, within, type AmqpBroker } from '../targets/amqp/broker.ts';
import { withVoids } from '../targets/amqp/inventory.ts';
import { OUR_PREFIX, TAP_PREFIX } from '../targets/amqp/names.ts';
import { BrokerTrouble, brokerTrouble } from '../targets/amqp/trouble.ts';
import { AT_ONCE, WAIT_MS, type Listening, type Passing } from './listen.ts';
import type { Listened } from './plan.ts';

/** So many copies wait on the broker, and so many bytes of them. */
const MOST_WAITING = 10_000;
const MOST_BYTES = 64 * 1024 * 1024;
/** So many bindings of a place are listened by. */
const MOST_BINDINGS = 2000;
const ANSWER_MS = 15_000;

type Place = Exclude<Listened, { kind: 'subscriptions' }>;

export class AmqpListening implements Listening {
  private readonly came: Passing[] = [];
  private bound = new Map<string, WireBinding>();
  private gone: unknown;

  private constructor(
    private readonly broker: AmqpBroker,
    private readonly place: Place,
    private readonly queue: string,
    private readonly connection: ChannelModel,
    private readonly channel: Channel,
  ) {}

  /** @param id tells its queue from those of other taps. @throws BrokerTrouble */
  static async open(broker: AmqpBroker, place: Place, id: string): Promise<AmqpListening> {
    const connection = await broker.connect('vondle tap');
    const queue = TAP_PREFIX + id;
    try {
      const channel = await within(connection.createChannel(), ANSWER_MS);
      const it = new AmqpListening(broker, place, queue, connection, channel);
      const failed = (error: unknown) => (it.gone ??= error ?? new BrokerTrouble('gone'));
      connection.on('error', failed);
      connection.on('close', failed);
      channel.on('error', failed);
      await within(
        channel.assertQueue(queue, {
          durable: false,
          arguments: {
            'x-max-length': MOST_WAITING,
            'x-max-length-bytes': MOST_BYTES,
            'x-message-ttl': WAIT_MS,
            'x-expires': 2 * WAIT_MS,
          },
        }),
        ANSWER_MS,
      );
      it.bound = new Map((await it.bindingsOf('queues', queue)).map((each) => [bindingId(each), each]));
      await it.align();
      await within(channel.prefetch(AT_ONCE), ANSWER_MS);
      await within(
        channel.consume(queue, (message) => it.take1(message), { consumerTag: TAP_PREFIX + id }),
        ANSWER_MS,
      );
      return it;
    } catch (error) {
      cut(connection);
      throw brokerTrouble(error);
    }
  }

  private take1(message: ConsumeMessage | null): void {
    if (message === null) return void (this.gone ??= new BrokerTrouble('gone', 'its queue went'));
    this.came.push({
      at: Date.now(),
      message: peeked(message),
      settle: () => this.channel.ack(message),
    });
  }

  take(): Promise<readonly Passing[]> {
    if (this.gone !== undefined) return Promise.reject(brokerTrouble(this.gone));
    return Promise.resolve(this.came.splice(0, AT_ONCE));
  }

  async align(): Promise<void> {
    const wanted = new Map<string, WireBinding>();
    for (const binding of (await this.around()).slice(0, MOST_BINDINGS)) {
      const own: WireBinding = { ...binding, destination: this.queue, to: 'queue' };
      wanted.set(bindingId(own), own);
    }
    const does = (what: 'bindQueue' | 'unbindQueue', { source, key, arguments: terms }: WireBinding) =>
      within(this.channel[what](this.queue, source, key, terms), ANSWER_MS);
    // what leads nowhere any more is let go of first: it would keep the broker from saying so
    for (const [id, binding] of this.bound) if (!wanted.has(id)) await does('unbindQueue', binding);
    for (const [id, binding] of wanted) if (!this.bound.has(id)) await does('bindQueue', binding);
    this.bound = wanted;
  }

  settled(): Promise<void> {
    return Promise.resolve();
  }

  async close(forGood: boolean): Promise<void> {
    if (forGood && this.gone === undefined)
      await within(this.channel.deleteQueue(this.queue), ANSWER_MS).catch(() => {});
    await end(this.connection);
  }

  /** The bindings by which what passes the place goes on, or comes to it. */
  private async around(): Promise<WireBinding[]> {
    if (this.place.kind === 'queues') {
      const found = await Promise.all(this.place.queues.map((queue) => this.bindingsOf('queues', queue)));
      return found.flat();
    }
    const from = await this.bindingsOf('exchanges', this.place.exchange, 'source');
    const sure = new Map<string, Promise<boolean>>();
    const all = await Promise.all(
      from.map(async (each) => each.to === 'queue' || (await this.isSure(each.destination, sure))),
    );
    return from.filter((_, i) => all[i]);
  }

  /**
   * Whether an exchange hands whatever comes on to some queue. What it may not would be lost, and be returned to who asked
   * for that: a tap must not make it look as if it were not.
   */
  private isSure(exchange: string, known: Map<string, Promise<boolean>>, depth = 0): Promise<boolean> {
    const before = known.get(exchange);
    if (before) return before;
    const answer = (async () => {
      // a circle brings nothing to a queue by itself
      known.set(exchange, Promise.resolve(false));
      if (depth > 4) return false;
      const { type } =
        (await this.broker.ask<{ type: string }>(this.broker.path('exchanges', exchange))) ?? {};
      const on = await this.bindingsOf('exchanges', exchange, 'source');
      for (const { key, to, destination } of on)
        if (
          (type === 'fanout' || (type === 'topic' && key === '#')) &&
          (to === 'queue' || (await this.isSure(destination, known, depth + 1)))
        )
          return true;
      return false;
    })();
    known.set(exchange, answer);
    return answer;
  }

  private async bindingsOf(
    what: 'queues' | 'exchanges',
    name: string,
    end?: 'source',
  ): Promise<WireBinding[]> {
    const path = `${this.broker.path(what, name)}/bindings${end === undefined ? '' : `/${end}`}`;
    const found = await this.broker.ask<
      {
        source: string;
        destination: string;
        destination_type: 'queue' | 'exchange';
        routing_key: string;
        arguments: WireBinding['arguments'];
      }[]
    >(path);
    return (found ?? [])
      .filter(
        ({ source, destination }) =>
          source !== '' && (end === undefined || !destination.startsWith(OUR_PREFIX)),
      )
      .map(({ source, destination, destination_type: to, routing_key: key, arguments: terms }) => ({
        source,
        destination,
        to,
        key,
        arguments: withVoids(terms),
      }));
  }
}
