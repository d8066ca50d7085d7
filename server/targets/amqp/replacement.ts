/**
 * What waits in a queue that is made anew: kept, and given back, none of it lost and none doubled, whenever the process
 * that does it ends. A copy counts from the moment on at which what it was made of is gone, which is one deed
 * of the broker's: the queue is removed with the originals in it, and later what kept them is.
 *
 * 1. Every message of the queue is copied to one of ours (`kept`) and stays in hand. Whoever ends now leaves the queue
 *    as it was: the next begins with an empty `kept`. That the queue is still that one is known by a binding of it
 *    to an exchange of ours, which goes with the queue.
 * 2. The queue is removed when nothing waits in it that is not in hand.
 * 3. `kept` is copied to the new queue, and at one stroke to a tally of ours, by one exchange. Whoever goes
 *    on leaves out as many of the first as were tallied.
 * 4. `kept` is removed, and the tally.
 *
 * A broker that falls may have written a message to the tally that it had not written to the queue yet: such are only
 * among the last that were on their way. Of these the queue itself tells which it has: they came by our exchange, and in
 * their order. Those that it cannot be told of (takers took all that had come, or others say the same) are given again.
 * That a broker fell is known by a queue of ours that none keeps when it ends.
 */
import { setTimeout as pause } from 'node:timers/promises';
import type { WireQueue } from '@vondle/core/analysis';
import type { ChannelModel, GetMessage, Options } from 'amqplib';
import { within, type AmqpBroker } from './broker.ts';
import {
  AT_ONCE,
  carryOver,
  Copies,
  KEPT,
  keptFor,
  openLane,
  propertiesOf,
  roomFor,
  UNSEEN_AT_ONCE,
  type Lane,
} from './carry.ts';
import { givenOf, signOf } from './given.ts';
import { readQueue } from './inventory.ts';
import { OUR_PREFIX } from './names.ts';
import { BrokerTrouble, brokerTrouble } from './trouble.ts';

/** Where the time a message has to live is written while it is kept, where it does not run. */
const LIVES = `${OUR_PREFIX}expiration`;
/** A queue in which more wait is not looked into. */
const MOST_LOOKED = 20_000;
/** A broker ends the channels of a connection that went before it lets go of what only that connection may use. */
const LOCK_EVERY_MS = 100;
/** What was tallied and lapsed moves within the broker; it has settled when it is counted alike after this. */
const SETTLED_MS = 50;

export class Replacement {
  private readonly kept: string;
  private lane: Lane | undefined;
  private copies: Copies | undefined;

  private constructor(
    private readonly broker: AmqpBroker,
    private readonly connection: ChannelModel,
    private readonly queue: WireQueue,
    private readonly silentMs: number,
    private readonly signal: AbortSignal,
    private readonly lock: Lane,
  ) {
    this.kept = keptFor(queue.name);
  }

  /**
   * Waits until no connection that was cut off at the same work can do anything more.
   * @param queue as it is to be
   * @param silentMs how long nothing may move
   * @throws BrokerTrouble
   */
  static async begin(
    broker: AmqpBroker,
    connection: ChannelModel,
    queue: WireQueue,
    silentMs: number,
    signal: AbortSignal,
  ): Promise<Replacement> {
    const name = `${keptFor(queue.name)}.lock`;
    for (const until = performance.now() + silentMs; ;) {
      const lock = await openLane(connection, silentMs, signal);
      try {
        await lock.during((async () => lock.channel.assertQueue(name, { exclusive: true }))());
        return new Replacement(broker, connection, queue, silentMs, signal, lock);
      } catch (error) {
        await lock.close();
        const trouble = brokerTrouble(error);
        if (trouble.kind !== 'refused' || performance.now() > until) throw trouble;
        await pause(LOCK_EVERY_MS);
      }
    }
  }

  /** @returns whether the queue is the one whose messages an earlier try began to keep: it has them all yet */
  async isOriginal(): Promise<boolean> {
    return this.isBound(`${this.kept}.from`);
  }

  /** Keeps what waits in the queue. @throws BrokerTrouble */
  async keep(): Promise<void> {
    const { kept } = this;
    const { name } = this.queue;
    const before = await readQueue(this.broker, kept);
    if (before && !(await this.isOriginal())) {
      // what is kept is nowhere else, and this queue came to be after it: both are kept, in this order
      await this.forget();
      await this.carry(name, kept);
      return;
    }
    const lane = await this.open();
    const { channel } = lane;
    const through = `${kept}.into`;
    await lane.during(
      (async () => {
        for (const each of [kept, ...this.tallies()]) await channel.deleteQueue(each);
        // goes with its last binding, and so with the queue
        await channel.assertExchange(`${kept}.from`, 'fanout', { durable: true, autoDelete: true });
        await channel.bindQueue(name, `${kept}.from`, '');
        await channel.assertQueue(kept, { durable: true });
        await channel.assertExchange(through, 'fanout', { durable: true, autoDelete: true });
        await channel.bindQueue(kept, through, '');
      })(),
    );
    this.copies = new Copies(lane, name, through, 0, lastingFor, await this.roomIn(name));
    await this.copies.all();
  }

  /** Keeps what came into the queue meanwhile. @throws BrokerTrouble */
  async keepMore(): Promise<void> {
    if (this.copies) await this.copies.all();
    else await this.carry(this.queue.name, this.kept);
  }

  /**
   * Gives the queue, as it is now, what was kept for it.
   * @returns how many messages; 0 where none were kept
   * @throws BrokerTrouble; what was not given back is kept
   */
  async giveBack(): Promise<number> {
    await this.letGo();
    const { kept, queue } = this;
    const there = await readQueue(this.broker, kept);
    if (!there) return 0;
    const lane = await this.open();
    const { channel } = lane;
    if (await this.isOriginal()) {
      // an earlier try was given up before the queue was removed: they are in it
      await lane.during(
        (async () => {
          await channel.unbindQueue(queue.name, `${kept}.from`, '');
          await channel.deleteQueue(kept);
        })(),
      );
      return 0;
    }
    const now = await readQueue(this.broker, queue.name);
    if (mayRefuse({ ...queue, policy: now?.policy })) {
      await this.forget();
      const back = await this.carry(kept, queue.name);
      await lane.during((async () => channel.deleteQueue(kept, { ifEmpty: true }))());
      return back;
    }
    const through = `${kept}.back`;
    const [tally, lapsed] = this.tallies();
    const goesOn = await this.isBound(through);
    if (goesOn && !(await readQueue(this.broker, this.upSince())))
      // what the queue has for certain goes from what is kept; the rest is given again: rather twice than never
      await this.leaveGiven(through, await this.forget());
    await lane.during(
      (async () => {
        // what was tallied and went to a queue that is gone is to be given again
        if (!goesOn) for (const each of [tally, lapsed]) await channel.deleteQueue(each);
        await channel.assertExchange(through, 'fanout', { durable: true, autoDelete: true });
        await channel.bindQueue(queue.name, through, '');
        await channel.assertQueue(lapsed, { durable: true });
        await channel.assertQueue(tally, {
          durable: true,
          deadLetterExchange: '',
          deadLetterRoutingKey: lapsed,
        });
        await channel.bindQueue(tally, through, '');
        await channel.assertQueue(this.upSince(), { durable: false });
      })(),
    );
    const copies = new Copies(lane, kept, through, await this.settled(), asItWas, await this.roomIn(kept));
    try {
      await copies.all();
    } catch (error) {
      // the tally counts what the queue did not take, too: first it goes, then what the queue has
      if (brokerTrouble(error).kind === 'refused') await this.takeGiven(lane, copies).catch(() => {});
      throw error;
    }
    if (!(await this.isBound(through)))
      throw new BrokerTrouble('strange', `the queue ${queue.name} went while its messages were given back`);
    await lane.during(
      (async () => {
        await channel.deleteQueue(kept, { ifEmpty: true });
        for (const each of [tally, lapsed, this.upSince()]) await channel.deleteQueue(each);
        await channel.unbindQueue(queue.name, through, '');
      })(),
    );
    return copies.count;
  }

  /** Lets go of what is in hand; what waits was either removed with its queue or is where it was. */
  async end(): Promise<void> {
    await this.letGo();
    await this.lock.close();
    if (this.signal.aborted) return;
    // the lock is the connection's and would outlive its channel
    await within(
      (async () => {
        const channel = await this.connection.createChannel();
        channel.on('error', () => {});
        await channel.deleteQueue(`${this.kept}.lock`);
        await channel.close();
      })(),
      this.silentMs,
    ).catch(() => {});
  }

  /** Moves what waits in a queue to another. @returns how many */
  private async carry(from: string, to: string): Promise<number> {
    const { connection, silentMs, signal } = this;
    return carryOver(connection, from, to, silentMs, signal, await this.roomIn(from));
  }

  /** @returns how many messages of a queue may be on their way at once, by how large the broker says they are */
  private async roomIn(queue: string): Promise<number> {
    const { messages = 0, message_bytes: bytes = 0 } =
      (await this.broker.ask<{ messages?: number; message_bytes?: number }>(
        `${this.broker.path('queues', queue)}?columns=messages,message_bytes`,
      )) ?? {};
    // it counts them every few seconds
    return messages > 0 && bytes > 0 ? roomFor(bytes / messages) : UNSEEN_AT_ONCE;
  }

  /** Goes when the broker ends, whatever else stays. */
  private upSince(): string {
    return `${this.kept}.up`;
  }

  private tallies(): [string, string] {
    return [`${this.kept}.tally`, `${this.kept}.lapsed`];
  }

  private async open(): Promise<Lane> {
    await this.letGo();
    return (this.lane = await openLane(this.connection, this.silentMs, this.signal));
  }

  private async letGo(): Promise<void> {
    const { lane } = this;
    this.lane = undefined;
    this.copies = undefined;
    await lane?.close();
  }

  /** @returns whether the queue is bound to an exchange of ours; the HTTP API tells of bindings at once */
  private async isBound(exchange: string): Promise<boolean> {
    const { broker, queue } = this;
    const found = await broker.ask<unknown[]>(broker.path('bindings', 'e', exchange, 'q', queue.name));
    return (found?.length ?? 0) > 0;
  }

  /** @returns how many messages were given back already */
  private async settled(): Promise<number> {
    const names = this.tallies();
    const lane = this.lane ?? (await this.open());
    const count = async () => {
      let sum = 0;
      for (const name of names)
        if (await readQueue(this.broker, name)) sum += (await lane.channel.checkQueue(name)).messageCount;
      return sum;
    };
    return lane.during(
      (async () => {
        for (let last = await count(); ;) {
          await pause(SETTLED_MS);
          const next = await count();
          if (next === last) return next;
          last = next;
        }
      })(),
    );
  }

  /**
   * Takes away of what is kept what the queue has of it, as far as messages tell.
   * @param before signs of those that it was given before
   */
  private async leaveGiven(through: string, before: ReadonlySet<string>): Promise<void> {
    const { name } = this.queue;
    const now = await readQueue(this.broker, name);
    // to look is to hand out; where that counts as a try, and where there are very many, they are not looked at
    const counts = (terms: object = {}) => 'x-delivery-limit' in terms || 'delivery-limit' in terms;
    if (!now || counts(now.arguments) || counts(now.policy)) return;
    const { channel, during, close, alive } = await openLane(this.connection, this.silentMs, this.signal);
    try {
      await during(
        (async () => {
          if ((await channel.checkQueue(name)).messageCount > MOST_LOOKED) return;
          const had: string[] = [];
          for (let got = await channel.get(name); got; got = await channel.get(name)) {
            alive();
            if (got.fields.exchange === through) had.push(signOf(got));
          }
          const doubtful: GetMessage[] = [];
          while (doubtful.length < AT_ONCE) {
            const got = await channel.get(this.kept);
            if (!got) break;
            alive();
            doubtful.push(got);
          }
          const signs = doubtful.map((each) => signOf(each, asItWas(propertiesOf(each))));
          for (const each of doubtful.slice(0, givenOf(had, signs, before))) channel.ack(each);
        })(),
      );
    } finally {
      // what is in hand is put back in its place
      await close();
    }
  }

  /**
   * Takes away the first of what is kept, which the queue has for certain, and the tally that says so. What a broker
   * had under way when it fell is not certain.
   * @returns signs of the last of those that were taken away
   */
  private async forget(): Promise<ReadonlySet<string>> {
    const tallied = await this.settled();
    const isUp = (await readQueue(this.broker, this.upSince())) !== undefined;
    const given = isUp ? tallied : Math.max(0, tallied - AT_ONCE);
    const { channel, during, alive } = this.lane ?? (await this.open());
    const last = new Set<string>();
    await during(
      (async () => {
        // should it end between the two, these come twice and none is lost
        for (const each of this.tallies()) await channel.deleteQueue(each);
        for (let i = 0; i < given; i++) {
          const gone = await channel.get(this.kept, { noAck: true });
          if (!gone) break;
          alive();
          if (given - i <= MOST_LOOKED) last.add(signOf(gone, asItWas(propertiesOf(gone))));
        }
      })(),
    );
    return last;
  }

  private async takeGiven(lane: Lane, copies: Copies): Promise<void> {
    for (const each of this.tallies()) await lane.channel.deleteQueue(each);
    copies.takeCopied();
    await this.letGo();
  }
}

/** Whether the queue may refuse what is published to it, which a tally would count all the same. */
const mayRefuse = ({ arguments: terms, policy = {} }: Pick<WireQueue, 'arguments' | 'policy'>): boolean =>
  [terms['x-overflow'], policy['overflow']].some(
    (way) => typeof way === 'string' && way.startsWith('reject'),
  );

/** A message lives on while it is kept: its time is given back to it. */
const lastingFor = ({ expiration, headers, ...properties }: Options.Publish): Options.Publish =>
  expiration === undefined
    ? { headers, ...properties }
    : { ...properties, headers: { ...(headers as object), [LIVES]: String(expiration) } };

function asItWas({ headers, ...properties }: Options.Publish): Options.Publish {
  const { [LIVES]: expiration, ...rest } = (headers ?? {}) as Record<string, unknown>;
  return expiration === undefined
    ? { ...properties, headers }
    : { ...properties, headers: rest, expiration: String(expiration) };
}

/**
 * Removes the tallies of what was given back in full, which a process left that ended just then.
 * @throws BrokerTrouble
 */
export async function tidyKept(
  broker: AmqpBroker,
  remove: (queues: readonly string[]) => Promise<unknown>,
): Promise<void> {
  const found = await broker.ask<{ items?: { name: string }[] }>(
    `${broker.path('queues')}?page=1&page_size=500&name=${KEPT}&columns=name`,
  );
  const names = new Set((found?.items ?? []).map(({ name }) => name));
  const left = [...names].filter(
    (name) =>
      /\.(tally|lapsed|up)$/.test(name) && name.startsWith(KEPT) && !names.has(name.replace(/\.[a-z]+$/, '')),
  );
  if (left.length) await remove(left);
}
