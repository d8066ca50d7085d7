/** Revisions: what is kept of a topology, and who changed which line. */
import { string, type InferType } from 'yup';
import { documentList } from './documents.ts';
import { whichDraft } from './drafts.ts';
import { list, maybeWhole, record, text, time, whole } from './kinds.ts';
import type { Routes } from './route.ts';
import { glance } from './topologies.ts';

export const newRevision = record({
  version: whole(),
  words: string().trim().required('say in a sentence what this revision changes').max(1000),
});
export const blamed = record({ doc: string().required().max(200), draft: maybeWhole() });

const revision = record(
  {
    number: whole(),
    /** The revision that the draft it was made of began from; null for none. */
    parent: whole().nullable(),
    words: text(),
    /** The names of those who wrote it. */
    author: text(),
    /** Who proposed it, where it was proposed, and who saved it, by name. */
    proposedBy: text().nullable(),
    savedBy: text(),
    createdAt: time(),
  },
  'Revision',
);
export type RevisionEntry = InferType<typeof revision>;

export const revisionRoutes = {
  'GET /topologies/:slug/revisions': {
    what: 'Its revisions, the newest first',
    door: 'read',
    answer: list(revision),
  },
  'POST /topologies/:slug/revisions': {
    what: 'Make a revision of a draft',
    more: 'Refused where the topology’s own rules ask that others agree first: then the draft is proposed.',
    door: 'write',
    query: whichDraft,
    body: newRevision,
    status: 201,
    answer: record({ number: whole(), version: whole() }),
  },
  'GET /topologies/:slug/revisions/:number': {
    what: 'The documents of a revision',
    door: 'read',
    answer: record({ number: whole(), documents: documentList }),
  },
  'GET /topologies/:slug/revisions/:number/glance': {
    what: 'What a revision holds, and how that stood',
    door: 'read',
    answer: glance,
  },
  'GET /topologies/:slug/blame': {
    what: 'With which revision each line of a draft’s document came',
    more: '0 is a line that the draft itself changed.',
    door: 'read',
    query: blamed,
    answer: record({ version: whole(), lines: list(whole()) }),
  },
} as const satisfies Routes;
