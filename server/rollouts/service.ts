/** Rollouts as people ask for them: planned, agreed to, begun, stopped, probed. */
import { inArray } from 'drizzle-orm';
import type { Logger } from 'pino';
import { record, type Database } from '../db/connect.ts';
import { forTheLog, isTaken } from '../db/trouble.ts';
import { named } from '../authorship/store.ts';
import { rollouts } from '../db/schema.ts';
import { openTarget, targetsOf, type Openers } from '../environments/store.ts';
import { Budget } from '../http/budget.ts';
import { forbidden, notFound, Problem } from '../http/problem.ts';
import type { Jobs } from '../jobs/queue.ts';
import { tell } from '../live/changes.ts';
import type { Person } from '../people/store.ts';
import type { ProbeCase } from '@vondle/api';
import { carryOutProbe } from '../probes/carry-out.ts';
import type { ProbeInput } from '../probes/plan.ts';
import type { Reached } from '../targets/reached.ts';
import { brokerTrouble } from '../targets/amqp/trouble.ts';
import type { TopologyRow } from '../topologies/store.ts';
import type { Work } from '../work/pool.ts';
import { Carrying, unheldRollouts, type CarryingParts } from './carrying.ts';
import { mustBeConsented, writersIn } from './consent.ts';
import { changeRollout, insertProbe, type RolloutRow } from './store.ts';
import { beginFollowing, follow, putTogether, togetherWith } from './together.ts';

export interface RolloutSettings {
  /** How long a claim on a rollout holds without being renewed. */
  readonly claimMs: number;
  readonly awayMs: number;
  readonly stepMs: number;
}

export const ROLLOUT_SETTINGS: RolloutSettings = { claimMs: 15_000, awayMs: 300_000, stepMs: 30_000 };

/** Rollouts one process carries out at once. */
const MOST_AT_ONCE = 8;
/** Consent to what stands against a revision needs a sentence. */
const SHORTEST_WORDS = 10;

export class Rollouts {
  private readonly carrying = new Map<number, { readonly one: Carrying; readonly over: Promise<void> }>();
  private readonly planned = new Budget({ all: 16, each: 2 }, 'plans and probes');
  private sweeping: ReturnType<typeof setTimeout> | undefined;
  private sweep: Promise<void> = Promise.resolve();
  private ended = false;
  private readonly parts: CarryingParts;

  constructor(
    private readonly db: Database,
    private readonly openers: Openers,
    private readonly work: Work,
    private readonly log: Logger,
    /** Where to give what takes long; without it this process does it itself. */
    private readonly jobs: Jobs | undefined,
    settings: RolloutSettings = ROLLOUT_SETTINGS,
  ) {
    const { claimMs, awayMs, stepMs } = settings;
    this.parts = { db, openers, work, log, claims: { holdMs: claimMs }, awayMs, stepMs };
  }

  /** Begins to look for rollouts that nobody carries out: those left by a process that died, and those nobody came for. */
  start(): void {
    const next = () => {
      this.sweep = this.sweepOnce().catch((error: unknown) =>
        this.log.debug({ err: forTheLog(error) }, 'looking for rollouts'),
      );
      void this.sweep.then(() => {
        if (!this.ended) this.sweeping = setTimeout(next, this.parts.claims.holdMs / 5);
      });
    };
    next();
  }

  private async sweepOnce(): Promise<void> {
    const room = MOST_AT_ONCE - this.carrying.size;
    if (room <= 0 || this.ended) return;
    await beginFollowing(this.db, this.work);
    for (const id of await unheldRollouts(this.db, room)) void this.carry(id);
  }

  /** Begins what was to wait for a rollout that is over now. */
  private async beginFollowing(): Promise<void> {
    if (this.ended) return;
    const begun = await beginFollowing(this.db, this.work).catch((error: unknown) => {
      // found at the next look
      this.log.debug({ err: forTheLog(error) }, 'beginning what follows a rollout');
      return [];
    });
    for (const id of begun) void this.carry(id);
  }

  /** How many rollouts this process carries out now. */
  get carriedNow(): number {
    return this.carrying.size;
  }

  /** Carries a rollout out in this process, unless another has it. Resolves when it is over here. */
  carry(id: number): Promise<void> {
    const known = this.carrying.get(id);
    if (known) return known.over;
    if (this.ended || this.carrying.size >= MOST_AT_ONCE) return Promise.resolve();
    const one = new Carrying(this.parts, id);
    const over = one
      .run()
      .catch((error: unknown) =>
        this.log.error({ rollout: id, err: forTheLog(error) }, 'a rollout could not be carried on'),
      )
      .finally(() => this.carrying.delete(id))
      .then(() => this.beginFollowing());
    this.carrying.set(id, { one, over });
    return over;
  }

  /**
   * Lists the steps that make a target as a revision says, or that take away all that was made there.
   * @returns the rollout's id
   */
  async plan(
    topology: TopologyRow,
    person: Person,
    { targetId, wanted }: { readonly targetId: number; readonly wanted: number | 'tear down' },
  ): Promise<number> {
    const release = this.planned.take(`person ${person.id}`, 1);
    try {
      return await this.work.run('plan', {
        topologyId: topology.id,
        personId: person.id,
        wanted,
        targetId,
      });
    } finally {
      release();
    }
  }

  /**
   * The same for every broker that is connected in an environment, to be carried out one after the other. From one that
   * the revision does not declare all that was made there is taken away.
   * @returns the id of the first
   */
  async planAll(
    topology: TopologyRow,
    person: Person,
    { environment, wanted }: { readonly environment: string; readonly wanted: number | 'tear down' },
  ): Promise<number> {
    const targets = (await targetsOf(this.db, topology.id)).filter(
      (each) => each.environment === environment,
    );
    const ids: number[] = [];
    const planOne = async (targetId: number, what: number | 'tear down') => {
      try {
        ids.push(await this.plan(topology, person, { targetId, wanted: what }));
      } catch (error) {
        const title = error instanceof Problem ? error.title : undefined;
        if (title === 'No such broker' && what !== 'tear down') await planOne(targetId, 'tear down');
        // where nothing of it stands there is nothing to do
        else if (title !== 'Nothing to take away') throw error;
      }
    };
    try {
      for (const { id } of targets) await planOne(id, wanted);
      await this.db.transaction((tx) => putTogether(tx, ids));
    } catch (error) {
      // of several that belong together some are no plan
      if (ids.length) await this.db.delete(rollouts).where(inArray(rollouts.id, ids));
      throw error;
    }
    const [first] = ids;
    if (first === undefined)
      throw new Problem(
        409,
        targets.length ? 'Nothing to do' : 'Nothing connected',
        targets.length
          ? `Nothing of this topology stands in ${environment}.`
          : `No broker is connected in ${environment}.`,
      );
    return first;
  }

  /**
   * An approver's consent to a rollout in a protected environment.
   * @throws Problem unless they neither wrote the revision nor are the one who will start it
   */
  async consent(topology: TopologyRow, person: Person, rollout: RolloutRow, words: string): Promise<void> {
    if (!rollout.needsConsent)
      throw new Problem(
        409,
        'Not needed',
        `${rollout.environment} is not protected; this rollout needs no consent.`,
      );
    for (const each of await togetherWith(this.db, rollout)) {
      const writers = await writersIn(this.db, each);
      if (writers.some(({ id }) => id === person.id))
        throw forbidden(
          `You wrote part of what this brings, as ${writers.length === 1 ? 'its only author' : `one of ${named(writers)}`}. Consent is for an approver who did not.`,
        );
    }
    // the consent is to all that were planned together
    const opposed = (await togetherWith(this.db, rollout)).find(({ obstacles }) => obstacles.length > 0);
    if (opposed && words.trim().length < SHORTEST_WORDS)
      throw new Problem(
        409,
        'Needs words',
        `${standsAgainst(opposed)} To consent all the same, say in a sentence why.`,
      );
    await this.db.transaction(async (tx) => {
      const set = { consentBy: person.id, consentWords: words.trim() || null, consentAt: new Date() };
      for (const each of await togetherWith(tx, rollout)) {
        if ((await changeRollout(tx, each.id, 'planned', set)) === undefined) {
          if (each.id === rollout.id) throw notPlanned(rollout);
          continue;
        }
        await record(tx, 'consent to rollout', {
          personId: person.id,
          topologyId: topology.id,
          details: { rollout: each.id, words: words.trim() },
        });
        await tell(tx, 'rollout', each.id);
      }
    });
  }

  /**
   * Begins carrying a planned rollout out; it goes on after this returns.
   * @param agreed how many waiting messages the person agrees to have destroyed, and how many takers to have cut off,
   *   all together
   */
  async apply(
    topology: TopologyRow,
    person: Person,
    rollout: RolloutRow,
    { destroys = 0, cutsOff = 0 }: { destroys?: number; cutsOff?: number } = {},
  ): Promise<void> {
    if (rollout.state !== 'planned') throw notPlanned(rollout);
    await mustBeConsented(this.db, rollout, person.id, against(rollout));
    // those that were planned together and come after it follow by themselves
    const following = (await togetherWith(this.db, rollout)).filter(
      ({ id, state }) => id > rollout.id && state === 'planned',
    );
    for (const each of following) await mustBeConsented(this.db, each, person.id, against(each));
    const all = [rollout, ...following].flatMap((each) => each.destroys);
    const waiting = all.reduce((sum, { messages }) => sum + messages, 0);
    if (waiting !== destroys && waiting > 0)
      throw new Problem(
        409,
        'Destroys messages',
        `This destroys ${waiting} ${waiting === 1 ? 'message' : 'messages'} in ${all
          .filter(({ messages }) => messages)
          .map(({ queue, messages }) => `${queue} (${messages})`)
          .slice(0, 20)
          .join(', ')}. To agree, send their number as \`destroys\`.`,
        { destroys: waiting },
      );
    const takers = all.reduce((sum, each) => sum + each.takers, 0);
    if (takers !== cutsOff && takers > 0)
      throw new Problem(
        409,
        'Cuts takers off',
        `This cuts off ${takers} ${takers === 1 ? 'taker' : 'takers'} of ${all
          .filter((each) => each.takers)
          .map((each) => `${each.queue} (${each.takers})`)
          .slice(0, 20)
          .join(', ')}. To agree, send their number as \`cutsOff\`.`,
        { cutsOff: takers },
      );
    const release = this.planned.take(`person ${person.id}`, 1);
    try {
      await this.work.run('lookAgain', { rolloutId: rollout.id });
    } finally {
      release();
    }
    await this.db
      .transaction(async (tx) => {
        const set = {
          state: 'applying' as const,
          startedBy: person.id,
          claimedBy: null,
          claimedUntil: null,
          stopAsked: false,
          startsAfter: null,
          error: null,
        };
        if ((await changeRollout(tx, rollout.id, 'planned', set)) === undefined) throw notPlanned(rollout);
        await follow(
          tx,
          rollout.id,
          following.map(({ id }) => id),
          person.id,
        );
        await record(tx, 'apply rollout', {
          personId: person.id,
          topologyId: topology.id,
          details: {
            rollout: rollout.id,
            ...(following.length ? { then: following.map(({ id }) => id) } : {}),
            ...(waiting ? { destroys: waiting } : {}),
            ...(takers ? { cutsOff: takers } : {}),
          },
        });
        await tell(tx, 'rollout', rollout.id);
      })
      .catch((error: unknown) => {
        if (isTaken(error, 'rollouts_one_at_a_time'))
          throw new Problem(
            409,
            'Busy',
            `Another rollout is being carried out on this broker: ${rollout.broker} in ${rollout.environment}, or whatever else leads there.`,
          );
        throw error;
      });
    // where the queue is away, somebody finds it when they look for what nobody carries out
    if (this.jobs) await this.jobs.carryOut(rollout.id).catch(() => {});
    else void this.carry(rollout.id);
  }

  /** Asks whichever process carries a rollout out to stop after the step it is at. */
  async stop(topology: TopologyRow, person: Person, rollout: RolloutRow): Promise<void> {
    await this.db.transaction(async (tx) => {
      if ((await changeRollout(tx, rollout.id, 'applying', { stopAsked: true })) === undefined)
        throw new Problem(409, 'Not running', 'This rollout is not being carried out.');
      await record(tx, 'stop rollout', {
        personId: person.id,
        topologyId: topology.id,
        details: { rollout: rollout.id },
      });
      await tell(tx, 'rollout', rollout.id);
    });
    // here at once; elsewhere it is heard when the claim is renewed
    this.carrying.get(rollout.id)?.one.stop();
  }

  /** @returns the messages of a set of probes that enter a rollout's broker */
  async probeSet(
    person: Person,
    rollout: RolloutRow,
    of: 'samples' | 'classes',
  ): Promise<{ cases: ProbeCase[]; more: number }> {
    const release = this.planned.take(`person ${person.id}`, 1);
    try {
      return await this.work.run('probeSet', { rolloutId: rollout.id, of });
    } finally {
      release();
    }
  }

  /** Publishes a real message on the target and compares where it lands with the trace. @returns the probe's number */
  async probe(
    topology: TopologyRow,
    person: Person,
    rollout: RolloutRow,
    input: ProbeInput,
  ): Promise<number> {
    const release = this.planned.take(`person ${person.id}`, 1);
    try {
      const planned = await this.work.run('expectProbe', { rolloutId: rollout.id, input });
      const reached = new Map<number, Reached>();
      for (const { targetId } of planned.taps) {
        const target = await openTarget(this.db, this.openers, topology.id, targetId);
        if (!target) throw notFound('target of this rollout any more');
        reached.set(targetId, target.reached);
      }
      const observed = await carryOutProbe(planned, reached).catch((error: unknown) => {
        throw new Problem(
          502,
          'Probe not sent',
          `${rollout.broker} in ${rollout.environment}: ${brokerTrouble(error).message}`,
        );
      });
      const unseen = [...planned.unseen];
      if (observed.refused)
        for (const queue of planned.mayRefuse)
          unseen.push({ queue, why: 'a queue that refuses messages when it is full refused this one' });
      const predicted = new Map(planned.predicted.queues);
      const agrees = verdict(
        predicted,
        planned.predicted.returned,
        observed,
        new Set(unseen.map(({ queue }) => queue)),
      );
      return await this.db.transaction(async (tx) => {
        const made = await insertProbe(tx, {
          rolloutId: rollout.id,
          sent: planned.sent,
          predicted: { queues: Object.fromEntries(predicted), returned: planned.predicted.returned },
          observed: {
            queues: Object.fromEntries(observed.queues),
            times: Object.fromEntries(observed.times),
            returned: observed.returned,
            refused: observed.refused,
            ...(observed.why === undefined ? {} : { why: observed.why }),
            unseen,
            stays: planned.stays.filter((queue) => (observed.queues.get(queue) ?? 0) > 0),
          },
          agrees,
          before: rollout.state === 'planned',
          createdBy: person.id,
        });
        await record(tx, 'probe', {
          personId: person.id,
          topologyId: topology.id,
          details: { rollout: rollout.id, agrees },
        });
        return made;
      });
    } finally {
      release();
    }
  }

  /** Resolves when nothing is being carried out in this process any more. */
  async idle(): Promise<void> {
    while (this.carrying.size) await Promise.all([...this.carrying.values()].map(({ over }) => over));
  }

  /** Leaves what is being carried out to other processes, and ends. */
  async close(): Promise<void> {
    this.ended = true;
    clearTimeout(this.sweeping);
    await this.sweep;
    for (const { one } of this.carrying.values()) one.leave();
    await this.idle();
  }
}

/**
 * Whether a probe landed where the trace says.
 * @returns true where all was seen and is so, false where anything seen is otherwise, null where nothing
 *   seen is otherwise but not all could be seen
 */
export function verdict(
  predicted: ReadonlyMap<string, number>,
  returned: boolean,
  observed: { queues: ReadonlyMap<string, number>; returned: boolean },
  unseen: ReadonlySet<string>,
): boolean | null {
  for (const name of new Set([...predicted.keys(), ...observed.queues.keys()])) {
    if (unseen.has(name)) continue;
    if ((predicted.get(name) ?? 0) !== (observed.queues.get(name) ?? 0)) return false;
  }
  if (unseen.size) return null;
  return returned === observed.returned;
}

const against = (rollout: RolloutRow) => (rollout.obstacles.length ? ` ${standsAgainst(rollout)}` : '');

function standsAgainst({ obstacles, environment, revision }: RolloutRow): string {
  const count = `${obstacles.length} ${obstacles.length === 1 ? 'thing stands' : 'things stand'}`;
  return `${count} against revision ${revision} in ${environment}. The first: ${obstacles[0]}`;
}

const notPlanned = ({ state }: RolloutRow) =>
  new Problem(
    409,
    'Not planned',
    `This rollout is ${state === 'planned' ? 'being changed' : state}; plan a new one.`,
  );
