/** Topologies: the list of them, one with a draft, and what is seen at a glance. */
import { string, type InferType } from 'yup';
import { anything, list, map, maybeWhole, record, row, text, time, whole, word, yes } from './kinds.ts';
import { ROLES } from './members.ts';
import { draftHeadFields, whichDraft } from './drafts.ts';
import { documentList, documents } from './documents.ts';
import type { Routes } from './route.ts';

export const newTopology = record({ name: string().trim().required().max(100) });
/** In which environment the messages are asked for, and of which revision. */
export const whichClasses = record({ environment: string().max(100), revision: maybeWhole() });

const topologyHead = { slug: text(), name: text(), role: word(...ROLES) };

const topologyEntry = record(
  {
    ...topologyHead,
    version: whole(),
    updatedAt: time(),
    updatedBy: text().nullable(),
    /** The newest revision. */
    revision: record({ number: whole(), words: text(), author: text(), createdAt: time() })
      .nullable()
      .defined(),
    people: list(text()),
    /** Of each environment that has brokers connected, how many, and whether all of those have something applied. */
    environments: list(
      record({ environment: text(), revisions: list(whole()), brokers: whole(), whole: yes() }),
    ),
  },
  'TopologyEntry',
);
export type TopologyEntry = InferType<typeof topologyEntry>;

const glanceFields = {
  documents: whole(),
  /** Not looked through, for it is very large; what follows is empty then. */
  large: yes(),
  findings: record({ error: whole(), warning: whole(), advice: whole() }),
  expectations: record({ kept: whole(), broken: whole() }),
  counts: record({ brokers: whole(), queues: whole(), messages: whole(), apps: whole() }),
  environments: list(text()),
  /** Its nodes, each with its lane from left to right and its broker's number, and ways by their numbers. */
  shape: record({ nodes: list(row(whole(), whole())), ways: list(row(whole(), whole())) }),
};
export const glance = record(glanceFields, 'Glance');
const glanceOfDraft = record({ version: whole(), ...glanceFields }, 'DraftGlance');
export type Glance = InferType<typeof glanceOfDraft>;

const draftWithDocuments = record({ ...draftHeadFields, documents: documentList }, 'Draft');
export type DraftData = InferType<typeof draftWithDocuments>;

export const topologyRoutes = {
  'GET /topologies': {
    what: 'The topologies one belongs to',
    door: 'signed in',
    answer: list(topologyEntry),
  },
  'POST /topologies': {
    what: 'Begin a topology',
    door: 'signed in',
    body: newTopology,
    status: 201,
    answer: record({ slug: text() }),
  },
  'POST /topologies/taken-in': {
    what: 'Begin a topology with documents',
    door: 'signed in',
    query: newTopology,
    body: documents.whole,
    large: true,
    status: 201,
    answer: record({ slug: text() }),
  },
  'GET /topologies/:slug': {
    what: 'A topology with a draft of it, its documents with it',
    door: 'read',
    query: whichDraft,
    answer: record({ ...topologyHead, draft: draftWithDocuments }, 'Topology'),
  },
  'GET /topologies/:slug/glance': {
    what: 'What a draft holds, and how that stands',
    door: 'read',
    query: whichDraft,
    answer: glanceOfDraft,
  },
  'GET /topologies/:slug/classes': {
    what: 'All messages, by what becomes of them',
    more: 'Lines as `vondle classes` writes them, of the draft or a revision; after every twenty publishes `{"told", "of"}`, and `{"problem", "detail"}` where it had to end. Ends when nobody listens any more; one at a time for each person.',
    door: 'read',
    query: whichClasses,
    type: 'application/x-ndjson',
    answer: map(anything('docs/classes.md')),
  },
} as const satisfies Routes;
