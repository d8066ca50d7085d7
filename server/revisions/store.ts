import type { TextDocument } from '@vondle/core/base';
import { and, asc, desc, eq, isNull, max, sql } from 'drizzle-orm';
import type { AnyPgColumn } from 'drizzle-orm/pg-core';
import { keepWriters } from '../authorship/store.ts';
import type { Database, Transaction } from '../db/connect.ts';
import type { Glance } from '../topologies/glance.ts';
import { contents, people, revisionDocuments, revisions } from '../db/schema.ts';

export interface RevisionRow {
  readonly number: number;
  readonly parent: number | null;
  readonly words: string;
  /** The names of those who wrote it. */
  readonly author: string;
  /** Who proposed it, where it was proposed, and who saved it, by name. */
  readonly proposedBy: string | null;
  readonly savedBy: string;
  readonly createdAt: Date;
}

/** Revisions listed at once. */
const MOST_LISTED = 2000;

/** The documents of a draft with their content hashes, as a subquery. */
const hashedDraft = (draftId: number) =>
  sql`select name, position, text, encode(sha256(convert_to(text, 'UTF8')), 'hex') as hash from draft_documents where draft_id = ${draftId}`;

/**
 * Makes a draft, which has been taken (`takeDraft`), the topology's next revision. The texts never leave
 * the database.
 * @returns its number
 */
export async function insertRevision(
  tx: Transaction,
  draftId: number,
  row: { topologyId: number; savedBy: number; proposedBy?: number; words: string; parent: number | null },
): Promise<number> {
  const number = (await newestRevision(tx, row.topologyId)) + 1;
  const [made] = await tx
    .insert(revisions)
    .values({ ...row, number })
    .returning({ id: revisions.id });
  const draft = hashedDraft(draftId);
  await tx.execute(
    sql`insert into contents (hash, text) select distinct on (hash) hash, text from (${draft}) d order by hash on conflict do nothing`,
  );
  await tx.execute(
    sql`insert into revision_documents (revision_id, position, name, hash) select ${made!.id}, position, name, hash from (${draft}) d`,
  );
  await keepWriters(tx, draftId, made!.id, row.savedBy);
  return number;
}

/** @returns the number of the newest revision; 0 where there is none */
export async function newestRevision(tx: Transaction, topologyId: number): Promise<number> {
  const [last] = await tx
    .select({ number: max(revisions.number) })
    .from(revisions)
    .where(eq(revisions.topologyId, topologyId));
  return last?.number ?? 0;
}

/** @returns whether a draft has the very documents of a revision of its topology, in the same order. */
export async function isSameAsDraft(
  tx: Transaction,
  draftId: number,
  topologyId: number,
  number: number,
): Promise<boolean> {
  const { rows } = await tx.execute<{ same: boolean }>(sql`
    select not exists (
      select 1 from (${hashedDraft(draftId)}) d
      full join (
        select rd.name, rd.position, rd.hash from revision_documents rd
        join revisions r on r.id = rd.revision_id
        where r.topology_id = ${topologyId} and r.number = ${number}
      ) r on r.name = d.name
      where d.hash is distinct from r.hash or d.position is distinct from r.position
    ) as same`);
  return rows[0]!.same;
}

/** The names of those who wrote a revision, as one text. */
export const authorsOf = (revisionId: AnyPgColumn) =>
  sql<string>`(select coalesce(string_agg(p.name, ', ' order by p.name), '') from revision_writers w join people p on p.id = w.person_id where w.revision_id = ${revisionId})`;

export function revisionsOf(db: Database, topologyId: number): Promise<RevisionRow[]> {
  return db
    .select({
      number: revisions.number,
      parent: revisions.parent,
      words: revisions.words,
      author: authorsOf(revisions.id),
      proposedBy: sql<string | null>`(select p.name from people p where p.id = ${revisions.proposedBy})`,
      savedBy: people.name,
      createdAt: revisions.createdAt,
    })
    .from(revisions)
    .innerJoin(people, eq(people.id, revisions.savedBy))
    .where(eq(revisions.topologyId, topologyId))
    .orderBy(desc(revisions.number))
    .limit(MOST_LISTED);
}

/** @returns how a revision stood, where that was worked out; `none` where there is no such revision */
export async function knownGlance(
  db: Database,
  topologyId: number,
  number: number,
): Promise<Glance | null | 'none'> {
  const [found] = await db
    .select({ glance: revisions.glance })
    .from(revisions)
    .where(and(eq(revisions.topologyId, topologyId), eq(revisions.number, number)));
  return found ? found.glance : 'none';
}

/** Keeps how a revision stood, where that was not known. */
export async function keepGlance(
  db: Database,
  topologyId: number,
  number: number,
  glance: Glance,
): Promise<void> {
  await db
    .update(revisions)
    .set({ glance })
    .where(and(eq(revisions.topologyId, topologyId), eq(revisions.number, number), isNull(revisions.glance)));
}

/** @returns a revision's own id, or undefined when there is no such revision. */
export async function revisionOf(
  db: Transaction,
  topologyId: number,
  number: number,
): Promise<{ id: number } | undefined> {
  const [found] = await db
    .select({ id: revisions.id })
    .from(revisions)
    .where(and(eq(revisions.topologyId, topologyId), eq(revisions.number, number)));
  return found;
}

/** @returns how many bytes a revision's documents have, in UTF-8. */
export async function revisionSize(db: Transaction, revisionId: number): Promise<number> {
  const [sum] = await db
    .select({ bytes: sql<string>`coalesce(sum(octet_length(${contents.text})), 0)` })
    .from(revisionDocuments)
    .innerJoin(contents, eq(contents.hash, revisionDocuments.hash))
    .where(eq(revisionDocuments.revisionId, revisionId));
  return Number(sum!.bytes);
}

/** @returns the documents of a revision, each as the JSON text of `{name, text}`, in their order. */
export async function revisionDocumentsJson(db: Transaction, revisionId: number): Promise<string[]> {
  const rows = await db
    .select({
      json: sql<string>`json_build_object('name', ${revisionDocuments.name}, 'text', ${contents.text})::text`,
    })
    .from(revisionDocuments)
    .innerJoin(contents, eq(contents.hash, revisionDocuments.hash))
    .where(eq(revisionDocuments.revisionId, revisionId))
    .orderBy(asc(revisionDocuments.position));
  return rows.map(({ json }) => json);
}

/** @returns the documents of a revision, or undefined when there is no such revision. For threads: there may be a lot of text. */
export async function documentsOf(
  db: Transaction,
  topologyId: number,
  number: number,
): Promise<TextDocument[] | undefined> {
  const found = await revisionOf(db, topologyId, number);
  if (!found) return undefined;
  return db
    .select({ name: revisionDocuments.name, text: contents.text })
    .from(revisionDocuments)
    .innerJoin(contents, eq(contents.hash, revisionDocuments.hash))
    .where(eq(revisionDocuments.revisionId, found.id))
    .orderBy(asc(revisionDocuments.position));
}
