/** One publish-subscribe service that a target leads to: a space of the stand-in, through its administration. */
import { createHash } from 'node:crypto';
import type { HostedAddresses } from '@vondle/api';
import type { Message } from '@vondle/core/conditions';
import type { BrokerNow, HostedKind, HostedThing, StoreNow } from '@vondle/core/analysis';
import type { Allowed } from '../allowed.ts';
import { LINK_TAG, OUR_PREFIX } from '../amqp/names.ts';
import { brokerTrouble, BrokerTrouble } from '../amqp/trouble.ts';
import { askHttp } from '../http-api.ts';

const ANSWER_MS = 20_000;

/** What the administration answers of a space. */
interface Setup {
  readonly name: string;
  readonly tenant: string;
  readonly access: string;
  readonly topics: readonly Told[];
  readonly queues: readonly Told[];
  readonly subscriptions: readonly Told[];
  readonly statements: readonly Told[];
}
/** How a store stands. */
interface Stands {
  readonly waiting: number;
  readonly inHand: number;
  readonly delayed: number;
  readonly oldest: string | null;
  readonly takers: number;
  readonly who: readonly { readonly name: string; readonly user: string }[];
  readonly came: number;
  readonly went: number;
}
/** A message as the administration shows it. */
export interface Lying {
  readonly id: number;
  readonly arrivedAt: string;
  /** As whom it was sent, such as `app:x`; null where the service does not know. */
  readonly sentBy: string | null;
  readonly tries: number;
  readonly inHand: 'yes' | 'no';
  readonly headers: Readonly<Record<string, unknown>>;
  readonly properties: Readonly<Record<string, unknown>>;
  readonly body: unknown;
  readonly died: { readonly because: string; readonly at: string; readonly tries: number } | null;
}
interface Told {
  readonly name: string;
  /** Of a topic: only what was sent to it. */
  readonly stands?: Partial<Stands>;
  readonly [setting: string]: unknown;
}

const PLURAL: Readonly<Record<Exclude<HostedKind, 'service'>, string>> = {
  topic: 'topics',
  queue: 'queues',
  subscription: 'subscriptions',
  statement: 'statements',
};

export class HostedService {
  readonly space: string;

  constructor(
    private readonly addresses: HostedAddresses,
    private readonly allowed: Allowed,
    private readonly answerMs = ANSWER_MS,
  ) {
    this.space = addresses.space;
  }

  /**
   * Asks the administration.
   * @returns what it answers; undefined where there is no such thing (404)
   * @throws BrokerTrouble; `refused` in the service's own words
   */
  async ask<T>(method: string, path: string, body?: unknown): Promise<T | undefined> {
    try {
      const { status, text } = await askHttp(
        this.addresses.service,
        path,
        { method, ...(body === undefined ? {} : { body }) },
        { allowed: this.allowed, answerMs: this.answerMs },
      );
      if (status === 404) return undefined;
      if (status === 401) throw new BrokerTrouble('not let in', 'the service answered 401', NOT_LET_IN);
      if (status >= 400 && status < 500) {
        const { detail } = JSON.parse(text) as { detail?: unknown };
        throw new BrokerTrouble('refused', '', String(detail ?? status).slice(0, 500));
      }
      if (status < 200 || status >= 300) throw strange(`the service answered ${status}`);
      return text === '' ? undefined : (JSON.parse(text) as T);
    } catch (error) {
      if (error instanceof SyntaxError) throw strange('the service answered no JSON');
      throw brokerTrouble(error);
    }
  }

  /** @returns where something of the space is administered */
  path({ kind, name }: Pick<HostedThing, 'kind' | 'name'>): string {
    const space = `/spaces/${encodeURIComponent(this.space)}`;
    return kind === 'service' ? space : `${space}/${PLURAL[kind]}/${encodeURIComponent(name)}`;
  }

  /** @throws BrokerTrouble where there is no such space, or it is not ours */
  async setup(): Promise<Setup> {
    const setup = await this.ask<Setup>('GET', this.path({ kind: 'service', name: '' }));
    if (!setup)
      throw new BrokerTrouble(
        'not let in',
        '',
        `there is no space ${this.space} there, or it is not this tenant's`,
      );
    if (!Array.isArray(setup.topics)) throw strange('what it answers is no space');
    return setup;
  }

  /** @returns what the space has, each with all its settings, without what we put there for a moment */
  async things(): Promise<HostedThing[]> {
    return (await this.everything()).filter(({ name }) => !name.startsWith(OUR_PREFIX));
  }

  /** @returns how its stores and topics stand, without what we put there for a moment */
  async standing(): Promise<Omit<BrokerNow, 'broker'>> {
    const { topics, queues, subscriptions } = await this.setup();
    const ours = ({ name }: Told) => name.startsWith(OUR_PREFIX);
    return {
      entries: topics.flatMap((each) =>
        ours(each)
          ? []
          : [{ name: each.name, ...(each.stands?.came === undefined ? {} : { came: each.stands.came }) }],
      ),
      stores: [...queues, ...subscriptions].flatMap((each): StoreNow[] => {
        const { name, stands } = each;
        if (ours(each) || stands?.waiting === undefined) return [];
        const { waiting, inHand = 0, delayed = 0, who = [], came, went, oldest } = stands;
        return [
          {
            name,
            waiting,
            inHand,
            delayed,
            takers: who.map(({ name: tag, user }) => ({ name: tag, user })),
            ...(came === undefined ? {} : { came }),
            ...(went === undefined ? {} : { went }),
            ...(oldest ? { oldestAt: oldest } : {}),
          },
        ];
      }),
    };
  }

  /** @returns everything the space has, each with all its settings */
  async everything(): Promise<HostedThing[]> {
    const { access, topics, queues, subscriptions, statements } = await this.setup();
    const of = (kind: HostedKind, told: readonly Told[]): HostedThing[] =>
      told.map(({ name, stands, ...rest }) => {
        const settings: Record<string, unknown> = rest;
        // what is said to be as it is by itself is not said
        if (settings['order'] === 'best-effort') delete settings['order'];
        if (settings['wrap'] === false) delete settings['wrap'];
        return {
          kind,
          name,
          settings: settings as HostedThing['settings'],
          ...(stands?.waiting === undefined
            ? {}
            : {
                messages: stands.waiting + (stands.inHand ?? 0) + (stands.delayed ?? 0),
                takers: stands.takers ?? 0,
              }),
        };
      });
    return [
      { kind: 'service', name: '', settings: { access } },
      ...of('topic', topics),
      ...of('queue', queues),
      ...of('subscription', subscriptions),
      ...of('statement', statements),
    ];
  }

  /** @returns the oldest messages of a store; undefined where there is none. @param after only those behind this one */
  async browse(store: string, most: number, after?: number): Promise<readonly Lying[] | undefined> {
    const query = `most=${most}${after === undefined ? '' : `&after=${after}`}`;
    return (await this.ask<{ messages: Lying[] }>('GET', `${this.messages(store)}?${query}`))?.messages;
  }

  /** Moves or copies messages to another store, at one stroke. @returns how many: not those that somebody has in hand */
  async move(store: string, to: string, ids: readonly number[], copy: boolean): Promise<number> {
    const answer = await this.ask<{ moved: number }>('POST', `${this.messages(store)}/move`, {
      to,
      ids,
      copy,
    });
    if (!answer) throw new BrokerTrouble('refused', '', `there is no store ${store} or ${to} there`);
    return answer.moved;
  }

  /** Destroys messages that are named. @returns how many: not those that somebody has in hand */
  async destroy(store: string, ids: readonly number[]): Promise<number> {
    const answer = await this.ask<{ destroyed: number }>('POST', `${this.messages(store)}/destroy`, { ids });
    return answer?.destroyed ?? 0;
  }

  private messages(store: string): string {
    return `${this.path({ kind: 'service', name: '' })}/stores/${encodeURIComponent(store)}/messages`;
  }

  /**
   * Sends a message to a topic or queue, as an app, with what that may do.
   * @returns how many copies were made of it; and why it was refused, where it was
   * @throws BrokerTrouble
   */
  async send(
    { entry, as, tenant }: { entry: string; as: string; tenant: string },
    message: Message,
    messageId?: string,
  ): Promise<{ copies: number; why?: string }> {
    const { subject, groupId, type, priority } = message.properties;
    // who is nobody's is the space's
    const whose = tenant || (await this.setup()).tenant;
    const path = `${this.path({ kind: 'service', name: '' })}/entries/${encodeURIComponent(entry)}/messages`;
    try {
      const answer = await this.ask<{ copies: number }>('POST', path, {
        as,
        tenant: whose,
        ...(messageId === undefined ? {} : { messageId }),
        ...(subject === undefined ? {} : { subject: String(subject) }),
        ...(groupId === undefined ? {} : { group: String(groupId) }),
        ...(type === undefined ? {} : { type: String(type) }),
        ...(typeof priority === 'number' ? { priority } : {}),
        headers: message.headers,
        ...(message.body === undefined || message.body === null ? {} : { body: message.body }),
      });
      if (!answer) return { copies: 0, why: `there is no ${entry} there` };
      return answer;
    } catch (error) {
      if (!(error instanceof BrokerTrouble) || error.kind !== 'refused') throw error;
      return { copies: 0, why: error.message };
    }
  }

  /**
   * Makes a user for a link, or for an app, with a new secret: whoever was it before keeps its connection.
   * @param of the link; or the app, which is called `app:` before its name
   * @returns where and as whom a client of AMQP 1.0 connects
   */
  async client({ name, tenant }: { name: string; tenant?: string }): Promise<{
    host: string;
    port: number;
    tls: boolean;
    username: string;
    password: string;
  }> {
    const [health, setup] = await Promise.all([
      this.ask<{ clients?: { port?: unknown; tls?: unknown } }>('GET', '/health'),
      this.setup(),
    ]);
    const { port, tls } = health?.clients ?? {};
    if (typeof port !== 'number') throw strange('it does not say where clients connect');
    const app = name.startsWith('app:');
    const user = app ? name.slice('app:'.length) : `${LINK_TAG}${name}`;
    const made = await this.ask<{ secret: string }>(
      'PUT',
      `${this.path({ kind: 'service', name: '' })}/users/${encodeURIComponent(user)}`,
      { tenant: tenant ?? setup.tenant, actsAs: app ? name : `link:${name}` },
    );
    const host = new URL(this.addresses.service).hostname;
    this.allowed.check(host);
    return { host, port, tls: tls === true, username: `${this.space}/${user}`, password: made!.secret };
  }

  /** @returns which space of which service this is, hashed */
  async identity(): Promise<string> {
    const { service } = (await this.ask<{ service?: unknown }>('GET', '/health')) ?? {};
    if (typeof service !== 'string') throw strange('it does not say which service it is');
    return createHash('sha256')
      .update(JSON.stringify([service, this.space]))
      .digest('hex');
  }
}

const NOT_LET_IN = "the service does not let the target's tenant in";
const strange = (more: string) =>
  new BrokerTrouble(
    'strange',
    more,
    'what answers there does not speak as the administration of such a service does',
  );
