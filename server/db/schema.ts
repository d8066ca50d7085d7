/** The tables. Every write to them is one transaction; revisions and the audit trail only grow. */
import {
  READS,
  ROLES,
  SCOPES,
  VERDICTS,
  WHATS,
  type About,
  type LookSeen,
  type RolloutState,
} from '@vondle/api';
import type { Glance } from '../topologies/glance.ts';
import type { Step } from '@vondle/core/analysis';
import { sql } from 'drizzle-orm';
import {
  bigint,
  boolean,
  customType,
  doublePrecision,
  index,
  integer,
  jsonb,
  pgTable,
  primaryKey,
  text,
  timestamp,
  unique,
  uniqueIndex,
} from 'drizzle-orm/pg-core';

/** Bytes as they are. */
const bytes = customType<{ data: Buffer }>({ dataType: () => 'bytea' });

const id = () => integer('id').primaryKey().generatedAlwaysAsIdentity();
const at = (name: string) => timestamp(name, { withTimezone: true });
const now = (name: string) => at(name).notNull().defaultNow();

export const people = pgTable('people', {
  id: id(),
  handle: text('handle').notNull().unique(),
  name: text('name').notNull(),
  /** scrypt, with its parameters and salt; see people/passwords.ts. */
  password: text('password').notNull(),
  createdAt: now('created_at'),
});

/** A signed-in browser. The cookie holds the token; only its hash is kept. */
export const sessions = pgTable('sessions', {
  tokenHash: text('token_hash').primaryKey(),
  personId: integer('person_id')
    .notNull()
    .references(() => people.id, { onDelete: 'cascade' }),
  expiresAt: at('expires_at').notNull(),
  openedAt: now('opened_at'),
});

/** A key for programs: somebody's, for one topology, with less than all that they may do. Only its hash is kept. */
export const tokens = pgTable('tokens', {
  id: id(),
  personId: integer('person_id')
    .notNull()
    .references(() => people.id, { onDelete: 'cascade' }),
  topologyId: integer('topology_id')
    .notNull()
    .references(() => topologies.id, { onDelete: 'cascade' }),
  name: text('name').notNull(),
  keyHash: text('key_hash').notNull().unique(),
  scope: text('scope', { enum: SCOPES }).notNull(),
  createdAt: now('created_at'),
  expiresAt: at('expires_at').notNull(),
  usedAt: at('used_at'),
});

export const topologies = pgTable('topologies', {
  id: id(),
  slug: text('slug').notNull().unique(),
  name: text('name').notNull(),
  createdAt: now('created_at'),
});

/** What a member of a topology may do there; see topologies/service.ts. */

/** Who belongs to a topology, and what they may do there. */
export const members = pgTable(
  'members',
  {
    topologyId: integer('topology_id')
      .notNull()
      .references(() => topologies.id, { onDelete: 'cascade' }),
    personId: integer('person_id')
      .notNull()
      .references(() => people.id, { onDelete: 'cascade' }),
    role: text('role', { enum: ROLES }).notNull(),
    /** What they are shown of messages on brokers. */
    reads: text('reads', { enum: READS }).notNull().default('nothing'),
  },
  (table) => [primaryKey({ columns: [table.topologyId, table.personId] })],
);

/** Document texts by the SHA-256 of their content, shared between revisions. */
export const contents = pgTable('contents', {
  hash: text('hash').primaryKey(),
  text: text('text').notNull(),
});

export const revisions = pgTable(
  'revisions',
  {
    id: id(),
    topologyId: integer('topology_id')
      .notNull()
      .references(() => topologies.id, { onDelete: 'cascade' }),
    number: integer('number').notNull(),
    parent: integer('parent'),
    /** Who saved it. Who wrote it is in `revisionWriters`. */
    savedBy: integer('author_id')
      .notNull()
      .references(() => people.id),
    /** Who proposed it; null where it was saved without a proposal. */
    proposedBy: integer('proposed_by').references(() => people.id),
    words: text('words').notNull(),
    createdAt: now('created_at'),
    /** How it stood, worked out once: what is found in it later by better checks is not how it stood. */
    glance: jsonb('glance').$type<Glance>(),
  },
  (table) => [unique().on(table.topologyId, table.number)],
);

/** Who wrote what a revision has beyond its parent; see authorship/store.ts. */
export const revisionWriters = pgTable(
  'revision_writers',
  {
    revisionId: integer('revision_id')
      .notNull()
      .references(() => revisions.id, { onDelete: 'cascade' }),
    personId: integer('person_id')
      .notNull()
      .references(() => people.id),
  },
  (table) => [primaryKey({ columns: [table.revisionId, table.personId] })],
);

export const revisionDocuments = pgTable(
  'revision_documents',
  {
    revisionId: integer('revision_id')
      .notNull()
      .references(() => revisions.id, { onDelete: 'cascade' }),
    position: integer('position').notNull(),
    name: text('name').notNull(),
    hash: text('hash')
      .notNull()
      .references(() => contents.hash),
  },
  (table) => [primaryKey({ columns: [table.revisionId, table.name] })],
);

/** A draft: documents on the way to a revision. `version` moves with every write, so that none is lost unseen. */
export const drafts = pgTable(
  'drafts',
  {
    id: id(),
    topologyId: integer('topology_id')
      .notNull()
      .references(() => topologies.id, { onDelete: 'cascade' }),
    name: text('name').notNull(),
    /** The one that every topology has, and nobody owns. */
    main: boolean('main').notNull().default(false),
    ownerId: integer('owner_id').references(() => people.id),
    /** The revision it goes on from; 0 for none. */
    base: integer('base').notNull(),
    version: integer('version').notNull().default(1),
    createdAt: now('created_at'),
    updatedBy: integer('updated_by').references(() => people.id),
    updatedAt: now('updated_at'),
  },
  (table) => [
    unique().on(table.topologyId, table.name),
    uniqueIndex('drafts_one_main')
      .on(table.topologyId)
      .where(sql`main`),
  ],
);

/** The documents of a draft, each a row of its own: a change of one leaves the others where they are. */
export const draftDocuments = pgTable(
  'draft_documents',
  {
    draftId: integer('draft_id')
      .notNull()
      .references(() => drafts.id, { onDelete: 'cascade' }),
    name: text('name').notNull(),
    position: integer('position').notNull(),
    text: text('text').notNull(),
    /** Of the text in UTF-8. */
    bytes: integer('bytes').notNull(),
  },
  (table) => [primaryKey({ columns: [table.draftId, table.name] })],
);

/** Who wrote into a draft since the revision it goes on from; see authorship/store.ts. */
export const draftWriters = pgTable(
  'draft_writers',
  {
    draftId: integer('draft_id')
      .notNull()
      .references(() => drafts.id, { onDelete: 'cascade' }),
    personId: integer('person_id')
      .notNull()
      .references(() => people.id),
    /** When they wrote last. */
    at: now('at'),
  },
  (table) => [primaryKey({ columns: [table.draftId, table.personId] })],
);

/** Who has a draft open: a row for each tab, which says again and again that it is still there. */
export const presence = pgTable(
  'presence',
  {
    tab: text('tab').primaryKey(),
    draftId: integer('draft_id')
      .notNull()
      .references(() => drafts.id, { onDelete: 'cascade' }),
    personId: integer('person_id')
      .notNull()
      .references(() => people.id, { onDelete: 'cascade' }),
    seenAt: now('seen_at'),
  },
  (table) => [index().on(table.draftId)],
);

export const PROPOSAL_STATES = ['open', 'kept', 'withdrawn'] as const;

/** A draft that is proposed to become a revision; what is looked at is the draft as it is. */
export const proposals = pgTable(
  'proposals',
  {
    id: id(),
    topologyId: integer('topology_id')
      .notNull()
      .references(() => topologies.id, { onDelete: 'cascade' }),
    number: integer('number').notNull(),
    /** Null once the draft is removed. */
    draftId: integer('draft_id').references(() => drafts.id, { onDelete: 'set null' }),
    title: text('title').notNull(),
    words: text('words').notNull(),
    authorId: integer('author_id')
      .notNull()
      .references(() => people.id),
    state: text('state', { enum: PROPOSAL_STATES }).notNull().default('open'),
    /** The revision it became. */
    revision: integer('revision'),
    createdAt: now('created_at'),
    closedAt: at('closed_at'),
  },
  (table) => [
    unique().on(table.topologyId, table.number),
    // a draft is proposed once at a time
    uniqueIndex('proposals_one_a_draft')
      .on(table.draftId)
      .where(sql`state = 'open'`),
  ],
);

/** What somebody says to a proposal, as its draft was then; a later word of theirs takes its place. */
export const verdicts = pgTable(
  'verdicts',
  {
    id: id(),
    proposalId: integer('proposal_id')
      .notNull()
      .references(() => proposals.id, { onDelete: 'cascade' }),
    personId: integer('person_id')
      .notNull()
      .references(() => people.id),
    verdict: text('verdict', { enum: VERDICTS }).notNull(),
    words: text('words').notNull(),
    /** Of the documents it is about: the same for the same texts under the same names. */
    sign: text('sign').notNull(),
    at: now('at'),
  },
  (table) => [unique().on(table.proposalId, table.personId)],
);

/** The documents that a verdict is about, so that what changed since can be shown. */
export const verdictDocuments = pgTable(
  'verdict_documents',
  {
    verdictId: integer('verdict_id')
      .notNull()
      .references(() => verdicts.id, { onDelete: 'cascade' }),
    position: integer('position').notNull(),
    name: text('name').notNull(),
    hash: text('hash')
      .notNull()
      .references(() => contents.hash),
  },
  (table) => [primaryKey({ columns: [table.verdictId, table.name] })],
);

export const threads = pgTable(
  'threads',
  {
    id: id(),
    proposalId: integer('proposal_id')
      .notNull()
      .references(() => proposals.id, { onDelete: 'cascade' }),
    about: jsonb('about').$type<About>().notNull(),
    resolvedBy: integer('resolved_by').references(() => people.id),
    resolvedAt: at('resolved_at'),
    createdAt: now('created_at'),
  },
  (table) => [index().on(table.proposalId)],
);

export const comments = pgTable(
  'comments',
  {
    id: id(),
    threadId: integer('thread_id')
      .notNull()
      .references(() => threads.id, { onDelete: 'cascade' }),
    personId: integer('person_id')
      .notNull()
      .references(() => people.id),
    words: text('words').notNull(),
    at: now('at'),
  },
  (table) => [index().on(table.threadId)],
);

/** A link that lets one person in, once. Only the hash of its key is kept. */
export const invitations = pgTable('invitations', {
  id: id(),
  topologyId: integer('topology_id')
    .notNull()
    .references(() => topologies.id, { onDelete: 'cascade' }),
  role: text('role', { enum: ROLES }).notNull(),
  keyHash: text('key_hash').notNull().unique(),
  /** For whom it is, in the words of who made it. */
  words: text('words').notNull(),
  createdBy: integer('created_by')
    .notNull()
    .references(() => people.id),
  createdAt: now('created_at'),
  expiresAt: at('expires_at').notNull(),
  usedBy: integer('used_by').references(() => people.id),
  usedAt: at('used_at'),
});

/** Somebody who is told of what goes on in a topology; the token by which it knows us is encrypted at rest. */
export const webhooks = pgTable(
  'webhooks',
  {
    id: id(),
    topologyId: integer('topology_id')
      .notNull()
      .references(() => topologies.id, { onDelete: 'cascade' }),
    url: text('url').notNull(),
    events: jsonb('events').$type<string[]>().notNull(),
    sealedToken: text('sealed_token'),
    createdBy: integer('created_by')
      .notNull()
      .references(() => people.id),
    createdAt: now('created_at'),
    endedAt: at('ended_at'),
  },
  (table) => [index().on(table.topologyId)],
);

/** An event for one webhook: written with what it tells, sent afterwards. */
export const webhookDeliveries = pgTable(
  'webhook_deliveries',
  {
    id: bigint('id', { mode: 'number' }).primaryKey().generatedAlwaysAsIdentity(),
    webhookId: integer('webhook_id')
      .notNull()
      .references(() => webhooks.id, { onDelete: 'cascade' }),
    eventId: text('event_id').notNull(),
    type: text('type').notNull(),
    data: jsonb('data').$type<Record<string, unknown>>().notNull(),
    at: now('at'),
    tries: integer('tries').notNull().default(0),
    nextAt: now('next_at'),
    doneAt: at('done_at'),
    outcome: text('outcome').$type<'taken' | 'given up'>(),
    said: text('said'),
  },
  (table) => [
    index().on(table.webhookId, table.id),
    index('webhook_deliveries_due')
      .on(table.nextAt)
      .where(sql`done_at is null`),
  ],
);

/** Who somebody is by the word of an OpenID Connect issuer. */
export const identities = pgTable(
  'identities',
  {
    issuer: text('issuer').notNull(),
    subject: text('subject').notNull(),
    personId: integer('person_id')
      .notNull()
      .references(() => people.id, { onDelete: 'cascade' }),
    createdAt: now('created_at'),
  },
  (table) => [primaryKey({ columns: [table.issuer, table.subject] })],
);

/** A broker connection of an environment. The addresses hold passwords and are encrypted at rest. */
export const targets = pgTable(
  'targets',
  {
    id: id(),
    topologyId: integer('topology_id')
      .notNull()
      .references(() => topologies.id, { onDelete: 'cascade' }),
    environment: text('environment').notNull(),
    broker: text('broker').notNull(),
    kind: text('kind', { enum: ['amqp', 'hosted'] }).notNull(),
    sealedAddresses: text('sealed_addresses').notNull(),
  },
  (table) => [unique().on(table.topologyId, table.environment, table.broker)],
);

/** The users of apps on real brokers, each made by a rollout. */
export const credentials = pgTable(
  'credentials',
  {
    id: id(),
    topologyId: integer('topology_id')
      .notNull()
      .references(() => topologies.id, { onDelete: 'cascade' }),
    environment: text('environment').notNull(),
    broker: text('broker').notNull(),
    app: text('app').notNull(),
    /** What the user is called on the broker. */
    name: text('name').notNull(),
    /** By this the user on the broker is known to be ours. */
    mark: text('mark').notNull(),
    /** What the broker knows the password by: salt and SHA-256 of both, in base64. */
    hash: text('hash').notNull(),
    /** The password, until it is handed out. */
    sealedPassword: text('sealed_password'),
    handedOutTo: integer('handed_out_to').references(() => people.id),
    handedOutAt: at('handed_out_at'),
    createdAt: now('created_at'),
  },
  (table) => [unique().on(table.topologyId, table.environment, table.broker, table.app)],
);

/** Environments that need an approver's consent, kept where the text of a topology cannot change it. */
export const protections = pgTable(
  'protections',
  {
    topologyId: integer('topology_id')
      .notNull()
      .references(() => topologies.id, { onDelete: 'cascade' }),
    environment: text('environment').notNull(),
    setBy: integer('set_by').references(() => people.id),
    setAt: now('set_at'),
  },
  (table) => [primaryKey({ columns: [table.topologyId, table.environment] })],
);

/** A queue that a rollout removes, or makes anew, with what it held and who took from it when that was asked. */
export interface Destroyed {
  readonly queue: string;
  /** Those that go with it. */
  readonly messages: number;
  readonly takers: number;
  /** Those that are carried over; none where it was planned before they were. */
  readonly carried?: number;
}

/** Messages that miss or are too much somewhere while a rollout's steps are taken. */
export interface WindowNoted {
  /** The first and the last step, counted from one, with which it is so. */
  readonly from: number;
  readonly until: number;
  readonly kind: 'missing' | 'extra';
  readonly message: string;
  readonly store: string;
  readonly witness: Readonly<Record<string, unknown>>;
  readonly close: string;
}

export const rollouts = pgTable(
  'rollouts',
  {
    id: id(),
    topologyId: integer('topology_id')
      .notNull()
      .references(() => topologies.id, { onDelete: 'cascade' }),
    /** Null once the target is removed; environment and broker still say where it was. */
    targetId: integer('target_id').references(() => targets.id, { onDelete: 'set null' }),
    environment: text('environment').notNull(),
    broker: text('broker').notNull(),
    revision: integer('revision').notNull(),
    state: text('state').$type<RolloutState>().notNull(),
    kept: jsonb('kept').$type<string[]>().notNull(),
    leftToOthers: jsonb('left_to_others').$type<{ of: string; why: string }[]>().notNull(),
    inPlace: integer('in_place').notNull(),
    /** Counts the changes of this row and its steps, so that who watches is sent only what is new. */
    change: integer('change').notNull().default(0),
    /** Which real broker it is, by its own word, hashed: the same whatever topology or address leads there. */
    brokerKey: text('broker_key'),
    /** The inventory it was planned against, as gzipped JSON: what is compared when it is applied. */
    against: bytes('against'),
    /** The newest rollout begun on that broker when this one was planned. */
    after: integer('after'),
    destroys: jsonb('destroys').$type<Destroyed[]>().notNull().default([]),
    /** All that the topology made there is taken away; the revision is the one that stood there. */
    tearsDown: boolean('tears_down').notNull().default(false),
    /** What could not be told of messages on the way, and why. */
    unproved: jsonb('unproved').$type<string[]>().notNull().default([]),
    /** The first of those that were planned together for an environment. */
    together: integer('together'),
    /** The rollout that has to be carried out whole before this one begins. */
    startsAfter: integer('starts_after'),
    windows: jsonb('windows').$type<WindowNoted[]>().notNull().default([]),
    /** The process that carries it out, and until when that is so unless it says again that it does. */
    claimedBy: text('claimed_by'),
    claimedUntil: at('claimed_until'),
    stopAsked: boolean('stop_asked').notNull().default(false),
    /** What it is doing or waiting for, in words. */
    note: text('note'),
    /** Why it needs an approver's consent: the environment is protected. */
    needsConsent: boolean('needs_consent').notNull().default(false),
    /** What stands against this revision in a protected environment: error findings and broken expectations, in words. */
    obstacles: jsonb('obstacles').$type<string[]>().notNull().default([]),
    consentBy: integer('consent_by').references(() => people.id),
    consentWords: text('consent_words'),
    consentAt: at('consent_at'),
    startedBy: integer('started_by').references(() => people.id),
    verified: boolean('verified'),
    error: text('error'),
    createdBy: integer('created_by')
      .notNull()
      .references(() => people.id),
    createdAt: now('created_at'),
    finishedAt: at('finished_at'),
  },
  (table) => [
    index().on(table.topologyId),
    // one rollout at a time touches a broker, whatever process runs it and whichever topology it belongs to
    uniqueIndex('rollouts_one_at_a_time')
      .on(table.brokerKey)
      .where(sql`state = 'applying'`),
  ],
);

/** Unknown: it was sent, and whether the broker did it was not heard. */
export type StepState = 'pending' | 'running' | 'done' | 'failed' | 'unknown';

export const rolloutSteps = pgTable(
  'rollout_steps',
  {
    rolloutId: integer('rollout_id')
      .notNull()
      .references(() => rollouts.id, { onDelete: 'cascade' }),
    position: integer('position').notNull(),
    step: jsonb('step').$type<Step>().notNull(),
    state: text('state').$type<StepState>().notNull(),
    /** The change of the rollout that this state came with. */
    change: integer('change').notNull().default(0),
    error: text('error'),
    /** What there is to know of how it went. */
    said: text('said'),
    finishedAt: at('finished_at'),
  },
  (table) => [
    primaryKey({ columns: [table.rolloutId, table.position] }),
    index().on(table.rolloutId, table.change),
  ],
);

/** A queue that a probe could not look into, and why. */
export interface Unseen {
  readonly queue: string;
  readonly why: string;
}

/** A probe message: what was sent, where the trace said it would land, where it did. */
export const probes = pgTable('probes', {
  id: id(),
  rolloutId: integer('rollout_id')
    .notNull()
    .references(() => rollouts.id, { onDelete: 'cascade' }),
  sent: jsonb('sent').$type<Record<string, unknown>>().notNull(),
  predicted: jsonb('predicted').$type<{ queues: Record<string, number>; returned: boolean }>().notNull(),
  observed: jsonb('observed')
    .$type<{
      queues: Record<string, number>;
      returned: boolean;
      refused: boolean;
      unseen: Unseen[];
      times?: Record<string, number>;
      why?: string;
      stays: string[];
    }>()
    .notNull(),
  /** Null where nothing differs but not everything could be seen. */
  agrees: boolean('agrees'),
  /** Whether it was sent before the rollout was carried out. */
  before: boolean('before').notNull().default(false),
  createdBy: integer('created_by')
    .notNull()
    .references(() => people.id),
  createdAt: now('created_at'),
});

/** Tries that count against a limit, by what is limited; in the database so that all processes count together. */
export const attempts = pgTable('attempts', {
  key: text('key').primaryKey(),
  points: integer('points').notNull().default(0),
  expire: bigint('expire', { mode: 'number' }),
});

/** What people did, append-only. Never holds a secret. */
export const audit = pgTable(
  'audit',
  {
    id: bigint('id', { mode: 'number' }).primaryKey().generatedAlwaysAsIdentity(),
    at: now('at'),
    personId: integer('person_id').references(() => people.id),
    topologyId: integer('topology_id').references(() => topologies.id, { onDelete: 'set null' }),
    action: text('action').notNull(),
    details: jsonb('details').$type<Record<string, unknown>>().notNull().default({}),
  },
  (table) => [index().on(table.topologyId, table.id), index().on(table.topologyId, table.personId, table.at)],
);

/** How an environment stood when it was last looked at. */
export const looks = pgTable(
  'looks',
  {
    topologyId: integer('topology_id')
      .notNull()
      .references(() => topologies.id, { onDelete: 'cascade' }),
    environment: text('environment').notNull(),
    at: at('at').notNull(),
    look: jsonb('look').$type<LookSeen>().notNull(),
  },
  (table) => [primaryKey({ columns: [table.topologyId, table.environment] })],
);

/** Stores that are looked at again and again. */
export const watchedStores = pgTable(
  'watched_stores',
  {
    id: id(),
    topologyId: integer('topology_id')
      .notNull()
      .references(() => topologies.id, { onDelete: 'cascade' }),
    environment: text('environment').notNull(),
    broker: text('broker').notNull(),
    store: text('store').notNull(),
  },
  (table) => [uniqueIndex().on(table.topologyId, table.environment, table.broker, table.store)],
);

/**
 * How a store stood over a stretch of time, added up from all looks in it. Every look goes into a short, a longer and a long
 * stretch at once; the short ones are forgotten first. Where it was not seen there is no row.
 */
export const points = pgTable(
  'points',
  {
    storeId: integer('store_id')
      .notNull()
      .references(() => watchedStores.id, { onDelete: 'cascade' }),
    /** How long the stretch is, in seconds. */
    step: integer('step').notNull(),
    at: at('at').notNull(),
    looks: integer('looks').notNull(),
    waiting: doublePrecision('waiting').notNull(),
    mostWaiting: doublePrecision('most_waiting').notNull(),
    inHand: doublePrecision('in_hand').notNull(),
    delayed: doublePrecision('delayed').notNull(),
    takers: doublePrecision('takers').notNull(),
    came: doublePrecision('came').notNull(),
    went: doublePrecision('went').notNull(),
  },
  (table) => [
    primaryKey({ columns: [table.storeId, table.step, table.at] }),
    index().on(table.step, table.at),
  ],
);

/** Alerts that went off, each at a place. */
export const alerts = pgTable(
  'alerts',
  {
    id: id(),
    topologyId: integer('topology_id')
      .notNull()
      .references(() => topologies.id, { onDelete: 'cascade' }),
    environment: text('environment').notNull(),
    rule: text('rule').notNull(),
    broker: text('broker').notNull(),
    name: text('name').notNull(),
    about: text('about').notNull(),
    words: text('words').notNull(),
    /** Since when its condition held, and when that had been for long enough. */
    since: at('since').notNull(),
    wentOffAt: at('went_off_at').notNull(),
    endedAt: at('ended_at'),
  },
  (table) => [
    uniqueIndex('alerts_going')
      .on(table.topologyId, table.environment, table.rule, table.broker, table.name)
      .where(sql`${table.endedAt} is null`),
    index().on(table.topologyId, table.environment, table.wentOffAt),
  ],
);

/** Copies that taps kept of what passed a place. */
export const passed = pgTable(
  'passed',
  {
    id: bigint('id', { mode: 'number' }).primaryKey().generatedAlwaysAsIdentity(),
    topologyId: integer('topology_id')
      .notNull()
      .references(() => topologies.id, { onDelete: 'cascade' }),
    environment: text('environment').notNull(),
    /** The topology's id of the place. */
    place: text('place').notNull(),
    at: at('at').notNull(),
    /** The same for copies of one message. */
    same: text('same').notNull(),
    key: text('key').notNull(),
    messageId: text('message_id'),
    correlationId: text('correlation_id'),
    /** Who sent it, as far as it says so. */
    who: text('who'),
    /** The declared type that it is, where it is one. */
    type: text('type'),
    /** Where it died before, and why, as its broker says. */
    died: text('died'),
    size: integer('size').notNull(),
    /** Headers and other properties, and the payload, where they may be kept. */
    headers: jsonb('headers').$type<Record<string, unknown>>(),
    body: text('body'),
    /** Forgotten then. */
    until: at('until').notNull(),
  },
  (table) => [
    index().on(table.topologyId, table.environment, table.at),
    index().on(table.topologyId, table.environment, table.same),
    index().on(table.until),
  ],
);

/** What was done to the messages of a store: moved, copied or destroyed. */
export const operations = pgTable(
  'operations',
  {
    id: id(),
    topologyId: integer('topology_id')
      .notNull()
      .references(() => topologies.id, { onDelete: 'cascade' }),
    environment: text('environment').notNull(),
    what: text('what', { enum: WHATS }).notNull(),
    broker: text('broker').notNull(),
    store: text('store').notNull(),
    to: text('to').notNull(),
    /** Where they go to another broker; empty where it is the same. */
    toBroker: text('to_broker').notNull().default(''),
    where: text('where').notNull(),
    agreed: integer('agreed').notNull(),
    done: integer('done').notNull().default(0),
    looked: integer('looked').notNull().default(0),
    state: text('state', { enum: ['running', 'done', 'stopped', 'failed'] }).notNull(),
    error: text('error'),
    stopAsked: boolean('stop_asked').notNull().default(false),
    /** Until then the process that does it is taken to be alive. */
    aliveUntil: at('alive_until').notNull(),
    createdBy: integer('created_by')
      .notNull()
      .references(() => people.id),
    createdAt: now('created_at'),
    finishedAt: at('finished_at'),
  },
  (table) => [index().on(table.topologyId, table.environment)],
);

/** How each link stands, by the word of the process that carries it; see links/store.ts. */
export const linkStandings = pgTable(
  'link_standings',
  {
    topologyId: integer('topology_id')
      .notNull()
      .references(() => topologies.id, { onDelete: 'cascade' }),
    environment: text('environment').notNull(),
    link: text('link').notNull(),
    runs: boolean('runs').notNull(),
    why: text('why'),
    carried: bigint('carried', { mode: 'number' }).notNull(),
    held: integer('held').notNull(),
    at: now('at'),
  },
  (table) => [primaryKey({ columns: [table.topologyId, table.environment, table.link] })],
);
