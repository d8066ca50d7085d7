/**
 * Who wrote what: everyone whose words went into a draft since the revision it goes on from, and into each revision since
 * its parent. Four eyes look at these, and never at who pressed a button last: whoever wrote a change does not approve
 * it and does not consent to it, whoever proposed or saved it.
 */
import { and, asc, eq, gt, lte, sql } from 'drizzle-orm';
import type { Transaction } from '../db/connect.ts';
import { draftWriters, people, revisions, revisionWriters } from '../db/schema.ts';

export interface Writer {
  readonly id: number;
  readonly handle: string;
  readonly name: string;
}

const writer = { id: people.id, handle: people.handle, name: people.name };

/** Notes that somebody wrote into a draft; in the transaction that writes. */
export async function wrote(tx: Transaction, draftId: number, personId: number): Promise<void> {
  const at = sql`clock_timestamp()`;
  await tx
    .insert(draftWriters)
    .values({ draftId, personId, at })
    .onConflictDoUpdate({ target: [draftWriters.draftId, draftWriters.personId], set: { at } });
}

/** Makes the writers of one draft those of another, which begins as its copy. */
export async function copyWriters(tx: Transaction, to: number, from: number): Promise<void> {
  await tx.execute(sql`
    insert into draft_writers (draft_id, person_id, at)
    select ${to}::integer, person_id, at from draft_writers where draft_id = ${from} on conflict do nothing`);
}

/** @returns who wrote into a draft since its base; who wrote last is last */
export function draftWritersOf(tx: Transaction, draftId: number): Promise<Writer[]> {
  return tx
    .select(writer)
    .from(draftWriters)
    .innerJoin(people, eq(people.id, draftWriters.personId))
    .where(eq(draftWriters.draftId, draftId))
    .orderBy(asc(draftWriters.at));
}

/**
 * Makes the writers of a draft those of the revision it has become: from here on the draft has none.
 * @param saver who saved it; they are its writer where nobody wrote into the draft
 */
export async function keepWriters(
  tx: Transaction,
  draftId: number,
  revisionId: number,
  saver: number,
): Promise<void> {
  await tx.execute(sql`
    with gone as (delete from draft_writers where draft_id = ${draftId} returning person_id),
    writers as (
      select person_id from gone union select ${saver}::integer where not exists (select 1 from gone)
    )
    insert into revision_writers (revision_id, person_id) select ${revisionId}::integer, person_id from writers`);
}

/**
 * @param after the revision that stands where the others are to go; undefined where none does
 * @returns who wrote revision `upTo`, and those after `after` that come with it, by name
 */
export function revisionWritersOf(
  tx: Transaction,
  topologyId: number,
  upTo: number,
  after?: number,
): Promise<Writer[]> {
  const numbers =
    after === undefined || after >= upTo
      ? eq(revisions.number, upTo)
      : and(gt(revisions.number, after), lte(revisions.number, upTo));
  return tx
    .select(writer)
    .from(revisionWriters)
    .innerJoin(revisions, eq(revisions.id, revisionWriters.revisionId))
    .innerJoin(people, eq(people.id, revisionWriters.personId))
    .where(and(eq(revisions.topologyId, topologyId), numbers))
    .groupBy(people.id, people.handle, people.name)
    .orderBy(people.name);
}

/** @returns names as a sentence has them: `Ines, Mara and Odo` */
export function named(list: readonly { readonly name: string }[]): string {
  const names = list.map(({ name }) => name);
  return names.length < 2 ? (names[0] ?? 'nobody') : `${names.slice(0, -1).join(', ')} and ${names.at(-1)}`;
}
