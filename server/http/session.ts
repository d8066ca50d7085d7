/** Who is asking. Every route but signing in and health goes through here. */
import type { Context, MiddlewareHandler } from 'hono';
import { deleteCookie, getCookie, setCookie } from 'hono/cookie';
import type { Database } from '../db/connect.ts';
import { isKey } from '../people/keys.ts';
import { personOf, personOfToken, type Person } from '../people/store.ts';
import type { Metrics } from '../metrics/metrics.ts';
import type { Intake } from './input.ts';
import { forbidden, Problem } from './problem.ts';

export const COOKIE = 'vondle_session';
/** Tells a browser that somebody signed in from before; see people/attempts.ts. */
export const DEVICE_COOKIE = 'vondle_device';

/** What a page of ours may load, and what may show it: nothing from elsewhere. */
export const CONTENT_POLICY = {
  defaultSrc: ["'self'"],
  styleSrc: ["'self'", "'unsafe-inline'"],
  imgSrc: ["'self'", 'data:', 'blob:'],
  workerSrc: ["'self'", 'blob:'],
  baseUri: ["'none'"],
  formAction: ["'self'"],
  frameAncestors: ["'none'"],
};

export interface Env {
  Variables: { person: Person; intake: Intake; address: string; metrics: Metrics };
}

/** @returns the session token a request carries, if it looks like one of ours. */
export function tokenOf(c: Context): string | undefined {
  const token = getCookie(c, COOKIE);
  return token && isKey(token) ? token : undefined;
}

/** How a program says for whom it asks (RFC 6750). */
const BEARER = /^Bearer vondle_([\w-]{43})$/;

/**
 * Lets nobody in who is not signed in.
 * @param programs whether programs with a token are let in too
 */
export function signedIn(db: Database, programs = false): MiddlewareHandler<Env> {
  return async (c, next) => {
    const said = c.req.header('authorization');
    const key = said === undefined ? undefined : BEARER.exec(said)?.[1];
    if (said !== undefined && (!programs || key === undefined))
      throw new Problem(401, 'Not signed in', 'That is no token of Vondle’s, or none that is taken here.');
    const token = tokenOf(c);
    const person = key ? await personOfToken(db, key) : token && (await personOf(db, token));
    if (!person)
      throw new Problem(
        401,
        'Not signed in',
        key ? 'This token has ended, or never was one.' : 'Sign in first.',
      );
    c.set('person', person);
    await next();
  };
}

/**
 * Refuses state-changing requests that another site made a browser send: beside the SameSite cookie,
 * the Origin, where a browser states one, must be ours. `null` (RFC 6454 §7.3) is nobody's.
 */
export const sameOrigin: MiddlewareHandler = async (c, next) => {
  if (!['GET', 'HEAD'].includes(c.req.method)) {
    const origin = c.req.header('origin');
    const host = origin === undefined ? undefined : hostOf(origin);
    if (origin !== undefined && (host === undefined || host !== c.req.header('host')))
      throw forbidden('The request comes from another site.');
  }
  await next();
};

function hostOf(origin: string): string | undefined {
  try {
    return new URL(origin).host;
  } catch {
    return undefined;
  }
}

const isSecure = (c: Context): boolean =>
  c.req.header('x-forwarded-proto') === 'https' || new URL(c.req.url).protocol === 'https:';

export function giveCookie(c: Context, name: string, value: string, expires: Date): void {
  setCookie(c, name, value, { httpOnly: true, sameSite: 'Lax', path: '/', expires, secure: isSecure(c) });
}

export const takeCookie = (c: Context, name = COOKIE): void => void deleteCookie(c, name, { path: '/' });
