import { randomUUID } from 'node:crypto';
import { and, count, desc, eq, isNotNull, isNull, sql } from 'drizzle-orm';
import type { Database, Transaction } from '../db/connect.ts';
import { people, topologies, webhookDeliveries, webhooks } from '../db/schema.ts';
import type { Sealer } from '../secrets.ts';
import { NotReached, type CloudEvent, type Receiver } from './post.ts';

/** Webhooks a topology may have. */
export const MOST_WEBHOOKS = 20;
const rowOf = (id: number) => `webhook ${id}`;

const outcome = sql<'taken' | 'given up' | 'waiting'>`coalesce(${webhookDeliveries.outcome}, 'waiting')`;
const deliveryColumns = {
  id: webhookDeliveries.eventId,
  type: webhookDeliveries.type,
  at: webhookDeliveries.at,
  outcome,
  tries: webhookDeliveries.tries,
  said: webhookDeliveries.said,
};

/** @returns the webhooks of a topology, each with its newest event */
export async function webhooksOf(db: Transaction, topologyId: number) {
  const found = await db
    .select({
      id: webhooks.id,
      url: webhooks.url,
      events: webhooks.events,
      token: sql<boolean>`${webhooks.sealedToken} is not null`,
      by: people.name,
      createdAt: webhooks.createdAt,
      endedAt: webhooks.endedAt,
      waiting: sql<number>`(select count(*)::int from webhook_deliveries d where d.webhook_id = webhooks.id and d.done_at is null)`,
    })
    .from(webhooks)
    .innerJoin(people, eq(people.id, webhooks.createdBy))
    .where(eq(webhooks.topologyId, topologyId))
    .orderBy(webhooks.id);
  return Promise.all(
    found.map(async (each) => ({ ...each, last: (await deliveriesOf(db, each.id, 1))[0] ?? null })),
  );
}

/** @returns the newest events of a webhook */
export const deliveriesOf = (db: Transaction, webhookId: number, most: number) =>
  db
    .select(deliveryColumns)
    .from(webhookDeliveries)
    .where(eq(webhookDeliveries.webhookId, webhookId))
    .orderBy(desc(webhookDeliveries.id))
    .limit(most);

/** @returns whether a topology has a webhook of that number */
export async function hasWebhook(db: Transaction, topologyId: number, id: number): Promise<boolean> {
  const [found] = await db
    .select({ id: webhooks.id })
    .from(webhooks)
    .where(and(eq(webhooks.id, id), eq(webhooks.topologyId, topologyId)));
  return found !== undefined;
}

/** @returns its id, or undefined where there are as many as there may be */
export async function insertWebhook(
  tx: Transaction,
  sealer: Sealer,
  { token, ...row }: { topologyId: number; url: string; events: string[]; createdBy: number; token: string },
): Promise<number | undefined> {
  const [known] = await tx
    .select({ count: count() })
    .from(webhooks)
    .where(eq(webhooks.topologyId, row.topologyId));
  if (known!.count >= MOST_WEBHOOKS) return undefined;
  const [made] = await tx.insert(webhooks).values(row).returning({ id: webhooks.id });
  const { id } = made!;
  if (token)
    await tx
      .update(webhooks)
      .set({ sealedToken: sealer.seal(token, rowOf(id)) })
      .where(eq(webhooks.id, id));
  return id;
}

export async function removeWebhook(
  tx: Transaction,
  topologyId: number,
  id: number,
): Promise<string | undefined> {
  const [gone] = await tx
    .delete(webhooks)
    .where(and(eq(webhooks.id, id), eq(webhooks.topologyId, topologyId)))
    .returning({ url: webhooks.url });
  return gone?.url;
}

/**
 * @returns whom a webhook is for, with the topology's name in addresses; undefined where there is none
 * @throws NotReached where its token was sealed under a secret that is not known here
 */
export async function receiverOf(
  db: Transaction,
  sealer: Sealer,
  topologyId: number,
  id: number,
): Promise<(Receiver & { slug: string }) | undefined> {
  const [found] = await db
    .select({ url: webhooks.url, sealed: webhooks.sealedToken, slug: topologies.slug })
    .from(webhooks)
    .innerJoin(topologies, eq(topologies.id, webhooks.topologyId))
    .where(and(eq(webhooks.id, id), eq(webhooks.topologyId, topologyId)));
  if (!found) return undefined;
  const { url, sealed, slug } = found;
  try {
    return { url, slug, token: sealed === null ? undefined : sealer.open(sealed, rowOf(id)) };
  } catch {
    throw new NotReached('its token cannot be opened here any more: remove it, and add it again');
  }
}

/** An event that is to be sent now, and to whom. */
export interface Due {
  readonly id: number;
  readonly webhookId: number;
  readonly topologyId: number;
  readonly tries: number;
  readonly event: CloudEvent;
}

/** Before each try again it is waited so long, in seconds; after the last of them it is given up. */
export const WAITS = [5, 30, 120, 600, 3600, 3 * 3600, 6 * 3600] as const;

/** An event that was taken is due again after so many seconds, should whoever took it have fallen: longer than sending takes. */
const HELD_SECONDS = 30;

/** Takes events that are due, for this process alone for a while. */
export async function takeDue(db: Database, most: number): Promise<Due[]> {
  const { rows } = await db.execute<{
    id: string;
    webhook_id: number;
    topology_id: number;
    tries: number;
    event_id: string;
    type: string;
    data: Record<string, unknown>;
    at: string;
    slug: string;
  }>(sql`
    update webhook_deliveries d
    set tries = d.tries + 1, next_at = now() + make_interval(secs => ${HELD_SECONDS})
    from webhooks w, topologies t
    where w.id = d.webhook_id and t.id = w.topology_id and d.id in (
      select id from webhook_deliveries
      where done_at is null and next_at <= now() order by next_at, id limit ${most} for update skip locked)
    returning d.id::text, d.webhook_id, w.topology_id, d.tries, d.event_id, d.type, d.data, to_json(d.at) #>> '{}' as at, t.slug`);
  return rows.map((row) => ({
    id: Number(row.id),
    webhookId: row.webhook_id,
    topologyId: row.topology_id,
    tries: row.tries,
    event: eventOf({ ...row, id: row.event_id }),
  }));
}

/** @returns an event as it is sent */
export function eventOf(of: {
  id: string;
  type: string;
  slug: string;
  at: string;
  data: Record<string, unknown>;
}): CloudEvent {
  const { proposal, rollout, number } = of.data;
  const subject =
    proposal !== undefined && of.type.startsWith('vondle.proposal')
      ? `proposals/${String(proposal)}`
      : rollout !== undefined
        ? `rollouts/${String(rollout)}`
        : number !== undefined
          ? `revisions/${String(number)}`
          : undefined;
  return {
    specversion: '1.0',
    id: of.id,
    source: `/topologies/${of.slug}`,
    type: of.type,
    ...(subject === undefined ? {} : { subject }),
    time: of.at,
    datacontenttype: 'application/json',
    data: of.data,
  };
}

/** An event of no meaning, to see what is answered. */
export const trialEvent = (slug: string, by: string): CloudEvent =>
  eventOf({
    id: randomUUID(),
    type: 'vondle.webhook.tried',
    slug,
    at: new Date().toISOString(),
    data: { by },
  });

/**
 * Notes how sending an event went.
 * @param how it ended, or after how many seconds it is to be sent again
 */
export async function settle(
  db: Database,
  id: number,
  said: string,
  how: 'taken' | 'given up' | number,
): Promise<void> {
  const next =
    typeof how === 'number'
      ? { nextAt: sql`now() + make_interval(secs => ${how})` }
      : { outcome: how, doneAt: new Date() };
  await db
    .update(webhookDeliveries)
    .set({ said, ...next })
    .where(eq(webhookDeliveries.id, id));
}

/** Nothing is sent there any more. */
export async function endWebhook(db: Database, id: number): Promise<void> {
  await db.transaction(async (tx) => {
    await tx
      .update(webhooks)
      .set({ endedAt: new Date() })
      .where(and(eq(webhooks.id, id), isNull(webhooks.endedAt)));
    await tx
      .update(webhookDeliveries)
      .set({ outcome: 'given up', doneAt: new Date() })
      .where(and(eq(webhookDeliveries.webhookId, id), isNull(webhookDeliveries.doneAt)));
  });
}

/** Forgets what was sent long ago. */
export async function forgetOld(db: Database): Promise<void> {
  await db.execute(sql`delete from webhook_deliveries where done_at < now() - interval '14 days'`);
}

/** Seals the tokens of all webhooks under the newest key. @returns how many were, of how many */
export async function sealWebhooksAgain(
  tx: Transaction,
  sealer: Sealer,
): Promise<{ sealed: number; of: number }> {
  const all = await tx
    .select({ id: webhooks.id, sealed: webhooks.sealedToken })
    .from(webhooks)
    .where(isNotNull(webhooks.sealedToken));
  let count = 0;
  for (const { id, sealed } of all) {
    if (sealer.isCurrent(sealed!)) continue;
    const sealedToken = sealer.seal(sealer.open(sealed!, rowOf(id)), rowOf(id));
    await tx.update(webhooks).set({ sealedToken }).where(eq(webhooks.id, id));
    count++;
  }
  return { sealed: count, of: all.length };
}
