import { createHash } from 'node:crypto';
import type { TopologyDocument } from '@vondle/core';
import { and, asc, desc, eq, max } from 'drizzle-orm';
import type { Database, Transaction } from '../db/connect.ts';
import { contents, people, revisionDocuments, revisions } from '../db/schema.ts';

export interface RevisionRow {
  readonly number: number;
  readonly parent: number | null;
  readonly words: string;
  readonly author: string;
  readonly createdAt: Date;
}

/** Writes the next revision of a topology: its documents by content hash. @returns its number */
export async function insertRevision(
  tx: Transaction,
  revision: {
    topologyId: number;
    authorId: number;
    words: string;
    parent: number | null;
    documents: readonly TopologyDocument[];
  },
): Promise<number> {
  const { documents, ...row } = revision;
  const [last] = await tx
    .select({ number: max(revisions.number) })
    .from(revisions)
    .where(eq(revisions.topologyId, row.topologyId));
  const number = (last?.number ?? 0) + 1;
  const [made] = await tx
    .insert(revisions)
    .values({ ...row, number })
    .returning({ id: revisions.id });
  const hashed = documents.map(({ name, text }, position) => ({
    name,
    text,
    position,
    hash: createHash('sha256').update(text).digest('hex'),
  }));
  if (hashed.length) {
    await tx
      .insert(contents)
      .values(hashed.map(({ hash, text }) => ({ hash, text })))
      .onConflictDoNothing();
    await tx
      .insert(revisionDocuments)
      .values(hashed.map(({ name, hash, position }) => ({ revisionId: made!.id, name, hash, position })));
  }
  return number;
}

export function revisionsOf(db: Database, topologyId: number): Promise<RevisionRow[]> {
  return db
    .select({
      number: revisions.number,
      parent: revisions.parent,
      words: revisions.words,
      author: people.name,
      createdAt: revisions.createdAt,
    })
    .from(revisions)
    .innerJoin(people, eq(people.id, revisions.authorId))
    .where(eq(revisions.topologyId, topologyId))
    .orderBy(desc(revisions.number));
}

/** @returns the documents of a revision, or undefined when there is no such revision. */
export async function documentsOf(
  db: Transaction,
  topologyId: number,
  number: number,
): Promise<TopologyDocument[] | undefined> {
  const [found] = await db
    .select({ id: revisions.id })
    .from(revisions)
    .where(and(eq(revisions.topologyId, topologyId), eq(revisions.number, number)));
  if (!found) return undefined;
  return db
    .select({ name: revisionDocuments.name, text: contents.text })
    .from(revisionDocuments)
    .innerJoin(contents, eq(contents.hash, revisionDocuments.hash))
    .where(eq(revisionDocuments.revisionId, found.id))
    .orderBy(asc(revisionDocuments.position));
}
