/** Which links are to be carried: those of the revisions that stand in each environment. */
import { type CarriedLink, linksToCarry } from '@vondle/core/analysis';
import { readTopology } from '@vondle/core/topology';
import { sql } from 'drizzle-orm';
import type { Database } from '../db/connect.ts';
import { documentsOf } from '../revisions/store.ts';
import type { Work } from '../work/pool.ts';

/** So many links are carried of all topologies together. */
const MOST_LINKS = 2000;

/** An environment of a topology in which something stands. */
export interface Stands {
  readonly topologyId: number;
  readonly environment: string;
  /** By broker: the revision that was carried out last, and the target that leads there. */
  readonly brokers: readonly {
    readonly broker: string;
    readonly revision: number;
    readonly targetId: number;
    /** The rollout that did it: another one, even of the same revision, may have changed what is there. */
    readonly rollout: number;
  }[];
}

/** @returns where something stands that a target still leads to, in one order always */
export async function environmentsStanding(db: Database): Promise<Stands[]> {
  const { rows } = await db.execute<{
    topology_id: number;
    environment: string;
    broker: string;
    revision: number;
    tears_down: boolean;
    target_id: number;
    rollout: number;
  }>(sql`
    select distinct on (r.topology_id, r.environment, r.broker)
      r.topology_id, r.environment, r.broker, r.revision, r.tears_down, t.id as target_id, r.id as rollout
    from rollouts r join targets t
      on t.topology_id = r.topology_id and t.environment = r.environment and t.broker = r.broker
    where r.state = 'applied'
    order by r.topology_id, r.environment, r.broker, r.id desc`);
  const found = new Map<string, Stands & { brokers: Stands['brokers'][number][] }>();
  for (const { topology_id, environment, broker, revision, tears_down, target_id, rollout } of rows) {
    if (tears_down) continue;
    const key = `${topology_id} ${environment}`;
    let at = found.get(key);
    if (!at) found.set(key, (at = { topologyId: topology_id, environment, brokers: [] }));
    at.brokers.push({ broker, revision, targetId: target_id, rollout });
  }
  return [...found.values()];
}

/** A link of an environment, with the targets that its ends are reached by. */
export interface StandingLink {
  readonly topologyId: number;
  readonly environment: string;
  readonly link: CarriedLink;
  readonly targets: Readonly<Record<string, number>>;
}

/** Links of an environment: those to carry, and those that nobody carries, with the reason. */
export interface LinksThere {
  readonly links: StandingLink[];
  readonly left: { readonly name: string; readonly why: string }[];
}

/** @returns the links of an environment; none where fewer than two brokers stand, since a link has two ends */
export function linksIn(work: Pick<Work, 'run'>, stands: Stands): Promise<LinksThere> {
  if (stands.brokers.length < 2) return Promise.resolve({ links: [], left: [] });
  return work.run('linksStanding', stands);
}

/** @returns the links of an environment, as the revision says that stands on the broker they take from */
export async function linksStanding(
  db: Database,
  { topologyId, environment, brokers }: Stands,
): Promise<LinksThere> {
  const targets = Object.fromEntries(brokers.map(({ broker, targetId }) => [broker, targetId]));
  const revisions = [...new Set(brokers.map(({ revision }) => revision))];
  const links: StandingLink[] = [];
  const left = new Map<string, string>();
  for (const revision of revisions) {
    const documents = await documentsOf(db, topologyId, revision);
    if (!documents) continue;
    const read = readTopology(documents);
    const topology = read.declared.environments?.has(environment)
      ? readTopology(documents, { environment })
      : read;
    const found = linksToCarry(topology);
    for (const { name, why } of found.left) left.set(name, why);
    for (const link of found.carried) {
      const source = brokers.find(({ broker }) => broker === link.from.broker);
      const ends = [link.to.broker, ...Object.values(link.aliases).map((each) => each.broker)];
      if (source?.revision !== revision) continue;
      const missing = ends.find((broker) => targets[broker] === undefined);
      if (missing !== undefined) {
        left.set(link.name, `nothing stands on ${missing} yet`);
        continue;
      }
      links.push({ topologyId, environment, link, targets });
    }
  }
  for (const { link } of links) left.delete(link.name);
  return { links: links.slice(0, MOST_LINKS), left: [...left].map(([name, why]) => ({ name, why })) };
}
