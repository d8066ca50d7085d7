import type { Step } from '@vondle/core';
import { and, asc, desc, eq } from 'drizzle-orm';
import type { Database, Transaction } from '../db/connect.ts';
import { people, probes, rollouts, rolloutSteps, targets, type RolloutState } from '../db/schema.ts';

export type StepState = 'pending' | 'running' | 'done' | 'failed';

const columns = {
  id: rollouts.id,
  topologyId: rollouts.topologyId,
  targetId: rollouts.targetId,
  environment: targets.environment,
  broker: targets.broker,
  revision: rollouts.revision,
  state: rollouts.state,
  kept: rollouts.kept,
  leftToOthers: rollouts.leftToOthers,
  inPlace: rollouts.inPlace,
  obstacles: rollouts.obstacles,
  override: rollouts.override,
  verified: rollouts.verified,
  error: rollouts.error,
  by: people.name,
  createdAt: rollouts.createdAt,
  finishedAt: rollouts.finishedAt,
};

const selectRollouts = (db: Transaction) =>
  db
    .select(columns)
    .from(rollouts)
    .innerJoin(targets, eq(targets.id, rollouts.targetId))
    .innerJoin(people, eq(people.id, rollouts.createdBy));

export type RolloutRow = Awaited<ReturnType<typeof selectRollouts>>[number];

export function rolloutsOf(db: Database, topologyId: number): Promise<RolloutRow[]> {
  return selectRollouts(db).where(eq(rollouts.topologyId, topologyId)).orderBy(desc(rollouts.id)).limit(100);
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

export function stepsOf(db: Transaction, rolloutId: number) {
  return db
    .select({
      position: rolloutSteps.position,
      step: rolloutSteps.step,
      state: rolloutSteps.state,
      error: rolloutSteps.error,
    })
    .from(rolloutSteps)
    .where(eq(rolloutSteps.rolloutId, rolloutId))
    .orderBy(asc(rolloutSteps.position));
}

export function probesOf(db: Transaction, rolloutId: number) {
  return db.select().from(probes).where(eq(probes.rolloutId, rolloutId)).orderBy(desc(probes.id)).limit(20);
}

export async function insertRollout(
  tx: Transaction,
  rollout: Omit<typeof rollouts.$inferInsert, 'state'>,
  steps: readonly Step[],
): Promise<number> {
  const [made] = await tx
    .insert(rollouts)
    .values({ ...rollout, state: 'planned' })
    .returning({ id: rollouts.id });
  if (steps.length) {
    await tx
      .insert(rolloutSteps)
      .values(
        steps.map((step, position) => ({ rolloutId: made!.id, position, step, state: 'pending' as const })),
      );
  }
  return made!.id;
}

/** Moves a rollout from one state to another. @returns false when it was not in that state any more */
export async function moveRollout(
  tx: Transaction,
  id: number,
  from: RolloutState,
  to: RolloutState,
  more: { error?: string | null; verified?: boolean; override?: string; overriddenBy?: number } = {},
): Promise<boolean> {
  const ended = to === 'applying' ? {} : { finishedAt: new Date() };
  const moved = await tx
    .update(rollouts)
    .set({ state: to, ...more, ...ended })
    .where(and(eq(rollouts.id, id), eq(rollouts.state, from)))
    .returning({ id: rollouts.id });
  return moved.length === 1;
}

export async function markStep(
  tx: Transaction,
  rolloutId: number,
  position: number,
  state: StepState,
  error: string | null = null,
): Promise<void> {
  const ended = state === 'done' || state === 'failed' ? { finishedAt: new Date() } : {};
  await tx
    .update(rolloutSteps)
    .set({ state, error, ...ended })
    .where(and(eq(rolloutSteps.rolloutId, rolloutId), eq(rolloutSteps.position, position)));
}

export async function insertProbe(tx: Transaction, probe: typeof probes.$inferInsert): Promise<void> {
  await tx.insert(probes).values(probe);
}
