/**
 * A space as messages meet it: its topics with their subscriptions, its stores, who may do what. Filters and
 * statements are read and decided by the core, from a document that says what the space has.
 */
import { ALWAYS, type Predicate } from '@vondle/core/conditions';
import { accessOf, type Caller, type Decide } from '@vondle/core/routing';
import { readTopology, thing, type Action, type Topology } from '@vondle/core/topology';
import type {
  Kind,
  QueueSettings,
  Settings,
  StatementSettings,
  SubscriptionSettings,
  TopicSettings,
} from './kinds.ts';

/** How the space is called in the document the core reads; nobody sees it. */
const HERE = 'here';
/** How long a taken message stays hidden where nothing is said. */
export const LEASE_MS = 30_000;

/** A thing of a space as it is kept. */
export interface Kept {
  readonly id: number;
  readonly kind: Kind;
  readonly name: string;
  readonly settings: Settings;
}

/** Where messages lie until they are taken: a queue, or a subscription that hands to none. */
export interface Store {
  readonly id: number;
  readonly kind: 'queue' | 'subscription';
  readonly name: string;
  readonly fifo: boolean;
  readonly leaseMs: number;
  readonly ttlMs?: number;
  readonly delayMs: number;
  readonly maxDeliveries?: number;
  readonly deadLetterTo?: string;
}

export interface Subscription {
  readonly name: string;
  readonly predicate: Predicate;
  readonly wrap: boolean;
  /** The store its copies come to; undefined where that is gone. */
  readonly store: Store | undefined;
  /** Whether handing to it needs permission: to a queue it does. */
  readonly asks: boolean;
}

export interface Topic {
  readonly id: number;
  readonly name: string;
  readonly dedupeMs: number;
  readonly caller: Caller;
  readonly subscriptions: readonly Subscription[];
}

/** A user who is signed in. */
export interface Signed {
  readonly space: string;
  readonly user: string;
  readonly tenant: string;
  readonly actsAs: string;
  readonly encrypted: boolean;
}

export interface Space {
  readonly name: string;
  readonly tenant: string;
  readonly change: number;
  readonly topics: ReadonlyMap<string, Topic>;
  readonly stores: ReadonlyMap<string, Store>;
  /** @returns why somebody may not do something to a thing; undefined where they may */
  mayNot(who: Signed, action: Action, name: string): string | undefined;
  /** @returns why a topic may not hand a copy to a queue; undefined where it may */
  mayNotHand(topic: Topic, queue: string): string | undefined;
}

/** Reads what a space has. @param kept its things, in any order; of what cannot be read nothing passes */
export function readSpace(
  {
    name,
    tenant,
    access,
    change,
  }: { name: string; tenant: string; access: 'open' | 'controlled'; change: number },
  kept: readonly Kept[],
): Space {
  const topology = topologyOf(tenant, access, kept);
  const decide = accessOf(topology);
  const owner = (settings: { tenant?: string | undefined }) => settings.tenant ?? tenant;
  const stores = new Map<string, Store>();
  for (const each of kept) {
    if (each.kind !== 'queue' && each.kind !== 'subscription') continue;
    const settings = each.settings as QueueSettings & SubscriptionSettings;
    if (each.kind === 'subscription' && settings.to !== undefined) continue;
    stores.set(each.name, {
      id: each.id,
      kind: each.kind,
      name: each.name,
      fifo: settings.order === 'fifo',
      leaseMs: settings.leaseMs ?? LEASE_MS,
      delayMs: settings.delayMs ?? 0,
      ...(settings.ttlMs === undefined ? {} : { ttlMs: settings.ttlMs }),
      ...(settings.maxDeliveries === undefined ? {} : { maxDeliveries: settings.maxDeliveries }),
      ...(settings.deadLetter ? { deadLetterTo: settings.deadLetter.to } : {}),
    });
  }
  const ways = new Map<string, Subscription[]>();
  for (const each of kept) {
    if (each.kind !== 'subscription') continue;
    const settings = each.settings as SubscriptionSettings;
    const list = ways.get(settings.topic) ?? [];
    if (list.length === 0) ways.set(settings.topic, list);
    list.push({
      name: each.name,
      predicate: settings.filter === undefined ? ALWAYS : filterIn(topology, each.name),
      wrap: settings.wrap === true,
      store: stores.get(settings.to ?? each.name),
      asks: settings.to !== undefined,
    });
  }
  const topics = new Map<string, Topic>();
  for (const each of kept)
    if (each.kind === 'topic')
      topics.set(each.name, {
        id: each.id,
        name: each.name,
        dedupeMs: (each.settings as TopicSettings).dedupeMs ?? 0,
        caller: { thing: thing('topic', each.name, HERE), tenant: owner(each.settings as TopicSettings) },
        subscriptions: ways.get(each.name) ?? [],
      });
  const thingAt = (at: string) =>
    thing(topics.has(at) ? 'topic' : (stores.get(at)?.kind ?? 'queue'), at, HERE);
  return {
    name,
    tenant,
    change,
    topics,
    stores,
    mayNot: (who, action, at) => refusal(decide, callerOf(who), action, thingAt(at), who.encrypted),
    mayNotHand: (topic, queue) =>
      refusal(decide, topic.caller, 'publish', thing('queue', queue, HERE), true, topic.caller.thing),
  };
}

/** @returns why the core cannot read a filter, in its words; nothing where it can */
export function mistakesOfFilter(filter: unknown): string[] {
  const topology = topologyOf('any', 'open', [
    { id: 1, kind: 'topic', name: 'a', settings: {} },
    { id: 2, kind: 'subscription', name: 'b', settings: { topic: 'a', filter: filter as object } },
  ]);
  return topology.findings.filter(({ severity }) => severity === 'error').map(({ message }) => message);
}

function filterIn(topology: Topology, name: string): Predicate {
  const decl = topology.declared.brokers?.get(HERE)?.value;
  const subscription = decl && 'subscriptions' in decl ? decl.subscriptions?.get(name)?.value : undefined;
  return subscription?.filter?.predicate ?? { op: 'never', why: 'its filter could not be read' };
}

function callerOf({ actsAs, tenant }: Signed): Caller {
  const colon = actsAs.indexOf(':');
  return { thing: thing(actsAs.slice(0, colon) as 'app' | 'link', actsAs.slice(colon + 1)), tenant };
}

function refusal(
  decide: Decide,
  who: Caller,
  action: Action,
  on: Caller['thing'],
  encrypted: boolean,
  source?: Caller['thing'],
): string | undefined {
  const { allowed, why } = decide({ who, action, on, encrypted, ...(source ? { source } : {}) });
  return allowed ? undefined : why.replaceAll(`${HERE}/`, '');
}

/** Texts mean themselves: nothing in them is a parameter. */
const plainly = (_key: string, value: unknown): unknown =>
  typeof value === 'string' ? value.replaceAll('${', () => '$${') : value;

function topologyOf(tenant: string, access: string, kept: readonly Kept[]): Topology {
  const ofKind = <T extends object>(kind: Kind, settings: (of: never) => T) =>
    Object.fromEntries(
      kept.filter((each) => each.kind === kind).map((each) => [each.name, settings(each.settings as never)]),
    );
  // what only stores need is not told here: it says nothing of where messages go
  const document = {
    vondle: 1,
    tenant,
    brokers: {
      [HERE]: {
        kind: 'pubsub',
        access,
        topics: ofKind('topic', ({ tenant: owner }: TopicSettings) => (owner ? { tenant: owner } : {})),
        queues: ofKind('queue', ({ tenant: owner }: QueueSettings) => (owner ? { tenant: owner } : {})),
        subscriptions: ofKind('subscription', ({ topic, to, filter }: SubscriptionSettings) => ({
          topic,
          ...(to === undefined ? {} : { to }),
          ...(filter === undefined ? {} : { filter }),
        })),
      },
    },
    access: kept
      .filter((each) => each.kind === 'statement')
      .map(({ name, settings }) => {
        const { who, on, when, allow, deny } = settings as StatementSettings;
        return {
          name,
          ...(allow ? { allow } : {}),
          ...(deny ? { deny } : {}),
          who: who.map((each) => (each.startsWith('topic:') ? `topic:${HERE}/${each.slice(6)}` : each)),
          on: on.map((each) => `${HERE}/${each}`),
          ...(when
            ? { when: { ...when, ...(when.source ? { source: `${HERE}/${when.source}` } : {}) } }
            : {}),
        };
      }),
  };
  return readTopology([{ name: 'space.json', text: JSON.stringify(document, plainly) }]);
}
