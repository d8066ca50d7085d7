/** The last look at each environment, and the course of each store, added up in stretches that are kept for a time. */
import type { Course, LookSeen } from '@vondle/api';
import { and, eq, gt, sql } from 'drizzle-orm';
import type { Database, Transaction } from '../db/connect.ts';
import { looks, rollouts, watchedStores } from '../db/schema.ts';

/** Stretches of time, in seconds, and how long each is kept, in minutes. */
export const STEPS = [
  { step: 5, minutes: 60 },
  { step: 60, minutes: 2 * 1440 },
  { step: 3600, minutes: 90 * 1440 },
] as const;
/** So many stores of an environment have a course. */
export const MOST_COURSES = 2000;
/** So many rollouts are marked in a course. */
const MOST_ROLLOUTS = 50;

interface Where {
  readonly topologyId: number;
  readonly environment: string;
}

/** What was seen of a store in one look. */
export interface Counted {
  readonly broker: string;
  readonly store: string;
  readonly waiting: number;
  readonly inHand: number;
  readonly delayed: number;
  readonly takers: number;
  /** Since the look before. */
  readonly came: number;
  readonly went: number;
}

/** Keeps a look, and adds what was counted to the stretches it falls in. */
export async function keepLook(
  tx: Transaction,
  where: Where,
  look: LookSeen,
  counted: readonly Counted[],
): Promise<void> {
  const at = new Date(look.at);
  await tx
    .insert(looks)
    .values({ ...where, at, look })
    .onConflictDoUpdate({ target: [looks.topologyId, looks.environment], set: { at, look } });
  const all = counted.slice(0, MOST_COURSES);
  if (all.length === 0) return;
  const of = <T>(value: (each: Counted) => T) => sql.param(all.map(value));
  const ids = await storeIds(tx, where, all);
  const id = (each: Counted) => ids.get(`${each.broker}/${each.store}`)!;
  for (const { step } of STEPS)
    await tx.execute(sql`
      insert into points as p
        (store_id, step, at, looks, waiting, most_waiting, in_hand, delayed, takers, came, went)
      select each.id, ${step}, to_timestamp(floor(extract(epoch from ${look.at}::timestamptz) / ${step}) * ${step}), 1,
        each.waiting, each.waiting, each.in_hand, each.delayed, each.takers, each.came, each.went
      from unnest(${of(id)}::int[], ${of(({ waiting }) => waiting)}::float8[], ${of(({ inHand }) => inHand)}::float8[],
        ${of(({ delayed }) => delayed)}::float8[], ${of(({ takers }) => takers)}::float8[],
        ${of(({ came }) => came)}::float8[], ${of(({ went }) => went)}::float8[])
        as each(id, waiting, in_hand, delayed, takers, came, went)
      on conflict (store_id, step, at) do update set looks = p.looks + 1,
        waiting = p.waiting + excluded.waiting, most_waiting = greatest(p.most_waiting, excluded.most_waiting),
        in_hand = p.in_hand + excluded.in_hand, delayed = p.delayed + excluded.delayed,
        takers = p.takers + excluded.takers, came = p.came + excluded.came, went = p.went + excluded.went`);
}

async function storeIds(
  tx: Transaction,
  { topologyId, environment }: Where,
  all: readonly Counted[],
): Promise<Map<string, number>> {
  const known = await tx
    .select({ id: watchedStores.id, broker: watchedStores.broker, store: watchedStores.store })
    .from(watchedStores)
    .where(and(eq(watchedStores.topologyId, topologyId), eq(watchedStores.environment, environment)));
  const ids = new Map(known.map(({ id, broker, store }) => [`${broker}/${store}`, id]));
  const fresh = all.filter(({ broker, store }) => !ids.has(`${broker}/${store}`));
  if (fresh.length) {
    const made = await tx
      .insert(watchedStores)
      .values(fresh.map(({ broker, store }) => ({ topologyId, environment, broker, store })))
      .onConflictDoUpdate({
        target: [
          watchedStores.topologyId,
          watchedStores.environment,
          watchedStores.broker,
          watchedStores.store,
        ],
        set: { store: sql`excluded.store` },
      })
      .returning({ id: watchedStores.id, broker: watchedStores.broker, store: watchedStores.store });
    for (const { id, broker, store } of made) ids.set(`${broker}/${store}`, id);
  }
  return ids;
}

/** Forgets what is older than it is kept, and stores of which nothing is kept any more. */
export async function forgetOld(db: Database): Promise<void> {
  for (const { step, minutes } of STEPS)
    await db.execute(
      sql`delete from points where step = ${step} and at < now() - ${minutes} * interval '1 minute'`,
    );
  await db.execute(
    sql`delete from watched_stores w where not exists (select 1 from points p where p.store_id = w.id)`,
  );
}

const NO_ALERTS = { alerts: [], moreAlerts: 0 };

/** @returns the last look; undefined where there was none */
export async function lastLook(db: Database, where: Where): Promise<LookSeen | undefined> {
  const [found] = await db
    .select({ look: looks.look })
    .from(looks)
    .where(and(eq(looks.topologyId, where.topologyId), eq(looks.environment, where.environment)));
  // one that an earlier version kept tells of no alerts
  return found && { ...NO_ALERTS, ...found.look };
}

/** Forgets the looks at environments in which nothing stands any more. @param standing those in which something does */
export async function forgetLooks(db: Database, standing: readonly Where[]): Promise<void> {
  await db.execute(sql`
    delete from looks where not exists (
      select 1 from unnest(${sql.param(standing.map((each) => each.topologyId))}::int[],
        ${sql.param(standing.map((each) => each.environment))}::text[]) as each(topology_id, environment)
      where each.topology_id = looks.topology_id and each.environment = looks.environment)`);
}

/** @returns how a store stood in the last so many minutes; stretches in which it was not seen are left out */
export async function courseOf(
  db: Database,
  { topologyId, environment }: Where,
  { broker, store, minutes }: { broker: string; store: string; minutes: number },
): Promise<Course> {
  const { step } = STEPS.find((each) => each.minutes >= minutes) ?? STEPS.at(-1)!;
  const { rows } = await db.execute<Record<string, string>>(sql`
    select p.at, p.waiting / p.looks as waiting, p.most_waiting as "mostWaiting", p.in_hand / p.looks as "inHand",
      p.delayed / p.looks as delayed, p.takers / p.looks as takers, p.came / ${step} as comes, p.went / ${step} as goes
    from points p join watched_stores own on own.id = p.store_id
    where own.topology_id = ${topologyId} and own.environment = ${environment} and own.broker = ${broker}
      and own.store = ${store} and p.step = ${step} and p.at > now() - ${minutes} * interval '1 minute'
    order by p.at`);
  const then = await db
    .select({
      id: rollouts.id,
      revision: rollouts.revision,
      broker: rollouts.broker,
      at: rollouts.finishedAt,
    })
    .from(rollouts)
    .where(
      and(
        eq(rollouts.topologyId, topologyId),
        eq(rollouts.environment, environment),
        eq(rollouts.state, 'applied'),
        gt(rollouts.finishedAt, sql`now() - ${minutes} * interval '1 minute'`),
      ),
    )
    .orderBy(rollouts.finishedAt)
    .limit(MOST_ROLLOUTS);
  return {
    step,
    points: rows.map(({ at, ...values }) => ({
      at: new Date(at!).toISOString(),
      ...(Object.fromEntries(Object.entries(values).map(([name, value]) => [name, Number(value)])) as Omit<
        Course['points'][number],
        'at'
      >),
    })),
    rollouts: then.map(({ at, ...rollout }) => ({ ...rollout, at: at!.toISOString() })),
  };
}
