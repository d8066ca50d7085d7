/**
 * The messages of stores, in PostgreSQL. A message that is taken is leased: it is not ready again before its lease
 * ends, and only who has that lease can settle it. So any number of processes share a store, and what one of them
 * had in hand when it fell comes back by itself.
 */
import { randomUUID } from 'node:crypto';
import { sql } from 'drizzle-orm';
import type { Database, Transaction } from '../db/connect.ts';
import type { Space, Store } from '../setup/space.ts';
import type { Decoded } from './encoding.ts';
import { handOver } from './hand-over.ts';
import { type Lying, jsonMessage, partsOf } from './sections.ts';
import { bodyOf, seenOf } from './seen.ts';

/** A message somebody has in hand. */
export interface Leased extends Lying {
  readonly id: number;
  readonly lease: string;
  /** When the lease ends, in milliseconds as `Date.now()` counts. */
  readonly until: number;
}

/** What somebody who had a message in hand says of it (AMQP 1.0 §3.4.2–3.4.5). */
export type Settling = 'accepted' | 'released' | 'failed' | 'rejected';

/** A copy that is to lie in a store. */
export interface Arriving {
  readonly store: Store;
  readonly bare: Buffer;
  readonly annotations: Buffer | undefined;
  /** As whom it was sent. */
  readonly sentBy: string | undefined;
  readonly durable: boolean;
  readonly priority: number | undefined;
  readonly ttlMs: number | undefined;
  readonly group: string | undefined;
  readonly died?: Lying['died'];
  readonly rounds?: number;
}

export type GaveUp = 'expired' | 'rejected' | 'too many deliveries';

/** Dead letters go round so often; a circle that never ends is cut. */
const MOST_ROUNDS = 64;
/** So many are given up in one go. */
const MOST_GIVEN_UP = 500;
/** The channel on which processes are told that stores have something new. */
export const READY = 'standin_ready';

type Row = {
  id: string;
  bare: Buffer;
  annotations: Buffer | null;
  sent_by: string | null;
  durable: boolean;
  priority: number | null;
  tries: number;
  died: Lying['died'];
  rounds: number;
  group: string | null;
};

/** Puts copies into their stores, in their order, and tells whoever waits at them. */
export async function put(tx: Transaction, copies: readonly Arriving[]): Promise<void> {
  if (copies.length === 0) return;
  const of = <T>(value: (copy: Arriving) => T) => sql.param(copies.map(value));
  const ttl = ({ store, ttlMs }: Arriving) =>
    store.ttlMs === undefined && ttlMs === undefined
      ? null
      : Math.min(store.ttlMs ?? Infinity, ttlMs ?? Infinity);
  await tx.execute(sql`
    insert into standin.messages
      (store, bare, annotations, sent_by, durable, priority, "group", ready_at, expires_at, died, rounds)
    select each.store, each.bare, each.annotations, each.sent_by, each.durable, each.priority, each."group",
      now() + each.delay * interval '1 ms',
      case when each.ttl is null then null else now() + each.ttl * interval '1 ms' end, each.died, each.rounds
    from unnest(
      ${of(({ store }) => store.id)}::int[], ${of(({ bare }) => bare)}::bytea[],
      ${of(({ annotations }) => annotations ?? null)}::bytea[], ${of(({ sentBy }) => sentBy ?? null)}::text[],
      ${of(({ durable }) => durable)}::boolean[],
      ${of(({ priority }) => priority ?? null)}::smallint[],
      ${of(({ store, group }) => (store.fifo ? (group ?? null) : null))}::text[],
      ${of(({ store }) => store.delayMs)}::float8[], ${of(ttl)}::float8[],
      ${of(({ died }) => (died ? JSON.stringify(died) : null))}::jsonb[], ${of(({ rounds }) => rounds ?? 0)}::smallint[]
    ) with ordinality as each(store, bare, annotations, sent_by, durable, priority, "group", delay, ttl, died, rounds, nth)
    -- what was deleted since this process last looked takes nothing any more
    join standin.things on things.id = each.store
    order by each.nth`);
  const stores = [...new Set(copies.map(({ store }) => store.id))];
  await tx.execute(
    sql`select pg_notify(${READY}, each.id::text) from unnest(${sql.param(stores)}::int[]) as each(id)`,
  );
}

/**
 * Takes messages from a store for a while, the oldest first; of one group one at a time where it keeps order.
 * @returns at most `most` of them
 */
export async function lease(db: Database, store: Store, most: number): Promise<Leased[]> {
  const token = randomUUID();
  // in a group the next one waits until the one before it is settled
  const inTurn = store.fifo
    ? sql`and not exists (select 1 from standin.messages before
        where before.store = m.store and before."group" = m."group" and before.id < m.id)`
    : sql``;
  const limit = store.maxDeliveries === undefined ? sql`` : sql`and m.tries < ${store.maxDeliveries}`;
  const until = Date.now() + store.leaseMs;
  const { rows } = await db.execute<Row>(sql`
    with taken as materialized (
      select m.id from standin.messages m
      where m.store = ${store.id} and m.ready_at <= now() and (m.expires_at is null or m.expires_at > now())
        ${limit} ${inTurn}
      order by m.id limit ${most} for update skip locked)
    update standin.messages m
    set lease = ${token}, tries = m.tries + 1, ready_at = now() + ${store.leaseMs} * interval '1 ms'
    from taken where m.id = taken.id
    returning m.id, m.bare, m.annotations, m.durable, m.priority, m.tries, m.died`);
  return rows.map((row) => ({ ...row, id: Number(row.id), lease: token, until })).sort((a, b) => a.id - b.id);
}

/**
 * Settles messages as whoever had them in hand says.
 * @param settled of each: its id, its lease, and what is said of it
 * @returns the ids of those whose lease had not ended: only these were settled
 */
export async function settle(
  db: Database,
  space: Space | undefined,
  store: Store,
  settled: readonly { readonly id: number; readonly lease: string; readonly as: Settling }[],
): Promise<Set<number>> {
  const done = new Set<number>();
  const these = (as: Settling) => settled.filter((each) => each.as === as);
  const keys = (list: readonly { id: number; lease: string }[]) =>
    sql`unnest(${sql.param(list.map(({ id }) => id))}::bigint[], ${sql.param(list.map((each) => each.lease))}::uuid[]) as each(id, lease)`;
  const note = ({ rows }: { rows: readonly { id: string }[] }) => {
    for (const { id } of rows) done.add(Number(id));
  };
  const accepted = these('accepted');
  if (accepted.length)
    note(
      await db.execute<{ id: string }>(sql`
        delete from standin.messages m using ${keys(accepted)}
        where m.id = each.id and m.lease = each.lease and m.ready_at > now() returning m.id`),
    );
  for (const as of ['released', 'failed'] as const) {
    const list = these(as);
    if (list.length)
      note(
        await db.execute<{ id: string }>(sql`
          with back as (
            update standin.messages m
            set lease = null, ready_at = now(), tries = m.tries - ${as === 'released' ? 1 : 0}
            from ${keys(list)} where m.id = each.id and m.lease = each.lease and m.ready_at > now()
            returning m.id),
          told as (select pg_notify(${READY}, ${String(store.id)}))
          select back.id from back, told`),
      );
  }
  const rejected = these('rejected');
  if (rejected.length && space)
    note({
      rows: await giveUp(
        db,
        space,
        store,
        'rejected',
        sql`m.id in (select m.id from standin.messages m join ${keys(rejected)}
          on m.id = each.id and m.lease = each.lease and m.ready_at > now())`,
      ),
    });
  return done;
}

/** Gives up what has expired in a store, or was tried too often. @returns how many */
export async function sweep(db: Database, space: Space, store: Store): Promise<number> {
  const expired = await giveUp(
    db,
    space,
    store,
    'expired',
    sql`m.expires_at <= now() and m.ready_at <= now()`,
  );
  const tried =
    store.maxDeliveries === undefined
      ? []
      : await giveUp(
          db,
          space,
          store,
          'too many deliveries',
          sql`m.tries >= ${store.maxDeliveries} and m.ready_at <= now()`,
        );
  return expired.length + tried.length;
}

/** Takes messages out of a store for good: to where its dead letters go, as one write, or to nowhere. */
async function giveUp(
  db: Database,
  space: Space,
  store: Store,
  because: GaveUp,
  which: ReturnType<typeof sql>,
): Promise<{ id: string }[]> {
  return db.transaction(async (tx) => {
    const { rows } = await tx.execute<Row>(sql`
      delete from standin.messages m where m.id in (
        select m.id from standin.messages m where m.store = ${store.id} and ${which}
        order by m.id limit ${MOST_GIVEN_UP} for update skip locked)
      returning m.id, m.bare, m.annotations, m.sent_by, m.durable, m.priority, m.tries, m.died, m.rounds, m."group"`);
    rows.sort((a, b) => Number(a.id) - Number(b.id));
    await put(
      tx,
      rows.flatMap((row) => deadLetters(space, store, because, row)),
    );
    return rows;
  });
}

/** @returns where a message that is given up comes to */
function deadLetters(space: Space, store: Store, because: GaveUp, row: Row): Arriving[] {
  const { deadLetterTo } = store;
  if (deadLetterTo === undefined || row.rounds >= MOST_ROUNDS) return [];
  const dead = {
    bare: row.bare,
    annotations: row.annotations ?? undefined,
    sentBy: row.sent_by ?? undefined,
    durable: row.durable,
    priority: row.priority ?? undefined,
    ttlMs: undefined,
    died: { because, at: store.name, tries: row.tries },
    rounds: row.rounds + 1,
  };
  const to = space.stores.get(deadLetterTo);
  const { decoded } = partsOf(row.bare);
  const group = typeof decoded.group_id === 'string' ? decoded.group_id : undefined;
  if (to) return [{ ...dead, store: to, group }];
  const topic = space.topics.get(deadLetterTo);
  if (!topic) return [];
  return copiesOf(space, topic.name, decoded, { ...dead, group });
}

/** @returns what a topic makes of a message, each copy as it is to lie in its store */
export function copiesOf(
  space: Space,
  topicName: string,
  decoded: Decoded,
  whole: Omit<Arriving, 'store'>,
): Arriving[] {
  const topic = space.topics.get(topicName)!;
  const seen = seenOf(decoded);
  return handOver(space, topic, seen).copies.map(({ store, wrappedBy }) => {
    if (wrappedBy === undefined) return { ...whole, store };
    const { subject } = decoded;
    const bare = jsonMessage(typeof subject === 'string' ? { subject } : {}, {
      topic: topic.name,
      subscription: wrappedBy,
      headers: seen.headers,
      properties: seen.properties,
      body: bodyOf(decoded),
    });
    return { ...whole, bare, annotations: undefined, store };
  });
}

/** How a store stands. */
export interface Standing {
  readonly waiting: number;
  readonly inHand: number;
  readonly delayed: number;
  /** When what waits longest came, where something waits. */
  readonly oldest: string | null;
  readonly takers: number;
  /** Who they are: what each is told apart by, and as whom it signed in. */
  readonly who: readonly { readonly name: string; readonly user: string }[];
  /** Count up with each message that comes, and each that goes for good. */
  readonly came: number;
  readonly went: number;
}

/** So many takers of a store are named. */
const MOST_NAMED = 50;

/** @returns how stores stand, by their ids */
export async function standing(db: Database, ids: readonly number[]): Promise<Map<number, Standing>> {
  type Told = Record<Exclude<keyof Standing, 'who'>, string | null> & {
    id: number;
    who: Standing['who'] | null;
  };
  const { rows } = await db.execute<Told>(sql`
    select each.id,
      count(m.id) filter (where m.ready_at <= now()) as waiting,
      count(m.id) filter (where m.ready_at > now() and m.lease is not null) as "inHand",
      count(m.id) filter (where m.ready_at > now() and m.lease is null) as delayed,
      min(m.arrived_at) filter (where m.ready_at <= now()) as oldest,
      (select count(*) from standin.takers t where t.store = each.id and t.seen_at > now() - interval '15 s') as takers,
      (select json_agg(json_build_object('name', t.id, 'user', t."user")) from (select id, "user" from standin.takers
        where store = each.id and seen_at > now() - interval '15 s' order by id limit ${MOST_NAMED}) t) as who,
      (select sum(p.came) from standin.passages p where p.thing = each.id) as came,
      (select sum(p.went) from standin.passages p where p.thing = each.id) as went
    from unnest(${sql.param(ids)}::int[]) as each(id) left join standin.messages m on m.store = each.id
    group by each.id`);
  return new Map(
    rows.map(({ id, waiting, inHand, delayed, oldest, takers, who, came, went }) => [
      id,
      {
        waiting: Number(waiting),
        inHand: Number(inHand),
        delayed: Number(delayed),
        oldest: oldest === null ? null : new Date(oldest).toISOString(),
        takers: Number(takers),
        who: who ?? [],
        came: Number(came ?? 0),
        went: Number(went ?? 0),
      },
    ]),
  );
}

/** @returns how many messages were sent to topics, by their ids */
export async function sentTo(db: Database, ids: readonly number[]): Promise<Map<number, number>> {
  const { rows } = await db.execute<{ thing: number; came: string }>(sql`
    select thing, sum(came) as came from standin.passages
    where thing = any(${sql.param(ids)}::int[]) group by thing`);
  return new Map(rows.map(({ thing, came }) => [thing, Number(came)]));
}

/** @returns how many messages lie in a store, in hand or not, at most one more than asked about */
export async function countIn(db: Transaction, store: number, most: number): Promise<number> {
  const { rows } = await db.execute<{ count: string }>(
    sql`select count(*) from (select 1 from standin.messages where store = ${store} limit ${most + 1}) as counted`,
  );
  return Number(rows[0]!.count);
}
