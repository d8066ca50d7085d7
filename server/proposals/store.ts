import { and, asc, count, desc, eq, max, sql, type SQL } from 'drizzle-orm';
import type { Database, Transaction } from '../db/connect.ts';
import type { About, Verdict } from '@vondle/api';
import { comments, members, people, proposals, threads, verdicts } from '../db/schema.ts';

export interface ProposalRow {
  readonly id: number;
  readonly number: number;
  readonly draft: number | null;
  readonly title: string;
  readonly words: string;
  /** Who proposed it. */
  readonly authorId: number;
  readonly author: string;
  readonly authorName: string;
  readonly state: 'open' | 'kept' | 'withdrawn';
  readonly revision: number | null;
  readonly createdAt: Date;
}

/** What one person says to it. */
export interface VerdictRow {
  readonly handle: string;
  readonly name: string;
  readonly verdict: Verdict;
  readonly words: string;
  readonly at: Date;
  /** Whether the proposal still is what it was said of, and they may still say it: they approve here, and wrote nothing of it. */
  readonly holds: boolean;
}

export interface ThreadRow {
  readonly id: number;
  readonly about: About;
  readonly resolved: string | null;
  readonly comments: readonly { readonly name: string; readonly words: string; readonly at: string }[];
}

export const MOST_OPEN = 100;
export const MOST_THREADS = 500;
export const MOST_COMMENTS = 200;

const columns = {
  id: proposals.id,
  number: proposals.number,
  draft: proposals.draftId,
  title: proposals.title,
  words: proposals.words,
  authorId: proposals.authorId,
  author: people.handle,
  authorName: people.name,
  state: proposals.state,
  revision: proposals.revision,
  createdAt: proposals.createdAt,
};

/** @returns the proposals of a topology, the newest first */
export function proposalsOf(db: Transaction, topologyId: number): Promise<ProposalRow[]> {
  return db
    .select(columns)
    .from(proposals)
    .innerJoin(people, eq(people.id, proposals.authorId))
    .where(eq(proposals.topologyId, topologyId))
    .orderBy(desc(proposals.number))
    .limit(500);
}

export async function proposalOf(
  db: Transaction,
  topologyId: number,
  number: number,
): Promise<ProposalRow | undefined> {
  const [found] = await db
    .select(columns)
    .from(proposals)
    .innerJoin(people, eq(people.id, proposals.authorId))
    .where(and(eq(proposals.topologyId, topologyId), eq(proposals.number, number)));
  return found;
}

/**
 * @returns the number of the new proposal; `proposed` where its draft is proposed already, `many` where there are as
 *   many open ones as there may be
 */
export async function insertProposal(
  tx: Transaction,
  row: { topologyId: number; draftId: number; title: string; words: string; authorId: number },
): Promise<number | 'proposed' | 'many'> {
  const [known] = await tx
    .select({ last: max(proposals.number), open: count(sql`case when state = 'open' then 1 end`) })
    .from(proposals)
    .where(eq(proposals.topologyId, row.topologyId));
  if (known!.open >= MOST_OPEN) return 'many';
  const number = (known!.last ?? 0) + 1;
  const [made] = await tx
    .insert(proposals)
    .values({ ...row, number })
    .onConflictDoNothing()
    .returning({ number: proposals.number });
  return made?.number ?? 'proposed';
}

/** Closes an open proposal. @returns whether it was open */
export async function closeProposal(
  tx: Transaction,
  id: number,
  set: { state: 'kept'; revision: number } | { state: 'withdrawn' },
): Promise<boolean> {
  const closed = await tx
    .update(proposals)
    .set({ ...set, closedAt: new Date() })
    .where(and(eq(proposals.id, id), eq(proposals.state, 'open')))
    .returning({ id: proposals.id });
  return closed.length > 0;
}

/** The documents of a draft by name and the hash of their text, as one text: the same for the same draft. */
const signOf = (draftId: number | SQL) =>
  sql<string>`(select coalesce(encode(sha256(convert_to(string_agg(dd.name || ' ' || encode(sha256(convert_to(dd.text, 'UTF8')), 'hex'), E'\n' order by dd.position), 'UTF8')), 'hex'), '') from draft_documents dd where dd.draft_id = ${draftId})`;

/** Says something to a proposal as its draft is now, in place of what was said before, and keeps what it is about. */
export async function setVerdict(
  tx: Transaction,
  row: { proposalId: number; personId: number; verdict: Verdict; words: string },
  draftId: number,
): Promise<void> {
  const { proposalId, personId } = row;
  await tx.delete(verdicts).where(and(eq(verdicts.proposalId, proposalId), eq(verdicts.personId, personId)));
  const [made] = await tx
    .insert(verdicts)
    .values({ ...row, sign: signOf(draftId) })
    .returning({ id: verdicts.id });
  const hashed = sql`select name, position, text, encode(sha256(convert_to(text, 'UTF8')), 'hex') as hash from draft_documents where draft_id = ${draftId}`;
  await tx.execute(
    sql`insert into contents (hash, text) select distinct on (hash) hash, text from (${hashed}) d order by hash on conflict do nothing`,
  );
  await tx.execute(
    sql`insert into verdict_documents (verdict_id, position, name, hash) select ${made!.id}::integer, position, name, hash from (${hashed}) d`,
  );
}

/** @returns what each person says to a proposal, the newest last */
export function verdictsOf(
  db: Transaction,
  proposalId: number,
  draftId: number | null,
): Promise<VerdictRow[]> {
  return db
    .select({
      handle: people.handle,
      name: people.name,
      verdict: verdicts.verdict,
      words: verdicts.words,
      at: verdicts.at,
      holds:
        draftId === null
          ? sql<boolean>`false`
          : sql<boolean>`(${verdicts.sign} = ${signOf(draftId)} and coalesce(${members.role} in ('approver', 'owner'), false)
              and not exists (select 1 from draft_writers w where w.draft_id = ${draftId} and w.person_id = ${verdicts.personId}))`,
    })
    .from(verdicts)
    .innerJoin(people, eq(people.id, verdicts.personId))
    .innerJoin(proposals, eq(proposals.id, verdicts.proposalId))
    .leftJoin(
      members,
      and(eq(members.topologyId, proposals.topologyId), eq(members.personId, verdicts.personId)),
    )
    .where(eq(verdicts.proposalId, proposalId))
    .orderBy(asc(verdicts.at));
}

/** @returns the documents that somebody's verdict is about, each as the JSON text of `{name, text}` */
export async function verdictDocumentsJson(
  db: Database,
  proposalId: number,
  handle: string,
): Promise<string[]> {
  const { rows } = await db.execute<{ json: string }>(sql`
    select json_build_object('name', vd.name, 'text', c.text)::text as json
    from verdicts v join people p on p.id = v.person_id
    join verdict_documents vd on vd.verdict_id = v.id join contents c on c.hash = vd.hash
    where v.proposal_id = ${proposalId} and p.handle = ${handle} order by vd.position`);
  return rows.map(({ json }) => json);
}

/** @returns the threads of a proposal with all that was said, in the order they were begun */
export function threadsOf(db: Transaction, proposalId: number): Promise<ThreadRow[]> {
  return db
    .select({
      id: threads.id,
      about: threads.about,
      resolved: sql<string | null>`(select r.name from people r where r.id = threads.resolved_by)`,
      comments: sql<ThreadRow['comments']>`(
        select coalesce(json_agg(json_build_object('name', p.name, 'words', c.words, 'at', c.at) order by c.id), '[]'::json)
        from comments c join people p on p.id = c.person_id where c.thread_id = threads.id)`,
    })
    .from(threads)
    .where(eq(threads.proposalId, proposalId))
    .orderBy(asc(threads.id));
}

/** Begins a thread with a first comment. @returns its id, or undefined where there are too many */
export async function beginThread(
  tx: Transaction,
  {
    proposalId,
    about,
    personId,
    words,
  }: { proposalId: number; about: About; personId: number; words: string },
): Promise<number | undefined> {
  const [known] = await tx.select({ count: count() }).from(threads).where(eq(threads.proposalId, proposalId));
  if (known!.count >= MOST_THREADS) return undefined;
  const [made] = await tx.insert(threads).values({ proposalId, about }).returning({ id: threads.id });
  await tx.insert(comments).values({ threadId: made!.id, personId, words });
  return made!.id;
}

/** Says something in a thread, which opens it again. @returns whether there was room */
export async function comment(
  tx: Transaction,
  row: { threadId: number; personId: number; words: string },
): Promise<boolean> {
  const [known] = await tx
    .select({ count: count() })
    .from(comments)
    .where(eq(comments.threadId, row.threadId));
  if (known!.count >= MOST_COMMENTS) return false;
  await tx.insert(comments).values(row);
  await resolve(tx, row.threadId, null);
  return true;
}

export async function resolve(tx: Transaction, threadId: number, by: number | null): Promise<void> {
  await tx
    .update(threads)
    .set({ resolvedBy: by, resolvedAt: by === null ? null : new Date() })
    .where(eq(threads.id, threadId));
}

/** @returns whether a thread belongs to a proposal */
export async function hasThread(db: Transaction, proposalId: number, threadId: number): Promise<boolean> {
  const [found] = await db
    .select({ id: threads.id })
    .from(threads)
    .where(and(eq(threads.id, threadId), eq(threads.proposalId, proposalId)));
  return found !== undefined;
}

/** Something that waits for somebody. */
export interface Waiting {
  readonly slug: string;
  readonly topology: string;
  readonly number: number;
  readonly title: string;
  /** Their word on it is asked for; changes are asked of what they proposed; or it waits for others. */
  readonly what: 'review' | 'changes' | 'others';
  /** Who proposed it, who asks for changes, or for whom it waits. */
  readonly by: string;
}

/** @returns what waits for somebody, in all their topologies, the oldest first */
export async function waitingFor(db: Database, personId: number): Promise<Waiting[]> {
  // a word counts for as long as the draft is as it was said of
  const stale = sql`(v.id is null or v.sign is distinct from ${signOf(sql`d.id`)})`;
  const mayJudge = sql`not exists (select 1 from draft_writers w where w.draft_id = d.id and w.person_id = m.person_id)`;
  const { rows } = await db.execute<{ [K in keyof Waiting]: Waiting[K] }>(sql`
    select t.slug, t.name as topology, pr.number, pr.title, 'review' as what, a.name as by
    from members m
    join topologies t on t.id = m.topology_id
    join proposals pr on pr.topology_id = t.id and pr.state = 'open' and pr.author_id <> m.person_id
    join people a on a.id = pr.author_id
    join drafts d on d.id = pr.draft_id
    left join verdicts v on v.proposal_id = pr.id and v.person_id = m.person_id
    where m.person_id = ${personId} and m.role in ('approver', 'owner')
      and ${stale} and ${mayJudge}
    union all
    select t.slug, t.name, pr.number, pr.title, 'changes', p.name
    from proposals pr
    join topologies t on t.id = pr.topology_id
    join members m on m.topology_id = t.id and m.person_id = pr.author_id
    join drafts d on d.id = pr.draft_id
    join verdicts v on v.proposal_id = pr.id and v.verdict = 'changes'
    join people p on p.id = v.person_id
    where pr.author_id = ${personId} and pr.state = 'open' and not ${stale}
    union all
    select t.slug, t.name, pr.number, pr.title, 'others', string_agg(p.name, ', ' order by p.name)
    from proposals pr
    join topologies t on t.id = pr.topology_id
    join members o on o.topology_id = t.id and o.person_id = pr.author_id
    join members m on m.topology_id = t.id and m.person_id <> pr.author_id and m.role in ('approver', 'owner')
    join people p on p.id = m.person_id
    join drafts d on d.id = pr.draft_id
    left join verdicts v on v.proposal_id = pr.id and v.person_id = m.person_id
    where pr.author_id = ${personId} and pr.state = 'open' and ${stale} and ${mayJudge}
    group by t.slug, t.name, pr.number, pr.title
    order by 3 limit 100`);
  return rows;
}

/** @returns a text that is another whenever something was said to a proposal of a topology, or became of one */
export async function proposalsMark(db: Transaction, topologyId: number): Promise<string> {
  const { rows } = await db.execute<{ mark: string }>(sql`
    select concat_ws(' ',
      (select count(*) || ' ' || count(closed_at) from proposals where topology_id = ${topologyId}),
      (select max(v.id) from verdicts v join proposals p on p.id = v.proposal_id where p.topology_id = ${topologyId}),
      (select max(c.id) from comments c join threads t on t.id = c.thread_id join proposals p on p.id = t.proposal_id where p.topology_id = ${topologyId}),
      (select count(t.resolved_at) from threads t join proposals p on p.id = t.proposal_id where p.topology_id = ${topologyId})
    ) as mark`);
  return rows[0]!.mark;
}
