import type { TextDocument } from '@vondle/core/base';
import { and, asc, desc, eq, sql } from 'drizzle-orm';
import type { Database, Transaction } from '../db/connect.ts';
import { draftDocuments, drafts, members, people, topologies } from '../db/schema.ts';
import { LARGEST_DRAFT } from '../http/input.ts';
import { tooLargeADraft, type ReadDocuments } from './documents.ts';

export type Role = 'reader' | 'architect' | 'approver';

export interface TopologyRow {
  readonly id: number;
  readonly slug: string;
  readonly name: string;
  readonly role: Role;
}

/** A draft without its documents. */
export interface DraftHead {
  readonly base: number;
  readonly version: number;
  readonly updatedAt: Date;
  readonly updatedBy: string | null;
}

const columns = { id: topologies.id, slug: topologies.slug, name: topologies.name, role: members.role };

/** A topology as it stands in a list: what one would ask before opening it. */
export interface TopologyEntry extends Omit<TopologyRow, 'id'> {
  readonly version: number;
  readonly updatedAt: Date;
  readonly updatedBy: string | null;
  /** The newest revision; none where nothing was saved yet. */
  readonly revision: {
    readonly number: number;
    readonly words: string;
    readonly author: string;
    readonly createdAt: string;
  } | null;
  /** Who works on it, by name, the first ten. */
  readonly people: readonly string[];
  /** What each environment that has a broker connected has last applied. */
  readonly environments: readonly {
    readonly environment: string;
    readonly revisions: readonly number[];
    readonly whole: boolean;
  }[];
}

/** @returns the topologies a person belongs to, with how each stands, the one that was worked on last first */
export function topologyEntries(db: Database, personId: number): Promise<TopologyEntry[]> {
  return db
    .select({
      slug: topologies.slug,
      name: topologies.name,
      role: members.role,
      version: drafts.version,
      updatedAt: drafts.updatedAt,
      updatedBy: people.name,
      revision: sql<TopologyEntry['revision']>`(
        select json_build_object('number', r.number, 'words', left(r.words, 300), 'author', p.name, 'createdAt', r.created_at)
        from revisions r join people p on p.id = r.author_id
        where r.topology_id = ${topologies.id} order by r.number desc limit 1)`,
      people: sql<string[]>`(
        select coalesce(json_agg(w.name), '[]'::json) from (
          select p.name from members m join people p on p.id = m.person_id
          where m.topology_id = ${topologies.id} order by p.name limit 10) w)`,
      environments: sql<TopologyEntry['environments']>`(
        select coalesce(json_agg(json_build_object('environment', e.environment, 'revisions', e.revisions, 'whole', e.whole) order by e.environment), '[]'::json)
        from (
          select t.environment,
            coalesce(json_agg(distinct a.revision) filter (where a.revision is not null), '[]'::json) as revisions,
            bool_and(a.revision is not null) as whole
          from targets t
          left join lateral (
            select o.revision from rollouts o
            where o.topology_id = t.topology_id and o.environment = t.environment and o.broker = t.broker and o.state = 'applied'
            order by o.id desc limit 1) a on true
          where t.topology_id = ${topologies.id}
          group by t.environment limit 20) e)`,
    })
    .from(members)
    .innerJoin(topologies, eq(topologies.id, members.topologyId))
    .innerJoin(drafts, eq(drafts.topologyId, topologies.id))
    .leftJoin(people, eq(people.id, drafts.updatedBy))
    .where(eq(members.personId, personId))
    .orderBy(desc(drafts.updatedAt), topologies.name)
    .limit(1000);
}

/** @returns the topologies a person belongs to. */
export function topologiesOf(db: Database, personId: number): Promise<TopologyRow[]> {
  return db
    .select(columns)
    .from(members)
    .innerJoin(topologies, eq(topologies.id, members.topologyId))
    .where(eq(members.personId, personId))
    .orderBy(topologies.name)
    .limit(1000);
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

/** Makes a topology with a draft that has nothing in it. @returns its id, or undefined when its address is taken */
export async function insertTopology(
  tx: Transaction,
  topology: { slug: string; name: string },
): Promise<number | undefined> {
  const [made] = await tx
    .insert(topologies)
    .values({ slug: topology.slug, name: topology.name })
    .onConflictDoNothing()
    .returning({ id: topologies.id });
  if (!made) return undefined;
  await tx.insert(drafts).values({ topologyId: made.id, base: 0 });
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

export async function draftHeadOf(db: Transaction, topologyId: number): Promise<DraftHead> {
  const [found] = await db
    .select({
      base: drafts.base,
      version: drafts.version,
      updatedAt: drafts.updatedAt,
      updatedBy: people.name,
    })
    .from(drafts)
    .leftJoin(people, eq(people.id, drafts.updatedBy))
    .where(eq(drafts.topologyId, topologyId));
  if (!found) throw new Error(`topology ${topologyId} has no draft`);
  return found;
}

/** @returns how many bytes a draft's documents have, in UTF-8. */
export async function draftSize(db: Transaction, topologyId: number): Promise<number> {
  const [sum] = await db
    .select({ bytes: sql<string>`coalesce(sum(${draftDocuments.bytes}), 0)` })
    .from(draftDocuments)
    .where(eq(draftDocuments.topologyId, topologyId));
  return Number(sum!.bytes);
}

/**
 * Reads a draft whole, in one statement, so that all of it is of one version.
 * @returns its head, and its documents, each as the JSON text of `{name, text}`, in their order: the
 *   database writes it, and nobody here has to read it again
 */
export async function draftJson(
  db: Transaction,
  topologyId: number,
): Promise<{ head: DraftHead; documents: string[] }> {
  const rows = await db
    .select({
      base: drafts.base,
      version: drafts.version,
      updatedAt: drafts.updatedAt,
      updatedBy: people.name,
      json: sql<
        string | null
      >`case when ${draftDocuments.name} is not null then json_build_object('name', ${draftDocuments.name}, 'text', ${draftDocuments.text})::text end`,
    })
    .from(drafts)
    .leftJoin(people, eq(people.id, drafts.updatedBy))
    .leftJoin(draftDocuments, eq(draftDocuments.topologyId, drafts.topologyId))
    .where(eq(drafts.topologyId, topologyId))
    .orderBy(asc(draftDocuments.position));
  const [first] = rows;
  if (!first) throw new Error(`topology ${topologyId} has no draft`);
  const { json: _json, ...head } = first;
  return { head, documents: rows.flatMap(({ json }) => json ?? []) };
}

/** @returns the documents of a draft. For threads: there may be a lot of text. */
export function draftDocumentsOf(db: Transaction, topologyId: number): Promise<TextDocument[]> {
  return db
    .select({ name: draftDocuments.name, text: draftDocuments.text })
    .from(draftDocuments)
    .where(eq(draftDocuments.topologyId, topologyId))
    .orderBy(asc(draftDocuments.position));
}

/**
 * Takes the draft for a write, if nobody wrote it since `version`. Whoever else writes waits for the
 * end of the transaction.
 * @returns the new version, or undefined when it had moved
 */
export async function takeDraft(
  tx: Transaction,
  topologyId: number,
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
    .where(and(eq(drafts.topologyId, topologyId), eq(drafts.version, version)))
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
  topologyId: number,
  { names, came }: Pick<ReadDocuments, 'names' | 'came'>,
  body: Buffer,
  member: 'documents' | 'changed',
): Promise<string | undefined> {
  const wanted = sql`select name, position - 1 as position from unnest(${sql.param([...names])}::text[]) with ordinality as t(name, position)`;
  await tx.execute(
    sql`delete from draft_documents where topology_id = ${topologyId} and name not in (select name from (${wanted}) w)`,
  );
  if (came.length)
    await tx.execute(sql`
      insert into draft_documents (topology_id, name, position, text, bytes)
      select ${topologyId}, d.name, 0, d.text, octet_length(d.text)
      from json_to_recordset((${body}::json) -> ${member}) as d(name text, text text)
      on conflict (topology_id, name) do update set text = excluded.text, bytes = excluded.bytes`);
  await tx.execute(sql`
    update draft_documents d set position = w.position from (${wanted}) w
    where d.topology_id = ${topologyId} and d.name = w.name and d.position <> w.position`);
  const there = await tx.execute<{ name: string; there: boolean }>(sql`
    select w.name, d.name is not null as there from (${wanted}) w
    left join draft_documents d on d.topology_id = ${topologyId} and d.name = w.name
    where d.name is null limit 1`);
  const missing = there.rows[0]?.name;
  if (missing === undefined && (await draftSize(tx, topologyId)) > LARGEST_DRAFT) throw tooLargeADraft();
  return missing;
}
