/**
 * How links stand, as the process that carries each says it every few seconds. What nobody has said anything of for a
 * while, nobody carries.
 */
import { eq, not, sql } from 'drizzle-orm';
import type { Database } from '../db/connect.ts';
import { linkStandings } from '../db/schema.ts';
import type { Standing } from './carrier.ts';

/** A link of an environment, and how it stands. */
export interface LinkStanding extends Standing, Place {}

interface Place {
  readonly topologyId: number;
  readonly environment: string;
  readonly link: string;
}

/** Seconds after which a word is too old: several times as long as a process takes for the next. */
const STALE_S = 20;
const UNCARRIED = 'no server process carries it';

/**
 * Keeps how links stand, and forgets links that are not declared any more.
 * @param said by this process, of those that it carries
 * @param all that there are to be carried, by any process
 */
export async function keepStandings(
  db: Database,
  said: readonly LinkStanding[],
  all: readonly Place[],
): Promise<void> {
  const known = sql`select * from jsonb_to_recordset(${JSON.stringify(all)}::jsonb)
    as known("topologyId" int, environment text, link text)`;
  const of = linkStandings;
  await db.transaction(async (tx) => {
    if (said.length)
      await tx
        .insert(of)
        .values(said.map((each) => ({ ...each, why: each.why ?? null })))
        .onConflictDoUpdate({
          target: [of.topologyId, of.environment, of.link],
          set: {
            runs: sql`excluded.runs`,
            why: sql`excluded.why`,
            carried: sql`excluded.carried`,
            held: sql`excluded.held`,
            at: sql`now()`,
          },
        });
    await tx
      .delete(of)
      .where(
        not(
          sql`(${of.topologyId}, ${of.environment}, ${of.link}) in (select "topologyId", environment, link from (${known}) k)`,
        ),
      );
  });
}

/** @returns how the links of a topology stand by the word of whoever carries them, in the order of their names */
export async function standingsOf(db: Database, topologyId: number) {
  const of = linkStandings;
  const rows = await db
    .select({
      environment: of.environment,
      link: of.link,
      runs: of.runs,
      why: of.why,
      carried: of.carried,
      held: of.held,
      stale: sql<boolean>`${of.at} < now() - ${STALE_S} * interval '1 second'`,
    })
    .from(of)
    .where(eq(of.topologyId, topologyId))
    .orderBy(of.environment, of.link);
  return rows.map(({ stale, ...row }) => (stale ? { ...row, runs: false, why: UNCARRIED } : row));
}

/**
 * @param declared the names of all links that are to be carried in the environment
 * @returns how they stand, those included of which no process has said anything
 */
export async function standingsIn(
  db: Database,
  { topologyId, environment }: { topologyId: number; environment: string },
  declared: readonly string[],
) {
  const said = (await standingsOf(db, topologyId)).filter((each) => each.environment === environment);
  const names = new Set(said.map(({ link }) => link));
  const missing = declared.filter((link) => !names.has(link));
  return [...said, ...missing.map((link) => ({ link, runs: false, why: UNCARRIED, carried: 0 }))];
}
