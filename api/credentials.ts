/** Users of apps on real brokers, made by rollouts; each password is handed out once. */
import type { InferType } from 'yup';
import { list, record, text, time, whole } from './kinds.ts';
import type { Routes } from './route.ts';

const credential = record(
  {
    id: whole(),
    environment: text(),
    broker: text(),
    app: text(),
    /** What it is called on the broker. */
    user: text(),
    /** When its password was handed out, and to whom. */
    handedOutAt: time().nullable(),
    handedOutTo: text().nullable(),
  },
  'Credential',
);
export type CredentialEntry = InferType<typeof credential>;

const handedOut = record({ user: text(), password: text() }, 'HandedOut');
export type HandedOut = InferType<typeof handedOut>;

export const credentialRoutes = {
  'GET /topologies/:slug/credentials': {
    what: 'The users that stand for its apps on real brokers',
    more: 'Rollouts make them, where a broker’s access is controlled. Never their passwords.',
    door: 'read',
    answer: list(credential),
  },
  'POST /topologies/:slug/credentials/:id/hand-out': {
    what: 'Hand a password out',
    more: 'Once: afterwards the server does not know it any more, and answers 409.',
    door: 'operate',
    answer: handedOut,
  },
  'POST /topologies/:slug/credentials/:id/renew': {
    what: 'Give an app another password, and hand that out',
    more: 'The broker takes the new one at once, and the old one no more; who is connected stays connected.',
    door: 'operate',
    answer: handedOut,
  },
} as const satisfies Routes;
