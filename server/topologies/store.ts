import type { TopologyDocument } from '@vondle/core';
import { and, eq, sql } from 'drizzle-orm';
import type { Database, Transaction } from '../db/connect.ts';
import { drafts, members, people, topologies } from '../db/schema.ts';

export type Role = 'reader' | 'architect' | 'approver';

export interface TopologyRow {
  readonly id: number;
  readonly slug: string;
  readonly name: string;
  readonly role: Role;
}

export interface Draft {
  readonly base: number;
  readonly version: number;
  readonly documents: TopologyDocument[];
  readonly updatedAt: Date;
  readonly updatedBy: string | null;
}

const columns = { id: topologies.id, slug: topologies.slug, name: topologies.name, role: members.role };

/** @returns the topologies a person belongs to. */
export function topologiesOf(db: Database, personId: number): Promise<TopologyRow[]> {
  return db
    .select(columns)
    .from(members)
    .innerJoin(topologies, eq(topologies.id, members.topologyId))
    .where(eq(members.personId, personId))
    .orderBy(topologies.name);
}

/** @returns a topology as one of its members sees it; undefined for everybody else. */
export async function topologyFor(
  db: Database,
  slug: string,
  personId: number,
): Promise<TopologyRow | undefined> {
  const [found] = await db
    .select(columns)
    .from(topologies)
    .innerJoin(members, and(eq(members.topologyId, topologies.id), eq(members.personId, personId)))
    .where(eq(topologies.slug, slug));
  return found;
}

export async function insertTopology(
  tx: Transaction,
  topology: { slug: string; name: string; documents: readonly TopologyDocument[] },
): Promise<number | undefined> {
  const [made] = await tx
    .insert(topologies)
    .values({ slug: topology.slug, name: topology.name })
    .onConflictDoNothing()
    .returning({ id: topologies.id });
  if (!made) return undefined;
  await tx.insert(drafts).values({ topologyId: made.id, base: 0, documents: [...topology.documents] });
  return made.id;
}

export async function addMember(
  tx: Transaction,
  topologyId: number,
  personId: number,
  role: Role,
): Promise<void> {
  await tx.insert(members).values({ topologyId, personId, role });
}

export async function draftOf(db: Transaction, topologyId: number): Promise<Draft> {
  const [found] = await db
    .select({
      base: drafts.base,
      version: drafts.version,
      documents: drafts.documents,
      updatedAt: drafts.updatedAt,
      updatedBy: people.name,
    })
    .from(drafts)
    .leftJoin(people, eq(people.id, drafts.updatedBy))
    .where(eq(drafts.topologyId, topologyId));
  if (!found) throw new Error(`topology ${topologyId} has no draft`);
  return found;
}

/**
 * Writes a draft if nobody wrote it since `version`.
 * @returns the new version, or undefined when it had moved
 */
export async function writeDraft(
  tx: Transaction,
  topologyId: number,
  personId: number,
  version: number,
  change: { documents?: readonly TopologyDocument[]; base?: number },
): Promise<number | undefined> {
  const [written] = await tx
    .update(drafts)
    .set({
      ...(change.documents ? { documents: [...change.documents] } : {}),
      ...(change.base === undefined ? {} : { base: change.base }),
      version: sql`${drafts.version} + 1`,
      updatedBy: personId,
      updatedAt: new Date(),
    })
    .where(and(eq(drafts.topologyId, topologyId), eq(drafts.version, version)))
    .returning({ version: drafts.version });
  return written?.version;
}
