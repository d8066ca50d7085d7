/**
 * Locks of the database that last as long as one connection (PostgreSQL, advisory locks): of several processes, one holds
 * each. A connection that falls silent is found by a query every three seconds and given up; the database for its part
 * ends a session that it has not heard of for fifteen. So no lock outlives its holder by much, and a holder that
 * comes back ends what is left of its old session first.
 */
import type pg from 'pg';
import { LiveClient } from './live-client.ts';

/** Milliseconds between two signs of life. */
const PING_MS = 3000;
/** Milliseconds without one after which the database ends the session. */
const SESSION_MS = 15_000;

/** A session as the database names it. */
interface Session {
  readonly pid: number;
  readonly since: string;
}

export class Held {
  private client: pg.Client | undefined;
  private session: Session | undefined;
  /** Locks that are held: one taken twice would have to be released twice. */
  private readonly ids = new Set<string>();

  /**
   * @param space a number that tells these locks from others of the database
   * @param what the name of the connection, as the database shows it
   * @param lost called when the connection is gone, and with it all locks: another process may hold them now
   */
  constructor(
    private readonly databaseUrl: string,
    private readonly space: number,
    private readonly what: string,
    private readonly lost: () => void,
  ) {}

  /** Takes a lock, or has it already. @returns whether it is held here */
  async take(id: string): Promise<boolean> {
    if (this.ids.has(id)) return true;
    const client = this.client ?? (await this.connected());
    const { rows } = await client.query<{ mine: boolean }>(
      `select pg_try_advisory_lock($1, hashtext($2)) as mine`,
      [this.space, id],
    );
    if (rows[0]?.mine === true && client === this.client) this.ids.add(id);
    return this.ids.has(id);
  }

  /** Releases every lock except these. */
  async keepOnly(wanted: { has(id: string): boolean }): Promise<void> {
    for (const id of this.ids)
      if (!wanted.has(id)) {
        this.ids.delete(id);
        await this.client?.query('select pg_advisory_unlock($1, hashtext($2))', [this.space, id]);
      }
  }

  async close(): Promise<void> {
    await this.client?.end().catch(() => {});
  }

  private async connected(): Promise<pg.Client> {
    const client = new LiveClient({ connectionString: this.databaseUrl, application_name: this.what });
    client.on('error', () => {});
    const pinging = new AbortController();
    client.on('end', () => {
      pinging.abort();
      if (this.client !== client) return;
      this.client = undefined;
      this.ids.clear();
      this.lost();
    });
    await (client as pg.Client).connect();
    const session = await this.begin(client);
    const ping = setInterval(() => {
      if (!client.isWaiting) void (client as pg.Client).query('select 1').catch(() => {});
    }, PING_MS);
    pinging.signal.addEventListener('abort', () => clearInterval(ping));
    this.session = session;
    return (this.client = client);
  }

  /** Ends what is left of the session before, and tells the database how long this one may be silent. */
  private async begin(client: pg.Client): Promise<Session> {
    if (this.session)
      await client.query(
        `select pg_terminate_backend(pid) from pg_stat_activity
         where pid = $1 and backend_start::text = $2 and application_name = $3`,
        [this.session.pid, this.session.since, this.what],
      );
    const { rows } = await client.query<Session>(
      `select pg_backend_pid() as pid, backend_start::text as since,
         (select set_config(name, $1, false) from pg_settings where name = 'idle_session_timeout')
       from pg_stat_activity where pid = pg_backend_pid()`,
      [String(SESSION_MS)],
    );
    return rows[0]!;
  }
}
