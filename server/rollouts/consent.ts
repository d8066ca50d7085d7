/**
 * Four eyes on protected environments. A rollout there needs the consent of an approver who wrote nothing of what it
 * brings, and somebody else who starts it. All of that is asked at the moment it matters: who approves now, and what is
 * protected now, whatever was so when the rollout was planned or consented to.
 */
import { and, eq } from 'drizzle-orm';
import { revisionWritersOf, type Writer } from '../authorship/store.ts';
import type { Transaction } from '../db/connect.ts';
import { members, people, rollouts } from '../db/schema.ts';
import { Problem } from '../http/problem.ts';
import { revisionsStandingOn, type RolloutRow } from './store.ts';

/** Roles whose consent counts. */
const CONSENTS: readonly string[] = ['approver', 'owner'];

/** @returns who wrote what a rollout brings: its revision, and those since the one that stands on its broker */
export async function writersIn(db: Transaction, rollout: RolloutRow): Promise<Writer[]> {
  const { topologyId, environment, broker, revision } = rollout;
  const standing = await revisionsStandingOn(db, topologyId, environment);
  const applied = standing.find((each) => each.broker === broker)?.applied;
  return revisionWritersOf(db, topologyId, revision, applied);
}

/**
 * @param starter the person who starts it
 * @param against what stands against it, as a sentence, or ''
 * @throws Problem 403 unless the environment is not protected, or an approver's consent holds for this starter
 */
export async function mustBeConsented(
  db: Transaction,
  rollout: RolloutRow,
  starter: number,
  against = '',
): Promise<void> {
  if (!rollout.needsConsent) return;
  const [row] = await db
    .select({ id: rollouts.consentBy, name: people.name, role: members.role })
    .from(rollouts)
    .leftJoin(people, eq(people.id, rollouts.consentBy))
    .leftJoin(
      members,
      and(eq(members.topologyId, rollouts.topologyId), eq(members.personId, rollouts.consentBy)),
    )
    .where(eq(rollouts.id, rollout.id));
  const needed = `${rollout.environment} is protected: an approver who did not write revision ${rollout.revision} has to consent first.`;
  if (!row || row.id === null) throw new Problem(403, 'Needs consent', `${needed}${against}`);
  if (!CONSENTS.includes(row.role ?? ''))
    throw new Problem(
      403,
      'Needs consent',
      `${row.name} consented, and is no approver of this topology any more. ${needed}`,
    );
  if ((await writersIn(db, rollout)).some(({ id }) => id === row.id))
    throw new Problem(403, 'Needs consent', `${row.name} consented, and wrote part of this. ${needed}`);
  if (row.id === starter)
    throw new Problem(403, 'Needs a second person', 'You gave the consent; somebody else has to start it.');
}
