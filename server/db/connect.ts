import { setTimeout as pause } from 'node:timers/promises';
import { drizzle, type NodePgDatabase } from 'drizzle-orm/node-postgres';
import { migrate } from 'drizzle-orm/node-postgres/migrator';
import { Pool } from 'pg';
import { and, eq, gt, sql } from 'drizzle-orm';
import { announce } from '../webhooks/events.ts';
import { audit } from './schema.ts';
import { LiveClient } from './live-client.ts';
import { isAway, isSilence } from './trouble.ts';

export type Database = NodePgDatabase;
/** A transaction, or the database where one statement is the whole of it. */
export type Transaction = Pick<Database, 'select' | 'insert' | 'update' | 'delete' | 'execute'>;

export interface Connection {
  readonly db: Database;
  readonly pool: Pool;
  readonly close: () => Promise<void>;
}

/** Any statement ends by itself after this; what takes longer is a mistake or an attack. */
const STATEMENT_MS = 30_000;
/** Milliseconds a request waits for a free connection before it is told that the database is away. */
const PATIENCE_MS = 5_000;
/** Seconds after which a connection is replaced, however well it does. */
const LIFE_S = 1800;

/**
 * Makes a pool of connections; none is opened yet. A connection that breaks or falls silent, in use or not, is replaced
 * at the next query and never ends the process.
 * @param most how many connections at once
 * @param patienceMs milliseconds to wait for a free one; 0 waits until one is free. A thread that computes for seconds
 *   without a pause must not count them, so it waits
 */
export function connect(url: string, most = 10, patienceMs = PATIENCE_MS): Connection {
  const pool = new Pool({
    Client: LiveClient,
    connectionString: url,
    max: most,
    connectionTimeoutMillis: patienceMs,
    maxLifetimeSeconds: LIFE_S,
    statement_timeout: STATEMENT_MS,
    idle_in_transaction_session_timeout: STATEMENT_MS,
    application_name: 'vondle',
  });
  const open = new Set<LiveClient>();
  pool.on('error', () => {});
  pool.on('connect', (client) => {
    const live = client as unknown as LiveClient;
    open.add(live);
    // a connection that breaks while a transaction holds it between two statements has nobody else to tell
    client.on('error', (error) => {
      if (!isSilence(error)) return;
      // what silenced one silenced the others of its time: those that are not in use are not tried first
      for (const each of open) if (!each.isWaiting) each.destroy();
    });
    client.once('end', () => open.delete(live));
  });
  return { db: drizzle(pool), pool, close: () => pool.end() };
}

/**
 * Brings the tables up to date. Several processes may start at once: a lock lets one migrate.
 * @param migrations the folder of the generated migrations
 */
export async function bringUpToDate({ db, pool }: Connection, migrations: string): Promise<void> {
  const client = await pool.connect();
  try {
    await client.query('select pg_advisory_lock(4580)');
    await migrate(db, { migrationsFolder: migrations });
  } finally {
    // where the connection broke, its lock went with it
    await client.query('select pg_advisory_unlock(4580)').catch(() => {});
    client.release();
  }
}

/**
 * Does work that only needs the database to be there, again and again until it is.
 * @param unless ends the waiting; what it throws is thrown on
 * @throws what `work` throws for any other reason, at once
 */
export async function whenReached<T>(work: () => Promise<T>, unless: () => void = () => {}): Promise<T> {
  for (let wait = 100; ; wait = Math.min(2 * wait, 2000)) {
    try {
      return await work();
    } catch (error) {
      if (!isAway(error)) throw error;
      unless();
      await pause(wait);
      unless();
    }
  }
}

/** Writes a line of the audit trail, inside the transaction of what it records. */
export async function record(
  tx: Transaction,
  action: string,
  of: { personId?: number; topologyId?: number; details?: Record<string, unknown> },
): Promise<void> {
  await tx.insert(audit).values({ action, ...of, details: of.details ?? {} });
  await announce(tx, action, of);
}

/** What is done again and again by one person is recorded once in so long. */
const NOW_AND_THEN_MS = 10 * 60_000;

/** Writes a line of the audit trail unless the same person did the same to the same a short while ago. */
export async function recordNowAndThen(
  tx: Transaction,
  action: string,
  of: { personId: number; topologyId: number; details: Record<string, unknown> },
): Promise<void> {
  const [known] = await tx
    .select({ id: audit.id })
    .from(audit)
    .where(
      and(
        eq(audit.topologyId, of.topologyId),
        eq(audit.personId, of.personId),
        eq(audit.action, action),
        sql`${audit.details} = ${JSON.stringify(of.details)}::jsonb`,
        gt(audit.at, new Date(Date.now() - NOW_AND_THEN_MS)),
      ),
    )
    .limit(1);
  if (!known) await record(tx, action, of);
}
