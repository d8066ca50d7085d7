import { and, count, desc, eq, gt, isNull } from 'drizzle-orm';
import type { Database, Transaction } from '../db/connect.ts';
import type { Reads, Role } from '@vondle/api';
import { invitations, members, people, topologies } from '../db/schema.ts';
import { hashOf } from '../people/keys.ts';

export interface Member {
  readonly handle: string;
  readonly name: string;
  readonly role: Role;
  readonly reads: Reads;
}

/** Members and open invitations a topology may have. */
export const MOST_MEMBERS = 500;
export const MOST_INVITATIONS = 50;

/** @returns who belongs to a topology, by name */
export function membersOf(db: Transaction, topologyId: number): Promise<Member[]> {
  return db
    .select({ handle: people.handle, name: people.name, role: members.role, reads: members.reads })
    .from(members)
    .innerJoin(people, eq(people.id, members.personId))
    .where(eq(members.topologyId, topologyId))
    .orderBy(people.name)
    .limit(MOST_MEMBERS);
}

/** @returns a member by handle, with their own id */
export async function memberCalled(
  db: Transaction,
  topologyId: number,
  handle: string,
): Promise<(Member & { id: number }) | undefined> {
  const [found] = await db
    .select({
      id: people.id,
      handle: people.handle,
      name: people.name,
      role: members.role,
      reads: members.reads,
    })
    .from(members)
    .innerJoin(people, eq(people.id, members.personId))
    .where(and(eq(members.topologyId, topologyId), eq(people.handle, handle)));
  return found;
}

/** Says what somebody is shown of messages on brokers. */
export async function setReads(
  tx: Transaction,
  topologyId: number,
  personId: number,
  reads: Reads,
): Promise<void> {
  await tx
    .update(members)
    .set({ reads })
    .where(and(eq(members.topologyId, topologyId), eq(members.personId, personId)));
}

export async function countOwners(db: Transaction, topologyId: number): Promise<number> {
  const [found] = await db
    .select({ count: count() })
    .from(members)
    .where(and(eq(members.topologyId, topologyId), eq(members.role, 'owner')));
  return found!.count;
}

/** Gives somebody a role, whether they belonged to the topology or not. */
export async function setMember(
  tx: Transaction,
  topologyId: number,
  personId: number,
  role: Role,
): Promise<void> {
  await tx
    .insert(members)
    .values({ topologyId, personId, role })
    .onConflictDoUpdate({ target: [members.topologyId, members.personId], set: { role } });
}

export async function removeMember(tx: Transaction, topologyId: number, personId: number): Promise<void> {
  await tx.delete(members).where(and(eq(members.topologyId, topologyId), eq(members.personId, personId)));
}

export interface Invitation {
  readonly id: number;
  readonly role: Role;
  readonly words: string;
  readonly by: string;
  readonly expiresAt: Date;
}

const isOpen = () => and(isNull(invitations.usedAt), gt(invitations.expiresAt, new Date()));

/** @returns the invitations of a topology that are open, the newest first */
export function invitationsOf(db: Transaction, topologyId: number): Promise<Invitation[]> {
  return db
    .select({
      id: invitations.id,
      role: invitations.role,
      words: invitations.words,
      by: people.name,
      expiresAt: invitations.expiresAt,
    })
    .from(invitations)
    .innerJoin(people, eq(people.id, invitations.createdBy))
    .where(and(eq(invitations.topologyId, topologyId), isOpen()))
    .orderBy(desc(invitations.id))
    .limit(MOST_INVITATIONS);
}

export async function insertInvitation(
  tx: Transaction,
  row: { topologyId: number; role: Role; words: string; createdBy: number; expiresAt: Date },
  key: string,
): Promise<number> {
  const [made] = await tx
    .insert(invitations)
    .values({ ...row, keyHash: hashOf(key) })
    .returning({ id: invitations.id });
  return made!.id;
}

/** Takes an invitation back. @returns whether it was there */
export async function removeInvitation(tx: Transaction, topologyId: number, id: number): Promise<boolean> {
  const gone = await tx
    .delete(invitations)
    .where(and(eq(invitations.topologyId, topologyId), eq(invitations.id, id), isNull(invitations.usedAt)))
    .returning({ id: invitations.id });
  return gone.length > 0;
}

/** @returns what an open invitation is to; undefined for one that was used, has expired or never was */
export async function invitationTo(db: Database, key: string) {
  const [found] = await db
    .select({
      id: invitations.id,
      topologyId: topologies.id,
      slug: topologies.slug,
      topology: topologies.name,
      role: invitations.role,
      words: invitations.words,
      by: people.name,
      expiresAt: invitations.expiresAt,
    })
    .from(invitations)
    .innerJoin(topologies, eq(topologies.id, invitations.topologyId))
    .innerJoin(people, eq(people.id, invitations.createdBy))
    .where(and(eq(invitations.keyHash, hashOf(key)), isOpen()));
  return found;
}

/** Uses an invitation up. @returns whether nobody did before */
export async function useInvitation(tx: Transaction, id: number, personId: number): Promise<boolean> {
  const used = await tx
    .update(invitations)
    .set({ usedBy: personId, usedAt: new Date() })
    .where(and(eq(invitations.id, id), isOpen()))
    .returning({ id: invitations.id });
  return used.length > 0;
}
