/** What administration does: each change is one transaction, refused where something would point to nothing. */
import { randomBytes } from 'node:crypto';
import { and, eq, gt, inArray, ne, sql } from 'drizzle-orm';
import type { Connection, Transaction } from '../db/connect.ts';
import { messages, services, spaces, tenants, things, users } from '../db/schema.ts';
import { MOST_IN_STORE } from '../messages/intake.ts';
import { countIn, READY, sentTo, standing } from '../messages/stock.ts';
import type {
  Kind,
  QueueSettings,
  Settings,
  StatementSettings,
  SubscriptionSettings,
} from '../setup/kinds.ts';
import { isName } from '../setup/kinds.ts';
import { mistakesOfFilter } from '../setup/space.ts';
import { isSecret, secretHash, type Spaces } from '../setup/spaces.ts';
import { none, Problem } from './problem.ts';

/** A space has no more things, and the settings of one take no more characters. */
export const MOST_THINGS = 20_000;
export const LONGEST_SETTINGS = 64 * 1024;
const MOST_SPACES = 1000;
const MOST_USERS = 10_000;
/** No count of messages that is agreed to is larger. */
const MOST_COUNTED = 1_000_000;

/** Who administers: everything, or the spaces of one tenant. */
export type Admin = { readonly all: true } | { readonly all: false; readonly tenant: string };

const freshSecret = () => randomBytes(24).toString('base64url');

export class Administration {
  constructor(
    private readonly connection: Connection,
    private readonly known: Spaces,
    /** The secret of whoever runs this service. */
    private readonly secret: string,
  ) {}

  /** @returns by what this service is told from every other, whichever process of it answers */
  async id(): Promise<string> {
    const { db } = this.connection;
    await db.insert(services).values({}).onConflictDoNothing();
    return (await db.select().from(services))[0]!.id;
  }

  /** @returns who asks, by name and secret; undefined where nobody does */
  async who(name: string, secret: string): Promise<Admin | undefined> {
    if (name === 'operator') return isSecret(secret, secretHash(this.secret)) ? { all: true } : undefined;
    const [found] = await this.connection.db.select().from(tenants).where(eq(tenants.name, name));
    return isSecret(secret, found?.secret) ? { all: false, tenant: name } : undefined;
  }

  /** Makes a tenant, or gives one a new secret. @returns the secret, told this once */
  async putTenant(admin: Admin, name: string): Promise<{ secret: string }> {
    if (!admin.all && admin.tenant !== name) throw none(`tenant ${name}`);
    if (name === 'operator' || !/^[a-z][a-z0-9-]{0,62}$/.test(name))
      throw new Problem(
        422,
        'No name',
        'A tenant is called by small letters, digits and hyphens, a letter first.',
      );
    const secret = freshSecret();
    await this.connection.db
      .insert(tenants)
      .values({ name, secret: secretHash(secret) })
      .onConflictDoUpdate({ target: tenants.name, set: { secret: secretHash(secret) } });
    return { secret };
  }

  /** @returns the spaces that may be seen */
  async listSpaces(admin: Admin): Promise<{ name: string; tenant: string; access: string }[]> {
    return this.connection.db
      .select({ name: spaces.name, tenant: spaces.tenant, access: spaces.access })
      .from(spaces)
      .where(admin.all ? undefined : eq(spaces.tenant, admin.tenant))
      .orderBy(spaces.name);
  }

  /** Makes a space, or changes its access. @returns whether it is new */
  async putSpace(
    admin: Admin,
    name: string,
    { tenant, access }: { tenant: string; access: 'open' | 'controlled' },
  ): Promise<boolean> {
    if (!/^[a-z0-9][a-z0-9.-]{0,126}$/.test(name))
      throw new Problem(422, 'No name', 'A space is called by small letters, digits, dots and hyphens.');
    if (!admin.all && tenant !== admin.tenant) throw none(`tenant ${tenant}`);
    const fresh = await this.connection.db.transaction(async (tx) => {
      await tx.execute(sql`select pg_advisory_xact_lock(5692)`);
      const [there] = await tx.select().from(spaces).where(eq(spaces.name, name));
      if (there && !(admin.all || there.tenant === admin.tenant)) throw none(`space ${name}`);
      if (there && there.tenant !== tenant)
        throw new Problem(
          409,
          'Whose',
          `The space ${name} is of tenant ${there.tenant}; it is not given away.`,
        );
      const [owner] = await tx.select().from(tenants).where(eq(tenants.name, tenant));
      if (!owner) throw none(`tenant ${tenant}`);
      const [{ count } = { count: 0 }] = await tx.select({ count: sql<number>`count(*)::int` }).from(spaces);
      if (!there && count >= MOST_SPACES)
        throw new Problem(409, 'Too many', `There are ${MOST_SPACES} spaces; no more fit.`);
      if (!there) await tx.insert(spaces).values({ name, tenant, access });
      else if (there.access !== access)
        await tx
          .update(spaces)
          .set({ access, change: sql`${spaces.change} + 1` })
          .where(eq(spaces.name, name));
      return !there;
    });
    this.known.forget(name);
    return fresh;
  }

  /** Removes a space with all it has; messages only with their number. */
  async removeSpace(admin: Admin, name: string, destroys: number): Promise<void> {
    await this.change(admin, name, async (tx) => {
      const { rows } = await tx.execute<{ count: string }>(sql`
        select count(*) from standin.messages m join standin.things t on t.id = m.store where t.space = ${name}`);
      agreed(Number(rows[0]!.count), destroys, `The space ${name}`);
      await tx.delete(spaces).where(eq(spaces.name, name));
    });
  }

  /** @returns all a space has, and how its stores stand */
  async setup(admin: Admin, space: string) {
    const { db } = this.connection;
    const own = await this.ownSpace(db, admin, space);
    const [kept, who] = await Promise.all([
      db.select().from(things).where(eq(things.space, space)).orderBy(things.name),
      db
        .select({ name: users.name, tenant: users.tenant, actsAs: users.actsAs })
        .from(users)
        .where(eq(users.space, space))
        .orderBy(users.name),
    ]);
    const stores = kept.filter(({ kind }) => kind === 'queue' || kind === 'subscription').map(({ id }) => id);
    const topics = kept.filter(({ kind }) => kind === 'topic').map(({ id }) => id);
    const stand = stores.length ? await standing(db, stores) : new Map();
    const sent = topics.length ? await sentTo(db, topics) : new Map();
    const of = (kind: Kind) =>
      kept
        .filter((each) => each.kind === kind)
        .map(({ id, name, settings }) => ({
          name,
          ...settings,
          ...(stand.has(id) && !('to' in settings && settings.to !== undefined)
            ? { stands: stand.get(id) }
            : {}),
          ...(kind === 'topic' ? { stands: { came: sent.get(id) ?? 0 } } : {}),
        }));
    return {
      name: own.name,
      tenant: own.tenant,
      access: own.access,
      change: own.change,
      topics: of('topic'),
      queues: of('queue'),
      subscriptions: of('subscription'),
      statements: of('statement'),
      users: who,
    };
  }

  /** Makes a thing or changes its settings. @returns whether it is new */
  async put(admin: Admin, space: string, kind: Kind, name: string, settings: Settings): Promise<boolean> {
    if (!isName(name)) throw new Problem(422, 'No name', 'A name has 1 to 255 characters, none of control.');
    if (JSON.stringify(settings).length > LONGEST_SETTINGS)
      throw new Problem(422, 'Too long', `Settings have at most ${LONGEST_SETTINGS} characters.`);
    return this.change(admin, space, async (tx) => {
      const kept = await tx
        .select()
        .from(things)
        .where(and(eq(things.space, space), inArray(things.name, [name, ...namedIn(settings)])));
      const own = kept.find((each) => each.name === name && each.kind === kind);
      const other = kept.find(
        (each) =>
          each.name === name && each.kind !== kind && kind !== 'statement' && each.kind !== 'statement',
      );
      if (other)
        throw new Problem(
          409,
          'Name is taken',
          `${name} is a ${other.kind} of this space; messages are addressed by name.`,
        );
      if (!own && (await tx.$count(things, eq(things.space, space))) >= MOST_THINGS)
        throw new Problem(409, 'Too many', `A space has at most ${MOST_THINGS} things.`);
      const names = (...kinds: Kind[]) =>
        new Set(kept.filter((each) => kinds.includes(each.kind)).map((each) => each.name));
      mustPoint(kind, name, settings, names);
      if (own) {
        if (kind === 'subscription') {
          // where it held its own messages and hands to a queue from now on, what it holds would be out of reach
          const held = (own.settings as SubscriptionSettings).to === undefined;
          const hands = (settings as SubscriptionSettings).to !== undefined;
          if (held && hands && (await countIn(tx, own.id, 0)) > 0)
            throw new Problem(
              409,
              'Not empty',
              `${name} holds messages; take them first, or remove it and agree to their loss.`,
            );
        }
        await tx.update(things).set({ settings }).where(eq(things.id, own.id));
      } else await tx.insert(things).values({ space, kind, name, settings });
      return !own;
    });
  }

  /** Removes a thing. @param destroys how many messages may go with it */
  async remove(admin: Admin, space: string, kind: Kind, name: string, destroys: number): Promise<void> {
    await this.change(admin, space, async (tx) => {
      const [own] = await tx
        .select()
        .from(things)
        .where(and(eq(things.space, space), eq(things.kind, kind), eq(things.name, name)));
      if (!own) throw none(`${kind} ${name}`);
      const pointing =
        kind === 'statement'
          ? []
          : await tx
              .select({ kind: things.kind, name: things.name })
              .from(things)
              .where(
                and(
                  eq(things.space, space),
                  inArray(things.kind, ['queue', 'subscription']),
                  ne(things.id, own.id),
                  sql`${name} in (${things.settings} ->> 'topic', ${things.settings} ->> 'to', ${things.settings} #>> '{deadLetter,to}')`,
                ),
              )
              .limit(6);
      if (pointing.length)
        throw new Problem(
          409,
          'Still used',
          `${pointing
            .slice(0, 5)
            .map((each) => `${each.kind} ${each.name}`)
            .join(
              ', ',
            )}${pointing.length > 5 ? ', …' : ''} ${pointing.length === 1 ? 'needs' : 'need'} ${name}. Remove that first.`,
        );
      agreed(await countIn(tx, own.id, MOST_COUNTED), destroys, name);
      await tx.delete(things).where(eq(things.id, own.id));
    });
  }

  /** Makes a user, or gives one a new secret. @returns the secret, told this once */
  async putUser(
    admin: Admin,
    space: string,
    name: string,
    { tenant, actsAs }: { tenant: string; actsAs: string },
  ): Promise<{ name: string; secret: string }> {
    if (!isName(name)) throw new Problem(422, 'No name', 'A name has 1 to 255 characters, none of control.');
    const secret = freshSecret();
    await this.change(admin, space, async (tx) => {
      const [{ count } = { count: 0 }] = await tx
        .select({ count: sql<number>`count(*)::int` })
        .from(users)
        .where(eq(users.space, space));
      if (count >= MOST_USERS) throw new Problem(409, 'Too many', `A space has at most ${MOST_USERS} users.`);
      await tx
        .insert(users)
        .values({ space, name, tenant, actsAs, secret: secretHash(secret) })
        .onConflictDoUpdate({
          target: [users.space, users.name],
          set: { tenant, actsAs, secret: secretHash(secret) },
        });
    });
    return { name: `${space}/${name}`, secret };
  }

  async removeUser(admin: Admin, space: string, name: string): Promise<void> {
    await this.change(admin, space, async (tx) => {
      const gone = await tx
        .delete(users)
        .where(and(eq(users.space, space), eq(users.name, name)))
        .returning({ name: users.name });
      if (gone.length === 0) throw none(`user ${name}`);
    });
  }

  /** Empties a store. @returns how many messages went */
  async empty(admin: Admin, space: string, name: string, destroys: number): Promise<number> {
    return this.change(admin, space, async (tx) => {
      const store = await this.storeIn(tx, space, name);
      agreed(await countIn(tx, store, MOST_COUNTED), destroys, name);
      const gone = await tx.delete(messages).where(eq(messages.store, store)).returning({ id: messages.id });
      return gone.length;
    });
  }

  /** @returns the oldest messages of a store, none of which is taken */
  async browse(admin: Admin, space: string, name: string, most: number, after = 0) {
    const { db } = this.connection;
    await this.ownSpace(db, admin, space);
    const store = await this.storeIn(db, space, name);
    return db
      .select()
      .from(messages)
      .where(and(eq(messages.store, store), gt(messages.id, after)))
      .orderBy(messages.id)
      .limit(Math.min(most, 100));
  }

  /**
   * Moves messages to another store of the space, or copies them there: all that nobody has in hand, at one stroke.
   * They wait there as new ones: what they were tried, and where they died, is over.
   * @returns how many
   */
  async move(
    admin: Admin,
    space: string,
    name: string,
    { to, ids, copy }: { to: string; ids: readonly number[]; copy: boolean },
  ): Promise<number> {
    const { db } = this.connection;
    await this.ownSpace(db, admin, space);
    return db.transaction(async (tx) => {
      const [from, target] = [await this.storeIn(tx, space, name), await this.storeIn(tx, space, to)];
      if (from === target) throw new Problem(422, 'The same', `${name} has them already.`);
      const room = MOST_IN_STORE - (await countIn(tx, target, MOST_IN_STORE));
      if (room < ids.length)
        throw new Problem(
          409,
          'Not taken',
          `${to} holds ${MOST_IN_STORE} messages at most and takes no more.`,
        );
      const free = sql`m.store = ${from} and m.id = any(${sql.param(ids)}::bigint[]) and (m.lease is null or m.ready_at <= now())`;
      const columns = sql`bare, annotations, sent_by, durable, priority, "group", expires_at, rounds`;
      const taken = copy
        ? sql`taken as (select m.* from standin.messages m where ${free} for update)`
        : sql`taken as (delete from standin.messages m where ${free} returning m.*)`;
      const { rows } = await tx.execute<{ id: string }>(sql`
        with ${taken}
        insert into standin.messages (store, ${columns}) select ${target}, ${columns} from taken order by taken.id
        returning id`);
      await tx.execute(sql`select pg_notify(${READY}, ${String(target)})`);
      return rows.length;
    });
  }

  /** Destroys messages of a store that are named, and that nobody has in hand. @returns how many */
  async destroy(admin: Admin, space: string, name: string, ids: readonly number[]): Promise<number> {
    const { db } = this.connection;
    await this.ownSpace(db, admin, space);
    const store = await this.storeIn(db, space, name);
    const { rows } = await db.execute<{ id: string }>(sql`
      delete from standin.messages m where m.store = ${store} and m.id = any(${sql.param(ids)}::bigint[])
        and (m.lease is null or m.ready_at <= now()) returning m.id`);
    return rows.length;
  }

  /** @throws Problem 404 where a space is not there, or not theirs */
  async mayAdminister(admin: Admin, space: string): Promise<void> {
    await this.ownSpace(this.connection.db, admin, space);
  }

  /** @returns a space that is there and may be administered. @throws Problem 404 where it is not */
  private async ownSpace(tx: Transaction, admin: Admin, space: string) {
    const [row] = await tx.select().from(spaces).where(eq(spaces.name, space));
    if (!row || !(admin.all || row.tenant === admin.tenant)) throw none(`space ${space}`);
    return row;
  }

  private async storeIn(tx: Transaction, space: string, name: string): Promise<number> {
    const found = await tx
      .select()
      .from(things)
      .where(and(eq(things.space, space), eq(things.name, name)));
    const store = found.find(
      ({ kind, settings }) =>
        kind === 'queue' || (kind === 'subscription' && (settings as SubscriptionSettings).to === undefined),
    );
    if (!store) throw none(`store ${name}`);
    return store.id;
  }

  /** Changes a space: one change at a time, and every process hears of it. */
  private async change<T>(admin: Admin, space: string, work: (tx: Transaction) => Promise<T>): Promise<T> {
    const result = await this.connection.db.transaction(async (tx) => {
      await this.ownSpace(tx, admin, space);
      await tx.execute(sql`select 1 from standin.spaces where name = ${space} for update`);
      const made = await work(tx);
      await tx
        .update(spaces)
        .set({ change: sql`${spaces.change} + 1` })
        .where(eq(spaces.name, space));
      return made;
    });
    this.known.forget(space);
    return result;
  }
}

/** @throws Problem 409 where more messages would go than was agreed to */
function agreed(count: number, destroys: number, what: string): void {
  if (count > destroys)
    throw new Problem(
      409,
      'Not agreed to',
      `${what} holds ${count} ${count === 1 ? 'message' : 'messages'}. To destroy them, say their number: destroys=${count}.`,
      { messages: count },
    );
}

/** @throws Problem 422 where settings name what is not there, or a filter cannot be read */
function mustPoint(
  kind: Kind,
  name: string,
  settings: Settings,
  names: (...kinds: Kind[]) => Set<string>,
): void {
  const errors: { path: string; message: string }[] = [];
  const must = (path: string, wanted: string | undefined, kinds: readonly Kind[]) => {
    if (wanted === undefined || names(...kinds).has(wanted) || (wanted === name && kinds.includes(kind)))
      return;
    errors.push({ path, message: `there is no ${kinds.join(' or ')} ${wanted}` });
  };
  if (kind === 'subscription') {
    const { topic, to, filter } = settings as SubscriptionSettings;
    must('topic', topic, ['topic']);
    must('to', to, ['queue']);
    if (filter !== undefined)
      for (const message of mistakesOfFilter(filter)) errors.push({ path: 'filter', message });
  }
  if (kind === 'queue' || kind === 'subscription')
    must('deadLetter.to', (settings as QueueSettings).deadLetter?.to, ['queue', 'topic', 'subscription']);
  if (kind === 'statement') {
    const { who, allow, deny } = settings as StatementSettings;
    if (!allow?.length && !deny?.length)
      errors.push({ path: 'allow', message: 'it neither allows nor denies' });
    for (const each of who)
      if (each !== 'any' && !/^(app|tenant|topic|link):./.test(each))
        errors.push({ path: 'who', message: 'who is app:x, tenant:x, topic:x, link:x or any' });
  }
  if (errors.length)
    throw new Problem(
      422,
      'Not understood',
      errors.map(({ path, message }) => `${path}: ${message}`).join('; '),
      {
        errors: errors.slice(0, 20),
      },
    );
}

/** @returns the names of what settings point to */
function namedIn(settings: Settings): string[] {
  const { topic, to, deadLetter } = settings as Partial<SubscriptionSettings>;
  return [topic, to, deadLetter?.to].filter((each) => each !== undefined);
}
