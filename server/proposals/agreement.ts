/** What a proposal lacks to become a revision. Worked out on a thread. */
import { agreementOn, isRuled, type Agreement } from '@vondle/core/analysis';
import { readTopology } from '@vondle/core/topology';
import type { Database } from '../db/connect.ts';
import { draftDocumentsOf } from '../drafts/store.ts';
import { documentsOf, newestRevision } from '../revisions/store.ts';

export interface AskedAgreement {
  readonly topologyId: number;
  readonly draftId: number;
  readonly authors: readonly string[];
  readonly last: string;
  readonly approvedBy: readonly string[];
}

/** @returns by the rules of the newest revision, what a draft lacks */
export async function agreement(db: Database, asked: AskedAgreement): Promise<Agreement> {
  const newest = await newestRevision(db, asked.topologyId);
  const before = readTopology((newest && (await documentsOf(db, asked.topologyId, newest))) || []);
  return agreementOn(before, readTopology(await draftDocumentsOf(db, asked.draftId)), asked);
}

/** @returns whether the newest revision says that somebody has to approve what follows on it */
export async function ruled(db: Database, { topologyId }: { topologyId: number }): Promise<boolean> {
  const newest = await newestRevision(db, topologyId);
  const documents = (newest && (await documentsOf(db, topologyId, newest))) || [];
  // most topologies have no rules, and are not read for that
  return documents.some(({ text }) => text.includes('review')) && isRuled(readTopology(documents));
}
