/** Copies that taps kept, and how they are found again. */
import type { AskedPassed, Passed } from '@vondle/api';
import { and, desc, eq, gte, ilike, lt, lte, or, sql, type SQL } from 'drizzle-orm';
import type { Database, Transaction } from '../db/connect.ts';
import { passed } from '../db/schema.ts';
import type { Kept } from './kept.ts';

interface Where {
  readonly topologyId: number;
  readonly environment: string;
}

/** So many copies of an environment are kept; the oldest go first. */
export const MOST_KEPT = 200_000;
/** So many are told at once. */
const MOST_TOLD = 200;
/** A search that takes longer is given up: its words are too common, or the time too long. */
const SEARCH_MS = 5000;

/** Keeps copies of what passed a place. @param until when they are forgotten, by each one's time */
export async function keepPassed(
  tx: Transaction,
  { topologyId, environment }: Where,
  { on, keepMs }: { on: string; keepMs: number },
  copies: readonly Kept[],
): Promise<void> {
  if (copies.length === 0) return;
  await tx.insert(passed).values(
    copies.map(({ at, ...each }) => ({
      topologyId,
      environment,
      place: on,
      ...each,
      at: new Date(at),
      until: new Date(at + keepMs),
    })),
  );
}

/** Forgets what is kept for long enough, and the oldest where there are too many. */
export async function forgetPassed(db: Database, most = MOST_KEPT): Promise<void> {
  await db.execute(sql`delete from passed where until < now()`);
  await db.execute(sql`
    delete from passed p using (
      select topology_id, environment, id, row_number() over (
        partition by topology_id, environment order by id desc) as place from passed) old
    where p.id = old.id and old.place > ${most}`);
}

/** Text as it stands in a pattern of LIKE. */
const literally = (text: string): string => text.replace(/[\\%_]/g, '\\$&');

/**
 * @param may whether headers and payloads may be told: they are of one message, and are looked for in of all
 * @returns copies, the newest first; of one message all of them, the first first
 */
export async function passedIn(
  db: Database,
  { topologyId, environment }: Where,
  { find, place, same, from, until, before, most }: AskedPassed,
  may: boolean,
): Promise<Passed[]> {
  const words = find ? `%${literally(find)}%` : undefined;
  const asked: (SQL | undefined)[] = [
    eq(passed.topologyId, topologyId),
    eq(passed.environment, environment),
    place ? eq(passed.place, place) : undefined,
    same ? eq(passed.same, same) : undefined,
    from ? gte(passed.at, new Date(from)) : undefined,
    until ? lte(passed.at, new Date(until)) : undefined,
    before === undefined ? undefined : lt(passed.id, before),
    words === undefined
      ? undefined
      : or(
          ilike(passed.key, words),
          ilike(passed.messageId, words),
          ilike(passed.correlationId, words),
          ilike(passed.who, words),
          ilike(passed.type, words),
          ...(may ? [ilike(passed.body, words), sql`${passed.headers}::text ilike ${words}`] : []),
        ),
  ];
  const rows = await db.transaction(async (tx) => {
    await tx.execute(sql.raw(`set local statement_timeout = ${SEARCH_MS}`));
    return tx
      .select()
      .from(passed)
      .where(and(...asked))
      .orderBy(...(same ? [passed.at, passed.id] : [desc(passed.id)]))
      .limit(Math.min(most, MOST_TOLD));
  });
  const bodies = may && same !== undefined;
  return rows.map(
    ({ at, headers, body, until: keptUntil, topologyId: _own, environment: _there, ...each }) => ({
      ...each,
      at: at.toISOString(),
      until: keptUntil.toISOString(),
      headers: bodies ? headers : null,
      body: bodies ? body : null,
      hidden: !may && (headers !== null || body !== null),
    }),
  );
}
