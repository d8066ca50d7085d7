import { Hono } from 'hono';
import { getCookie } from 'hono/cookie';
import { object, string } from 'yup';
import { record, type Database } from '../db/connect.ts';
import { body } from '../http/input.ts';
import { Problem } from '../http/problem.ts';
import {
  COOKIE,
  DEVICE_COOKIE,
  giveCookie,
  signedIn,
  takeCookie,
  tokenOf,
  type Env,
} from '../http/session.ts';
import type { Attempts } from './attempts.ts';
import { NOBODYS, passwordIs } from './passwords.ts';
import { closeSession, findPerson, openSession } from './store.ts';

const credentials = object({
  handle: string().required().max(100),
  password: string().required().max(200),
}).noUnknown();

const YEAR_MS = 365 * 86_400_000;

/** Signing in and out. */
export function sessionRoutes(db: Database, attempts: Attempts): Hono<Env> {
  return new Hono<Env>()
    .post('/', async (c) => {
      const { handle, password } = await body(c, credentials);
      const device = getCookie(c, DEVICE_COOKIE);
      const settle = await attempts.begin({ handle, address: c.get('address'), device });
      const person = await findPerson(db, handle);
      const right = await passwordIs(password, person?.password ?? NOBODYS).catch(async (busy: unknown) => {
        await settle('not looked at');
        throw busy;
      });
      if (!person || !right) throw new Problem(401, 'Not signed in', 'Name or password is wrong.');
      await settle('right');
      const replaced = tokenOf(c);
      const { token, expiresAt } = await db.transaction(async (tx) => {
        if (replaced) await closeSession(tx, replaced);
        await record(tx, 'sign in', { personId: person.id });
        return openSession(tx, person.id);
      });
      giveCookie(c, COOKIE, token, expiresAt);
      giveCookie(c, DEVICE_COOKIE, attempts.deviceFor(handle), new Date(Date.now() + YEAR_MS));
      return c.json({ handle: person.handle, name: person.name });
    })
    .get('/', signedIn(db), (c) => {
      const { handle, name } = c.get('person');
      return c.json({ handle, name });
    })
    .delete('/', async (c) => {
      const token = tokenOf(c);
      if (token) await db.transaction((tx) => closeSession(tx, token));
      takeCookie(c);
      return c.body(null, 204);
    });
}
