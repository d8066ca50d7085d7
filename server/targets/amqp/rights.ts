/** What a broker's users may do in the target's virtual host, read and changed through its HTTP API. */
import type { AppRights } from '@vondle/core/analysis';
import type { AmqpBroker } from './broker.ts';
import { BrokerTrouble } from './trouble.ts';

/** A user that stands for an app. */
export interface Credential {
  readonly name: string;
  /** A tag of the user, by which it is known to be ours. */
  readonly mark: string;
  /** Its password, as the broker is told it. */
  readonly hash: string;
}

/** The users of a target's apps, as this server knows them. */
export interface AppUsers {
  /** What their names begin with. */
  readonly prefix: string;
  /** @returns the apps of which it knows a user, and the mark of each user. */
  known(): Promise<ReadonlyMap<string, string>>;
  /** @returns an app's user, made up where there is none yet */
  of(app: string): Promise<Credential>;
  /** An app's user is gone. */
  forget(app: string): Promise<void>;
}

interface HttpPermission {
  user: string;
  configure: string;
  write: string;
  read: string;
}
interface HttpTopicPermission {
  user: string;
  exchange: string;
  write: string;
}

const ALL = '.*';

/** Does what only an administrator may. @throws BrokerTrouble that says so */
async function asAdministrator<T>(work: () => Promise<T>): Promise<T> {
  try {
    return await work();
  } catch (error) {
    if (!(error instanceof BrokerTrouble) || error.kind !== 'not let in') throw error;
    const words = "the target's user may not manage users: for that it has to be an administrator";
    throw new BrokerTrouble('refused', error.more, words);
  }
}

/** A user as the broker tells of it: its tags as a list, or as one text by brokers before version 3.9. */
interface HttpUser {
  name: string;
  tags: string | string[];
}

const tagsOf = ({ tags }: HttpUser): string[] => (typeof tags === 'string' ? tags.split(',') : tags);

/** What a broker's users may that are called as those of apps are. */
export interface ReadRights {
  /** Of those that may anything in the virtual host. */
  readonly rights: readonly AppRights[];
  /** The tags of all of them, by app. */
  readonly users: ReadonlyMap<string, readonly string[]>;
}

/** @returns what the users of apps may do there; undefined where the target's user may not see that */
export async function readRights(broker: AmqpBroker, prefix: string): Promise<ReadRights | undefined> {
  const vhost = broker.path('vhosts');
  try {
    const [permissions = [], topics = [], users = []] = await Promise.all([
      broker.ask<HttpPermission[]>(`${vhost}/permissions`),
      broker.ask<HttpTopicPermission[]>(`${vhost}/topic-permissions`),
      broker.ask<HttpUser[]>('/api/users?columns=name,tags'),
    ]);
    const isOne = (user: string) => user.startsWith(prefix);
    const appOf = (user: string) => user.slice(prefix.length);
    const keys = new Map<string, Record<string, string>>();
    for (const { user, exchange, write } of topics)
      if (write !== ALL) keys.set(user, { ...keys.get(user), [exchange]: write });
    return {
      rights: permissions
        .filter(({ user }) => isOne(user))
        .map(({ user, configure, write, read }) => ({
          app: appOf(user),
          configure,
          write,
          read,
          keys: keys.get(user) ?? {},
        })),
      users: new Map(users.filter(({ name }) => isOne(name)).map((user) => [appOf(user.name), tagsOf(user)])),
    };
  } catch (error) {
    if (error instanceof BrokerTrouble && error.kind === 'not let in') return undefined;
    throw error;
  }
}

const userPath = (name: string) => `/api/users/${encodeURIComponent(name)}`;

/** @returns whether there is such a user. @throws BrokerTrouble where it is there and is not ours */
async function isThere(broker: AmqpBroker, { name, mark }: Credential): Promise<boolean> {
  const found = await broker.ask<HttpUser>(userPath(name));
  if (!found) return false;
  if (!tagsOf(found).includes(mark))
    throw new BrokerTrouble(
      'refused',
      '',
      `there is a user ${name} already, which this server did not make: remove it there, or call it otherwise`,
    );
  return true;
}

/** Makes an app's user, or gives it the password that stands in its credential. @throws BrokerTrouble */
export async function putUser(broker: AmqpBroker, { name, mark, hash }: Credential): Promise<void> {
  await asAdministrator(async () => {
    await isThere(broker, { name, mark, hash });
    await broker.ask(userPath(name), {
      method: 'PUT',
      body: { password_hash: hash, hashing_algorithm: 'rabbit_password_hashing_sha256', tags: mark },
    });
  });
}

/** Makes an app's user where there is none, and lets it do what it may and nothing else. @throws BrokerTrouble */
export async function giveRights(broker: AmqpBroker, users: AppUsers, rights: AppRights): Promise<void> {
  const credential = await users.of(rights.app);
  const { name } = credential;
  await putUser(broker, credential);
  await asAdministrator(async () => {
    const topics =
      (await broker.ask<HttpTopicPermission[]>(`${userPath(name)}/topic-permissions`))?.filter(
        ({ vhost }: HttpTopicPermission & { vhost?: string }) => vhost === broker.vhost,
      ) ?? [];
    const keys = {
      ...Object.fromEntries(topics.map(({ exchange }) => [exchange, ALL])),
      ...rights.keys,
    };
    // keys before exchanges: no exchange is open to more keys than it shall be
    for (const [exchange, write] of Object.entries(keys))
      await broker.ask(broker.path('topic-permissions', name), {
        method: 'PUT',
        body: { exchange, write, read: ALL },
      });
    const { configure, write, read } = rights;
    await broker.ask(broker.path('permissions', name), { method: 'PUT', body: { configure, write, read } });
  });
}

/** Removes an app's user. @throws BrokerTrouble */
export async function takeRights(broker: AmqpBroker, users: AppUsers, app: string): Promise<void> {
  const credential = await users.of(app);
  await asAdministrator(async () => {
    if (await isThere(broker, credential)) await broker.ask(userPath(credential.name), { method: 'DELETE' });
  });
  await users.forget(app);
}
