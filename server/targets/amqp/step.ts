/** Carries out the steps of a rollout over AMQP 0-9-1. Each may be carried out again: what is so already stays. */
import { randomUUID } from 'node:crypto';
import {
  differs,
  strangeInExchange,
  strangeInQueue,
  type RightsStep,
  type Step,
  type WireBinding,
  type WireExchange,
  type WireQueue,
} from '@vondle/core/analysis';
import type { Channel, ChannelModel } from 'amqplib';
import type { Runner } from '../reached.ts';
import { cut, end, within, type AmqpBroker } from './broker.ts';
import { readExchange, readQueue } from './inventory.ts';
import { OUR_PREFIX } from './names.ts';
import { Replacement, tidyKept } from './replacement.ts';
import { giveRights, takeRights, type AppUsers } from './rights.ts';
import { BrokerTrouble, brokerTrouble } from './trouble.ts';

/** A step that gets no answer for so long is given up, and its connection with it. */
const STEP_MS = 30_000;

const TRY = `${OUR_PREFIX}try.`;
/** So often what came into a queue while it was emptied is carried over too. */
const MOST_EMPTIED = 50;

type Replace = Extract<Step, { do: 'replace queue' | 'replace exchange' }>;

/** An open connection that steps are carried out on. */
export class StepRunner implements Runner {
  private channel: Channel | undefined;
  /** What waits for the connection while it is cut would wait for ever. */
  private readonly cutOff = new AbortController();

  private constructor(
    private readonly broker: AmqpBroker,
    private readonly connection: ChannelModel,
    private readonly stepMs: number,
    private readonly users: AppUsers | undefined,
  ) {}

  /** @throws BrokerTrouble */
  static async open(broker: AmqpBroker, stepMs = STEP_MS, users?: AppUsers): Promise<StepRunner> {
    return new StepRunner(broker, await broker.connect(), stepMs, users);
  }

  /**
   * @param agreed of a queue that is replaced or removed: how many messages may go with it
   * @returns what there is to know of how it went
   * @throws BrokerTrouble; `slow` and `gone` leave open whether the broker did it
   */
  async run(step: Step, agreed = 0): Promise<string | null> {
    if ('rights' in step) return this.changeRights(step);
    if (step.do === 'replace queue')
      return this.replaceQueue(step.queue, step.bindings, agreed).catch((error: unknown) => {
        throw brokerTrouble(error);
      });
    if (step.do === 'delete queue') return this.deleteQueue(step.queue, agreed);
    return this.attempt(async (channel) => {
      if (step.do === 'replace exchange') return this.replaceExchange(channel, step.exchange, step.bindings);
      await carryOut(channel, step);
      return null;
    });
  }

  /**
   * Tries that what is to be made anew can be made, before anything is taken away: a throw-away one with
   * the same settings is made and removed.
   * @throws BrokerTrouble with the broker's reason where it cannot
   */
  async tryOut(steps: readonly Step[]): Promise<void> {
    const tried = new Set<string>();
    for (const step of steps) {
      if (step.do !== 'replace queue' && step.do !== 'replace exchange') continue;
      const thing = step.do === 'replace queue' ? step.queue : step.exchange;
      const settings = JSON.stringify({ ...thing, name: '' });
      if (tried.has(settings)) continue;
      tried.add(settings);
      const name = `${TRY}${randomUUID()}`;
      try {
        await this.attempt(async (channel) => {
          if (step.do === 'replace queue') {
            await declareQueue(channel, { ...step.queue, name });
            await channel.deleteQueue(name);
          } else {
            await declareExchange(channel, { ...step.exchange, name });
            await channel.deleteExchange(name);
          }
        });
      } catch (error) {
        const trouble = brokerTrouble(error);
        if (trouble.kind !== 'refused') throw trouble;
        const reason = trouble.message.replaceAll(name, thing.name);
        throw new BrokerTrouble(
          'refused',
          trouble.more,
          `${step.title}: the broker would not make it so: ${reason}`,
        );
      }
    }
  }

  /** Removes what an earlier process that ended in the midst of trying out left behind. */
  async tidy(): Promise<void> {
    for (const what of ['queues', 'exchanges'] as const) {
      const found = await this.broker.ask<{ items?: { name: string }[] }>(
        `${this.broker.path(what)}?page=1&page_size=100&name=${TRY}&columns=name`,
      );
      for (const { name } of found?.items ?? []) {
        if (!name.startsWith(TRY)) continue;
        await this.attempt((channel) =>
          what === 'queues' ? channel.deleteQueue(name) : channel.deleteExchange(name),
        );
      }
    }
    await tidyKept(this.broker, (names) =>
      this.attempt(async (channel) => {
        for (const name of names) await channel.deleteQueue(name);
      }),
    );
  }

  /** @returns how many messages wait in a queue at this moment; undefined where there is no such queue */
  async waiting(queue: string): Promise<number | undefined> {
    return this.attempt((channel) => counted(channel, queue)).catch((error: unknown) => {
      if (brokerTrouble(error).kind === 'refused') return undefined;
      throw error;
    });
  }

  /** Ends at once, whatever is going on. */
  abort(): void {
    this.cutOff.abort();
    cut(this.connection);
  }

  async close(): Promise<void> {
    await end(this.connection);
  }

  private async changeRights(step: RightsStep): Promise<null> {
    const { broker, users } = this;
    if (!users) throw new BrokerTrouble('refused', '', 'nothing is known of the users of apps here');
    const { rights } = step;
    const change =
      step.do === 'give rights' ? giveRights(broker, users, rights) : takeRights(broker, users, rights.app);
    try {
      await within(change, this.stepMs);
      return null;
    } catch (error) {
      throw brokerTrouble(error);
    }
  }

  /** Does something on the channel within the deadline; one that the broker closed is replaced. */
  private async attempt<T>(work: (channel: Channel) => Promise<T>): Promise<T> {
    try {
      return await within(this.onChannel(work), this.stepMs);
    } catch (error) {
      const trouble = brokerTrouble(error);
      // nobody answers: what was sent may still be done, and nothing more is sent here
      if (trouble.kind === 'slow') this.abort();
      throw trouble;
    }
  }

  private async onChannel<T>(work: (channel: Channel) => Promise<T>): Promise<T> {
    if (!this.channel) {
      const fresh = await this.connection.createChannel();
      fresh.on('error', () => {});
      fresh.on('close', () => {
        if (this.channel === fresh) this.channel = undefined;
      });
      this.channel = fresh;
    }
    const { channel } = this;
    try {
      return await work(channel);
    } catch (error) {
      // the broker closes a channel on any refusal
      if (this.channel === channel) this.channel = undefined;
      throw error;
    }
  }

  /** A queue is made anew with what waits in it. */
  private async replaceQueue(
    queue: WireQueue,
    bindings: readonly WireBinding[],
    agreed: number,
  ): Promise<string | null> {
    const there = await readQueue(this.broker, queue.name);
    if (there) mustBeUnderstood(`queue ${queue.name}`, strangeInQueue(there));
    const carry = await Replacement.begin(
      this.broker,
      this.connection,
      queue,
      this.stepMs,
      this.cutOff.signal,
    );
    let gap: string | undefined;
    try {
      if (!there || differs(queue, there) !== '') {
        if (there) {
          // what an earlier try has in hand is still counted for some seconds; it was agreed to at that time
          const inHand = (await carry.isOriginal()) ? 0 : inHandOf(there);
          if (inHand > agreed) throw moreThanAgreed(queue.name, inHand, agreed);
          await carry.keep();
        }
        const release = await this.attempt((channel) => this.hold(channel, bindings, queue.name));
        const began = performance.now();
        const destroyed = there ? await this.removeQueue(queue.name, there, carry) : 0;
        await this.attempt(async (channel) => {
          await declareQueue(channel, queue);
          for (const binding of bindings) await bind(channel, binding);
        });
        const ms = Math.max(1, Math.round(performance.now() - began));
        await this.attempt(() => release());
        gap = `for ${ms} ms nothing could come to lie in it`;
        if (destroyed) gap += `; ${destroyed} ${destroyed === 1 ? 'message' : 'messages'} went with it`;
      } else
        await this.attempt(async (channel) => {
          for (const binding of bindings) await bind(channel, binding);
        });
      const back = await carry.giveBack();
      if (back)
        return `${gap ? `${gap}; ` : ''}${back} ${back === 1 ? 'message was' : 'messages were'} carried over`;
      return gap ?? null;
    } finally {
      await carry.end();
    }
  }

  /** Removes a queue whose messages are kept; what came in meanwhile is kept too. @returns how many messages went with it */
  private async removeQueue(name: string, there: WireQueue, carry: Replacement): Promise<number> {
    // queues that are replicated cannot be asked to go only when they are empty
    const canAsk = there.arguments['x-queue-type'] !== 'quorum';
    for (let tries = 0; ; tries++) {
      if (!canAsk && (await this.waiting(name))) await carry.keepMore();
      try {
        return await this.attempt(
          async (channel) =>
            // what takers have in hand was agreed to; what waits never goes with it
            (await channel.deleteQueue(name, { ifEmpty: canAsk })).messageCount,
        );
      } catch (error) {
        const trouble = brokerTrouble(error);
        if (trouble.kind !== 'refused' || tries === MOST_EMPTIED) throw trouble;
        await carry.keepMore();
      }
    }
  }

  private async deleteQueue(queue: WireQueue, agreed: number): Promise<string | null> {
    const there = await readQueue(this.broker, queue.name);
    if (!there) return null;
    mustBeUnderstood(`queue ${queue.name}`, strangeInQueue(there));
    const waiting = Math.max(await this.attempt((channel) => counted(channel, queue.name)), inHandOf(there));
    if (waiting > agreed) throw moreThanAgreed(queue.name, waiting, agreed);
    const ifEmpty = waiting === 0 && there.arguments['x-queue-type'] !== 'quorum';
    const { messageCount } = await this.attempt((channel) => channel.deleteQueue(queue.name, { ifEmpty }));
    return messageCount
      ? `${messageCount} ${messageCount === 1 ? 'message' : 'messages'} went with it`
      : null;
  }

  private async replaceExchange(
    channel: Channel,
    exchange: WireExchange,
    bindings: readonly WireBinding[],
  ): Promise<string | null> {
    const there = await readExchange(this.broker, exchange.name);
    if (there && differs(exchange, there) === '') {
      for (const binding of bindings) await bind(channel, binding);
      return null;
    }
    if (there) mustBeUnderstood(`exchange ${exchange.name}`, strangeInExchange(there));
    const release = await this.hold(
      channel,
      bindings.filter(({ source }) => source !== exchange.name),
      exchange.name,
    );
    const began = performance.now();
    await channel.deleteExchange(exchange.name);
    await declareExchange(channel, exchange);
    for (const binding of bindings) await bind(channel, binding);
    const ms = Math.max(1, Math.round(performance.now() - began));
    await release();
    return `for ${ms} ms nothing could be routed by it`;
  }

  /**
   * An auto-delete exchange goes with its last binding (AMQP 0-9-1 §1.6.2.3), which may be the one to
   * what is replaced: meanwhile a queue of ours is bound to it, which goes with our connection.
   * @returns what ends that
   */
  private async hold(
    channel: Channel,
    bindings: readonly WireBinding[],
    what: string,
  ): Promise<() => Promise<void>> {
    const sources = [
      ...new Set(bindings.filter(({ destination }) => destination === what).map(({ source }) => source)),
    ];
    const holders: string[] = [];
    for (const source of sources) {
      const exchange = await readExchange(this.broker, source);
      if (!exchange?.autoDelete) continue;
      const { queue } = await channel.assertQueue(`${OUR_PREFIX}hold.${randomUUID()}`, {
        exclusive: true,
        arguments: { 'x-max-length': 1 },
      });
      await channel.bindQueue(queue, source, queue, { 'x-match': 'all', [queue]: true });
      holders.push(queue);
    }
    return async () => {
      for (const queue of holders) await channel.deleteQueue(queue);
    };
  }
}

/** Carries out a step that takes nothing away to make it again, on an open channel, which the broker closes when it refuses. */
export async function carryOut(
  channel: Channel,
  step: Exclude<Step, Replace | RightsStep | { do: 'delete queue' }>,
): Promise<void> {
  switch (step.do) {
    case 'declare exchange':
      return declareExchange(channel, step.exchange);
    case 'declare queue':
      return declareQueue(channel, step.queue);
    case 'bind':
      return bind(channel, step.binding);
    case 'unbind':
      return unbind(channel, step.binding);
    case 'delete exchange':
      await channel.deleteExchange(step.exchange.name);
  }
}

/** How many messages takers have in hand, as far as the broker's statistics know. */
const inHandOf = ({ messages = 0, ready = messages }: { messages?: number; ready?: number }): number =>
  Math.max(0, messages - ready);

async function counted(channel: Channel, queue: string): Promise<number> {
  return (await channel.checkQueue(queue)).messageCount;
}

function moreThanAgreed(queue: string, waiting: number, agreed: number): BrokerTrouble {
  const are = waiting === 1 ? '1 message waits' : `${waiting} messages wait`;
  return new BrokerTrouble(
    'refused',
    '',
    `${are} in ${queue}, and ${agreed ? `only ${agreed}` : 'none'} were agreed to be destroyed; it was left as it is. Plan again.`,
  );
}

async function declareExchange(channel: Channel, exchange: WireExchange): Promise<void> {
  const { name, type, durable, autoDelete, internal } = exchange;
  await channel.assertExchange(name, type, { durable, autoDelete, internal, arguments: exchange.arguments });
}

async function declareQueue(channel: Channel, queue: WireQueue): Promise<void> {
  const { name, durable, autoDelete } = queue;
  await channel.assertQueue(name, { durable, autoDelete, arguments: queue.arguments });
}

async function bind(
  channel: Channel,
  { source, destination, to, key, arguments: terms }: WireBinding,
): Promise<void> {
  if (to === 'queue') await channel.bindQueue(destination, source, key, terms);
  else await channel.bindExchange(destination, source, key, terms);
}

async function unbind(
  channel: Channel,
  { source, destination, to, key, arguments: terms }: WireBinding,
): Promise<void> {
  if (to === 'queue') await channel.unbindQueue(destination, source, key, terms);
  else await channel.unbindExchange(destination, source, key, terms);
}

/** @throws BrokerTrouble for what a plan would have left alone: it was made so since, and is neither replaced nor removed */
function mustBeUnderstood(what: string, why: string): void {
  if (why) throw new BrokerTrouble('refused', '', `the ${what} is left alone: ${why}`);
}
