/** Who belongs to a topology, as what, and invitations to it. */
import { string, type InferType } from 'yup';
import { list, maybeWhole, record, text, time, whole, word } from './kinds.ts';
import { newPassword, person } from './people.ts';
import type { Routes } from './route.ts';

export const ROLES = ['reader', 'author', 'approver', 'operator', 'owner'] as const;
export type Role = (typeof ROLES)[number];

const role = string().oneOf(ROLES).required();
/**
 * Whether somebody is shown what is in messages: not at all; in those that carry no guarded data; in all. It goes with no role:
 * who carries rollouts out need not read what passes.
 */
export const READS = ['nothing', 'bodies', 'guarded bodies'] as const;
export type Reads = (typeof READS)[number];

/** What changes of a member. */
export const roleInput = record({ role: string().oneOf(ROLES), reads: string().oneOf(READS) });
export const newInvitation = record({
  role,
  words: string().trim().max(200),
  days: maybeWhole().min(1).max(30),
});
export const newAccount = record({
  handle: string()
    .required()
    .max(40)
    .matches(/^[a-z][a-z0-9-]*$/, 'a handle is small letters, digits and hyphens, a letter first'),
  name: string().trim().required().max(80),
  password: newPassword,
});

const member = record(
  { handle: text(), name: text(), role: word(...ROLES), reads: word(...READS) },
  'Member',
);
export type Member = InferType<typeof member>;

const invitation = record(
  { id: whole(), role: word(...ROLES), words: text(), by: text(), expiresAt: time() },
  'Invitation',
);
export type Invitation = InferType<typeof invitation>;

/** What an invitation is to. */
const invitedTo = record(
  { topology: text(), role: word(...ROLES), words: text(), by: text(), expiresAt: time() },
  'InvitedTo',
);
export type InvitedTo = InferType<typeof invitedTo>;

export const memberRoutes = {
  'GET /topologies/:slug/members': { what: 'Who belongs to it, as what', door: 'read', answer: list(member) },
  'PUT /topologies/:slug/members/:handle': {
    what: 'Give a member another role, or let them read what is in messages',
    door: 'manage',
    body: roleInput,
  },
  'DELETE /topologies/:slug/members/:handle': {
    what: 'End a membership',
    more: 'Everybody may end their own; the last owner stays.',
    door: 'manage',
  },
  'GET /topologies/:slug/invitations': {
    what: 'Invitations nobody has used yet',
    door: 'manage',
    answer: list(invitation),
  },
  'POST /topologies/:slug/invitations': {
    what: 'Make an invitation',
    more: 'Its key is told this once; the link is `/join/<key>`. It lets one person in, once.',
    door: 'manage',
    body: newInvitation,
    status: 201,
    answer: record({ id: whole(), key: text(), expiresAt: time() }),
  },
  'DELETE /topologies/:slug/invitations/:id': { what: 'Take an invitation back', door: 'manage' },
  'GET /invitations/:key': { what: 'What an invitation is to', door: 'open', answer: invitedTo },
  'POST /invitations/:key/join': {
    what: 'Join with the account one is signed in with',
    door: 'signed in',
    answer: record({ slug: text() }),
  },
  'POST /invitations/:key/account': {
    what: 'Make an account and join with it',
    door: 'open',
    body: newAccount,
    status: 201,
    answer: person.shape({ slug: text() }).meta({ component: undefined }),
  },
} as const satisfies Routes;
