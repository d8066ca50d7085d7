/**
 * A PostgreSQL connection that finds out when nobody answers any more.
 *
 * A connection can be dead without being closed: a firewall drops its packets, a proxy hangs, a cable is pulled. TCP
 * then reports nothing for minutes, and a query waits that long. But a query that takes long is no proof either: the
 * database may be working on it. So a query that has been silent for three seconds makes the client ask, over a second
 * connection, which backends are working. If its own is not among them, or the database cannot be asked at all, the
 * connection is destroyed and everything that waits on it fails with "Query read timeout".
 *
 * Time is counted in ticks of a timer, not by the clock: a thread that computes for ten seconds without a pause has
 * one tick in them, and what arrived meanwhile is read before the next.
 */
import pg from 'pg';
import { SILENCE } from './trouble.ts';

const TICK_MS = 1000;
/** Ticks without a byte after which the database is asked whether it is working on the query. */
const SUSPECT_TICKS = 3;
/** Ticks after which a query fails even if the database says that it is working on it. */
const MOST_TICKS = 45;
/** Ticks in which a connection must be made. */
const CONNECT_TICKS = 5;
/** Milliseconds that a goodbye, or the question which backends are working, may take. */
const BRIEF_MS = 3000;

/**
 * What every connection of this program has, whatever it is for. A session that the database has not heard of for a
 * minute and a half is ended there, so that dead ones do not use up the connections that it has (PostgreSQL 14).
 */
const LIVE = {
  keepAlive: true,
  keepAliveInitialDelayMillis: 10_000,
  options: '-c idle_session_timeout=90000',
} as const;

export class LiveClient extends pg.Client {
  private readonly url: string;
  private pending = 0;
  private ticking: NodeJS.Timeout | undefined;

  /** @param config as of `pg.Client`; `connectionString` is needed */
  constructor(config: pg.ClientConfig = {}) {
    super({ ...LIVE, ...config });
    this.url = config.connectionString!;
  }

  // the library has five signatures for each of these; what passes through is not looked at
  override connect(...args: unknown[]): never {
    return this.watched(args, super.connect, (ticks) => ticks > CONNECT_TICKS);
  }

  override query(...args: unknown[]): never {
    return this.watched(args, super.query, undefined);
  }

  /** Says goodbye; where the other side does not answer that, the connection is destroyed. */
  override end(...args: unknown[]): never {
    const late = setTimeout(() => this.socket.destroy(), BRIEF_MS).unref();
    this.once('end', () => clearTimeout(late));
    return (super.end as (...all: unknown[]) => unknown)(...args) as never;
  }

  /** Ends the connection as dead: everything that waits on it fails. */
  destroy(): void {
    this.socket.destroy(new Error(SILENCE));
  }

  /** Whether a query is waiting for its answer. */
  get isWaiting(): boolean {
    return this.pending > 0;
  }

  private get socket(): SocketLike {
    return (this as unknown as { connection: { stream: SocketLike } }).connection.stream;
  }

  /** Calls a method of the library and watches the connection until its callback or promise is done. */
  private watched(args: unknown[], method: unknown, isLate: ((ticks: number) => boolean) | undefined): never {
    let over = false;
    const stop = isLate ? this.tick(isLate) : this.tickWhilePending();
    const done = () => {
      if (!over) stop();
      over = true;
    };
    const last: unknown = args.at(-1);
    if (typeof last === 'function')
      args[args.length - 1] = (...answer: unknown[]) => {
        done();
        (last as (...all: unknown[]) => void)(...answer);
      };
    const result = (method as (...all: unknown[]) => unknown).apply(this, args);
    if (result instanceof Promise) result.then(done, done);
    return result as never;
  }

  private tick(isLate: (ticks: number) => boolean): () => void {
    let ticks = 0;
    const timer = setInterval(() => {
      if (isLate(++ticks)) this.socket.destroy(new Error('timeout expired'));
    }, TICK_MS);
    return () => clearInterval(timer);
  }

  private tickWhilePending(): () => void {
    if (this.pending++ === 0) this.beginTicking();
    return () => {
      if (--this.pending === 0) clearInterval(this.ticking);
    };
  }

  private beginTicking(): void {
    let all = 0;
    let silent = 0;
    let before = '';
    let asking = false;
    let condemned = false;
    clearInterval(this.ticking);
    this.ticking = setInterval(() => {
      const { bytesRead, writableLength } = this.socket;
      const now = `${bytesRead} ${writableLength}`;
      if (now !== before) [before, silent, condemned] = [now, 0, false];
      if (condemned || ++all > MOST_TICKS) {
        this.destroy();
        return void endSession(this.url, (this as unknown as { processID: number | null }).processID);
      }
      if (++silent < SUSPECT_TICKS || asking) return;
      asking = true;
      void workingBackends(this.url).then((working) => {
        asking = false;
        silent = 0;
        const { processID } = this as unknown as { processID: number | null };
        // an answer may be on its way: the connection is given one more tick
        condemned = working !== 'unknown' && !(processID !== null && working.has(processID));
      });
    }, TICK_MS);
  }
}

interface SocketLike {
  readonly bytesRead: number;
  readonly writableLength: number;
  destroy(error?: Error): void;
}

/** Process ids of the backends that work on something; `unknown` where the database answers, but not with that. */
type Working = ReadonlySet<number> | 'unknown';

const asked = new Map<string, Promise<Working>>();

/**
 * Asks, over a connection of its own, which of the user's backends are working on something. Those who ask at the same
 * time share one question.
 * @returns none where the database does not answer at all
 */
function workingBackends(url: string): Promise<Working> {
  let going = asked.get(url);
  if (!going) {
    going = askWorking(url).finally(() => asked.delete(url));
    asked.set(url, going);
  }
  return going;
}

async function askWorking(url: string): Promise<Working> {
  try {
    const rows = await askApart<{ pid: number }>(
      url,
      `select pid from pg_stat_activity where usename = current_user and state = 'active'`,
    );
    return new Set(rows.map(({ pid }) => pid));
  } catch (error) {
    // one that refuses, as with too many connections (PostgreSQL, appendix A, 53300), is not silent
    return error instanceof pg.DatabaseError ? 'unknown' : new Set();
  }
}

/** Ends what a dead connection left in the database, where that can be reached. */
async function endSession(url: string, pid: number | null): Promise<void> {
  if (pid === null) return;
  await askApart(
    url,
    `select pg_terminate_backend(pid) from pg_stat_activity
     where pid = $1 and usename = current_user and application_name like 'vondle%'`,
    [pid],
  ).catch(() => {});
}

/** Asks over a connection of its own, within a few seconds. */
async function askApart<R extends pg.QueryResultRow>(
  url: string,
  query: string,
  values: unknown[] = [],
): Promise<R[]> {
  const client = new pg.Client({
    ...LIVE,
    connectionString: url,
    connectionTimeoutMillis: BRIEF_MS,
    query_timeout: BRIEF_MS,
    application_name: 'vondle liveness',
  });
  client.on('error', () => {});
  try {
    await client.connect();
    return (await client.query<R>(query, values)).rows;
  } finally {
    (client as unknown as { connection: { stream: SocketLike } }).connection.stream.destroy();
  }
}
