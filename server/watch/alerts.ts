/** Alerts that go off and end: kept, and told to whoever asked to be told. */
import type { AlertThen } from '@vondle/api';
import { alertKey, type Alert } from '@vondle/core/analysis';
import { and, desc, eq, inArray, isNull, sql } from 'drizzle-orm';
import type { Database, Transaction } from '../db/connect.ts';
import { alerts } from '../db/schema.ts';
import { tellWebhooks } from '../webhooks/events.ts';

interface Where {
  readonly topologyId: number;
  readonly environment: string;
}

/** So long is known which alerts went off, in days. */
const KEPT_DAYS = 90;
/** So many of an environment that are over are kept. */
const MOST_KEPT = 10_000;
/** So many of an environment are told. */
const MOST_TOLD = 200;

const going = ({ topologyId, environment }: Where) =>
  and(eq(alerts.topologyId, topologyId), eq(alerts.environment, environment), isNull(alerts.endedAt));

/** Brings what is kept in line with which alerts are off now, and tells of each that went off and each that ended. */
export async function keepAlerts(tx: Transaction, where: Where, now: readonly Alert[]): Promise<void> {
  const off = new Map(now.flatMap((each) => (each.off ? [[alertKey(each), each] as const] : [])));
  const open = await tx.select().from(alerts).where(going(where));
  const known = new Set(open.map(alertKey));
  const began = [...off].flatMap(([key, each]) => (known.has(key) ? [] : [each]));
  const ended = open.filter((each) => !off.has(alertKey(each)));
  if (began.length)
    await tx
      .insert(alerts)
      .values(
        began.map(({ rule, broker, name, about, words, since }) => ({
          ...where,
          rule,
          broker,
          name,
          about,
          words,
          since: new Date(since),
          wentOffAt: sql`now()`,
        })),
      )
      .onConflictDoNothing();
  if (ended.length)
    await tx
      .update(alerts)
      .set({ endedAt: sql`now()` })
      .where(
        inArray(
          alerts.id,
          ended.map(({ id }) => id),
        ),
      );
  const { environment, topologyId } = where;
  const event = ({
    rule,
    broker,
    name,
    about,
    words,
  }: Pick<Alert, 'rule' | 'broker' | 'name' | 'about' | 'words'>) => ({
    environment,
    alert: rule,
    place: `${broker}/${name}`,
    about,
    words,
  });
  for (const each of began)
    await tellWebhooks(tx, 'vondle.alert.began', topologyId, {
      ...event(each),
      since: new Date(each.since).toISOString(),
    });
  for (const each of ended)
    await tellWebhooks(tx, 'vondle.alert.ended', topologyId, {
      ...event(each),
      since: each.since.toISOString(),
    });
}

/**
 * Ends what is off where nothing stands any more, and forgets what is long over.
 * @param standing where something stands
 */
export async function forgetAlerts(
  db: Database,
  standing: readonly Where[],
  most = MOST_KEPT,
): Promise<void> {
  const known = new Set(standing.map((each) => JSON.stringify([each.topologyId, each.environment])));
  const open = await db
    .selectDistinct({ topologyId: alerts.topologyId, environment: alerts.environment })
    .from(alerts)
    .where(isNull(alerts.endedAt));
  for (const each of open)
    if (!known.has(JSON.stringify([each.topologyId, each.environment])))
      await db.transaction((tx) => keepAlerts(tx, each, []));
  await db.execute(sql`delete from alerts where ended_at < now() - ${KEPT_DAYS} * interval '1 day'`);
  // one that comes and goes at every look would fill it
  await db.execute(sql`
    delete from alerts a using (
      select id, row_number() over (partition by topology_id, environment order by id desc) as place
      from alerts where ended_at is not null) old
    where a.id = old.id and old.place > ${most}`);
}

/** @returns the alerts of an environment that went off, the newest first */
export async function alertsThen(db: Database, { topologyId, environment }: Where): Promise<AlertThen[]> {
  const found = await db
    .select()
    .from(alerts)
    .where(and(eq(alerts.topologyId, topologyId), eq(alerts.environment, environment)))
    .orderBy(desc(alerts.wentOffAt), desc(alerts.id))
    .limit(MOST_TOLD);
  return found.map(({ rule, broker, name, about, words, since, wentOffAt, endedAt }) => ({
    rule,
    place: `${broker}/${name}`,
    about,
    words,
    since: since.toISOString(),
    wentOffAt: wentOffAt.toISOString(),
    endedAt: endedAt?.toISOString() ?? null,
  }));
}
