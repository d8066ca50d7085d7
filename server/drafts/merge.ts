/** A change that goes on from a revision, put together with what a draft has by now. Runs on a thread. */
import type { TextDocument } from '@vondle/core/base';
import { merge, type Conflict } from '@vondle/core/change';
import type { Database } from '../db/connect.ts';
import { notFound } from '../http/problem.ts';
import { parsed } from '../http/input.ts';
import { documentsOf } from '../revisions/store.ts';
import { readDocuments } from './documents.ts';
import { draftFor, draftDocumentsOf } from './store.ts';

export interface MergedDraft {
  /** The draft's version that it was merged with. */
  readonly version: number;
  readonly conflicts: readonly Conflict[];
  /** All names there are to be, in order, and those whose texts are not as the draft has them. */
  readonly names: readonly string[];
  readonly came: readonly string[];
  /** JSON with those texts under `changed`; none where nothing changes. */
  readonly documents?: Uint8Array;
}

/**
 * @param bytes a body `{base, documents}`: all documents as they are to be, and the revision they were changed from
 * @throws Problem 404 where there is no such revision or draft, and what `readDocuments` throws
 */
export async function mergedDraft(
  db: Database,
  { topologyId, draftId, bytes }: { topologyId: number; draftId: number; bytes: ArrayBuffer },
): Promise<MergedDraft> {
  const read = readDocuments(new Uint8Array(bytes), 'based');
  const theirs = (parsed(new Uint8Array(bytes)) as { documents: TextDocument[] }).documents;
  const base = read.base ? await documentsOf(db, topologyId, read.base) : [];
  if (!base) throw notFound(`revision ${read.base}`);
  const draft = await draftFor(db, topologyId, draftId);
  if (!draft) throw notFound('such draft');
  const mine = await draftDocumentsOf(db, draftId);
  const { documents, conflicts } = merge(base, mine, theirs);
  const before = new Map(mine.map(({ name, text }) => [name, text]));
  const changed = documents.filter(({ name, text }) => before.get(name) !== text);
  const names = documents.map(({ name }) => name);
  const { version } = draft;
  if (conflicts.length || (changed.length === 0 && names.join('\n') === [...before.keys()].join('\n')))
    return { version, conflicts, names, came: [] };
  const came = changed.map(({ name }) => name);
  return { version, conflicts, names, came, documents: Buffer.from(JSON.stringify({ changed })) };
}
