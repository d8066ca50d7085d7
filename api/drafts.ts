/** Drafts of a topology, who works on them, and what goes on there. */
import { string, type InferType } from 'yup';
import { documents } from './documents.ts';
import { list, maybeWhole, record, text, time, whole, word, yes } from './kinds.ts';
import { ROLES } from './members.ts';
import type { Routes } from './route.ts';

const draftName = string().trim().required('a draft needs a name').max(60);
export const newDraft = record({
  name: draftName,
  /** The revision it begins from; the newest where none is said. */
  revision: maybeWhole(),
  /** The draft whose documents it begins with, instead. */
  draft: maybeWhole(),
});
export const renamedDraft = record({ name: draftName });
export const whichDraft = record({ draft: maybeWhole() });
/** A tab of a browser, by a name that it chose. */
export const tabName = string()
  .required()
  .matches(/^[\w-]{8,64}$/, 'a tab has a name of 8 to 64 letters, digits and hyphens');

/** A draft without its documents. */
export const draftHeadFields = {
  id: whole(),
  name: text(),
  /** The one that every topology has, and nobody owns. */
  main: yes(),
  /** Whose it is, by handle. */
  owner: text().nullable(),
  /** The revision it goes on from; 0 for none. */
  base: whole(),
  version: whole(),
  updatedAt: time(),
  updatedBy: text().nullable(),
};
export const draftHead = record(draftHeadFields, 'DraftHead');
export type DraftHead = InferType<typeof draftHead>;

/** How all of a topology stands, told whenever something of it changes. */
const liveState = record(
  {
    role: word(...ROLES),
    drafts: list(draftHead),
    /** The newest revision; 0 for none. */
    revision: whole(),
    /** Goes up when a rollout is carried out. */
    applied: whole(),
    /** Who has which draft open. */
    people: list(record({ draft: whole(), handle: text(), name: text() })),
    /** Another text whenever something was said to a proposal. */
    proposals: text(),
  },
  'LiveState',
);
export type LiveState = InferType<typeof liveState>;

const MOVED =
  'Goes on from the version that is sent. Where the draft has moved meanwhile nothing is written: 409, and `theirs` is its head as it is now.';
export const draftRoutes = {
  'GET /topologies/:slug/drafts': {
    what: 'Its drafts, the main one first',
    door: 'read',
    answer: list(draftHead),
  },
  'POST /topologies/:slug/drafts': {
    what: 'Begin a draft with what a revision, or another draft, has',
    door: 'write',
    body: newDraft,
    status: 201,
    answer: record({ id: whole() }),
  },
  'PATCH /topologies/:slug/drafts/:draft': {
    what: 'Give a draft another name',
    more: 'Its owner, or an owner of the topology, may.',
    door: 'write',
    body: renamedDraft,
  },
  'DELETE /topologies/:slug/drafts/:draft': {
    what: 'Remove a draft',
    more: 'Its owner, or an owner of the topology, may. The main draft stays.',
    door: 'write',
  },
  'PUT /topologies/:slug/draft': {
    what: 'Write a whole draft',
    more: MOVED,
    door: 'write',
    query: whichDraft,
    body: documents.whole,
    large: true,
    answer: record({ version: whole() }),
  },
  'PATCH /topologies/:slug/draft': {
    what: 'Write the documents of a draft that changed',
    more: MOVED,
    door: 'write',
    query: whichDraft,
    body: documents.change,
    large: true,
    answer: record({ version: whole() }),
  },
  'POST /topologies/:slug/draft/merge': {
    what: 'Put documents that go on from a revision together with what the draft has by now',
    more: 'Key by key. Where both changed one value differently nothing is written: 409, and `conflicts` tells each.',
    door: 'write',
    query: whichDraft,
    body: documents.based,
    large: true,
    answer: record({ version: whole(), changed: yes() }),
  },
  'GET /topologies/:slug/live': {
    what: 'Listen to what goes on in it',
    more: 'Each event tells how all of it stands, so that nothing is missed by who was away. The tab’s name is any text of 8 to 64 letters, digits and hyphens.',
    door: 'read',
    query: record({ draft: maybeWhole(), tab: tabName }),
    type: 'text/event-stream',
    answer: liveState,
  },
} as const satisfies Routes;
