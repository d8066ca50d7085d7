/** Which revision each line of a draft's document came with. Worked out on a thread. */
import { lastChanged, type LineSource } from '@vondle/core/change';
import { sql } from 'drizzle-orm';
import type { Database } from '../db/connect.ts';
import { notFound } from '../http/problem.ts';

/** So many states of a document are gone back through; what is older came with the oldest of them. */
const MOST_STATES = 200;

/** Runs of lines that came with one revision; 0 for what the draft itself changed. */
export interface Blame {
  readonly version: number;
  readonly lines: readonly number[];
}

/**
 * @returns for each line of the document, in the draft as it is now, the number of the revision it came with
 * @throws Problem 404 where the draft has no such document
 */
export async function blameOf(
  db: Database,
  { draftId, doc }: { draftId: number; doc: string },
): Promise<Blame> {
  const { rows: now } = await db.execute<{
    text: string;
    version: number;
    base: number;
    topology: number;
  }>(sql`
    select dd.text, d.version, d.base, d.topology_id as topology from drafts d
    join draft_documents dd on dd.draft_id = d.id and dd.name = ${doc} where d.id = ${draftId}`);
  const [draft] = now;
  if (!draft) throw notFound(`document ${doc.slice(0, 100)}`);
  // along the parents, each text once for as long as it stayed the same: the oldest revision that has it
  const { rows: states } = await db.execute<{ number: number; text: string }>(sql`
    with recursive line as (
      select r.id, r.number, r.parent, 1 as depth from revisions r
      where r.topology_id = ${draft.topology} and r.number = ${draft.base}
      union all
      select r.id, r.number, r.parent, line.depth + 1 from line, lateral (
        -- looked up one by one: joined, all revisions would be read for each of them
        select id, number, parent from revisions
        where topology_id = ${draft.topology} and number = line.parent limit 1) r
    ), held as (
      select line.number, line.depth, rd.hash, lead(rd.hash) over (order by line.depth) as older
      from line join revision_documents rd on rd.revision_id = line.id and rd.name = ${doc}
    )
    select held.number, c.text from held join contents c on c.hash = held.hash
    where held.older is distinct from held.hash order by held.depth limit ${MOST_STATES}`);
  const sources: LineSource[] = [{ number: 0, text: draft.text }, ...states];
  return { version: draft.version, lines: lastChanged(sources) };
}
