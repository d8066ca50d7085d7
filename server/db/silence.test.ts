/**
 * A database that falls silent, as connections of one process see it. Two processes, and longer silences, are in
 * silence.live.test.ts.
 */
import { setTimeout as pause } from 'node:timers/promises';
import { sql } from 'drizzle-orm';
import { Changes, tell } from '../live/changes.ts';
import { silentProxy, type SilentProxy } from '../testing/silent-proxy.ts';
import { connect, type Connection } from './connect.ts';
import { Held } from './held.ts';
import { isAway } from './trouble.ts';

jest.setTimeout(120_000);
/** What each test opened. */
const opened: { close(): unknown }[] = [];
let direct: Connection;

beforeAll(() => {
  direct = connect(process.env['TEST_DATABASE_URL']!, 1);
});
afterAll(async () => {
  await Promise.all(opened.map((each) => each.close()));
  await direct.close();
});

/** @returns a way to the database that can fall silent, and the address of the database through it */
async function way(): Promise<{ proxy: SilentProxy; url: string; fallSilent(): void }> {
  const database = new URL(process.env['TEST_DATABASE_URL']!);
  const proxy = await silentProxy(Number(database.port));
  opened.push(proxy);
  database.port = String(proxy.port);
  const fallSilent = () => {
    proxy.silence();
    proxy.speak();
  };
  return { proxy, url: database.href, fallSilent };
}
function pooled(...args: Parameters<typeof connect>): Connection {
  const pool = connect(...args);
  opened.unshift(pool);
  return pool;
}

async function until(what: string, holds: () => Promise<boolean> | boolean): Promise<void> {
  for (const end = Date.now() + 40_000; Date.now() < end; await pause(50)) if (await holds()) return;
  throw new Error(`waited 40 s until ${what}`);
}
const one = (of: Connection) => of.db.execute(sql`select 1 as one`).then(({ rows }) => rows);

test.concurrent(
  'a query on a connection that fell silent fails as away, and the next one goes through',
  async () => {
    const { url, fallSilent } = await way();
    const pool = pooled(url, 1);
    await one(pool);
    fallSilent();
    const failure: unknown = await one(pool).catch((error: unknown) => error);
    expect(isAway(failure)).toBe(true);
    expect(await one(pool)).toEqual([{ one: 1 }]);
  },
);

test.concurrent(
  'a transaction that was open when the database fell silent gives its connection up',
  async () => {
    const { url, fallSilent } = await way();
    const pool = pooled(url, 1);
    const failure: unknown = await pool.db
      .transaction(async (tx) => {
        await tx.execute(sql`select 1`);
        fallSilent();
        await tx.execute(sql`select 1`);
      })
      .catch((error: unknown) => error);
    expect(isAway(failure)).toBe(true);
    expect(await one(pool)).toEqual([{ one: 1 }]);
  },
);

test.concurrent('one silent connection ends the idle ones of its time, which nobody has to try', async () => {
  const { url, fallSilent } = await way();
  const pool = pooled(url, 4);
  await Promise.all([1, 2, 3, 4].map(() => pool.db.execute(sql`select pg_sleep(0.2)`)));
  expect(pool.pool.totalCount).toBe(4);
  fallSilent();
  await one(pool).catch(() => {});
  await until('they are gone', () => pool.pool.totalCount === 0);
  expect(await one(pool)).toEqual([{ one: 1 }]);
});

test.concurrent('while nothing answers, a query and a new connection both fail', async () => {
  const { proxy, url } = await way();
  const pool = pooled(url, 2);
  await one(pool);
  proxy.silence();
  const failures = await Promise.all(
    [one(pool), one(pool)].map((each) => each.catch((error: unknown) => error)),
  );
  expect(failures.map(isAway)).toEqual([true, true]);
});

test.concurrent('a query that the database works on is waited for, however silent it is', async () => {
  const { url } = await way();
  const pool = pooled(url, 1);
  const { rows } = await pool.db.execute(sql`select pg_sleep(9), 2 as two`);
  expect(rows).toMatchObject([{ two: 2 }]);
});

test('a process that computes for longer than a connection may take loses none', async () => {
  const { url } = await way();
  const pool = pooled(url, 2, 0);
  const asked = one(pool);
  // nothing else runs in this process meanwhile
  for (const end = Date.now() + 7000; Date.now() < end;);
  expect(await asked).toEqual([{ one: 1 }]);
});

test.concurrent(
  'locks are lost with the silence and are held again at once, for the old session is ended',
  async () => {
    const { url, fallSilent } = await way();
    let losses = 0;
    const held = new Held(url, 4711, 'vondle test locks', () => losses++);
    expect(await held.take('a')).toBe(true);
    fallSilent();
    await until('the loss is noticed', () => losses === 1);
    expect(await held.take('a')).toBe(true);
    await held.close();
  },
);

test.concurrent('a lock whose holder is cut off is free for another after a while', async () => {
  const { proxy, url } = await way();
  const held = new Held(url, 4712, 'vondle test cut off', () => {});
  const other = new Held(process.env['TEST_DATABASE_URL']!, 4712, 'vondle test other', () => {});
  expect(await held.take('a')).toBe(true);
  expect(await other.take('a')).toBe(false);
  proxy.silence();
  await until('the other holds it', () => other.take('a'));
  await other.close();
  await held.close();
});

test.concurrent('whoever listens for changes hears of them again after a silence', async () => {
  const { url, fallSilent } = await way();
  const changes = new Changes(url);
  let heard = 0;
  changes.on('topology', 1, () => heard++);
  await until('it listens', () => heard > 0);
  fallSilent();
  const before = heard;
  await until('it hears', async () => {
    await direct.db.transaction((tx) => tell(tx, 'topology', 1));
    return heard > before + 1;
  });
  await changes.close();
});
