/** Messages on brokers: looked at, sent, and moved or destroyed by operations that tell how far they are. */
import type { MessageSeen, Reads } from '@vondle/api';
import type { Message } from '@vondle/core/conditions';
import { and, desc, eq, lt, sql } from 'drizzle-orm';
import type { Logger } from 'pino';
import { record, type Database } from '../db/connect.ts';
import { operations, people } from '../db/schema.ts';
import { forTheLog } from '../db/trouble.ts';
import { openTarget, type Openers } from '../environments/store.ts';
import { Budget } from '../http/budget.ts';
import { notFound, Problem } from '../http/problem.ts';
import { AmqpTarget } from '../targets/amqp/target.ts';
import { brokerTrouble } from '../targets/amqp/trouble.ts';
import type { Reached } from '../targets/reached.ts';
import type { Work } from '../work/pool.ts';
import { conditionOf, operate } from './operate.ts';
import { openSender, type SentHow } from './sender.ts';
import type { SentBy } from './entry.ts';
import { tidyWays } from './tidy.ts';

/** A process that does not say for so long that it is alive is not. */
const ALIVE_MS = 20_000;
/** How often it says so, and looks whether to stop. */
const SAY_MS = 1000;
/** How often it says how far it is, while it gets on: a process that is killed has done little beyond that. */
const COUNT_MS = 100;
/** So many operations of an environment are told. */
const MOST_TOLD = 30;

interface Where {
  readonly topologyId: number;
  readonly environment: string;
}
export interface Asked {
  readonly what: 'empty' | 'move' | 'copy';
  readonly broker: string;
  readonly store: string;
  readonly to?: string | undefined;
  readonly toBroker?: string | undefined;
  readonly where?: string | undefined;
  readonly most?: number | undefined;
  readonly agreed: number;
}

export class Messages {
  private readonly looking = new Budget({ all: 8, each: 2 }, 'stores being looked into');
  private readonly sending = new Budget({ all: 16, each: 4 }, 'messages being sent');
  private readonly operating = new Budget({ all: 8, each: 2 }, 'operations on messages');
  private readonly running = new Set<Promise<void>>();
  private readonly ending = new AbortController();

  constructor(
    private readonly db: Database,
    private readonly openers: Openers,
    private readonly work: Pick<Work, 'run'>,
    private readonly log: Logger,
  ) {}

  /** Looks at the messages of a store; that bodies were told is recorded. @throws Problem */
  async look(
    personId: number,
    { topologyId, environment }: Where,
    asked: { broker: string; store: string; most: number; reads: Reads },
  ): Promise<{ messages: MessageSeen[]; waiting: number; said: string }> {
    const release = this.looking.take(`person ${personId}`, 1);
    try {
      const found = await this.work.run('browse', { topologyId, environment, ...asked });
      const bodies = found.messages.filter(({ body }) => body.hidden === '' && body.as !== 'nothing').length;
      await record(this.db, bodies ? 'read messages' : 'look at messages', {
        personId,
        topologyId,
        details: {
          environment,
          store: `${asked.broker}/${asked.store}`,
          messages: found.messages.length,
          bodies,
        },
      });
      return found;
    } finally {
      release();
    }
  }

  /** Takes the oldest message of a store, for good; that it was is recorded before it is. @throws Problem */
  async take(
    personId: number,
    { topologyId, environment }: Where,
    asked: { broker: string; store: string; reads: Reads },
  ): Promise<{ message: MessageSeen | null }> {
    const release = this.looking.take(`person ${personId}`, 1);
    try {
      await record(this.db, 'take message', {
        personId,
        topologyId,
        details: { environment, store: `${asked.broker}/${asked.store}` },
      });
      return await this.work.run('takeOne', { topologyId, environment, ...asked });
    } finally {
      release();
    }
  }

  /** Sends a real message. @throws Problem */
  async send(
    personId: number,
    { topologyId, environment }: Where,
    input: SentBy & { message: string; sample: Partial<Message> },
  ): Promise<{ returned: boolean | null; refused: string | null; remarks: string[]; predicted: string[] }> {
    const release = this.sending.take(`person ${personId}`, 1);
    try {
      const plan = await this.work.run('planSend', { topologyId, environment, input });
      const target = await openTarget(this.db, this.openers, topologyId, plan.targetId);
      if (!target) throw notFound('target of this broker any more');
      let how: SentHow;
      try {
        const sender = await openSender(target.reached, 'vondle send');
        try {
          how = await sender.send(plan.entry, plan.message, plan.persistent);
        } finally {
          await sender.close();
        }
      } catch (error) {
        throw new Problem(
          502,
          'Not sent',
          `${plan.broker} in ${environment}: ${brokerTrouble(error).message}; whether the broker has it is not known.`,
        );
      }
      await record(this.db, 'send message', {
        personId,
        topologyId,
        details: {
          environment,
          message: input.message,
          to: input.to,
          as: input.app,
          taken: how.why === undefined,
        },
      });
      return {
        returned: how.returned ?? null,
        refused: how.why ?? null,
        remarks: plan.remarks,
        predicted: plan.predicted,
      };
    } finally {
      release();
    }
  }

  /** @returns what was moved and destroyed in an environment, the newest first */
  async operations({ topologyId, environment }: Where) {
    // what a process began that is no more is over
    const over = await this.db
      .update(operations)
      .set({
        state: 'failed',
        finishedAt: new Date(),
        error:
          'The server that did it ended. At least as many as are counted here were done; the others are where they were.',
      })
      .where(and(eq(operations.state, 'running'), lt(operations.aliveUntil, sql`now()`)))
      .returning();
    for (const each of over) {
      const at = { ...each, broker: each.toBroker || each.broker };
      // what it left is in nobody's way, and nobody waits for that
      void tidyWays(this.db, this.openers, at).catch((error: unknown) =>
        this.log.warn({ err: forTheLog(error) }, 'what a move left could not be taken away'),
      );
    }
    const rows = await this.db
      .select({
        id: operations.id,
        what: operations.what,
        broker: operations.broker,
        store: operations.store,
        to: operations.to,
        toBroker: operations.toBroker,
        where: operations.where,
        agreed: operations.agreed,
        done: operations.done,
        looked: operations.looked,
        state: operations.state,
        error: operations.error,
        by: people.name,
        at: operations.createdAt,
        finishedAt: operations.finishedAt,
      })
      .from(operations)
      .innerJoin(people, eq(people.id, operations.createdBy))
      .where(and(eq(operations.topologyId, topologyId), eq(operations.environment, environment)))
      .orderBy(desc(operations.id))
      .limit(MOST_TOLD);
    return rows;
  }

  /** Begins an operation. @returns its number. @throws Problem */
  async begin(personId: number, where: Where, asked: Asked): Promise<number> {
    const condition = conditionOf(asked.where ?? '');
    const { what, broker, store, to = '', agreed } = asked;
    const toBroker = asked.toBroker === broker ? '' : (asked.toBroker ?? '');
    if (what !== 'empty' && to === store && toBroker === '')
      throw new Problem(422, 'The same', `${store} has them already.`);
    if (what === 'empty' ? toBroker !== '' : toBroker !== '' && to === '')
      throw new Problem(422, 'No store', `Which store of ${toBroker} they go to has to be said.`);
    const near = await this.opened(where, broker, store);
    const far =
      what !== 'empty' && to !== '' && toBroker !== '' ? await this.opened(where, toBroker, to) : undefined;
    if (far && !(near.reached instanceof AmqpTarget && far.reached instanceof AmqpTarget))
      throw new Problem(
        422,
        'Not between these',
        `Messages are moved from one AMQP 0-9-1 broker to another, or on one broker. What comes to a publish-subscribe service is sent there as an app does.`,
      );
    if (what !== 'empty' && to !== '' && !far && !near.stores.includes(to))
      throw notFound(`store ${to.slice(0, 100)} on ${broker}`);
    const release = this.operating.take(`person ${personId}`, 1);
    try {
      const id = await this.db.transaction(async (tx) => {
        const [made] = await tx
          .insert(operations)
          .values({
            ...where,
            what,
            broker,
            store,
            to,
            toBroker,
            where: asked.where ?? '',
            agreed,
            state: 'running',
            aliveUntil: sql`now() + ${ALIVE_MS} * interval '1 ms'`,
            createdBy: personId,
          })
          .returning({ id: operations.id });
        await record(tx, `${what} messages`, {
          personId,
          topologyId: where.topologyId,
          details: {
            operation: made!.id,
            environment: where.environment,
            store: `${broker}/${store}`,
            to: toBroker ? `${toBroker}/${to}` : to,
            agreed,
          },
        });
        return made!.id;
      });
      const doing = {
        what,
        store,
        to,
        ...(far ? { other: far.reached } : {}),
        where: condition,
        most: Math.min(agreed, asked.most ?? agreed),
      };
      const run = this.run(id, personId, where.topologyId, near.reached, doing).finally(() => {
        release();
        this.running.delete(run);
      });
      this.running.add(run);
      return id;
    } catch (error) {
      release();
      throw error;
    }
  }

  /** @returns a broker that has a store, and what its other stores are called. @throws Problem where there is none */
  private async opened(
    where: Where,
    broker: string,
    store: string,
  ): Promise<{ reached: Reached; stores: readonly string[] }> {
    const { targetId, stores } = await this.work.run('storesOn', { ...where, broker });
    const names = stores.map(({ name }) => name);
    if (!names.includes(store)) throw notFound(`store ${store.slice(0, 100)} on ${broker}`);
    const target = await openTarget(this.db, this.openers, where.topologyId, targetId);
    if (!target) throw notFound('target of this broker any more');
    return { reached: target.reached, stores: names };
  }

  /** Asks an operation to stop, whichever process does it. @throws Problem 404 where there is none */
  async stop({ topologyId, environment }: Where, id: number): Promise<void> {
    const found = await this.db
      .update(operations)
      .set({ stopAsked: true })
      .where(
        and(
          eq(operations.id, id),
          eq(operations.topologyId, topologyId),
          eq(operations.environment, environment),
        ),
      )
      .returning({ id: operations.id });
    if (found.length === 0) throw notFound('such operation');
  }

  /** Ends what is going on after the message at hand. */
  async close(): Promise<void> {
    this.ending.abort();
    await Promise.all(this.running);
  }

  private async run(
    id: number,
    personId: number,
    topologyId: number,
    reached: Parameters<typeof operate>[0],
    doing: Parameters<typeof operate>[1],
  ): Promise<void> {
    const stop = new AbortController();
    const end = () => stop.abort();
    this.ending.signal.addEventListener('abort', end);
    let so = { done: 0, looked: 0 };
    const say = setInterval(() => {
      void this.db
        .update(operations)
        .set({ ...so, aliveUntil: sql`now() + ${ALIVE_MS} * interval '1 ms'` })
        .where(eq(operations.id, id))
        .returning({ stopAsked: operations.stopAsked })
        .then(([row]) => (row?.stopAsked ?? true) && stop.abort())
        .catch(() => {});
    }, SAY_MS);
    let counted = so;
    const count = setInterval(() => {
      if (so === counted) return;
      counted = so;
      void this.db
        .update(operations)
        .set(so)
        .where(and(eq(operations.id, id), eq(operations.state, 'running')))
        .catch(() => {});
    }, COUNT_MS);
    let state: 'done' | 'stopped' | 'failed' = 'done';
    let error: string | null = null;
    try {
      const ended = await operate(reached, doing, {
        stop: stop.signal,
        told: (done, looked) => (so = { done, looked }),
      });
      so = ended;
      if (stop.signal.aborted) state = 'stopped';
      error = ended.left ?? null;
    } catch (caught) {
      state = 'failed';
      error = brokerTrouble(caught).message;
      this.log.warn({ operation: id, err: forTheLog(caught) }, 'an operation on messages failed');
    } finally {
      clearInterval(say);
      clearInterval(count);
      this.ending.signal.removeEventListener('abort', end);
    }
    await this.db
      .transaction(async (tx) => {
        const { done, looked } = so;
        await tx
          .update(operations)
          .set({ done, looked, state, error, finishedAt: new Date() })
          .where(eq(operations.id, id));
        await record(tx, 'end operation', { personId, topologyId, details: { operation: id, state, done } });
      })
      .catch((failure: unknown) =>
        this.log.warn({ err: forTheLog(failure) }, 'what became of an operation could not be kept'),
      );
  }
}
