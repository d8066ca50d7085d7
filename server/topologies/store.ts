import { and, desc, eq, sql } from 'drizzle-orm';
import type { Database, Transaction } from '../db/connect.ts';
import type { Reads, Role } from '@vondle/api';
import { drafts, members, people, topologies } from '../db/schema.ts';

export interface TopologyRow {
  readonly id: number;
  readonly slug: string;
  readonly name: string;
  readonly role: Role;
  /** What they are shown of messages on brokers. */
  readonly reads: Reads;
}

const columns = {
  id: topologies.id,
  slug: topologies.slug,
  name: topologies.name,
  role: members.role,
  reads: members.reads,
};

/** A topology as it stands in a list: what one would ask before opening it. */
export interface TopologyEntry extends Omit<TopologyRow, 'id' | 'reads'> {
  readonly version: number;
  readonly updatedAt: Date;
  readonly updatedBy: string | null;
  /** The newest revision; none where nothing was saved yet. */
  readonly revision: {
    readonly number: number;
    readonly words: string;
    readonly author: string;
    readonly createdAt: string;
  } | null;
  /** Who works on it, by name, the first ten. */
  readonly people: readonly string[];
  /** What each environment that has a broker connected has last applied. */
  readonly environments: readonly {
    readonly environment: string;
    readonly revisions: readonly number[];
    /** How many brokers are connected there. */
    readonly brokers: number;
    readonly whole: boolean;
  }[];
}

/** @returns the topologies a person belongs to, with how each stands, the one that was worked on last first */
export function topologyEntries(db: Database, personId: number): Promise<TopologyEntry[]> {
  return db
    .select({
      slug: topologies.slug,
      name: topologies.name,
      role: members.role,
      version: drafts.version,
      updatedAt: drafts.updatedAt,
      updatedBy: people.name,
      revision: sql<TopologyEntry['revision']>`(
        select json_build_object('number', r.number, 'words', left(r.words, 300), 'author', (
          select coalesce(string_agg(p.name, ', ' order by p.name), '') from revision_writers w
          join people p on p.id = w.person_id where w.revision_id = r.id), 'createdAt', r.created_at)
        from revisions r
        where r.topology_id = ${topologies.id} order by r.number desc limit 1)`,
      people: sql<string[]>`(
        select coalesce(json_agg(w.name), '[]'::json) from (
          select p.name from members m join people p on p.id = m.person_id
          where m.topology_id = ${topologies.id} order by p.name limit 10) w)`,
      environments: sql<TopologyEntry['environments']>`(
        select coalesce(json_agg(json_build_object('environment', e.environment, 'revisions', e.revisions, 'brokers', e.brokers, 'whole', e.whole) order by e.environment), '[]'::json)
        from (
          select t.environment,
            coalesce(json_agg(distinct a.revision) filter (where a.revision is not null), '[]'::json) as revisions,
            count(*)::int as brokers,
            bool_and(a.revision is not null) as whole
          from targets t
          left join lateral (
            select case when o.tears_down then null else o.revision end as revision from rollouts o
            where o.topology_id = t.topology_id and o.environment = t.environment and o.broker = t.broker and o.state = 'applied'
            order by o.id desc limit 1) a on true
          where t.topology_id = ${topologies.id}
          group by t.environment limit 20) e)`,
    })
    .from(members)
    .innerJoin(topologies, eq(topologies.id, members.topologyId))
    .innerJoin(drafts, and(eq(drafts.topologyId, topologies.id), drafts.main))
    .leftJoin(people, eq(people.id, drafts.updatedBy))
    .where(eq(members.personId, personId))
    .orderBy(desc(drafts.updatedAt), topologies.name)
    .limit(1000);
}

/** @returns the topologies a person belongs to. */
export function topologiesOf(db: Database, personId: number): Promise<TopologyRow[]> {
  return db
    .select(columns)
    .from(members)
    .innerJoin(topologies, eq(topologies.id, members.topologyId))
    .where(eq(members.personId, personId))
    .orderBy(topologies.name)
    .limit(1000);
}

/** @returns a topology as one of its members sees it; undefined for everybody else. */
export async function topologyFor(
  db: Database,
  slug: string,
  personId: number,
): Promise<TopologyRow | undefined> {
  const [found] = await db
    .select(columns)
    .from(topologies)
    .innerJoin(members, and(eq(members.topologyId, topologies.id), eq(members.personId, personId)))
    .where(eq(topologies.slug, slug));
  return found;
}

/** Makes a topology with a main draft that has nothing in it. @returns its id, or undefined when its address is taken */
export async function insertTopology(
  tx: Transaction,
  topology: { slug: string; name: string },
): Promise<number | undefined> {
  const [made] = await tx
    .insert(topologies)
    .values({ slug: topology.slug, name: topology.name })
    .onConflictDoNothing()
    .returning({ id: topologies.id });
  if (!made) return undefined;
  await tx.insert(drafts).values({ topologyId: made.id, name: 'main', main: true, base: 0 });
  return made.id;
}

export async function addMember(
  tx: Transaction,
  topologyId: number,
  personId: number,
  role: Role,
  reads: Reads = 'nothing',
): Promise<void> {
  await tx.insert(members).values({ topologyId, personId, role, reads });
}

/** Makes whoever else wants the same of this topology wait for the end of the transaction. */
export async function lockTopology(tx: Transaction, topologyId: number): Promise<void> {
  await tx.select({ id: topologies.id }).from(topologies).where(eq(topologies.id, topologyId)).for('update');
}
