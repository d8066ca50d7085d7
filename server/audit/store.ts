import { and, desc, eq, gte, lt, sql, type SQL } from 'drizzle-orm';
import type { Database } from '../db/connect.ts';
import { audit, people } from '../db/schema.ts';

export interface AuditLine {
  readonly id: number;
  readonly at: Date;
  /** Who did it, by handle; null where nobody in particular did. */
  readonly who: string | null;
  readonly action: string;
  readonly details: Record<string, unknown>;
}

export interface AuditAsked {
  readonly who?: string | undefined;
  readonly action?: string | undefined;
  /** Only lines before this one. */
  readonly before?: number | undefined;
  readonly from?: Date | undefined;
  readonly to?: Date | undefined;
}

/** @returns lines of the trail of a topology that fit, the newest first */
export function auditOf(
  db: Database,
  topologyId: number,
  { who, action, before, from, to }: AuditAsked,
  limit: number,
): Promise<AuditLine[]> {
  const wanted: (SQL | undefined)[] = [
    eq(audit.topologyId, topologyId),
    who === undefined ? undefined : eq(people.handle, who),
    action === undefined ? undefined : eq(audit.action, action),
    before === undefined ? undefined : lt(audit.id, before),
    from === undefined ? undefined : gte(audit.at, from),
    to === undefined ? undefined : lt(audit.at, to),
  ];
  return db
    .select({ id: audit.id, at: audit.at, who: people.handle, action: audit.action, details: audit.details })
    .from(audit)
    .leftJoin(people, eq(people.id, audit.personId))
    .where(and(...wanted))
    .orderBy(desc(audit.id))
    .limit(limit);
}

/** @returns what was ever done in a topology, by name */
export async function actionsOf(db: Database, topologyId: number): Promise<string[]> {
  const { rows } = await db.execute<{ action: string }>(
    sql`select distinct action from audit where topology_id = ${topologyId} order by action limit 100`,
  );
  return rows.map(({ action }) => action);
}
