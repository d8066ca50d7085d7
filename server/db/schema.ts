/** The tables. Every write to them is one transaction; revisions and the audit trail only grow. */
import type { Step, TopologyDocument } from '@vondle/core';
import { sql } from 'drizzle-orm';
import {
  bigint,
  boolean,
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
});

export const topologies = pgTable('topologies', {
  id: id(),
  slug: text('slug').notNull().unique(),
  name: text('name').notNull(),
  createdAt: now('created_at'),
});

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
    role: text('role', { enum: ['reader', 'architect', 'approver'] }).notNull(),
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
    authorId: integer('author_id')
      .notNull()
      .references(() => people.id),
    words: text('words').notNull(),
    createdAt: now('created_at'),
  },
  (table) => [unique().on(table.topologyId, table.number)],
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

/** The one draft of a topology. `version` moves with every write, so that none is lost unseen. */
export const drafts = pgTable('drafts', {
  topologyId: integer('topology_id')
    .primaryKey()
    .references(() => topologies.id, { onDelete: 'cascade' }),
  base: integer('base').notNull(),
  version: integer('version').notNull().default(1),
  documents: jsonb('documents').$type<TopologyDocument[]>().notNull(),
  updatedBy: integer('updated_by').references(() => people.id),
  updatedAt: now('updated_at'),
});

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
    kind: text('kind', { enum: ['amqp'] }).notNull(),
    sealedAddresses: text('sealed_addresses').notNull(),
  },
  (table) => [unique().on(table.topologyId, table.environment, table.broker)],
);

export type RolloutState = 'planned' | 'applying' | 'applied' | 'failed' | 'stopped' | 'interrupted';

export const rollouts = pgTable(
  'rollouts',
  {
    id: id(),
    topologyId: integer('topology_id')
      .notNull()
      .references(() => topologies.id, { onDelete: 'cascade' }),
    targetId: integer('target_id')
      .notNull()
      .references(() => targets.id, { onDelete: 'cascade' }),
    revision: integer('revision').notNull(),
    state: text('state').$type<RolloutState>().notNull(),
    kept: jsonb('kept').$type<string[]>().notNull(),
    leftToOthers: jsonb('left_to_others').$type<{ of: string; why: string }[]>().notNull(),
    inPlace: integer('in_place').notNull(),
    /** What keeps this revision from a protected environment: error findings and broken expectations, in words. */
    obstacles: jsonb('obstacles').$type<string[]>().notNull().default([]),
    /** Why an approver let it go there all the same. */
    override: text('override'),
    overriddenBy: integer('overridden_by').references(() => people.id),
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
    // one rollout at a time touches a target, whatever server process runs it
    uniqueIndex('rollouts_one_at_a_time')
      .on(table.targetId)
      .where(sql`state = 'applying'`),
  ],
);

export const rolloutSteps = pgTable(
  'rollout_steps',
  {
    rolloutId: integer('rollout_id')
      .notNull()
      .references(() => rollouts.id, { onDelete: 'cascade' }),
    position: integer('position').notNull(),
    step: jsonb('step').$type<Step>().notNull(),
    state: text('state', { enum: ['pending', 'running', 'done', 'failed'] }).notNull(),
    error: text('error'),
    finishedAt: at('finished_at'),
  },
  (table) => [primaryKey({ columns: [table.rolloutId, table.position] })],
);

/** A probe message: what was sent, where the trace said it would land, where it did. */
export const probes = pgTable('probes', {
  id: id(),
  rolloutId: integer('rollout_id')
    .notNull()
    .references(() => rollouts.id, { onDelete: 'cascade' }),
  sent: jsonb('sent').$type<Record<string, unknown>>().notNull(),
  predicted: jsonb('predicted').$type<{ queues: Record<string, number>; returned: boolean }>().notNull(),
  observed: jsonb('observed')
    .$type<{ queues: Record<string, number>; returned: boolean; unseen: string[] }>()
    .notNull(),
  agrees: boolean('agrees').notNull(),
  createdBy: integer('created_by')
    .notNull()
    .references(() => people.id),
  createdAt: now('created_at'),
});

/** What people did, append-only. Never holds a secret. */
export const audit = pgTable('audit', {
  id: bigint('id', { mode: 'number' }).primaryKey().generatedAlwaysAsIdentity(),
  at: now('at'),
  personId: integer('person_id').references(() => people.id),
  topologyId: integer('topology_id').references(() => topologies.id, { onDelete: 'set null' }),
  action: text('action').notNull(),
  details: jsonb('details').$type<Record<string, unknown>>().notNull().default({}),
});
