/** One look at the brokers of an environment, and what is expected there: done on threads, since answers are large. */
import { alertsOf, expectedOf, type AlertAt, type BrokerNow, type Expected } from '@vondle/core/analysis';
import { buildGraph } from '@vondle/core/routing';
import type { Database } from '../db/connect.ts';
import { openTarget, type Openers } from '../environments/store.ts';
import type { Stands } from '../links/standing.ts';
import { topologyAt } from '../rollouts/planning.ts';
import { WrongKey } from '../secrets.ts';
import { within } from '../targets/amqp/broker.ts';
import { brokerTrouble } from '../targets/amqp/trouble.ts';

/** One broker that does not answer holds up the look at the others no longer than this. */
const LOOK_MS = 8000;
/** So many stores, and entries, of a broker are looked at. */
const MOST = 20_000;

/** @returns each broker as it is; one that cannot be seen with the reason */
export function lookAt(
  { db, ...openers }: Openers & { db: Database },
  { topologyId, brokers }: Stands,
): Promise<BrokerNow[]> {
  return Promise.all(
    brokers.map(async ({ broker, targetId }): Promise<BrokerNow> => {
      const away = (why: string) => ({ broker, stores: [], entries: [], away: why });
      try {
        const target = await openTarget(db, openers, topologyId, targetId);
        if (!target) return away('it has no target any more');
        const { stores, entries } = await within(target.reached.standing(), LOOK_MS);
        return { broker, stores: stores.slice(0, MOST), entries: entries.slice(0, MOST) };
      } catch (error) {
        if (error instanceof WrongKey) return away('its addresses were sealed under a key not known here');
        return away(brokerTrouble(error).message);
      }
    }),
  );
}

/** What is expected of an environment, and what is asked of it. */
export interface ExpectedThere extends Expected {
  readonly alerts: readonly AlertAt[];
}

/** @returns what the revisions say that stand on an environment's brokers, each of its own broker */
export async function expectedThere(
  db: Database,
  { topologyId, environment, brokers }: Stands,
): Promise<ExpectedThere> {
  const stores: Expected['stores'][number][] = [];
  const entries: Expected['entries'][number][] = [];
  const apps = new Set<string>();
  const alerts: AlertAt[] = [];
  for (const revision of new Set(brokers.map((each) => each.revision))) {
    const here = new Set(brokers.flatMap((each) => (each.revision === revision ? [each.broker] : [])));
    const graph = buildGraph(await topologyAt(db, topologyId, revision, environment));
    const found = expectedOf(graph);
    alerts.push(...alertsOf(graph).filter(({ broker }) => here.has(broker)));
    stores.push(...found.stores.filter(({ broker }) => here.has(broker)));
    entries.push(...found.entries.filter(({ broker }) => here.has(broker)));
    for (const app of found.apps) apps.add(app);
  }
  return { stores, entries, apps: [...apps], alerts };
}
