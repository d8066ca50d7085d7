import type { Step } from '@vondle/core/analysis';
import type { Span } from '@vondle/core/base';
import { and, asc, desc, eq, gt, inArray, max, sql } from 'drizzle-orm';
import type { AnyPgColumn } from 'drizzle-orm/pg-core';
import type { Database, Transaction } from '../db/connect.ts';
import type { RolloutState } from '@vondle/api';
import { people, probes, rollouts, rolloutSteps, type StepState } from '../db/schema.ts';

/** The name of a person that a column names. */
const nameOf = (column: AnyPgColumn) =>
  sql<string | null>`(select p.name from people p where p.id = ${column})`;

const columns = {
  id: rollouts.id,
  topologyId: rollouts.topologyId,
  targetId: rollouts.targetId,
  environment: rollouts.environment,
  broker: rollouts.broker,
  revision: rollouts.revision,
  tearsDown: rollouts.tearsDown,
  together: rollouts.together,
  startsAfter: rollouts.startsAfter,
  state: rollouts.state,
  change: rollouts.change,
  kept: rollouts.kept,
  leftToOthers: rollouts.leftToOthers,
  inPlace: rollouts.inPlace,
  destroys: rollouts.destroys,
  windows: rollouts.windows,
  unproved: rollouts.unproved,
  note: rollouts.note,
  /** Of one that is only planned: as its environment is protected now. */
  needsConsent: sql<boolean>`(${rollouts.needsConsent} or ${rollouts.state} = 'planned' and exists (
    select 1 from protections e where e.topology_id = ${rollouts.topologyId} and e.environment = ${rollouts.environment}))`,
  obstacles: rollouts.obstacles,
  /** Of one that is only planned: while they still are an approver. */
  consentBy: sql<string | null>`(select p.name from people p where p.id = ${rollouts.consentBy} and (
    ${rollouts.state} <> 'planned' or exists (select 1 from members m where m.topology_id = ${rollouts.topologyId}
      and m.person_id = p.id and m.role in ('approver', 'owner'))))`,
  consentWords: rollouts.consentWords,
  startedBy: nameOf(rollouts.startedBy),
  stopAsked: rollouts.stopAsked,
  verified: rollouts.verified,
  error: rollouts.error,
  by: people.name,
  createdAt: rollouts.createdAt,
  finishedAt: rollouts.finishedAt,
};

const selectRollouts = (db: Transaction) =>
  db.select(columns).from(rollouts).innerJoin(people, eq(people.id, rollouts.createdBy));

export type RolloutRow = Awaited<ReturnType<typeof selectRollouts>>[number];

/** A list does not carry what may be long; whoever wants it asks for the one. */
export type RolloutEntry = Omit<
  RolloutRow,
  'kept' | 'leftToOthers' | 'obstacles' | 'destroys' | 'windows' | 'unproved'
>;

/** @returns the newest hundred rollouts of a topology, newest first. */
export async function rolloutsOf(db: Database, topologyId: number): Promise<RolloutEntry[]> {
  const rows = await selectRollouts(db)
    .where(eq(rollouts.topologyId, topologyId))
    .orderBy(desc(rollouts.id))
    .limit(100);
  return rows.map(
    ({
      kept: _kept,
      leftToOthers: _left,
      obstacles: _obstacles,
      destroys: _destroys,
      windows: _windows,
      unproved: _unproved,
      ...row
    }) => row,
  );
}

export async function rolloutOf(
  db: Transaction,
  topologyId: number,
  id: number,
): Promise<RolloutRow | undefined> {
  const [found] = await selectRollouts(db).where(
    and(eq(rollouts.id, id), eq(rollouts.topologyId, topologyId)),
  );
  return found;
}

const stepColumns = {
  position: rolloutSteps.position,
  step: rolloutSteps.step,
  state: rolloutSteps.state,
  error: rolloutSteps.error,
  said: rolloutSteps.said,
};

export type StepRow = {
  position: number;
  step: Step;
  state: StepState;
  error: string | null;
  said: string | null;
};

/** What is sent of a step: what it does in a line, what of, and where the text asks for it. */
const shortColumns = {
  position: rolloutSteps.position,
  title: sql<string>`${rolloutSteps.step} ->> 'title'`,
  risk: sql<Step['risk']>`${rolloutSteps.step} ->> 'risk'`,
  destroys: sql<string | null>`${rolloutSteps.step} ->> 'destroys'`,
  inverse: sql<string | null>`${rolloutSteps.step} ->> 'inverse'`,
  settings: sql<Record<
    string,
    unknown
  > | null>`coalesce(${rolloutSteps.step} -> 'queue', ${rolloutSteps.step} -> 'exchange',
    ${rolloutSteps.step} -> 'binding', ${rolloutSteps.step} -> 'thing', ${rolloutSteps.step} -> 'rights')`,
  place: sql<Span | null>`${rolloutSteps.step} -> 'place'`,
  state: rolloutSteps.state,
  error: rolloutSteps.error,
  said: rolloutSteps.said,
};

/** Steps given at once. */
export const STEPS_A_PAGE = 1000;

/** @returns steps in a line each, from a position on, a page of them */
export function stepLines(db: Transaction, rolloutId: number, from: number) {
  return db
    .select(shortColumns)
    .from(rolloutSteps)
    .where(and(eq(rolloutSteps.rolloutId, rolloutId), gt(rolloutSteps.position, from - 1)))
    .orderBy(asc(rolloutSteps.position))
    .limit(STEPS_A_PAGE);
}

/** @returns the steps that changed after a change of their rollout, oldest change first, a page of them */
export function stepsChangedAfter(db: Transaction, rolloutId: number, change: number) {
  return db
    .select({ ...shortColumns, change: rolloutSteps.change })
    .from(rolloutSteps)
    .where(and(eq(rolloutSteps.rolloutId, rolloutId), gt(rolloutSteps.change, change)))
    .orderBy(asc(rolloutSteps.change), asc(rolloutSteps.position))
    .limit(STEPS_A_PAGE);
}

/** @returns the next steps that are not done, whole, a few of them */
export function stepsToDo(
  db: Transaction,
  rolloutId: number,
  after: number,
  most: number,
): Promise<StepRow[]> {
  return db
    .select(stepColumns)
    .from(rolloutSteps)
    .where(
      and(
        eq(rolloutSteps.rolloutId, rolloutId),
        gt(rolloutSteps.position, after),
        inArray(rolloutSteps.state, ['pending', 'running', 'unknown']),
      ),
    )
    .orderBy(asc(rolloutSteps.position))
    .limit(most);
}

/** @returns how many steps a rollout has, and how many of them are done. */
export async function countSteps(db: Transaction, rolloutId: number): Promise<{ all: number; done: number }> {
  const [counted] = await db
    .select({
      all: sql<number>`count(*)::int`,
      done: sql<number>`(count(*) filter (where ${rolloutSteps.state} = 'done'))::int`,
    })
    .from(rolloutSteps)
    .where(eq(rolloutSteps.rolloutId, rolloutId));
  return counted!;
}

/**
 * @param only one of them, by its number
 * @returns the newest four hundred probes of a rollout, newest first
 */
export function probesOf(db: Database, rolloutId: number, only?: number) {
  return db
    .select({
      id: probes.id,
      sent: probes.sent,
      predicted: probes.predicted,
      observed: probes.observed,
      agrees: probes.agrees,
      before: probes.before,
      createdAt: probes.createdAt,
    })
    .from(probes)
    .where(and(eq(probes.rolloutId, rolloutId), ...(only === undefined ? [] : [eq(probes.id, only)])))
    .orderBy(desc(probes.id))
    .limit(400);
}

/** A statement takes at most 65,535 parameters; a step has six. */
const STEPS_A_STATEMENT = 1000;

/** Writes steps behind those that are there. */
export async function insertSteps(
  tx: Transaction,
  rolloutId: number,
  steps: readonly Step[],
  first: number,
  change: number,
): Promise<void> {
  for (let at = 0; at < steps.length; at += STEPS_A_STATEMENT)
    await tx.insert(rolloutSteps).values(
      steps.slice(at, at + STEPS_A_STATEMENT).map((step, i) => ({
        rolloutId,
        position: first + at + i,
        step,
        change,
        state: 'pending' as const,
      })),
    );
}

/** Writes a planned rollout with its steps. @returns its id */
export async function insertRollout(
  tx: Transaction,
  rollout: Omit<typeof rollouts.$inferInsert, 'state'>,
  steps: readonly Step[],
): Promise<number> {
  const [made] = await tx
    .insert(rollouts)
    .values({ ...rollout, state: 'planned' })
    .returning({ id: rollouts.id });
  await insertSteps(tx, made!.id, steps, 0, 0);
  return made!.id;
}

/** Changes a rollout that is in a state, and counts the change. @returns the count, or undefined when it was not in that state any more */
export async function changeRollout(
  tx: Transaction,
  id: number,
  from: RolloutState,
  set: Partial<Omit<typeof rollouts.$inferInsert, 'change'>>,
  claimedBy?: string,
): Promise<number | undefined> {
  const ended =
    set.state !== undefined && set.state !== 'applying' ? { finishedAt: new Date(), claimedUntil: null } : {};
  const [changed] = await tx
    .update(rollouts)
    .set({ ...set, ...ended, change: sql`${rollouts.change} + 1` })
    .where(
      and(
        eq(rollouts.id, id),
        eq(rollouts.state, from),
        ...(claimedBy === undefined ? [] : [eq(rollouts.claimedBy, claimedBy)]),
      ),
    )
    .returning({ change: rollouts.change });
  return changed?.change;
}

/** Notes of some steps, all alike, where they stand. */
export async function markSteps(
  tx: Transaction,
  rolloutId: number,
  positions: readonly number[],
  set: { state: StepState; error?: string | null; said?: string | null; change: number },
): Promise<void> {
  const ended = set.state === 'running' || set.state === 'pending' ? {} : { finishedAt: new Date() };
  await tx
    .update(rolloutSteps)
    .set({ ...set, ...ended })
    .where(and(eq(rolloutSteps.rolloutId, rolloutId), inArray(rolloutSteps.position, [...positions])));
}

/** @returns how many rollouts have ever been begun on a real broker, whichever topology they belong to. */
export async function begunOn(
  db: Transaction,
  brokerKey: string,
): Promise<{ count: number; last?: { revision: number; topologyId: number } }> {
  const [counted] = await db
    .select({ count: sql<number>`count(*)::int` })
    .from(rollouts)
    .where(and(eq(rollouts.brokerKey, brokerKey), sql`${rollouts.state} <> 'planned'`));
  const [last] = await db
    .select({ revision: rollouts.revision, topologyId: rollouts.topologyId })
    .from(rollouts)
    .where(and(eq(rollouts.brokerKey, brokerKey), sql`${rollouts.state} <> 'planned'`))
    .orderBy(sql`${rollouts.finishedAt} desc nulls first`)
    .limit(1);
  return { count: counted!.count, ...(last ? { last } : {}) };
}

/**
 * @returns the revisions that brokers of an environment may still have something of: the last one
 *   applied on each, and those begun on it since
 */
export async function revisionsStandingOn(
  db: Transaction,
  topologyId: number,
  environment: string,
): Promise<{ broker: string; applied: number | undefined; begunSince: number[] }[]> {
  const rows = await db
    .select({
      id: rollouts.id,
      broker: rollouts.broker,
      revision: rollouts.revision,
      state: rollouts.state,
      tearsDown: rollouts.tearsDown,
    })
    .from(rollouts)
    .where(
      and(
        eq(rollouts.topologyId, topologyId),
        eq(rollouts.environment, environment),
        sql`${rollouts.state} <> 'planned'`,
      ),
    )
    .orderBy(desc(rollouts.id))
    .limit(200);
  const found = new Map<string, { broker: string; applied: number | undefined; begunSince: number[] }>();
  const torn = new Set<string>();
  for (const { broker, revision, state, tearsDown } of rows) {
    let at = found.get(broker);
    if (!at) found.set(broker, (at = { broker, applied: undefined, begunSince: [] }));
    if (at.applied !== undefined || torn.has(broker)) continue;
    if (state === 'applied' && tearsDown) torn.add(broker);
    else if (state === 'applied') at.applied = revision;
    else if (!at.begunSince.includes(revision)) at.begunSince.push(revision);
  }
  return [...found.values()];
}

/** A revision that may stand on a broker. */
export interface Standing {
  readonly topologyId: number;
  readonly environment: string;
  readonly broker: string;
  readonly revision: number;
}

/**
 * @param brokerKey a real broker, by its own word
 * @returns the revisions that may stand there, of whatever topology: for each topology, environment and name of it
 *   the one applied last, and those begun since; the newest first
 */
export async function revisionsOnBroker(
  db: Transaction,
  brokerKey: string,
): Promise<readonly (Standing & { readonly applied: boolean })[]> {
  const rows = await db
    .select({
      topologyId: rollouts.topologyId,
      environment: rollouts.environment,
      broker: rollouts.broker,
      revision: rollouts.revision,
      state: rollouts.state,
      tearsDown: rollouts.tearsDown,
    })
    .from(rollouts)
    .where(and(eq(rollouts.brokerKey, brokerKey), sql`${rollouts.state} <> 'planned'`))
    .orderBy(desc(rollouts.id))
    .limit(500);
  const over = new Set<string>();
  return rows.flatMap(({ state, tearsDown, ...standing }) => {
    const { topologyId, environment, broker } = standing;
    const where = JSON.stringify([topologyId, environment, broker]);
    if (over.has(where)) return [];
    if (state === 'applied') over.add(where);
    if (state === 'applied' && tearsDown) return [];
    return [{ ...standing, applied: state === 'applied' }];
  });
}

/** @returns its number */
export async function insertProbe(tx: Transaction, probe: typeof probes.$inferInsert): Promise<number> {
  const [made] = await tx.insert(probes).values(probe).returning({ id: probes.id });
  return made!.id;
}

/** @returns the topology that a rollout belongs to */
export async function topologyOf(tx: Transaction, rolloutId: number): Promise<number> {
  const [found] = await tx
    .select({ topologyId: rollouts.topologyId })
    .from(rollouts)
    .where(eq(rollouts.id, rolloutId));
  return found!.topologyId;
}

/** @returns the newest rollout of a topology that was carried out whole; 0 where there is none */
export async function newestApplied(db: Transaction, topologyId: number): Promise<number> {
  const [found] = await db
    .select({ id: max(rollouts.id) })
    .from(rollouts)
    .where(and(eq(rollouts.topologyId, topologyId), eq(rollouts.state, 'applied')));
  return found?.id ?? 0;
}
