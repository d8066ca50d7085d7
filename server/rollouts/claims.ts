/**
 * A claim is a process's time-limited hold on a rollout that it carries out, renewed while it does. When
 * it lapses (the process died, or cannot reach the database), any other process may take it.
 */
import { randomUUID } from 'node:crypto';
import { hostname } from 'node:os';
import { and, eq, sql } from 'drizzle-orm';
import type { Database } from '../db/connect.ts';
import { isAway } from '../db/trouble.ts';
import { rollouts } from '../db/schema.ts';

/** The claim is somebody else's by now, or may be: nothing more may be done under it. */
export class ClaimLost extends Error {
  constructor() {
    super('another process carries this out by now');
  }
}

export interface ClaimTimes {
  /** How long a claim holds without being renewed. */
  readonly holdMs: number;
}

export interface Taken {
  /** Whether somebody had it before: the rollout was begun and left. */
  readonly again: boolean;
}

const holdFor = (ms: number) => sql`now() + ${ms} * interval '1 millisecond'`;

/** One process's hold on one rollout. */
export class Claim {
  /** This hold, told from every other of this or any process. */
  readonly holder = `${hostname().slice(0, 60)}:${process.pid}:${randomUUID()}`;
  private timer: ReturnType<typeof setTimeout> | undefined;
  private heldUntil = 0;
  private ended = false;

  constructor(
    private readonly db: Database,
    private readonly rolloutId: number,
    private readonly times: ClaimTimes,
    /** Told when the hold is lost, so that what is under way is cut off, and when a stop is asked for. */
    private readonly heard: { lost(): void; stop(): void },
  ) {}

  /** Takes the rollout if it is to be carried out and nobody holds it. @returns undefined where somebody does */
  async take(): Promise<Taken | undefined> {
    const asked = performance.now();
    const { rows } = await this.db.execute<{ again: boolean; stop: boolean }>(sql`
      with before as (select id, claimed_by from rollouts where id = ${this.rolloutId} for update)
      update rollouts r set claimed_by = ${this.holder}, claimed_until = ${holdFor(this.times.holdMs)}
      from before
      where r.id = before.id and r.state = 'applying' and (r.claimed_until is null or r.claimed_until < now())
      returning before.claimed_by is not null as again, r.stop_asked as stop`);
    const [taken] = rows;
    if (!taken) return undefined;
    this.heldUntil = asked + this.times.holdMs;
    if (taken.stop) this.heard.stop();
    this.next();
    return { again: taken.again };
  }

  /** @throws ClaimLost when it is not sure any more that the hold is ours */
  mustHold(): void {
    // a little early: what is begun now must have been begun before anybody else may
    if (this.ended || performance.now() > this.heldUntil - this.times.holdMs / 5) throw new ClaimLost();
  }

  private next(): void {
    this.timer = setTimeout(() => void this.renew(), this.times.holdMs / 4);
  }

  /**
   * Says again that the rollout is ours.
   * @returns whether it is, and whether a stop is asked for
   */
  private async holdOn(): Promise<{ held: boolean; stop: boolean }> {
    const asked = performance.now();
    const [row] = await this.db
      .update(rollouts)
      .set({ claimedUntil: holdFor(this.times.holdMs) as never })
      .where(
        and(
          eq(rollouts.id, this.rolloutId),
          eq(rollouts.claimedBy, this.holder),
          eq(rollouts.state, 'applying'),
        ),
      )
      .returning({ stop: rollouts.stopAsked });
    if (row) this.heldUntil = asked + this.times.holdMs;
    return { held: row !== undefined, stop: row?.stop ?? false };
  }

  private async renew(): Promise<void> {
    try {
      const { held, stop } = await this.holdOn();
      if (this.ended) return;
      if (!held) return this.lose();
      if (stop) this.heard.stop();
    } catch (error) {
      if (this.ended) return;
      if (!isAway(error)) return this.lose();
      // the database is away: nobody else can take it either, but when it is back they may be quicker
      if (performance.now() > this.heldUntil) this.heard.lost();
    }
    this.next();
  }

  /**
   * Takes a hold again that may have lapsed while the database was away.
   * @throws ClaimLost when somebody else has it
   */
  async retake(): Promise<void> {
    const { held } = await this.holdOn();
    if (this.ended || !held) throw new ClaimLost();
  }

  private lose(): void {
    this.end();
    this.heard.lost();
  }

  /** Ends the hold here; the row says by its state that it is over. */
  end(): void {
    this.ended = true;
    clearTimeout(this.timer);
  }

  /** Gives the rollout to whoever comes first, at once: this process is about to end. */
  async letGo(): Promise<void> {
    this.end();
    await this.db
      .update(rollouts)
      .set({ claimedUntil: null })
      .where(and(eq(rollouts.id, this.rolloutId), eq(rollouts.claimedBy, this.holder)));
  }
}
