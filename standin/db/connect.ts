import { drizzle, type NodePgDatabase } from 'drizzle-orm/node-postgres';
import { migrate } from 'drizzle-orm/node-postgres/migrator';
import { Pool } from 'pg';

export type Database = NodePgDatabase;
/** A transaction, or the database where one statement is the whole of it. */
export type Transaction = Pick<Database, 'select' | 'insert' | 'update' | 'delete' | 'execute' | '$count'>;

export interface Connection {
  readonly db: Database;
  readonly pool: Pool;
  readonly url: string;
}

const STATEMENT_MS = 30_000;

/** Makes a pool of connections; one that breaks is replaced at the next query. */
export function connect(url: string, most = 8): Connection {
  const pool = new Pool({
    connectionString: url,
    max: most,
    connectionTimeoutMillis: 5000,
    statement_timeout: STATEMENT_MS,
    idle_in_transaction_session_timeout: STATEMENT_MS,
    application_name: 'vondle-standin',
  });
  pool.on('error', () => {});
  pool.on('connect', (client) => client.on('error', () => {}));
  return { db: drizzle(pool), pool, url };
}

/** Brings the tables up to date; several processes may start at once. @param migrations their folder */
export async function bringUpToDate({ db, pool }: Connection, migrations: string): Promise<void> {
  const client = await pool.connect();
  try {
    await client.query('select pg_advisory_lock(5690)');
    await migrate(db, {
      migrationsFolder: migrations,
      migrationsSchema: 'standin',
      migrationsTable: 'migrations',
    });
  } finally {
    await client.query('select pg_advisory_unlock(5690)').catch(() => {});
    client.release();
  }
}
