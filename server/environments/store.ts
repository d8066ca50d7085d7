import { and, eq } from 'drizzle-orm';
import type { Database, Transaction } from '../db/connect.ts';
import { protections, rollouts, targets } from '../db/schema.ts';
import { slugOf, usersAt } from '../credentials/store.ts';
import type { Sealer } from '../secrets.ts';
import type { Allowed } from '../targets/allowed.ts';
import type { AmqpAddresses, HostedAddresses, TargetKind } from '@vondle/api';
import type { AppUsers } from '../targets/amqp/rights.ts';
import { AmqpTarget } from '../targets/amqp/target.ts';
import { HostedTarget } from '../targets/hosted/target.ts';
import type { Reached } from '../targets/reached.ts';

export interface TargetRow {
  readonly id: number;
  readonly environment: string;
  readonly broker: string;
  readonly kind: TargetKind;
}

/** The addresses of a kind of target. */
export type Addressed =
  | { readonly kind: 'amqp'; readonly addresses: AmqpAddresses }
  | { readonly kind: 'hosted'; readonly addresses: HostedAddresses };

/** What is needed to come from a target to its broker. */
export interface Openers {
  readonly sealer: Sealer;
  readonly allowed: Allowed;
}

const columns = {
  id: targets.id,
  environment: targets.environment,
  broker: targets.broker,
  kind: targets.kind,
};

/** What a target's sealed addresses are bound to. */
const rowOf = (target: { topologyId: number; environment: string; broker: string }) =>
  `target ${target.topologyId} ${target.environment} ${target.broker}`;

/** @returns a topology's targets, without their addresses. */
export function targetsOf(db: Database, topologyId: number): Promise<TargetRow[]> {
  return db.select(columns).from(targets).where(eq(targets.topologyId, topologyId)).orderBy(targets.id);
}

/**
 * @returns a target with the broker it leads to, for the server's own use; undefined where there is none
 * @throws WrongKey when its addresses were sealed under a key that is not known here
 */
export async function openTarget(
  db: Transaction,
  { sealer, allowed }: Openers,
  topologyId: number,
  id: number,
): Promise<(TargetRow & { reached: Reached }) | undefined> {
  const [found] = await db
    .select({ ...columns, topologyId: targets.topologyId, sealed: targets.sealedAddresses })
    .from(targets)
    .where(and(eq(targets.id, id), eq(targets.topologyId, topologyId)));
  if (!found) return undefined;
  const { sealed, ...row } = found;
  const { environment, broker } = row;
  const users = usersAt(db, sealer, await slugOf(db, topologyId), { topologyId, environment, broker });
  return { ...row, reached: reachedBy(row.kind, opened(sealer, sealed, row), allowed, users) };
}

const opened = (sealer: Sealer, sealed: string, row: Parameters<typeof rowOf>[0]): unknown =>
  JSON.parse(sealer.open(sealed, rowOf(row)));

/** @returns the addresses of a target. @throws WrongKey, or Error where they were changed */
export const addressesIn = (
  sealer: Sealer,
  { sealedAddresses, ...row }: typeof targets.$inferSelect,
): unknown => opened(sealer, sealedAddresses, row);

/**
 * @param users those of its apps, where something is done with them
 * @returns what is reached by addresses of a kind of target
 */
export function reachedBy(kind: TargetKind, addresses: unknown, allowed: Allowed, users?: AppUsers): Reached {
  switch (kind) {
    case 'amqp':
      return new AmqpTarget(addresses as AmqpAddresses, allowed, users);
    case 'hosted':
      return new HostedTarget(addresses as HostedAddresses, allowed);
  }
}

/** Sets the target of one broker in one environment. @returns its id */
export async function setTarget(
  tx: Transaction,
  sealer: Sealer,
  target: { topologyId: number; environment: string; broker: string } & Addressed,
): Promise<number> {
  const { addresses, ...row } = target;
  const sealedAddresses = sealer.seal(JSON.stringify(addresses), rowOf(row));
  const [made] = await tx
    .insert(targets)
    .values({ ...row, sealedAddresses })
    .onConflictDoUpdate({
      target: [targets.topologyId, targets.environment, targets.broker],
      set: { sealedAddresses, kind: row.kind },
    })
    .returning({ id: targets.id });
  return made!.id;
}

/** @returns whether a rollout is being carried out on what a target of the topology leads to. */
export async function isInUse(
  tx: Transaction,
  topologyId: number,
  of: { environment: string; broker: string },
): Promise<boolean> {
  const running = await tx
    .select({ id: rollouts.id })
    .from(rollouts)
    .where(
      and(
        eq(rollouts.topologyId, topologyId),
        eq(rollouts.environment, of.environment),
        eq(rollouts.broker, of.broker),
        eq(rollouts.state, 'applying'),
      ),
    );
  return running.length > 0;
}

/** Takes a target away; rollouts that went there keep their record. @returns what it was, or undefined */
export async function removeTarget(
  tx: Transaction,
  topologyId: number,
  id: number,
): Promise<TargetRow | undefined> {
  const [gone] = await tx
    .delete(targets)
    .where(and(eq(targets.id, id), eq(targets.topologyId, topologyId)))
    .returning(columns);
  return gone;
}

/**
 * Seals every target's addresses anew that are not sealed under the newest key.
 * @returns how many were, of how many
 * @throws WrongKey when one was sealed under a key that is not known; nothing is changed then
 */
export async function sealAgain(tx: Transaction, sealer: Sealer): Promise<{ sealed: number; of: number }> {
  const all = await tx.select().from(targets).for('update');
  let sealed = 0;
  for (const target of all) {
    if (sealer.isCurrent(target.sealedAddresses)) continue;
    const row = rowOf(target);
    const sealedAddresses = sealer.seal(sealer.open(target.sealedAddresses, row), row);
    await tx.update(targets).set({ sealedAddresses }).where(eq(targets.id, target.id));
    sealed++;
  }
  return { sealed, of: all.length };
}

/** @returns the environments of a topology that are protected by approvers. */
export async function protectedEnvironments(db: Transaction, topologyId: number): Promise<string[]> {
  const rows = await db
    .select({ environment: protections.environment })
    .from(protections)
    .where(eq(protections.topologyId, topologyId))
    .orderBy(protections.environment);
  return rows.map(({ environment }) => environment);
}

/** @param personId who did it; undefined where a revision's text asked for it */
export async function protect(
  tx: Transaction,
  topologyId: number,
  environment: string,
  personId: number | undefined,
): Promise<void> {
  await tx
    .insert(protections)
    .values({ topologyId, environment, ...(personId === undefined ? {} : { setBy: personId }) })
    .onConflictDoNothing();
}

export async function unprotect(tx: Transaction, topologyId: number, environment: string): Promise<void> {
  await tx
    .delete(protections)
    .where(and(eq(protections.topologyId, topologyId), eq(protections.environment, environment)));
}
