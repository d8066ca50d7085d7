/**
 * Carrying one rollout out, from wherever it stands: each step is noted before and after, and whatever
 * falls meanwhile (the broker, the database, this process), it goes on from what the broker really has.
 */
import { setTimeout as pause } from 'node:timers/promises';
import type { Step } from '@vondle/core/analysis';
import { and, eq, sql } from 'drizzle-orm';
import type { Logger } from 'pino';
import { record, whenReached, type Database } from '../db/connect.ts';
import { forTheLog } from '../db/trouble.ts';
import type { RolloutState } from '@vondle/api';
import { rollouts } from '../db/schema.ts';
import { openTarget, type Openers } from '../environments/store.ts';
import { Problem } from '../http/problem.ts';
import { tell } from '../live/changes.ts';
import { brokerTrouble, BrokerTrouble } from '../targets/amqp/trouble.ts';
import type { Runner } from '../targets/reached.ts';
import type { Work } from '../work/pool.ts';
import { Claim, ClaimLost, type ClaimTimes } from './claims.ts';
import {
  changeRollout,
  markSteps,
  rolloutOf,
  stepsToDo,
  topologyOf,
  type RolloutRow,
  type StepRow,
} from './store.ts';

export interface CarryingParts {
  readonly db: Database;
  readonly openers: Openers;
  readonly work: Pick<Work, 'run'>;
  readonly log: Logger;
  readonly claims: ClaimTimes;
  /** How long a broker that is away is waited for before the rollout fails. */
  readonly awayMs: number;
  /** How long one step may take. */
  readonly stepMs: number;
}

/** Milliseconds before something is tried again, the first time and at most. */
const FIRST_WAIT_MS = 200;
const LONGEST_WAIT_MS = 5000;
/** Steps loaded at once. */
const PAGE = 200;
/** Who watches is told at most so often. */
const TELL_MS = 100;
/** So many steps that only add are noted together at most, and what was done of them after so long. */
const MOST_TOGETHER = 200;
const NOTE_MS = 250;

/** What is to be noted of a step. */
interface Mark {
  readonly position: number;
  readonly state: StepRow['state'];
  readonly said?: string | null;
  readonly error?: string;
}
/** After a stop is asked for, the step at hand has this long before the connection is closed. */
const STOP_MS = 3000;

/** Stop was asked for. */
class Stopped extends Error {}

export class Carrying {
  private readonly claim: Claim;
  private runner: Runner | undefined;
  private stopping = false;
  private leaving = false;
  private lost = false;
  private told = 0;
  private readonly awake = new AbortController();

  constructor(
    private readonly parts: CarryingParts,
    private readonly rolloutId: number,
  ) {
    this.claim = new Claim(parts.db, rolloutId, parts.claims, {
      lost: () => {
        this.lost = true;
        this.runner?.abort();
        this.awake.abort();
      },
      stop: () => this.stop(),
    });
  }

  /** Ends soon: after the step at hand, or with the connection when that takes long. */
  stop(): void {
    if (this.stopping) return;
    this.stopping = true;
    this.awake.abort();
    setTimeout(() => this.runner?.abort(), STOP_MS).unref();
  }

  /** Gives up the hold after the step at hand, for another process to go on: this one is ending. */
  leave(): void {
    this.leaving = true;
    this.awake.abort();
    setTimeout(() => this.runner?.abort(), STOP_MS).unref();
  }

  /** Carries the rollout out if nobody else does. Resolves when it is over, or is not ours any more. */
  async run(): Promise<void> {
    const { log } = this.parts;
    const taken = await whenReached(() => this.claim.take());
    if (!taken) return;
    const rollout = await this.reach(() => this.row());
    if (taken.again) log.warn({ rollout: this.rolloutId }, 'a rollout that was left is taken over');
    try {
      await this.carryOut(rollout, taken.again);
    } catch (error) {
      if (this.leaving) return void (await this.claim.letGo().catch(() => {}));
      if (error instanceof ClaimLost || this.lost) return;
      if (error instanceof Stopped)
        await this.finish('stopped', { error: 'Stopped on request; plan again to go on from here.' });
      else {
        const words =
          error instanceof Problem
            ? error.detail
            : error instanceof BrokerTrouble
              ? error.message
              : undefined;
        if (words === undefined)
          log.error({ rollout: this.rolloutId, err: forTheLog(error) }, 'rollout failed');
        await this.finish('failed', {
          error: words ?? 'The server could not go on; its log says why. Plan again to go on from here.',
        });
      }
    } finally {
      this.claim.end();
      await this.runner?.close().catch(() => {});
    }
  }

  private async row(): Promise<RolloutRow> {
    const { db } = this.parts;
    const [found] = await db
      .select({ topologyId: rollouts.topologyId })
      .from(rollouts)
      .where(eq(rollouts.id, this.rolloutId));
    const row = found && (await rolloutOf(db, found.topologyId, this.rolloutId));
    if (!row) throw new ClaimLost();
    return row;
  }

  private async carryOut(rollout: RolloutRow, left: boolean): Promise<void> {
    const { log } = this.parts;
    let unsure = left;
    let repaired = false;
    let tried = false;
    let awaySince: number | undefined;
    for (let wait = FIRST_WAIT_MS; ;) {
      try {
        this.mustGoOn();
        if (unsure) {
          const found = await this.compute(() =>
            this.parts.work.run('goOn', { rolloutId: this.rolloutId, claimedBy: this.claim.holder }),
          );
          log.info({ rollout: this.rolloutId, found }, 'went on from what the broker has');
        }
        if (!this.runner) await this.open(rollout);
        if (!tried) {
          await this.runner!.tidy();
          await this.tryOut();
          tried = true;
        }
        await this.steps(rollout);
        const { left: differs, added } = await this.compute(() =>
          this.parts.work.run('readBack', { rolloutId: this.rolloutId, repair: unsure && !repaired }),
        );
        if (added) {
          repaired = true;
          continue;
        }
        await this.finish('applied', {
          verified: differs.length === 0,
          error: differs.length ? `The broker still differs: ${differs.join('; ')}` : null,
        });
        log.info({ rollout: this.rolloutId, verified: differs.length === 0 }, 'rollout applied');
        return;
      } catch (error) {
        const away = this.isAway(error);
        if (!away) throw error;
        this.runner?.abort();
        this.runner = undefined;
        this.mustGoOn();
        unsure = true;
        awaySince ??= performance.now();
        // once there was an answer in between, it counts anew
        if (this.progressed) awaySince = performance.now();
        this.progressed = false;
        if (performance.now() - awaySince > this.parts.awayMs) throw this.openStep ?? error;
        await this.note(`${rollout.broker} in ${rollout.environment}: ${away}; trying again`);
        await pause(wait, undefined, { signal: this.awake.signal }).catch(() => {});
        wait = Math.min(2 * wait, LONGEST_WAIT_MS);
      }
    }
  }

  private progressed = false;
  /** The step that got no answer, of which nothing else was heard since. */
  private openStep: BrokerTrouble | undefined;

  /** @returns in words why the broker cannot be worked with now, if it may pass */
  private isAway(error: unknown): string | undefined {
    if (error instanceof BrokerTrouble && error.mayPass) return error.message;
    // told by a thread that looked at the broker
    if (error instanceof Problem && error.status === 502) return 'the broker cannot be reached';
    return undefined;
  }

  private async open(rollout: RolloutRow): Promise<void> {
    const { db, openers, stepMs } = this.parts;
    const target =
      rollout.targetId === null
        ? undefined
        : await this.reach(() => openTarget(db, openers, rollout.topologyId, rollout.targetId!));
    if (!target) throw new Problem(409, 'No target', 'The target of this rollout was removed.');
    this.runner = await target.reached.open(stepMs);
    this.mustGoOn();
    await this.note(null);
  }

  /** Before anything is taken away to be made anew, that it can be made is tried. */
  private async tryOut(): Promise<void> {
    for (let after = -1; ;) {
      const page = await this.reach(() => stepsToDo(this.parts.db, this.rolloutId, after, PAGE));
      const last = page.at(-1);
      if (!last) return;
      after = last.position;
      await this.runner!.tryOut(page.map(({ step }) => step));
    }
  }

  private async steps(rollout: RolloutRow): Promise<void> {
    const agreed = new Map(rollout.destroys.map(({ queue, messages }) => [queue, messages]));
    for (let after = -1; ;) {
      const page = await this.reach(() => stepsToDo(this.parts.db, this.rolloutId, after, PAGE));
      if (page.length === 0) break;
      let ended: Mark[] = [];
      for (const group of groupsOf(page)) {
        // one note for the end of some and the beginning of the next
        await this.mark([...ended, ...group.map(({ position }): Mark => ({ position, state: 'running' }))]);
        ended = await this.group(group, agreed);
      }
      await this.mark(ended);
      after = page.at(-1)!.position;
    }
    await this.reach(() => tell(this.parts.db, 'rollout', this.rolloutId));
  }

  /** Carries out steps that are noted together. @returns what is to be noted of them */
  private async group(group: readonly StepRow[], agreed: ReadonlyMap<string, number>): Promise<Mark[]> {
    let ended: Mark[] = [];
    let noted = performance.now();
    for (const [i, each] of group.entries()) {
      let begun = false;
      try {
        this.mustGoOn();
        this.claim.mustHold();
        begun = true;
        const said = await this.step(each, agreed);
        ended.push({ position: each.position, state: 'done', said });
      } catch (error) {
        const rest = group
          .slice(begun ? i + 1 : i)
          .map(({ position }): Mark => ({ position, state: 'pending' }));
        if (!this.lost) await this.mark([...ended, ...rest]);
        throw error;
      }
      if (performance.now() - noted > NOTE_MS && i + 1 < group.length) {
        await this.mark(ended);
        ended = [];
        noted = performance.now();
      }
    }
    return ended;
  }

  private async step(
    { position, step }: StepRow,
    agreed: ReadonlyMap<string, number>,
  ): Promise<string | null> {
    try {
      const said = await this.runner!.run(step, agreedFor(step, agreed));
      this.progressed = true;
      this.openStep = undefined;
      return said;
    } catch (error) {
      const trouble = brokerTrouble(error);
      if (this.lost) throw new ClaimLost();
      const heard = trouble.kind === 'refused';
      const words = heard ? trouble.message : `${trouble.message}; whether the broker did it is not known`;
      await this.mark([{ position, state: heard ? 'failed' : 'unknown', error: words }]);
      if (this.stopping) throw new Stopped();
      if (this.leaving) throw trouble;
      // named as the step that it was
      const named = (said: string) => new BrokerTrouble(trouble.kind, trouble.more, `${step.title}: ${said}`);
      if (heard) throw named(words);
      if (trouble.kind === 'slow') this.openStep = named(`${trouble.message}, however often it was asked`);
      throw trouble;
    }
  }

  private async mark(states: readonly Mark[]): Promise<void> {
    if (states.length === 0) return;
    const telling = performance.now() - this.told > TELL_MS;
    if (telling) this.told = performance.now();
    await this.reach(() =>
      this.parts.db.transaction(async (tx) => {
        const change = await changeRollout(tx, this.rolloutId, 'applying', {}, this.claim.holder);
        if (change === undefined) throw new ClaimLost();
        for (const { positions, state, said, error } of together(states))
          await markSteps(tx, this.rolloutId, positions, { state, said, error, change });
        if (telling) await tell(tx, 'rollout', this.rolloutId);
      }),
    );
  }

  private async note(note: string | null): Promise<void> {
    await this.reach(async () => {
      const change = await changeRollout(
        this.parts.db,
        this.rolloutId,
        'applying',
        { note },
        this.claim.holder,
      );
      if (change === undefined) throw new ClaimLost();
      await tell(this.parts.db, 'rollout', this.rolloutId);
    });
  }

  private async finish(
    state: RolloutState,
    set: { error: string | null; verified?: boolean },
  ): Promise<void> {
    await this.reach(() =>
      this.parts.db.transaction(async (tx) => {
        const change = await changeRollout(
          tx,
          this.rolloutId,
          'applying',
          { state, note: null, ...set },
          this.claim.holder,
        );
        if (change === undefined) return;
        const topologyId = await topologyOf(tx, this.rolloutId);
        await record(tx, 'end rollout', {
          topologyId,
          details: { rollout: this.rolloutId, state, verified: set.verified ?? null },
        });
        await tell(tx, 'rollout', this.rolloutId);
        // where its environment stands may be another revision now
        await tell(tx, 'topology', topologyId);
      }),
    );
    this.claim.end();
  }

  private mustGoOn(): void {
    if (this.lost) throw new ClaimLost();
    if (this.stopping) throw new Stopped();
    if (this.leaving) throw new ClaimLost();
  }

  /**
   * Does a task on a thread, which says with 503 that the database is away or that too much is being done already. It is
   * asked again after a pause, for as long as a broker that is away is waited for, and unless a stop is asked for.
   */
  private async compute<T>(task: () => Promise<T>): Promise<T> {
    const began = performance.now();
    for (let wait = FIRST_WAIT_MS; ; wait = Math.min(2 * wait, LONGEST_WAIT_MS)) {
      try {
        return await this.reach(task);
      } catch (error) {
        if (!(error instanceof Problem && error.status === 503)) throw error;
        if (performance.now() - began > this.parts.awayMs)
          throw new Problem(503, error.title, `${error.detail} It was tried again and again.`);
      }
      if (this.stopping || this.leaving) this.mustGoOn();
      await pause(wait, undefined, { signal: this.awake.signal }).catch(() => {});
      await this.reach(() => this.claim.retake());
      this.lost = false;
      this.mustGoOn();
    }
  }

  /** Does something that needs the database, however long that is away; afterwards the hold is made sure of. */
  private async reach<T>(work: () => Promise<T>): Promise<T> {
    let wasAway = false;
    const result = await whenReached(
      async () => {
        if (wasAway) await this.claim.retake();
        return work();
      },
      () => {
        wasAway = true;
        if (this.leaving) throw new ClaimLost();
      },
    );
    if (wasAway) this.lost = false;
    return result;
  }
}

/** @returns steps in groups that are noted together: those that only add, and each other by itself */
function groupsOf(page: readonly StepRow[]): StepRow[][] {
  const groups: StepRow[][] = [];
  const adds = ({ step }: StepRow) =>
    step.do === 'bind' || step.do === 'declare queue' || step.do === 'declare exchange';
  for (const each of page) {
    const last = groups.at(-1);
    if (last && last.length < MOST_TOGETHER && adds(last[0]!) && adds(each)) last.push(each);
    else groups.push([each]);
  }
  return groups;
}

/** @returns marks that say the same, as one each */
function together(marks: readonly Mark[]) {
  const found = new Map<
    string,
    { positions: number[]; state: StepRow['state']; said: string | null; error: string | null }
  >();
  for (const { position, state, said = null, error = null } of marks) {
    const id = JSON.stringify([state, said, error]);
    const known = found.get(id);
    if (known) known.positions.push(position);
    else found.set(id, { positions: [position], state, said, error });
  }
  return found.values();
}

function agreedFor(step: Step, agreed: ReadonlyMap<string, number>): number {
  if ('thing' in step) return agreed.get(step.thing.name) ?? 0;
  return step.do === 'replace queue' || step.do === 'delete queue' ? (agreed.get(step.queue.name) ?? 0) : 0;
}

/** @returns the rollouts that are to be carried out and that nobody holds, oldest first */
export async function unheldRollouts(db: Database, most: number): Promise<number[]> {
  const rows = await db
    .select({ id: rollouts.id })
    .from(rollouts)
    .where(
      and(
        eq(rollouts.state, 'applying'),
        sql`(${rollouts.claimedUntil} is null or ${rollouts.claimedUntil} < now())`,
      ),
    )
    .orderBy(rollouts.id)
    .limit(most);
  return rows.map(({ id }) => id);
}
