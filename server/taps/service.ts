/**
 * Listens at the taps of every environment in which something stands. Of several processes one listens at each; where it
 * falls, another goes on with what came meanwhile.
 */
import { createHash } from 'node:crypto';
import type { AskedPassed, Passed, Reads, TapSeen } from '@vondle/api';
import type { Logger } from 'pino';
import { record, type Database } from '../db/connect.ts';
import { Held } from '../db/held.ts';
import { forTheLog } from '../db/trouble.ts';
import { openTarget, type Openers } from '../environments/store.ts';
import { Budget } from '../http/budget.ts';
import { environmentsStanding } from '../links/standing.ts';
import { AmqpTarget } from '../targets/amqp/target.ts';
import { BrokerTrouble, brokerTrouble } from '../targets/amqp/trouble.ts';
import { HostedTarget } from '../targets/hosted/target.ts';
import type { Work } from '../work/pool.ts';
import { Rounds, type RoundHealth } from '../work/rounds.ts';
import { AmqpListening } from './amqp.ts';
import { HostedListening } from './hosted.ts';
import { sizeOf } from './kept.ts';
import { AT_ONCE, type Listening, type Passing } from './listen.ts';
import type { TapPlan } from './plan.ts';
import { forgetPassed, keepPassed, passedIn } from './store.ts';

/** Told apart by it from other locks of the database. */
const LOCK = 5695;
/** How often is looked what is to be listened to. */
const LOOK_MS = 3000;
/** How often what came is kept. */
const KEEP_MS = 1000;
/** How often what listens is brought in line with the bindings there are. */
const ALIGN_MS = 5000;
const FORGET_MS = 60_000;
/** After a failure it is tried again after so long, twice as long each time, at most. */
const AGAIN_MS = 1000;
const LONGEST_MS = 60_000;
/** Of a payload so many bytes are handed to a thread. */
const MOST_BYTES = 256 * 1024;

export interface TapParts {
  readonly db: Database;
  readonly databaseUrl: string;
  readonly openers: Openers;
  readonly work: Pick<Work, 'run'>;
  readonly log: Logger;
  readonly lookMs?: number;
  readonly keepMs?: number;
}

interface Wanted extends TapPlan {
  readonly topologyId: number;
  readonly environment: string;
}

/** What a process says of a tap that another one has. */
const ELSEWHERE = 'another process carries it';

const idOf = ({ topologyId, environment, on }: Wanted) => `${topologyId} ${environment} ${on}`;

/** What a tap is called on its broker: short, and the same for whichever process listens. */
const brokerId = (of: Wanted) => createHash('sha256').update(idOf(of)).digest('hex').slice(0, 24);

/** One tap that this process listens at, or tries to. */
class Tap {
  why: string | null = 'it has just begun';
  private listening: Listening | undefined;
  private ended = false;
  private wake: () => void = () => {};
  private readonly running: Promise<void>;

  constructor(
    readonly wanted: Wanted,
    private readonly parts: TapParts,
  ) {
    this.running = this.run();
  }

  /** @param forGood whether it is not declared any more */
  async close(forGood: boolean): Promise<void> {
    this.ended = true;
    this.wake();
    await this.running;
    await this.listening?.close(forGood).catch(() => {});
  }

  private async run(): Promise<void> {
    for (let again = AGAIN_MS; !this.ended;) {
      try {
        this.listening ??= await this.open();
        this.why = null;
        again = AGAIN_MS;
        await this.listen(this.listening);
      } catch (error) {
        this.why = brokerTrouble(error).message;
        this.parts.log.warn({ tap: this.wanted.on, why: this.why }, 'a tap stands');
        await this.listening?.close(false).catch(() => {});
        this.listening = undefined;
        if (!this.ended) await this.pause(again);
        again = Math.min(2 * again, LONGEST_MS);
      }
    }
  }

  private async listen(listening: Listening): Promise<void> {
    for (let aligned = Date.now(); !this.ended;) {
      const copies = await listening.take();
      if (!(await this.keepSurely(copies))) return;
      // where the connection went meanwhile it begins anew, rather than keep the same again and again
      for (const each of copies) each.settle();
      await listening.settled();
      if (Date.now() - aligned > ALIGN_MS) {
        await listening.align();
        aligned = Date.now();
      }
      // more is there already
      if (!this.ended && copies.length < AT_ONCE) await this.pause(this.parts.keepMs ?? KEEP_MS);
    }
  }

  /** Keeps copies, however long the database or the threads have no time for that: they stay where they are meanwhile. @returns false where it ended before */
  private async keepSurely(copies: readonly Passing[]): Promise<boolean> {
    for (let again = AGAIN_MS; !this.ended; again = Math.min(2 * again, LONGEST_MS)) {
      try {
        await this.keep(copies);
        this.why = null;
        return true;
      } catch (error) {
        this.why = 'what passes cannot be kept now';
        this.parts.log.warn({ tap: this.wanted.on, err: forTheLog(error) }, this.why);
        await this.pause(again);
      }
    }
    return false;
  }

  private async keep(copies: readonly Passing[]): Promise<void> {
    if (copies.length === 0) return;
    const { topologyId, environment, revision, on, body } = this.wanted;
    const kept = await this.parts.work.run('keptOf', {
      topologyId,
      environment,
      revision,
      on,
      body,
      messages: copies.map(({ at, message: { key, headers, properties, body: whole, deaths, sentBy } }) => ({
        ...(sentBy === undefined ? {} : { sentBy }),
        at,
        key,
        headers,
        properties,
        deaths,
        size: sizeOf(whole),
        body: 'bytes' in whole ? { bytes: new Uint8Array(whole.bytes.subarray(0, MOST_BYTES)) } : whole,
      })),
    });
    await this.parts.db.transaction((tx) => keepPassed(tx, this.wanted, this.wanted, kept));
  }

  private async open(): Promise<Listening> {
    const { db, openers } = this.parts;
    const { topologyId, targetId, at } = this.wanted;
    const target = await openTarget(db, openers, topologyId, targetId);
    const reached = target?.reached;
    const id = brokerId(this.wanted);
    if (reached instanceof AmqpTarget && at.kind !== 'subscriptions')
      return AmqpListening.open(reached.broker, at, id);
    if (reached instanceof HostedTarget && at.kind === 'subscriptions')
      return HostedListening.open(reached.service, at.settings, id);
    throw new BrokerTrouble('strange', '', 'its broker has no target that fits any more');
  }

  private pause(ms: number): Promise<void> {
    return new Promise((done) => {
      const timer = setTimeout(done, ms);
      this.wake = () => {
        clearTimeout(timer);
        done();
      };
    });
  }
}

export class Taps {
  private readonly listening = new Map<string, Tap>();
  /** Taps that are ending. */
  private readonly leaving = new Map<string, Promise<void>>();
  /** The taps of each environment, for as long as the same stands there. */
  private readonly known = new Map<string, { signature: string; plans: readonly Wanted[] }>();
  private readonly searching = new Budget({ all: 4, each: 1 }, 'searches of what passed');
  private readonly held: Held;
  private readonly rounds: Rounds;
  private forgotten = 0;

  constructor(private readonly parts: TapParts) {
    this.rounds = new Rounds({
      name: 'taps',
      everyMs: parts.lookMs ?? LOOK_MS,
      turn: (signal) => this.look(signal),
      log: parts.log,
    });
    this.held = new Held(parts.databaseUrl, LOCK, 'vondle taps', () => {
      for (const [id, tap] of this.listening) this.leave(id, tap, false);
    });
  }

  start(): void {
    this.rounds.start();
  }

  /** @returns the taps of an environment as far as this process knows */
  of(topologyId: number, environment: string): TapSeen[] {
    const plans = this.known.get(`${topologyId} ${environment}`)?.plans ?? [];
    return plans.map((each) => {
      const tap = this.listening.get(idOf(each));
      return {
        place: each.on,
        broker: each.broker,
        keepMs: each.keepMs,
        body: each.body,
        runs: tap?.why === null,
        why: tap ? tap.why : ELSEWHERE,
        unseen: [...each.unseen],
      };
    });
  }

  /** Finds what passed; that headers or payloads were told is recorded. @throws Problem */
  async find(
    personId: number,
    where: { topologyId: number; environment: string },
    asked: AskedPassed,
    reads: Reads,
  ): Promise<Passed[]> {
    const { db } = this.parts;
    const release = this.searching.take(`person ${personId}`, 1);
    try {
      const found = await passedIn(db, where, asked, reads !== 'nothing');
      const bodies = found.filter(({ headers, body }) => headers !== null || body !== null).length;
      if (bodies)
        await record(db, 'read messages', {
          personId,
          topologyId: where.topologyId,
          details: { environment: where.environment, passed: found.length, bodies },
        });
      return found;
    } finally {
      release();
    }
  }

  async close(): Promise<void> {
    await this.rounds.close();
    for (const [id, tap] of this.listening) this.leave(id, tap, false);
    await Promise.all(this.leaving.values());
    await this.held.close();
  }

  /** Ends a tap without waiting for it; until it has ended, nothing else listens at its place. */
  private leave(id: string, tap: Tap, forGood: boolean): void {
    this.listening.delete(id);
    const over = tap.close(forGood).finally(() => this.leaving.delete(id));
    this.leaving.set(id, over);
  }

  get health(): RoundHealth {
    return this.rounds.health;
  }

  private async look(signal: AbortSignal): Promise<void> {
    const { db, work } = this.parts;
    const wanted = new Map<string, Wanted>();
    const seen = new Set<string>();
    for (const stands of await environmentsStanding(db)) {
      const { topologyId, environment } = stands;
      const key = `${topologyId} ${environment}`;
      seen.add(key);
      const signature = JSON.stringify(stands);
      let known = this.known.get(key);
      if (known?.signature !== signature)
        known = {
          signature,
          plans: (await work.run('tapsThere', stands)).map((each) => ({ ...each, topologyId, environment })),
        };
      this.known.set(key, known);
      for (const each of known.plans) wanted.set(idOf(each), each);
    }
    for (const key of this.known.keys()) if (!seen.has(key)) this.known.delete(key);
    for (const [id, tap] of this.listening) {
      const now = wanted.get(id);
      if (now && JSON.stringify(now) === JSON.stringify(tap.wanted)) continue;
      this.leave(id, tap, !now);
    }
    await this.held.keepOnly({ has: (id) => id === 'forget' || wanted.has(id) || this.leaving.has(id) });
    for (const [id, each] of wanted) {
      signal.throwIfAborted();
      if (this.rounds.closed || this.listening.has(id) || this.leaving.has(id)) continue;
      if (await this.held.take(id)) this.listening.set(id, new Tap(each, this.parts));
    }
    if (performance.now() - this.forgotten > FORGET_MS && (await this.held.take('forget'))) {
      this.forgotten = performance.now();
      await forgetPassed(db);
    }
  }
}
