import { and, eq } from 'drizzle-orm';
import type { Database, Transaction } from '../db/connect.ts';
import { targets } from '../db/schema.ts';
import type { Sealer } from '../secrets.ts';
import type { AmqpAddresses } from '../targets/amqp/address.ts';

export interface TargetRow {
  readonly id: number;
  readonly environment: string;
  readonly broker: string;
  readonly kind: 'amqp';
}

const columns = {
  id: targets.id,
  environment: targets.environment,
  broker: targets.broker,
  kind: targets.kind,
};

/** @returns a topology's targets, without their addresses. */
export function targetsOf(db: Database, topologyId: number): Promise<TargetRow[]> {
  return db.select(columns).from(targets).where(eq(targets.topologyId, topologyId)).orderBy(targets.id);
}

/** @returns a target with its addresses opened, for the server's own use. */
export async function openTarget(
  db: Database,
  sealer: Sealer,
  topologyId: number,
  id: number,
): Promise<(TargetRow & { addresses: AmqpAddresses }) | undefined> {
  const [found] = await db
    .select({ ...columns, sealed: targets.sealedAddresses })
    .from(targets)
    .where(and(eq(targets.id, id), eq(targets.topologyId, topologyId)));
  if (!found) return undefined;
  const { sealed, ...row } = found;
  return { ...row, addresses: JSON.parse(sealer.open(sealed)) as AmqpAddresses };
}

/** Sets the target of one broker in one environment. @returns its id */
export async function setTarget(
  tx: Transaction,
  sealer: Sealer,
  target: { topologyId: number; environment: string; broker: string; kind: 'amqp'; addresses: AmqpAddresses },
): Promise<number> {
  const { addresses, ...row } = target;
  const sealedAddresses = sealer.seal(JSON.stringify(addresses));
  const [made] = await tx
    .insert(targets)
    .values({ ...row, sealedAddresses })
    .onConflictDoUpdate({
      target: [targets.topologyId, targets.environment, targets.broker],
      set: { sealedAddresses, kind: row.kind },
    })
    .returning({ id: targets.id });
  return made!.id;
}
