/** Signing in, somebody's own account, and the tokens of their programs. */
import { string, type InferType } from 'yup';
import { list, record, text, time, whole, maybeWhole, word, yes } from './kinds.ts';
import type { Routes } from './route.ts';

/** What a token lets a program do. */
export const SCOPES = ['read', 'write', 'operate'] as const;
export type Scope = (typeof SCOPES)[number];

export const newPassword = string()
  .required('say a password')
  .min(12, 'a password has at least 12 characters')
  .max(200);

export const credentials = record({
  handle: string().required().max(100),
  password: string().required().max(200),
});
export const passwords = record({ old: string().required().max(200), password: newPassword });
export const newToken = record({
  slug: string().required().max(100),
  name: string().trim().required('say what the token is for').max(80),
  scope: string().oneOf(SCOPES).required(),
  days: maybeWhole().min(1).max(365),
});

export const person = record({ handle: text(), name: text() }, 'Person');
export type Person = InferType<typeof person>;

const session = record(
  {
    openedAt: time(),
    expiresAt: time(),
    /** Whether it is the one that asks. */
    own: yes(),
  },
  'Session',
);
export type SessionEntry = InferType<typeof session>;

const token = record(
  {
    id: whole(),
    name: text(),
    slug: text(),
    topology: text(),
    scope: word(...SCOPES),
    createdAt: time(),
    expiresAt: time(),
    usedAt: time().nullable(),
  },
  'Token',
);
export type TokenEntry = InferType<typeof token>;

export const peopleRoutes = {
  'POST /session': {
    what: 'Sign in with name and password',
    more: 'The session is the cookie that comes with the answer. Too many wrong attempts have to wait.',
    door: 'open',
    body: credentials,
    answer: person,
  },
  'GET /session': { what: 'Who is signed in', door: 'signed in', answer: person },
  'GET /session/ways': {
    what: 'How one may sign in beside name and password',
    door: 'open',
    answer: record({ issuer: text().nullable() }),
  },
  'GET /session/oidc': {
    what: 'Begin to sign in by the word of the configured OpenID Connect issuer',
    more: 'For browsers: leads to the issuer, which leads back.',
    door: 'open',
    query: record({ then: string().max(500) }),
    status: 302,
  },
  'GET /session/oidc/back': {
    what: 'Where the issuer leads back to',
    door: 'open',
    status: 302,
  },
  'DELETE /session': { what: 'Sign out', door: 'open' },
  'PUT /session/password': {
    what: 'Change one’s own password',
    more: 'Ends all other sessions.',
    door: 'signed in',
    body: passwords,
  },
  'GET /session/all': { what: 'One’s own open sessions', door: 'signed in', answer: list(session) },
  'DELETE /session/others': {
    what: 'End all other sessions of one’s own',
    door: 'signed in',
    answer: record({ ended: whole() }),
  },
  'GET /tokens': { what: 'One’s own tokens', door: 'signed in', answer: list(token) },
  'POST /tokens': {
    what: 'Make a token for a program',
    more: 'The token itself is told this once. It is sent as `authorization: Bearer …`, is for one topology, and lets a program do no more than its owner may.',
    door: 'signed in',
    body: newToken,
    status: 201,
    answer: record({ id: whole(), token: text(), expiresAt: time() }),
  },
  'DELETE /tokens/:id': { what: 'End a token', door: 'signed in' },
} as const satisfies Routes;
