/** Who is asking. Every route but signing in and health goes through here. */
import type { Context, MiddlewareHandler } from 'hono';
import { deleteCookie, getCookie, setCookie } from 'hono/cookie';
import type { Database } from '../db/connect.ts';
import { personOf, type Person } from '../people/store.ts';
import { forbidden, Problem } from './problem.ts';

export const COOKIE = 'vondle_session';

export interface Env {
  Variables: { person: Person };
}

/** Lets nobody in who is not signed in. */
export function signedIn(db: Database): MiddlewareHandler<Env> {
  return async (c, next) => {
    const token = getCookie(c, COOKIE);
    const person = token && (await personOf(db, token));
    if (!person) throw new Problem(401, 'Not signed in', 'Sign in first.');
    c.set('person', person);
    await next();
  };
}

/**
 * Refuses state-changing requests that another site made a browser send: beside the SameSite cookie,
 * the Origin, where a browser states one, must be ours.
 */
export const sameOrigin: MiddlewareHandler = async (c, next) => {
  if (!['GET', 'HEAD'].includes(c.req.method)) {
    const origin = c.req.header('origin');
    const host = c.req.header('host');
    if (origin && new URL(origin).host !== host) throw forbidden('The request comes from another site.');
  }
  await next();
};

export function giveCookie(c: Context, token: string, expires: Date): void {
  const secure = c.req.header('x-forwarded-proto') === 'https' || new URL(c.req.url).protocol === 'https:';
  setCookie(c, COOKIE, token, { httpOnly: true, sameSite: 'Lax', path: '/', expires, secure });
}

export const takeCookie = (c: Context): void => void deleteCookie(c, COOKIE, { path: '/' });
