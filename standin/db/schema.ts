/** What the stand-in keeps, in a PostgreSQL schema of its own. */
import { sql } from 'drizzle-orm';
import {
  bigint,
  boolean,
  customType,
  index,
  integer,
  jsonb,
  pgSchema,
  primaryKey,
  smallint,
  text,
  timestamp,
  uniqueIndex,
  uuid,
} from 'drizzle-orm/pg-core';
import type { Kind, Settings } from '../setup/kinds.ts';

const bytes = customType<{ data: Buffer }>({ dataType: () => 'bytea' });
const at = (name: string) => timestamp(name, { withTimezone: true });

export const standin = pgSchema('standin');

/** The service itself: one row, made with its tables, by which it is told from every other. */
export const services = standin.table('services', {
  one: boolean('one').primaryKey().default(true),
  id: uuid('id').notNull().defaultRandom(),
});

/** Who may have spaces here. Secrets are random and long: their SHA-256 is kept. */
export const tenants = standin.table('tenants', {
  name: text('name').primaryKey(),
  secret: bytes('secret').notNull(),
});

/** One publish-subscribe service each, apart from all others. */
export const spaces = standin.table('spaces', {
  name: text('name').primaryKey(),
  tenant: text('tenant')
    .notNull()
    .references(() => tenants.name),
  access: text('access').$type<'open' | 'controlled'>().notNull(),
  /** Counts up with every change of its setup. */
  change: bigint('change', { mode: 'number' }).notNull().default(0),
});

/** Topics, queues, subscriptions and statements. The first three are addressed, so no two share a name. */
export const things = standin.table(
  'things',
  {
    id: integer('id').primaryKey().generatedAlwaysAsIdentity(),
    space: text('space')
      .notNull()
      .references(() => spaces.name, { onDelete: 'cascade' }),
    kind: text('kind').$type<Kind>().notNull(),
    name: text('name').notNull(),
    settings: jsonb('settings').$type<Settings>().notNull(),
  },
  (table) => [
    uniqueIndex('things_by_name').on(
      table.space,
      sql`(case when ${table.kind} = 'statement' then 1 else 0 end)`,
      table.name,
    ),
  ],
);

/** Who signs in to send and take, and as whom statements speak of them. */
export const users = standin.table(
  'users',
  {
    space: text('space')
      .notNull()
      .references(() => spaces.name, { onDelete: 'cascade' }),
    name: text('name').notNull(),
    tenant: text('tenant').notNull(),
    actsAs: text('acts_as').notNull(),
    secret: bytes('secret').notNull(),
  },
  (table) => [primaryKey({ columns: [table.space, table.name] })],
);

/**
 * Messages in stores. One that is taken is not ready until its lease ends; so what was taken by a process or
 * client that is no more comes back by itself.
 */
export const messages = standin.table(
  'messages',
  {
    id: bigint('id', { mode: 'number' }).primaryKey().generatedAlwaysAsIdentity(),
    store: integer('store')
      .notNull()
      .references(() => things.id, { onDelete: 'cascade' }),
    /** The bare message as it was sent (AMQP 1.0 §3.2): properties, application properties, body; and a footer. */
    bare: bytes('bare').notNull(),
    /** Its message annotations, as they were sent. */
    annotations: bytes('annotations'),
    /** As whom it was sent, as statements speak of them. */
    sentBy: text('sent_by'),
    durable: boolean('durable').notNull(),
    priority: smallint('priority'),
    /** Its group, where its store keeps order by groups. */
    group: text('group'),
    arrivedAt: at('arrived_at').notNull().defaultNow(),
    readyAt: at('ready_at').notNull().defaultNow(),
    expiresAt: at('expires_at'),
    tries: integer('tries').notNull().default(0),
    lease: uuid('lease'),
    /** Why and where it was given up last, where it was. */
    died: jsonb('died').$type<{ because: string; at: string; tries: number }>(),
    /** Rounds of dead letters it has made. */
    rounds: smallint('rounds').notNull().default(0),
  },
  (table) => [
    index('messages_in_order').on(table.store, table.id),
    index('messages_by_group')
      .on(table.store, table.group, table.id)
      .where(sql`${table.group} is not null`),
    index('messages_expiring')
      .on(table.expiresAt)
      .where(sql`${table.expiresAt} is not null`),
  ],
);

/**
 * How many messages came to a thing and went from it. Rows are only added, by triggers on the messages and by who
 * sends to topics, so that nobody waits for anybody's count; the keeper adds them up. Their sum counts up for ever.
 */
export const passages = standin.table(
  'passages',
  {
    thing: integer('thing')
      .notNull()
      .references(() => things.id, { onDelete: 'cascade' }),
    came: bigint('came', { mode: 'number' }).notNull().default(0),
    went: bigint('went', { mode: 'number' }).notNull().default(0),
  },
  (table) => [index('passages_of_thing').on(table.thing)],
);

/** Message ids a topic has had within its time of recognising repeats. */
export const repeats = standin.table(
  'repeats',
  {
    topic: integer('topic')
      .notNull()
      .references(() => things.id, { onDelete: 'cascade' }),
    messageId: text('message_id').notNull(),
    until: at('until').notNull(),
  },
  (table) => [
    primaryKey({ columns: [table.topic, table.messageId] }),
    index('repeats_until').on(table.until),
  ],
);

/** Who takes from which store at this moment, by any process; one that is not seen for a while is gone. */
export const takers = standin.table(
  'takers',
  {
    id: uuid('id').primaryKey(),
    store: integer('store')
      .notNull()
      .references(() => things.id, { onDelete: 'cascade' }),
    user: text('user').notNull(),
    seenAt: at('seen_at').notNull().defaultNow(),
  },
  (table) => [index('takers_of_store').on(table.store)],
);
