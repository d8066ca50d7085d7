import { Hono } from 'hono';
import { getCookie } from 'hono/cookie';
import { object, string } from 'yup';
import { record, type Database } from '../db/connect.ts';
import { body } from '../http/input.ts';
import { Problem } from '../http/problem.ts';
import { COOKIE, giveCookie, signedIn, takeCookie, type Env } from '../http/session.ts';
import { hashPassword, passwordIs } from './passwords.ts';
import { closeSession, findPerson, openSession } from './store.ts';

const credentials = object({
  handle: string().required('handle is missing').max(100),
  password: string().required('password is missing').max(200),
}).noUnknown();

/** After this many wrong passwords for a handle within the window, further tries wait. */
const MOST_TRIES = 10;
const WINDOW_MS = 60_000;

/** Signing in and out. */
export function sessionRoutes(db: Database): Hono<Env> {
  const tries = new Map<string, { count: number; until: number }>();
  // hashed against when nobody has the handle, so that the time taken tells nothing
  const nobody = hashPassword('');

  return new Hono<Env>()
    .post('/', async (c) => {
      const { handle, password } = await body(c, credentials);
      const now = Date.now();
      const tried = tries.get(handle);
      const recent = tried && tried.until > now ? tried.count : 0;
      if (recent >= MOST_TRIES) throw new Problem(429, 'Too many tries', 'Wait a minute, then try again.');
      // counted before the slow comparison, so that tries made at once are all counted
      if (tries.size > 10_000) tries.clear();
      tries.set(handle, { count: recent + 1, until: now + WINDOW_MS });
      const person = await findPerson(db, handle);
      const right = await passwordIs(password, person?.password ?? (await nobody));
      if (!person || !right) throw new Problem(401, 'Not signed in', 'Name or password is wrong.');
      tries.delete(handle);
      const { token, expiresAt } = await db.transaction(async (tx) => {
        await record(tx, 'sign in', { personId: person.id });
        return openSession(tx, person.id);
      });
      giveCookie(c, token, expiresAt);
      return c.json({ handle: person.handle, name: person.name });
    })
    .get('/', signedIn(db), (c) => {
      const { handle, name } = c.get('person');
      return c.json({ handle, name });
    })
    .delete('/', async (c) => {
      const token = getCookie(c, COOKIE);
      if (token) await db.transaction((tx) => closeSession(tx, token));
      takeCookie(c);
      return c.body(null, 204);
    });
}
