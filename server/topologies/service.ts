import type { Database } from '../db/connect.ts';
import { forbidden, notFound } from '../http/problem.ts';
import type { Person } from '../people/store.ts';
import { topologyFor, type TopologyRow } from './store.ts';

/** What somebody wants to do with a topology. */
export type Want = 'read' | 'write';

/**
 * The topology, if this person may do that with it. Who is no member cannot tell it from one that
 * does not exist.
 * @throws Problem 404 or 403
 */
export async function allowed(db: Database, person: Person, slug: string, want: Want): Promise<TopologyRow> {
  const topology = await topologyFor(db, slug, person.id);
  if (!topology) throw notFound(`topology \`${slug}\``);
  if (want === 'write' && topology.role === 'reader') {
    throw forbidden(`You may read ${topology.name}, but not change it. Ask one of its architects.`);
  }
  return topology;
}
