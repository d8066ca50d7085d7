import type { Database } from '../db/connect.ts';
import { forbidden, notFound } from '../http/problem.ts';
import type { Person } from '../people/store.ts';
import { topologyFor, type TopologyRow } from './store.ts';

/** What somebody wants to do with a topology. */
export type Want = 'read' | 'write' | 'approve';

/** An address as one is given: nothing else is looked for. */
const SLUG = /^[\p{L}\p{M}\p{N}-]{1,100}$/u;

/**
 * The topology, if this person may do that with it. Who is no member cannot tell it from one that
 * does not exist.
 * @throws Problem 404 or 403
 */
export async function allowed(db: Database, person: Person, slug: string, want: Want): Promise<TopologyRow> {
  const topology = SLUG.test(slug) ? await topologyFor(db, slug.normalize('NFC'), person.id) : undefined;
  if (!topology) throw notFound('such topology');
  if (want === 'write' && topology.role === 'reader') {
    throw forbidden(`You may read ${topology.name}, but not change it. Ask one of its architects.`);
  }
  if (want === 'approve' && topology.role !== 'approver') {
    throw forbidden(`Only approvers of ${topology.name} may do this.`);
  }
  return topology;
}
