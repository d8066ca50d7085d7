/** A server of its own for one test file: a fresh database on the real PostgreSQL, and people signed in. */
import { randomBytes } from 'node:crypto';
import { join } from 'node:path';
import type { Hono } from 'hono';
import { Client } from 'pg';
import { pino } from 'pino';
import { createApp } from '../app.ts';
import { connect, type Database } from '../db/connect.ts';
import { people } from '../db/schema.ts';
import type { Env } from '../http/session.ts';
import { hashPassword } from '../people/passwords.ts';
import { Rollouts } from '../rollouts/service.ts';
import { sealer, type Sealer } from '../secrets.ts';

export const PASSWORD = 'a password for tests';

export interface Harness {
  readonly app: Hono<Env>;
  readonly db: Database;
  readonly rollouts: Rollouts;
  readonly sealer: Sealer;
  /** Lines the server logged. */
  readonly logged: string[];
  /** Signs a person in. @returns a function that asks as them */
  as(handle: string): Promise<Ask>;
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

export async function harness(): Promise<Harness> {
  const url = process.env['TEST_DATABASE_URL'];
  if (!url) throw new Error('run these tests with `npm test -- server`, which starts PostgreSQL');
  const name = `test_${randomBytes(6).toString('hex')}`;
  const admin = new Client({ connectionString: url });
  await admin.connect();
  await admin.query(`create database ${name}`);
  const own = new URL(url);
  own.pathname = `/${name}`;
  const { db, close } = await connect(own.href, join(__dirname, '../migrations'));
  const logged: string[] = [];
  const log = pino({ level: 'debug' }, { write: (line: string) => void logged.push(line) });
  const seal = sealer('a secret for these tests alone');
  const rollouts = new Rollouts(db, seal, log);
  const app = createApp({ db, log, sealer: seal, rollouts });
  const password = await hashPassword(PASSWORD);
  await db
    .insert(people)
    .values(
      ['mara', 'odo', 'wen', 'stranger'].map((handle) => ({ handle, name: handle.toUpperCase(), password })),
    );
  return {
    app,
    db,
    rollouts,
    sealer: seal,
    logged,
    async as(handle) {
      const nobody = asker(app);
      const { headers } = await nobody('POST', '/session', { handle, password: PASSWORD });
      return asker(app, headers.get('set-cookie')?.split(';')[0]);
    },
    async close() {
      await rollouts.idle();
      await close();
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
    return { status: response.status, data: text ? JSON.parse(text) : undefined, headers: response.headers };
  };
}
