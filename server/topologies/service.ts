import type { Want } from '@vondle/api';
import type { Database } from '../db/connect.ts';
import type { Role, Scope } from '@vondle/api';
import { forbidden, notFound } from '../http/problem.ts';
import type { Person } from '../people/store.ts';
import { topologyFor, type TopologyRow } from './store.ts';

/** What each role may do. */
const MAY: Readonly<Record<Role, readonly Want[]>> = {
  reader: ['read'],
  author: ['read', 'write'],
  approver: ['read', 'write', 'approve'],
  operator: ['read', 'operate'],
  owner: ['read', 'write', 'approve', 'operate', 'manage'],
};

const REFUSED: Readonly<Record<Want, string>> = {
  read: 'read it',
  write: 'change it; its authors, approvers and owners may',
  approve: 'agree to changes and rollouts; its approvers and owners may',
  operate: 'connect brokers or carry rollouts out; its operators and owners may',
  manage: 'say who belongs to it; its owners may',
};

/** What a token lets a program do; whose it is has to be allowed to, too. */
const WITHIN: Readonly<Record<Scope, readonly Want[]>> = {
  read: ['read'],
  write: ['read', 'write'],
  operate: ['read', 'operate'],
};

/** @returns whether a role lets one do that */
export const may = (role: Role, want: Want): boolean => MAY[role].includes(want);

/** An address as one is given: nothing else is looked for. */
const SLUG = /^[\p{L}\p{M}\p{N}-]{1,100}$/u;

/**
 * The topology, if this person may do that with it. Who is no member cannot tell it from one that
 * does not exist.
 * @throws Problem 404 or 403
 */
export async function allowed(db: Database, person: Person, slug: string, want: Want): Promise<TopologyRow> {
  const topology = SLUG.test(slug) ? await topologyFor(db, slug.normalize('NFC'), person.id) : undefined;
  const { limits } = person;
  if (!topology || (limits && limits.topologyId !== topology.id)) throw notFound('such topology');
  if (limits && !WITHIN[limits.scope].includes(want))
    throw forbidden(`This token’s scope is \`${limits.scope}\`: with it you may not ${REFUSED[want]}.`);
  if (!may(topology.role, want))
    throw forbidden(`As ${topology.role} of ${topology.name} you may not ${REFUSED[want]}.`);
  return topology;
}
