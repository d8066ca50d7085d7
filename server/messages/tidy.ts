/** Takes away what a process leaves on a broker that ended while it moved messages: exchanges of ours that lead to stores. */
import { and, eq } from 'drizzle-orm';
import type { Database } from '../db/connect.ts';
import { operations, rollouts, targets } from '../db/schema.ts';
import { openTarget, type Openers } from '../environments/store.ts';
import { KEPT } from '../targets/amqp/carry.ts';
import { AmqpTarget } from '../targets/amqp/target.ts';

/** So many are taken away at once. */
const MOST = 100;

/**
 * Nothing is taken away while anything is moved or rolled out anywhere: it may be in use.
 * @param at the broker of an operation that is over
 * @returns how many exchanges went
 * @throws BrokerTrouble
 */
export async function tidyWays(
  db: Database,
  openers: Openers,
  { topologyId, environment, broker }: { topologyId: number; environment: string; broker: string },
): Promise<number> {
  const [moving] = await db
    .select({ id: operations.id })
    .from(operations)
    .where(eq(operations.state, 'running'))
    .limit(1);
  const [applying] = await db
    .select({ id: rollouts.id })
    .from(rollouts)
    .where(eq(rollouts.state, 'applying'))
    .limit(1);
  if (moving || applying) return 0;
  const [row] = await db
    .select({ id: targets.id })
    .from(targets)
    .where(
      and(
        eq(targets.topologyId, topologyId),
        eq(targets.environment, environment),
        eq(targets.broker, broker),
      ),
    );
  const reached = row && (await openTarget(db, openers, topologyId, row.id))?.reached;
  if (!(reached instanceof AmqpTarget)) return 0;
  const own = reached.broker;
  const found = await own.ask<{ items?: { name: string }[] }>(
    `${own.path('exchanges')}?page=1&page_size=${MOST}&name=${KEPT}&columns=name`,
  );
  const left = (found?.items ?? []).filter(({ name }) => name.startsWith(KEPT) && name.endsWith('.through'));
  for (const { name } of left) await own.ask(own.path('exchanges', name), { method: 'DELETE' });
  return left.length;
}
