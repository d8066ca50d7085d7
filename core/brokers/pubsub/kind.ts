/** Publish-subscribe services: topics give a copy to each of their subscriptions, with a filter or without. */
import { ALWAYS, type Predicate } from '../../conditions/predicate.ts';
import { HOSTED_ENTRIES, QUEUES, TOPICS, thing } from '../../language/thing.ts';
import { setAt } from '../../syntax/edit/edit.ts';
import type { Item } from '../../language/shape.ts';
import type { Json } from '../../syntax/render.ts';
import type { BrokerKind, Finder, Told } from '../kind.ts';
import type { DeclaredWay, SubscriptionNode } from '../terms.ts';
import type { PubsubBrokerDecl, SubscriptionDecl, TopicDecl } from './declares.ts';

export const pubsub: BrokerKind<PubsubBrokerDecl> = {
  title: 'publish-subscribe',
  resources: ({ topics, subscriptions, queues, aliases }) => [
    ['topic', topics],
    ['subscription', subscriptions],
    ['queue', queues],
    ['alias', aliases],
  ],
  feed: 'topic',
  condition: 'selector',
  feeds: ({ topics }) => [...(topics?.keys() ?? [])].map((name) => ({ name, type: 'topic' })),
  typeOf: () => undefined,
  unroutedTo: () => [],
  deadLetters: HOSTED_ENTRIES,
  routes: ({ subscriptions }) => [{ sort: 'subscriptions', owners: subscriptions, way }],
  names: ({ topics, subscriptions }) => [
    { sort: 'topics', owners: topics, names: ofTopic },
    { sort: 'subscriptions', owners: subscriptions, names: ofSubscription },
  ],
  unnamed: () => [],
  mqttExchange: () => undefined,
  queueNameIsKey: false,
  feedsNeedPermission: true,
  queuePerInstance: false,
  ordersByGroup: true,
  feedQueue(placed, { broker, decl, queue, from }, condition) {
    const filter: Record<string, Json> = condition ? { filter: { selector: condition } } : {};
    const name = freeName(`${queue}-feed`, decl.subscriptions);
    return setAt(placed, ['brokers', broker, 'subscriptions', name], { topic: from, to: queue, ...filter });
  },
  refused: () => [],
  unsayable: () => [],
  unsayableOf: () => [],
};

const UNREAD: Predicate = { op: 'never', why: 'its filter could not be read', unread: true };

/** A subscription must not share the queue's name: both would answer to one address. */
function freeName(name: string, taken: { has(name: string): boolean } | undefined): string {
  let free = name;
  for (let n = 2; taken?.has(free); n++) free = `${name}-${n}`;
  return free;
}

const ofTopic = ({ tenant }: TopicDecl, told: Told): void => told.id(tenant, 'tenant');

function ofSubscription({ topic, to, deadLetter, tenant }: SubscriptionDecl, told: Told): void {
  told.address(topic, TOPICS);
  told.address(to, QUEUES);
  told.address(deadLetter?.to, HOSTED_ENTRIES);
  told.id(tenant, 'tenant');
}

function way(broker: string, { name, key, value }: Item<SubscriptionDecl>, find: Finder): DeclaredWay {
  const own = thing('subscription', name, broker);
  return {
    kind: 'subscription',
    from: find.id(value.topic, TOPICS),
    to: value.to ? find.id(value.to, QUEUES) : own.id,
    of: value,
    with: key,
    more: () => {
      const subscription: SubscriptionNode = {
        id: own.id,
        role: 'subscription',
        thing: own,
        place: key,
        decl: value,
      };
      const condition = value.unread?.includes('filter') ? UNREAD : (value.filter?.predicate ?? ALWAYS);
      return { place: key, condition, label: name, subscription };
    },
  };
}
