/** What a broker has, as documents of a topology: read on a thread, from a target that leads there. */
import type { TextDocument } from '@vondle/core/base';
import {
  adopt,
  adoptHosted,
  guessTypes,
  type BrokerNow,
  type Inventory,
  type Sampled,
  type UserRights,
} from '@vondle/core/analysis';
import { notFound } from '../http/problem.ts';
import { peek, type Peeked } from '../messages/peek.ts';
import { bodyOf } from '../messages/told.ts';
import { onBroker, type Planning } from '../rollouts/planning.ts';
import type { AmqpTarget } from '../targets/amqp/target.ts';
import { brokerTrouble } from '../targets/amqp/trouble.ts';
import { HostedTarget } from '../targets/hosted/target.ts';
import type { AmqpBroker } from '../targets/amqp/broker.ts';
import type { Reached } from '../targets/reached.ts';
import { openTarget } from './store.ts';

export interface TakenIn {
  readonly documents: readonly TextDocument[];
  readonly unsaid: readonly string[];
  /** How many messages were looked at, and of how many the payload was read. */
  readonly looked: number;
  readonly bodies: number;
}

/** What is to be taken in beside what every broker tells. */
export interface TakeIn {
  readonly topologyId: number;
  readonly targetId: number;
  /** What its users may do. */
  readonly rights: boolean;
  /** So many messages of each store are looked at, to guess types of them; none for 0. */
  readonly sample: number;
  /** Whether payloads may be read: what is of no declared type may carry anything. */
  readonly bodies: boolean;
}

/** So many stores are looked into, those in which most waits first, and so many messages of all. */
const MOST_STORES = 200;
const MOST_SAMPLED = 4000;
/** So long is looked into stores altogether. */
const SAMPLE_MS = 30_000;

/** Nothing is changed on the broker. @throws Problem */
export async function takeIn({ db, ...openers }: Planning, asked: TakeIn): Promise<TakenIn> {
  const target = await openTarget(db, openers, asked.topologyId, asked.targetId);
  if (!target) throw notFound(`target ${asked.targetId}`);
  const { reached, broker } = target;
  return onBroker(target, async () => {
    const [has, standing] = await Promise.all([reached.inventory(), reached.standing()]);
    const takers = new Map(
      standing.stores.map(({ name, takers: own }) => [name, own.map((each) => whoIs(each))] as const),
    );
    // what lies in a subscription was sent to its topic
    const topics = new Map(
      (has.hosted ?? []).flatMap(({ kind, name, settings }) =>
        kind === 'subscription' && settings['to'] === undefined && typeof settings['topic'] === 'string'
          ? [[name, settings['topic']] as const]
          : [],
      ),
    );
    const sampled = await samplesOf(reached, standing, topics, asked);
    const guessed = guessTypes(sampled.messages);
    const { documents, unsaid } =
      reached instanceof HostedTarget
        ? await ofHosted(reached, has, broker, takers, guessed)
        : await ofAmqp(reached as AmqpTarget, has, broker, takers, guessed, asked);
    return {
      documents,
      unsaid: [
        ...unsaid,
        ...sampled.unsaid,
        ...(asked.sample > 0
          ? []
          : ['What is sent there is not known: declare message types, and who publishes them.']),
      ],
      looked: sampled.messages.length,
      bodies: sampled.messages.filter(({ body }) => body !== undefined).length,
    };
  });
}

type Takers = ReadonlyMap<string, readonly string[]>;

async function ofAmqp(
  { broker: amqp }: AmqpTarget,
  has: Inventory,
  broker: string,
  takers: Takers,
  guessed: ReturnType<typeof guessTypes>,
  { rights, sample }: TakeIn,
) {
  const unsaid: string[] = [];
  const users = rights ? await rightsOn(amqp, unsaid) : undefined;
  const mqtt = await speaksMqtt(amqp);
  const adopted = adopt(has, broker, {
    takers,
    mqtt,
    ...(users ? { rights: users } : {}),
    ...(sample > 0 ? { guessed } : {}),
  });
  if (mqtt)
    unsaid.push(
      'It speaks MQTT. Which exchange that enters is in its configuration, which it does not tell: it is written as amq.topic.',
    );
  unsaid.push(
    users
      ? 'With access controlled, the next rollout makes users of its own for the apps; the users that are there stay, and are told apart by their names.'
      : 'Who may do what on the broker was not taken in: it is declared as open.',
  );
  return { documents: adopted.documents, unsaid: [...adopted.unsaid, ...unsaid] };
}

async function ofHosted(
  { service }: HostedTarget,
  { hosted = [] }: Inventory,
  broker: string,
  takers: Takers,
  guessed: ReturnType<typeof guessTypes>,
) {
  const { tenant } = await service.setup();
  const adopted = adoptHosted(hosted, broker, tenant, takers, guessed);
  const types = guessed.documents.length
    ? [
        'To which topic messages were sent is known of those that lie in subscriptions: write who else publishes what, and where.',
      ]
    : [];
  return { documents: adopted.documents, unsaid: [...adopted.unsaid, ...types] };
}

/** What the users of a virtual host may do there, but for whom we are ourselves. */
async function rightsOn(amqp: AmqpBroker, unsaid: string[]): Promise<UserRights[] | undefined> {
  try {
    const [found, me] = await Promise.all([
      amqp.ask<UserRights[]>(`/api/vhosts/${encodeURIComponent(amqp.vhost)}/permissions`),
      amqp.ask<{ name: string }>('/api/whoami'),
    ]);
    const others = (found ?? []).filter(({ user }) => user !== me?.name);
    unsaid.push(
      `What ${me?.name ?? 'whom this target signs in as'} may do, by whom this was read, was left out.`,
    );
    return others.map(({ user, configure, write, read }) => ({
      user: appNamed(user),
      configure,
      write,
      read,
    }));
  } catch (error) {
    unsaid.push(`What its users may do could not be read: ${brokerTrouble(error).message}.`);
    return undefined;
  }
}

/** Users that were made for apps have the app's name last. */
const appNamed = (user: string): string => /^[^.]+\.[^.]+\.[^.]+\.([^.]+)$/.exec(user)?.[1] ?? user;

async function speaksMqtt(amqp: AmqpBroker): Promise<boolean> {
  const told = await amqp
    .ask<{ listeners?: { protocol?: string }[] }>('/api/overview')
    .catch(() => undefined);
  return told?.listeners?.some(({ protocol }) => protocol === 'mqtt' || protocol === 'mqtt/ssl') ?? false;
}

/** Messages that lie there, as far as they may be looked at. */
async function samplesOf(
  reached: Reached,
  { stores }: Omit<BrokerNow, 'broker'>,
  topics: ReadonlyMap<string, string>,
  { sample, bodies }: TakeIn,
): Promise<{ messages: Sampled[]; unsaid: string[] }> {
  const messages: Sampled[] = [];
  const unsaid: string[] = [];
  if (sample === 0) return { messages, unsaid };
  const end = Date.now() + SAMPLE_MS;
  const full = stores.filter(({ waiting }) => waiting > 0).sort((a, b) => b.waiting - a.waiting);
  let left = full.length;
  for (const { name } of full.slice(0, MOST_STORES)) {
    if (Date.now() > end || messages.length >= MOST_SAMPLED) break;
    left--;
    try {
      const found = await peek(reached, name, sample);
      messages.push(...found.messages.map((each) => sampledOf(each, topics.get(name), bodies)));
    } catch (error) {
      unsaid.push(`${name} was not looked into: ${brokerTrouble(error).message}.`);
    }
  }
  if (left > 0) unsaid.push(`${left} more stores in which messages wait were not looked into.`);
  if (messages.length === 0)
    unsaid.push('Nothing waits there that could be looked at, so no types are guessed.');
  else if (!bodies)
    unsaid.push(
      'Payloads were not read: you are not let read what may be guarded; an owner may let you, in People.',
    );
  return { messages, unsaid };
}

/** @param topic to which it was sent, where that is known; a dead letter may have come from elsewhere */
function sampledOf(peeked: Peeked, topic: string | undefined, bodies: boolean): Sampled {
  const { key, exchange, headers, properties, sentBy, deaths } = peeked;
  const body = bodies ? bodyOf(peeked) : undefined;
  return {
    key,
    entry: topic === undefined || deaths.length ? exchange : topic,
    ...(sentBy === undefined ? {} : { sentBy }),
    headers,
    properties,
    ...(body?.as === 'json' ? { body: body.value } : {}),
  };
}

/** A connection that gives itself no name is known by who it signed in as. */
const whoIs = ({ name, user }: { name: string; user: string }): string =>
  /^amq\.ctag-|:\d+ -> /.test(name) ? appNamed(user) : name;
