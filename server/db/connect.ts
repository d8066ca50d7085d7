import { drizzle, type NodePgDatabase } from 'drizzle-orm/node-postgres';
import { migrate } from 'drizzle-orm/node-postgres/migrator';
import { Pool } from 'pg';
import { audit } from './schema.ts';

export type Database = NodePgDatabase;
/** A transaction, or the database where one statement is the whole of it. */
export type Transaction = Pick<Database, 'select' | 'insert' | 'update' | 'delete' | 'execute'>;

export interface Connection {
  readonly db: Database;
  readonly close: () => Promise<void>;
}

/**
 * Connects and brings the tables up to date. Several processes may start at once: a lock lets one migrate.
 * @param migrations the folder of the generated migrations
 */
export async function connect(url: string, migrations: string): Promise<Connection> {
  const pool = new Pool({ connectionString: url, max: 10 });
  // an idle connection that breaks is replaced at the next query; unheard it would end the process
  pool.on('error', () => {});
  const db = drizzle(pool);
  const client = await pool.connect();
  try {
    await client.query('select pg_advisory_lock(4580)');
    await migrate(db, { migrationsFolder: migrations });
  } finally {
    await client.query('select pg_advisory_unlock(4580)').catch(() => {});
    client.release();
  }
  return { db, close: () => pool.end() };
}

/** Writes a line of the audit trail, inside the transaction of what it records. */
export async function record(
  tx: Transaction,
  action: string,
  of: { personId?: number; topologyId?: number; details?: Record<string, unknown> },
): Promise<void> {
  await tx.insert(audit).values({ action, ...of, details: of.details ?? {} });
}
