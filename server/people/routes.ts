import { Hono } from 'hono';
import { getCookie } from 'hono/cookie';
import { credentials, passwords } from '@vondle/api';
import { record, type Database } from '../db/connect.ts';
import { body } from '../http/input.ts';
import { forTheLog } from '../db/trouble.ts';
import { Budget } from '../http/budget.ts';
import { notFound, Problem } from '../http/problem.ts';
import {
  COOKIE,
  DEVICE_COOKIE,
  giveCookie,
  signedIn,
  takeCookie,
  tokenOf,
  type Env,
} from '../http/session.ts';
import type { Logger } from 'pino';
import type { Attempts } from './attempts.ts';
import { NotLetIn, type OpenIdConnect } from './openid.ts';
import { hashPassword, NOBODYS, passwordIs } from './passwords.ts';
import { changePassword, closeOthers, closeSession, findPerson, openSession, sessionsOf } from './store.ts';

/** What a browser keeps while somebody is at the issuer. */
const PENDING_COOKIE = 'vondle_oidc';
const YEAR_MS = 365 * 86_400_000;

/** Signing in and out, and what somebody's own account is about. */
export function sessionRoutes(
  db: Database,
  attempts: Attempts,
  { issuer, log }: { readonly issuer?: OpenIdConnect; readonly log: Pick<Logger, 'warn'> },
): Hono<Env> {
  const away = new Budget({ all: 32, each: 4 }, 'people at the issuer');
  const noIssuer = () => notFound('such way to sign in');
  return new Hono<Env>()
    .post('/', async (c) => {
      const { handle, password } = await body(c, credentials);
      const device = getCookie(c, DEVICE_COOKIE);
      const settle = await attempts.begin({ handle, address: c.get('address'), device });
      const person = await findPerson(db, handle);
      const right = await passwordIs(password, person?.password || NOBODYS).catch(async (busy: unknown) => {
        await settle('not looked at');
        throw busy;
      });
      if (!person || !right) {
        // of whom there is none nothing is kept: whoever guesses names would fill the trail
        if (person)
          await record(db, 'fail to sign in', {
            personId: person.id,
            details: { address: c.get('address') },
          });
        throw new Problem(401, 'Not signed in', 'Name or password is wrong.');
      }
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
    .get('/ways', (c) => c.json({ issuer: issuer?.name ?? null }))
    .get('/oidc', async (c) => {
      if (!issuer) throw noIssuer();
      const then = c.req.query('then') ?? '/';
      const done = away.take(c.get('address'), 1);
      try {
        // only to a page of ours
        const { to, keep, until } = await issuer.begin(/^\/(?![/\\])/.test(then) ? then.slice(0, 500) : '/');
        giveCookie(c, PENDING_COOKIE, keep, until);
        return c.redirect(to);
      } catch (error) {
        log.warn({ err: forTheLog(error) }, 'the issuer cannot be asked');
        return c.redirect('/sign-in?trouble=issuer');
      } finally {
        done();
      }
    })
    .get('/oidc/back', async (c) => {
      if (!issuer) throw noIssuer();
      const done = away.take(c.get('address'), 1);
      try {
        const query = new URL(c.req.url).searchParams;
        const { person, then } = await issuer.end(db, query, getCookie(c, PENDING_COOKIE));
        const replaced = tokenOf(c);
        const { token, expiresAt } = await db.transaction(async (tx) => {
          if (replaced) await closeSession(tx, replaced);
          await record(tx, 'sign in', { personId: person.id, details: { by: issuer.name } });
          return openSession(tx, person.id);
        });
        giveCookie(c, COOKIE, token, expiresAt);
        return c.redirect(then);
      } catch (error) {
        if (error instanceof NotLetIn) log.warn({ why: error.message }, 'the issuer’s word was not taken');
        else log.warn({ err: forTheLog(error) }, 'the issuer cannot be asked');
        return c.redirect(`/sign-in?trouble=${error instanceof NotLetIn ? 'not-let-in' : 'issuer'}`);
      } finally {
        takeCookie(c, PENDING_COOKIE);
        done();
      }
    })
    .get('/', signedIn(db), (c) => {
      const { handle, name } = c.get('person');
      return c.json({ handle, name });
    })
    .put('/password', signedIn(db), async (c) => {
      const person = c.get('person');
      const { old, password } = await body(c, passwords);
      const settle = await attempts.begin({
        handle: person.handle,
        address: c.get('address'),
        device: getCookie(c, DEVICE_COOKIE),
      });
      const known = await findPerson(db, person.handle);
      if (!(await passwordIs(old, known?.password || NOBODYS)))
        throw new Problem(403, 'Not changed', 'The old password is another one.');
      await settle('right');
      const hash = await hashPassword(password);
      await db.transaction(async (tx) => {
        await changePassword(tx, person.id, hash, tokenOf(c)!);
        await record(tx, 'change password', { personId: person.id });
      });
      return c.body(null, 204);
    })
    .get('/all', signedIn(db), async (c) => c.json(await sessionsOf(db, c.get('person').id, tokenOf(c)!)))
    .delete('/others', signedIn(db), async (c) => {
      const person = c.get('person');
      const ended = await db.transaction(async (tx) => {
        const count = await closeOthers(tx, person.id, tokenOf(c)!);
        await record(tx, 'end other sessions', { personId: person.id, details: { ended: count } });
        return count;
      });
      return c.json({ ended });
    })
    .delete('/', async (c) => {
      const token = tokenOf(c);
      if (token) await db.transaction((tx) => closeSession(tx, token));
      takeCookie(c);
      return c.body(null, 204);
    });
}
