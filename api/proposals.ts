/** Proposals: drafts that are to become revisions, looked at and agreed to by others. */
import { boolean, number, string, type InferType } from 'yup';
import { documentList } from './documents.ts';
import { either, LARGEST_INTEGER, list, record, text, time, whole, word, yes } from './kinds.ts';
import type { Routes } from './route.ts';

export const VERDICTS = ['approve', 'changes'] as const;
export type Verdict = (typeof VERDICTS)[number];

const words = string().trim().max(4000);
const said = words.required('say something');
export const newProposal = record({
  draft: whole(),
  title: string().trim().required('say in a sentence what it changes').max(200),
  words,
});
export const verdictInput = record({ verdict: string().oneOf(VERDICTS).required(), version: whole(), words });
export const keepInput = record({ version: whole() });

/** What a thread of comments is about. */
export const about = either(
  record({ kind: word('all') }),
  record({ kind: word('thing'), id: string().required().max(600) }),
  record({
    kind: word('line'),
    doc: string().required().max(200),
    line: number().integer().min(1).max(LARGEST_INTEGER).required(),
    text: string().defined().max(2000),
  }),
  record({ kind: word('route', 'finding'), text: string().required().max(2000) }),
).meta({ component: 'About' });
export type About = InferType<typeof about>;

export const newThread = record({ about: about.required(), words: said });
export const newComment = record({ words: said });
export const resolvedInput = record({ resolved: boolean().required() });

const proposalFields = {
  id: whole(),
  number: whole(),
  /** The draft it is of; null once that is removed. */
  draft: whole().nullable(),
  title: text(),
  words: text(),
  author: text(),
  authorName: text(),
  state: word('open', 'kept', 'withdrawn'),
  /** The revision that it became. */
  revision: whole().nullable(),
  createdAt: time(),
};
const proposalEntry = record(proposalFields, 'ProposalEntry');
export type ProposalEntry = InferType<typeof proposalEntry>;

const verdict = record(
  {
    handle: text(),
    name: text(),
    verdict: word(...VERDICTS),
    words: text(),
    at: time(),
    /** Whether the proposal still is what it was said of. */
    holds: yes(),
  },
  'Verdict',
);
export type VerdictEntry = InferType<typeof verdict>;

const thread = record(
  {
    id: whole(),
    about,
    /** Who resolved it. */
    resolved: text().nullable(),
    comments: list(record({ name: text(), words: text(), at: time() })),
  },
  'Thread',
);
export type Thread = InferType<typeof thread>;

/** A member who wrote into the draft, and therefore does not review it. */
const writer = record({ handle: text(), name: text() });
const proposal = record(
  { ...proposalFields, verdicts: list(verdict), threads: list(thread), writers: list(writer) },
  'Proposal',
);
export type Proposal = InferType<typeof proposal>;

/** What a proposal lacks, by the rules of the revision it goes on from. */
const agreement = record({ ruled: yes(), lacking: list(text()), asked: list(text()) }, 'Agreement');
export type Agreement = InferType<typeof agreement>;

/** Something that waits for whoever asks. */
const waiting = record(
  {
    slug: text(),
    topology: text(),
    number: whole(),
    title: text(),
    what: word('review', 'changes', 'others'),
    by: text(),
  },
  'Waiting',
);
export type Waiting = InferType<typeof waiting>;

export const proposalRoutes = {
  'GET /inbox': { what: 'What waits for whoever asks', door: 'signed in', answer: list(waiting) },
  'GET /topologies/:slug/proposals': {
    what: 'Its proposals, the newest first',
    door: 'read',
    answer: list(proposalEntry),
  },
  'POST /topologies/:slug/proposals': {
    what: 'Propose a draft',
    door: 'write',
    body: newProposal,
    status: 201,
    answer: record({ number: whole() }),
  },
  'GET /topologies/:slug/proposals/:number': {
    what: 'A proposal, with what was said to it',
    door: 'read',
    answer: proposal,
  },
  'GET /topologies/:slug/proposals/:number/agreement': {
    what: 'What a proposal still lacks',
    more: 'By the rules of the revision that it goes on from.',
    door: 'read',
    answer: agreement,
  },
  'GET /topologies/:slug/proposals/:number/verdicts/:handle': {
    what: 'The documents that somebody’s verdict is about',
    door: 'read',
    answer: record({ number: whole(), documents: documentList }),
  },
  'POST /topologies/:slug/proposals/:number/verdict': {
    what: 'Approve a proposal, or ask for changes',
    more: 'Of the version that is sent; who proposed it has no verdict.',
    door: 'approve',
    body: verdictInput,
  },
  'POST /topologies/:slug/proposals/:number/keep': {
    what: 'Make a proposal a revision',
    more: 'Once its rules are met; else 409, and `lacking` tells what is missing.',
    door: 'write',
    body: keepInput,
    status: 201,
    answer: record({ number: whole(), version: whole() }),
  },
  'POST /topologies/:slug/proposals/:number/withdraw': {
    what: 'Withdraw a proposal',
    more: 'Who proposed it, or an owner, may.',
    door: 'write',
  },
  'POST /topologies/:slug/proposals/:number/threads': {
    what: 'Begin a thread of comments',
    door: 'read',
    body: newThread,
    status: 201,
    answer: record({ id: whole() }),
  },
  'POST /topologies/:slug/proposals/:number/threads/:thread': {
    what: 'Say something in a thread',
    door: 'read',
    body: newComment,
  },
  'PUT /topologies/:slug/proposals/:number/threads/:thread': {
    what: 'Resolve a thread, or open it again',
    door: 'read',
    body: resolvedInput,
  },
} as const satisfies Routes;
