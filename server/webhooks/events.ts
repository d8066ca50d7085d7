/**
 * What is told to webhooks: lines of the audit trail, and alerts, in the same transaction as what they tell of, so that
 * none is lost or told too soon.
 */
import { sql } from 'drizzle-orm';
import type { EventType } from '@vondle/api';
import type { Transaction } from '../db/connect.ts';
import { tell } from '../live/changes.ts';

const TYPE_OF: Readonly<Record<string, EventType>> = {
  propose: 'vondle.proposal.opened',
  approve: 'vondle.proposal.approved',
  'ask for changes': 'vondle.proposal.changes-asked',
  comment: 'vondle.proposal.commented',
  'withdraw proposal': 'vondle.proposal.withdrawn',
  'save revision': 'vondle.revision.saved',
  'plan rollout': 'vondle.rollout.planned',
  'consent to rollout': 'vondle.rollout.consented',
  'apply rollout': 'vondle.rollout.started',
  'end rollout': 'vondle.rollout.ended',
};

/** Events that may wait for one receiver; what comes when there are so many is not told to it. */
const MOST_WAITING = 1000;

/** Has those told who want to know of it. @param action of the audit trail, of which most are not told */
export async function announce(
  tx: Transaction,
  action: string,
  { personId, topologyId, details }: { personId?: number; topologyId?: number; details?: object },
): Promise<void> {
  const type = TYPE_OF[action];
  if (type === undefined || topologyId === undefined) return;
  await tellWebhooks(tx, type, topologyId, details ?? {}, personId);
}

/** Has those told who want to know of an event. @param personId who did it, where somebody did */
export async function tellWebhooks(
  tx: Transaction,
  type: EventType,
  topologyId: number,
  data: object,
  personId?: number,
): Promise<void> {
  const { rowCount } = await tx.execute(sql`
    insert into webhook_deliveries (webhook_id, event_id, type, data)
    select w.id, gen_random_uuid()::text, ${type}::text,
      ${JSON.stringify(data)}::jsonb
        || jsonb_build_object('by', (select handle from people where id = ${personId ?? null}::int))
    from webhooks w
    where w.topology_id = ${topologyId} and w.ended_at is null and w.events @> ${JSON.stringify([type])}::jsonb
      and (select count(*) from webhook_deliveries d where d.webhook_id = w.id and d.done_at is null) < ${MOST_WAITING}`);
  if (rowCount) await tell(tx, 'webhook', 0);
}
