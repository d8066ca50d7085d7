/** Rollouts of one environment that are carried out one after the other, each once the one before is done and read back. */
import { and, asc, eq, inArray, sql } from 'drizzle-orm';
import type { Database, Transaction } from '../db/connect.ts';
import { isTaken } from '../db/trouble.ts';
import { rollouts } from '../db/schema.ts';
import { Problem } from '../http/problem.ts';
import { tell } from '../live/changes.ts';
import type { Work } from '../work/pool.ts';
import { mustBeConsented } from './consent.ts';
import { changeRollout, rolloutOf, type RolloutRow } from './store.ts';

/** Makes rollouts one of which follows the other, in the order of their ids. */
export async function putTogether(tx: Transaction, ids: readonly number[]): Promise<void> {
  if (ids.length < 2) return;
  await tx
    .update(rollouts)
    .set({ together: ids[0]! })
    .where(inArray(rollouts.id, [...ids]));
}

/** @returns the rollouts that were planned together with one, itself among them, in their order */
export async function togetherWith(db: Transaction, rollout: RolloutRow): Promise<RolloutRow[]> {
  if (rollout.together === null) return [rollout];
  const rows = await db
    .select({ id: rollouts.id })
    .from(rollouts)
    .where(eq(rollouts.together, rollout.together))
    .orderBy(asc(rollouts.id))
    .limit(100);
  const found = await Promise.all(rows.map(({ id }) => rolloutOf(db, rollout.topologyId, id)));
  return found.flatMap((each) => each ?? []);
}

/** Has rollouts begin one after the other, each when the one before was carried out whole. */
export async function follow(
  tx: Transaction,
  first: number,
  others: readonly number[],
  startedBy: number,
): Promise<void> {
  let before = first;
  for (const id of others) {
    await changeRollout(tx, id, 'planned', { startsAfter: before, startedBy, error: null });
    before = id;
  }
}

/**
 * Begins rollouts whose turn has come; those whose turn never comes are left planned, with why.
 * @returns the ids of those that are to be carried out now
 */
export async function beginFollowing(db: Database, work: Work): Promise<number[]> {
  const rows = await db
    .select({
      id: rollouts.id,
      topologyId: rollouts.topologyId,
      startedBy: rollouts.startedBy,
      before: sql<string>`f.state`,
      verified: sql<boolean | null>`f.verified`,
      what: sql<string>`f.broker`,
    })
    .from(rollouts)
    .innerJoin(sql`rollouts f`, sql`f.id = ${rollouts.startsAfter}`)
    .where(
      and(
        eq(rollouts.state, 'planned'),
        sql`(f.state not in ('planned', 'applying') or (f.state = 'planned' and f.starts_after is null))`,
      ),
    )
    .limit(20);
  const begun: number[] = [];
  for (const { id, topologyId, startedBy, before, verified, what } of rows) {
    if (before !== 'applied' || verified !== true) {
      await notBegun(db, id, `${what}, which comes before, was not carried out whole.`);
      continue;
    }
    try {
      const rollout = await rolloutOf(db, topologyId, id);
      if (!rollout) continue;
      await mustBeConsented(db, rollout, startedBy ?? 0);
      await work.run('lookAgain', { rolloutId: id });
      const set = {
        state: 'applying' as const,
        startsAfter: null,
        claimedBy: null,
        claimedUntil: null,
        stopAsked: false,
      };
      if ((await changeRollout(db, id, 'planned', set)) === undefined) continue;
      await tell(db, 'rollout', id);
      begun.push(id);
    } catch (error) {
      if (isTaken(error, 'rollouts_one_at_a_time'))
        await notBegun(db, id, 'Another rollout is being carried out on this broker.');
      else if (error instanceof Problem && error.status < 500) await notBegun(db, id, error.detail);
      // what may pass is tried again at the next look
      else if (!(error instanceof Problem)) throw error;
    }
  }
  return begun;
}

async function notBegun(db: Database, id: number, why: string): Promise<void> {
  await changeRollout(db, id, 'planned', { startsAfter: null, error: `Not begun: ${why}` });
  await tell(db, 'rollout', id);
}
