/** A server of its own for one test file: a fresh database on the real PostgreSQL, and people signed in. */
import { randomBytes } from 'node:crypto';
import { join } from 'node:path';
import { eq } from 'drizzle-orm';
import type { Hono } from 'hono';
import { Client } from 'pg';
import { pino } from 'pino';
import { createApp } from '../app.ts';
import { bringUpToDate, connect, type Database } from '../db/connect.ts';
import { forTheLog } from '../db/trouble.ts';
import type { Role } from '@vondle/api';
import { members, people, topologies } from '../db/schema.ts';
import type { Patience } from '../http/input.ts';
import type { Env } from '../http/session.ts';
import { Changes } from '../live/changes.ts';
import { hashPassword } from '../people/passwords.ts';
import { MadeUpApps } from '../demo/made-up.ts';
import { Messages } from '../messages/service.ts';
import { Metrics } from '../metrics/metrics.ts';
import { OpenIdConnect, type OpenIdSettings } from '../people/openid.ts';
import { Rollouts, ROLLOUT_SETTINGS, type RolloutSettings } from '../rollouts/service.ts';
import { sealer, type Sealer } from '../secrets.ts';
import { allowedAddresses } from '../targets/allowed.ts';
import { Taps } from '../taps/service.ts';
import { Watching } from '../watch/service.ts';
import type { BuiltIn } from '../targets/amqp/built-in.ts';
import type { BuiltInHosted } from '../targets/hosted/built-in.ts';

import { Work, type Limits } from '../work/pool.ts';
import { mustBeDescribed } from './described.ts';

export const PASSWORD = 'a password for tests';

export interface Harness {
  readonly app: Hono<Env>;
  readonly db: Database;
  readonly rollouts: Rollouts;
  readonly messages: Messages;
  /** Listen once they are started. */
  readonly taps: Taps;
  /** Looks at environments once it is started. */
  readonly watching: Watching;
  readonly sealer: Sealer;
  readonly work: Work;
  readonly metrics: Metrics;
  /** The address of its database. */
  readonly databaseUrl: string;
  /** Another server's rollouts on the same database, as a second process has them. */
  secondRollouts(settings?: Partial<RolloutSettings>): Rollouts;
  /** Lines the server logged. */
  readonly logged: string[];
  /** Signs a person in. @returns a function that asks as them */
  as(handle: string): Promise<Ask>;
  /** Begins a topology at an address of the test's choosing, with members. */
  topology(slug: string, roles: Readonly<Record<string, Role>>): Promise<number>;
  close(): Promise<void>;
}

export interface Answer {
  readonly status: number;
  // eslint-disable-next-line @typescript-eslint/no-explicit-any -- tests look into answers of every shape
  readonly data: any;
  readonly headers: Headers;
}

export type Ask = (
  method: string,
  path: string,
  body?: unknown,
  headers?: Record<string, string>,
) => Promise<Answer>;

export const SECRET = 'a secret for these tests alone';

/** What a test wants otherwise than a server has it. */
export interface Wishes {
  readonly rollouts?: Partial<RolloutSettings>;
  readonly work?: Limits;
  readonly patience?: Patience;
  readonly allowed?: string;
  readonly builtIn?: BuiltIn;
  readonly builtInHosted?: BuiltInHosted;
  readonly openId?: OpenIdSettings;
}

export async function harness(wishes: Wishes = {}): Promise<Harness> {
  const url = process.env['TEST_DATABASE_URL'];
  if (!url) throw new Error('run these tests with `npm test -- server`, which starts PostgreSQL');
  const name = `test_${randomBytes(6).toString('hex')}`;
  const admin = new Client({ connectionString: url });
  await admin.connect();
  await admin.query(`create database ${name}`);
  const own = new URL(url);
  own.pathname = `/${name}`;
  const connection = connect(own.href);
  const { db } = connection;
  await bringUpToDate(connection, join(__dirname, '../migrations'));
  const logged: string[] = [];
  const log = pino(
    {
      level: 'debug',
      serializers: { err: (error: unknown) => (error instanceof Error ? forTheLog(error) : error) },
    },
    { write: (line: string) => void logged.push(line) },
  );
  const seal = sealer(SECRET);
  const allowedText = wishes.allowed ?? 'loopback';
  const openers = { sealer: seal, allowed: allowedAddresses(allowedText) };
  const thread = join(__dirname, '../dist/thread.mjs');
  const settings = { databaseUrl: own.href, secret: SECRET, olderSecrets: [], allowed: allowedText };
  const work = new Work(thread, settings, wishes.work);
  const changes = new Changes(own.href);
  const rolloutsWith = (more: Partial<RolloutSettings> = {}) =>
    new Rollouts(db, openers, work, log, undefined, { ...ROLLOUT_SETTINGS, ...wishes.rollouts, ...more });
  const rollouts = rolloutsWith();
  const messages = new Messages(db, openers, work, log);
  const taps = new Taps({ db, databaseUrl: own.href, openers, work, log, lookMs: 200, keepMs: 50 });
  const watching = new Watching({ db, databaseUrl: own.href, work, log, lookMs: 200 });
  const madeUp =
    wishes.builtIn &&
    new MadeUpApps(
      join(__dirname, '../dist/apps.mjs'),
      db,
      openers,
      { broker: wishes.builtIn, ...(wishes.builtInHosted ? { hosted: wishes.builtInHosted } : {}) },
      log,
      {
        ...process.env,
        DATABASE_URL: own.href,
        VONDLE_SECRET: SECRET,
        VONDLE_TARGETS: allowedText,
        VONDLE_BROKER_AMQP: wishes.builtIn.amqp,
        VONDLE_BROKER_HTTP: wishes.builtIn.http,
        ...(wishes.builtInHosted ? { VONDLE_STANDIN: wishes.builtInHosted.service } : {}),
      },
    );
  const metrics = new Metrics({
    pool: connection.pool,
    lanes: () => work.lanesNow(),
    carrying: () => rollouts.carriedNow,
    watched: () => watching.newest(),
  });
  const app = createApp({
    connection,
    log,
    sealer: seal,
    allowed: openers.allowed,
    ...(wishes.builtIn ? { builtIn: wishes.builtIn } : {}),
    ...(wishes.builtInHosted ? { builtInHosted: wishes.builtInHosted } : {}),
    rollouts,
    messages,
    taps,
    watching,
    ...(madeUp ? { madeUp } : {}),
    work,
    changes,
    metrics,
    secret: SECRET,
    ready: () => true,
    ...(wishes.openId ? { issuer: new OpenIdConnect(wishes.openId, seal) } : {}),
    ...(wishes.patience ? { patience: wishes.patience } : {}),
  });
  const password = await hashPassword(PASSWORD);
  const made = await db
    .insert(people)
    .values(
      ['mara', 'odo', 'wen', 'ines', 'tam', 'stranger'].map((handle) => ({
        handle,
        name: handle.toUpperCase(),
        password,
      })),
    )
    .returning();
  // few passwords are looked at at once
  let turn: Promise<unknown> = Promise.resolve();
  const as = (handle: string): Promise<Ask> => {
    const signedIn = turn.then(async () => {
      const nobody = asker(app);
      const { headers } = await nobody('POST', '/session', { handle, password: PASSWORD });
      return asker(app, headers.get('set-cookie')?.split(';')[0]);
    });
    turn = signedIn;
    return signedIn;
  };
  return {
    app,
    db,
    rollouts,
    messages,
    taps,
    watching,
    sealer: seal,
    work,
    metrics,
    databaseUrl: own.href,
    secondRollouts: rolloutsWith,
    logged,
    as,
    async topology(slug, roles) {
      const [owner] = Object.entries(roles);
      const ask = await as(owner![0]);
      const { data } = await ask('POST', '/topologies', { name: slug });
      const [row] = await db
        .update(topologies)
        .set({ slug })
        .where(eq(topologies.slug, data.slug as string))
        .returning();
      await db.delete(members).where(eq(members.topologyId, row!.id));
      for (const [handle, role] of Object.entries(roles)) {
        const personId = made.find((each) => each.handle === handle)!.id;
        await db.insert(members).values({ topologyId: row!.id, personId, role });
      }
      return row!.id;
    },
    async close() {
      await rollouts.idle();
      await taps.close();
      await watching.close();
      await messages.close();
      await changes.close();
      await work.close();
      await connection.close();
      await admin.query(`drop database ${name} with (force)`);
      await admin.end();
    },
  };
}

/** @returns a function that asks the app, with a cookie or as nobody. */
export function asker(app: Hono<Env>, cookie?: string): Ask {
  return async (method, path, body, headers = {}) => {
    const response = await app.request(`http://vondle.test/api${path}`, {
      method,
      headers: {
        ...(cookie ? { cookie } : {}),
        ...(body === undefined ? {} : { 'content-type': 'application/json' }),
        ...headers,
      },
      ...(body === undefined ? {} : { body: typeof body === 'string' ? body : JSON.stringify(body) }),
    });
    const text = await response.text();
    const lines = response.headers.get('content-type')?.startsWith('application/x-ndjson');
    const read = (line: string): unknown => (line ? JSON.parse(line) : undefined);
    const data: unknown = lines ? text.trimEnd().split('\n').map(read) : read(text);
    mustBeDescribed(method, path, response, data);
    return { status: response.status, data: data as Answer['data'], headers: response.headers };
  };
}
