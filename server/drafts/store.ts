import type { TextDocument } from '@vondle/core/base';
import { and, asc, count, desc, eq, gt, sql } from 'drizzle-orm';
import type { Database, Transaction } from '../db/connect.ts';
import { draftDocuments, drafts, people, presence } from '../db/schema.ts';
import { LARGEST_DRAFT } from '../http/input.ts';
import { tooLargeADraft, type ReadDocuments } from './documents.ts';

/** A draft without its documents. */
export interface DraftHead {
  readonly id: number;
  readonly name: string;
  /** The one that every topology has, and nobody owns. */
  readonly main: boolean;
  /** Whose it is, by handle; null for the main one. */
  readonly owner: string | null;
  readonly base: number;
  readonly version: number;
  readonly updatedAt: Date;
  readonly updatedBy: string | null;
}

/** Drafts a topology may have at once. */
export const MOST_DRAFTS = 100;
/** A tab that has not said for so long that it is there is not. */
const PRESENT_MS = 45_000;

const head = {
  id: drafts.id,
  name: drafts.name,
  main: drafts.main,
  owner: sql<string | null>`(select o.handle from people o where o.id = ${drafts.ownerId})`,
  base: drafts.base,
  version: drafts.version,
  updatedAt: drafts.updatedAt,
  updatedBy: people.name,
};

/** @returns a draft of a topology, the main one where none is named; undefined where there is no such one */
export async function draftFor(
  db: Transaction,
  topologyId: number,
  id: number | undefined,
): Promise<DraftHead | undefined> {
  const which = id === undefined ? drafts.main : eq(drafts.id, id);
  const [found] = await db
    .select(head)
    .from(drafts)
    .leftJoin(people, eq(people.id, drafts.updatedBy))
    .where(and(eq(drafts.topologyId, topologyId), which));
  return found;
}

/** @returns the drafts of a topology, the main one first, then the one that was worked on last */
export function draftsOf(db: Transaction, topologyId: number): Promise<DraftHead[]> {
  return db
    .select(head)
    .from(drafts)
    .leftJoin(people, eq(people.id, drafts.updatedBy))
    .where(eq(drafts.topologyId, topologyId))
    .orderBy(desc(drafts.main), desc(drafts.updatedAt), drafts.id)
    .limit(MOST_DRAFTS);
}

/**
 * Makes a draft of a topology, with nothing in it.
 * @returns its id; `taken` where there is one of that name, `many` where there are as many as there may be
 */
export async function insertDraft(
  tx: Transaction,
  draft: { topologyId: number; name: string; ownerId: number; base: number },
): Promise<number | 'taken' | 'many'> {
  const [known] = await tx
    .select({ count: count() })
    .from(drafts)
    .where(eq(drafts.topologyId, draft.topologyId));
  if (known!.count >= MOST_DRAFTS) return 'many';
  const [made] = await tx
    .insert(drafts)
    .values({ ...draft, updatedBy: draft.ownerId })
    .onConflictDoNothing()
    .returning({ id: drafts.id });
  return made?.id ?? 'taken';
}

/** Copies the documents of a draft, or of a revision, into a draft that has none. The texts never leave the database. */
export async function copyDocuments(
  tx: Transaction,
  to: number,
  from: { readonly draft: number } | { readonly revisionId: number },
): Promise<void> {
  const source =
    'draft' in from
      ? sql`select name, position, text, bytes from draft_documents where draft_id = ${from.draft}`
      : sql`select rd.name, rd.position, c.text, octet_length(c.text) from revision_documents rd join contents c on c.hash = rd.hash where rd.revision_id = ${from.revisionId}`;
  await tx.execute(
    sql`insert into draft_documents (draft_id, name, position, text, bytes) select ${to}::integer, s.* from (${source}) s`,
  );
}

export async function renameDraft(tx: Transaction, id: number, name: string): Promise<void> {
  await tx.update(drafts).set({ name }).where(eq(drafts.id, id));
}

export async function removeDraft(tx: Transaction, id: number): Promise<void> {
  await tx.delete(drafts).where(and(eq(drafts.id, id), sql`not ${drafts.main}`));
}

/** @returns how many bytes a draft's documents have, in UTF-8. */
export async function draftSize(db: Transaction, draftId: number): Promise<number> {
  const [sum] = await db
    .select({ bytes: sql<string>`coalesce(sum(${draftDocuments.bytes}), 0)` })
    .from(draftDocuments)
    .where(eq(draftDocuments.draftId, draftId));
  return Number(sum!.bytes);
}

/**
 * Reads a draft whole, in one statement, so that all of it is of one version.
 * @returns its head, and its documents, each as the JSON text of `{name, text}`, in their order: the
 *   database writes it, and nobody here has to read it again
 */
export async function draftJson(
  db: Transaction,
  draftId: number,
): Promise<{ head: DraftHead; documents: string[] }> {
  const rows = await db
    .select({
      ...head,
      json: sql<
        string | null
      >`case when ${draftDocuments.name} is not null then json_build_object('name', ${draftDocuments.name}, 'text', ${draftDocuments.text})::text end`,
    })
    .from(drafts)
    .leftJoin(people, eq(people.id, drafts.updatedBy))
    .leftJoin(draftDocuments, eq(draftDocuments.draftId, drafts.id))
    .where(eq(drafts.id, draftId))
    .orderBy(asc(draftDocuments.position));
  const [first] = rows;
  if (!first) throw new Error(`there is no draft ${draftId}`);
  const { json: _json, ...rest } = first;
  return { head: rest, documents: rows.flatMap(({ json }) => json ?? []) };
}

/** @returns the documents of a draft. For threads: there may be a lot of text. */
export function draftDocumentsOf(db: Transaction, draftId: number): Promise<TextDocument[]> {
  return db
    .select({ name: draftDocuments.name, text: draftDocuments.text })
    .from(draftDocuments)
    .where(eq(draftDocuments.draftId, draftId))
    .orderBy(asc(draftDocuments.position));
}

/**
 * Takes the draft for a write, if nobody wrote it since `version`. Whoever else writes waits for the
 * end of the transaction.
 * @returns the new version, or undefined when it had moved
 */
export async function takeDraft(
  tx: Transaction,
  draftId: number,
  personId: number,
  version: number,
  base?: number,
): Promise<number | undefined> {
  const [written] = await tx
    .update(drafts)
    .set({
      ...(base === undefined ? {} : { base }),
      version: sql`${drafts.version} + 1`,
      updatedBy: personId,
      updatedAt: new Date(),
    })
    .where(and(eq(drafts.id, draftId), eq(drafts.version, version)))
    .returning({ version: drafts.version });
  return written?.version;
}

/**
 * Makes a draft have exactly the named documents, in that order: those that came along as they came,
 * the others as they are. The draft has been taken (`takeDraft`).
 * @param body the request's body, which the database reads itself: JSON with the documents under `member`
 * @returns the name of a document that neither came nor is there, if there is one
 * @throws Problem 413 when the draft would be too large
 */
export async function putDocuments(
  tx: Transaction,
  draftId: number,
  { names, came }: Pick<ReadDocuments, 'names' | 'came'>,
  body: Buffer,
  member: 'documents' | 'changed',
): Promise<string | undefined> {
  const wanted = sql`select name, position - 1 as position from unnest(${sql.param([...names])}::text[]) with ordinality as t(name, position)`;
  await tx.execute(
    sql`delete from draft_documents where draft_id = ${draftId} and name not in (select name from (${wanted}) w)`,
  );
  if (came.length)
    await tx.execute(sql`
      insert into draft_documents (draft_id, name, position, text, bytes)
      select ${draftId}::integer, d.name, 0, d.text, octet_length(d.text)
      from json_to_recordset((${body}::json) -> ${member}) as d(name text, text text)
      on conflict (draft_id, name) do update set text = excluded.text, bytes = excluded.bytes`);
  await tx.execute(sql`
    update draft_documents d set position = w.position from (${wanted}) w
    where d.draft_id = ${draftId} and d.name = w.name and d.position <> w.position`);
  const there = await tx.execute<{ name: string; there: boolean }>(sql`
    select w.name, d.name is not null as there from (${wanted}) w
    left join draft_documents d on d.draft_id = ${draftId} and d.name = w.name
    where d.name is null limit 1`);
  const missing = there.rows[0]?.name;
  if (missing === undefined && (await draftSize(tx, draftId)) > LARGEST_DRAFT) throw tooLargeADraft();
  return missing;
}

/** @returns the documents of a topology's main draft. For threads: there may be a lot of text. */
export async function mainDocumentsOf(db: Transaction, topologyId: number): Promise<TextDocument[]> {
  const main = await draftFor(db, topologyId, undefined);
  return main ? draftDocumentsOf(db, main.id) : [];
}

/** Notes that a tab has a draft open. */
export async function present(
  tx: Transaction,
  row: { tab: string; draftId: number; personId: number },
): Promise<void> {
  const seenAt = new Date();
  await tx
    .insert(presence)
    .values({ ...row, seenAt })
    .onConflictDoUpdate({
      target: presence.tab,
      set: { draftId: row.draftId, seenAt },
      // another person's tab is not moved by guessing its name
      setWhere: eq(presence.personId, row.personId),
    });
}

/** Notes that a tab is closed, and forgets those that did not say so themselves. */
export async function absent(tx: Transaction, tab: string, personId: number): Promise<void> {
  const gone = new Date(Date.now() - 4 * PRESENT_MS);
  await tx
    .delete(presence)
    .where(
      sql`(${presence.tab} = ${tab} and ${presence.personId} = ${personId}) or ${presence.seenAt} < ${gone.toISOString()}`,
    );
}

/** @returns who has which draft of a topology open: each person once for each draft, by name */
export function presentIn(
  db: Database,
  topologyId: number,
): Promise<{ draft: number; handle: string; name: string }[]> {
  return db
    .selectDistinct({ draft: presence.draftId, handle: people.handle, name: people.name })
    .from(presence)
    .innerJoin(drafts, eq(drafts.id, presence.draftId))
    .innerJoin(people, eq(people.id, presence.personId))
    .where(and(eq(drafts.topologyId, topologyId), gt(presence.seenAt, new Date(Date.now() - PRESENT_MS))))
    .orderBy(people.name)
    .limit(500);
}
