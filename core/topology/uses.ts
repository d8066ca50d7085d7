/** Every place in a topology that names something declared elsewhere in it. */
import type { BrokerDecl } from '../brokers/kinds.ts';
import type { AppDecl } from '../language/app.ts';
import type { MessageTypeDecl } from '../language/message.ts';
import type { Items } from '../language/shape.ts';
import {
  BINDABLE,
  ENTRIES,
  EXCHANGES,
  HOSTED_ENTRIES,
  QUEUES,
  STORES,
  TOPICS,
  type Thing,
  type ThingKind,
  thing,
} from '../language/thing.ts';
import type { Located } from '../syntax/place.ts';
import { lookUp } from './address.ts';
import type { DocumentDecl } from './document.ts';

/** One naming: the text, and what may be meant by it. */
export interface Use {
  readonly value: Located<string>;
  readonly means:
    | { readonly by: 'address'; readonly kinds: readonly ThingKind[]; readonly home?: string }
    | { readonly by: 'id'; readonly kind: NamedKind }
    /** `app:x`, `tenant:x`, `broker:x`, `topic:broker/x`, `link:x`, `any`, or an address, perhaps with `*`. */
    | { readonly by: 'wide' };
}

/** What is named by a bare id. */
export type NamedKind = 'message' | 'app' | 'broker' | 'tenant' | 'link' | 'spread' | 'parameter';

/** A declaration and what it names; one declaration is one object for as long as its text stays. */
export interface Naming {
  readonly owner: object;
  readonly uses: readonly Use[];
}

/** @returns all uses, in order of declaration. */
export function* usesIn(declared: DocumentDecl): Generator<Use> {
  for (const { uses } of namingsIn(declared)) yield* uses;
}

/** Declarations that belong together, and one object that stays as long as all of them do, where there is one. */
export interface Part {
  readonly whole?: object;
  readonly namings: (but?: Pick<WeakSet<object>, 'has'>) => Iterable<Naming>;
}

/**
 * @param but declarations that are left out: most have been looked at before
 * @returns every declaration that names something, in order
 */
export function* namingsIn(declared: DocumentDecl, but?: Pick<WeakSet<object>, 'has'>): Generator<Naming> {
  for (const { namings } of partsIn(declared)) yield* namings(but);
}

/** @returns every declaration that names something, part by part */
export function* partsIn(declared: DocumentDecl): Generator<Part> {
  const { tenant, messages, apps, brokers, links, spreads, environments, access, samples, expectations } =
    declared;
  if (tenant) yield { namings: () => [{ owner: tenant, uses: id(tenant, 'tenant') }] };
  if (messages) yield part(messages, valuesOf(messages), usesOfType, true);
  if (apps) yield part(apps, valuesOf(apps), usesOfApp, true);
  for (const { name, value } of brokers?.values() ?? [])
    yield { whole: value, namings: (but) => namingsOn(name, value, but) };
  if (links)
    yield part(links, valuesOf(links), (link) => [
      ...address(link.from, QUEUES),
      ...address(link.to, ENTRIES),
      ...address(link.receives?.from, QUEUES),
    ]);
  if (spreads)
    yield part(spreads, valuesOf(spreads), (spread) =>
      (spread.members?.items ?? []).flatMap((each) => address(each, QUEUES)),
    );
  if (environments)
    yield part(environments, valuesOf(environments), (environment) =>
      [...(environment.values ?? [])].flatMap(([name, { key }]) =>
        id({ value: name, place: key }, 'parameter'),
      ),
    );
  if (access)
    yield part(access, access.items, ({ who, on, when }) => [
      ...wide(who),
      ...wide(on),
      ...wide(one(when?.source)),
      ...id(when?.tenant, 'tenant'),
    ]);
  if (samples)
    yield part(samples, samples.items, ({ message, from }) => [
      ...id(message, 'message'),
      ...id(from, 'app'),
    ]);
  if (expectations)
    yield part(expectations, expectations.items, ({ given, reaches, never }) => [
      ...id(given?.message, 'message'),
      ...wide(one(given?.from)),
      ...wide(reaches),
      ...wide(never),
    ]);
}

const valuesOf = <T>(items: Items<T>): T[] => [...items.values()].map(({ value }) => value);

/** @param many whether there may be so many that each is worth leaving out */
function part<T extends object>(
  whole: object,
  owners: readonly T[],
  usesOf: (owner: T) => readonly Use[],
  many = false,
): Part {
  return {
    whole,
    *namings(but) {
      for (const owner of owners) if (!many || !but?.has(owner)) yield { owner, uses: usesOf(owner) };
    },
  };
}

function* namingsOn(home: string, broker: BrokerDecl, but?: Pick<WeakSet<object>, 'has'>): Generator<Naming> {
  const mqtt = broker.variant === 'amqp' ? broker.mqtt?.exchange : undefined;
  yield { owner: broker, uses: [...id(broker.tenant, 'tenant'), ...address(mqtt, EXCHANGES, home)] };
  const dead = broker.variant === 'amqp' ? BINDABLE : HOSTED_ENTRIES;
  for (const { value: queue } of broker.queues?.values() ?? []) {
    if (but?.has(queue)) continue;
    const app = 'perInstanceOf' in queue ? queue.perInstanceOf : undefined;
    yield {
      owner: queue,
      uses: [...address(queue.deadLetter?.to, dead, home), ...id(app, 'app'), ...id(queue.tenant, 'tenant')],
    };
  }
  for (const { value: alias } of broker.aliases?.values() ?? [])
    yield { owner: alias, uses: [...address(alias.to, ENTRIES, home), ...id(alias.over, 'link')] };
  if (broker.variant === 'amqp') {
    for (const { value: exchange } of broker.exchanges?.values() ?? [])
      yield { owner: exchange, uses: address(exchange.unroutedTo, EXCHANGES, home) };
    for (const binding of broker.bindings?.items ?? []) {
      if (but?.has(binding)) continue;
      const { from, to } = binding;
      yield {
        owner: binding,
        uses: [...address(from, EXCHANGES, home), ...address(to, BINDABLE, home)],
      };
    }
  } else {
    for (const { value: topic } of broker.topics?.values() ?? [])
      if (topic.tenant && !but?.has(topic)) yield { owner: topic, uses: id(topic.tenant, 'tenant') };
    for (const { value: subscription } of broker.subscriptions?.values() ?? []) {
      if (but?.has(subscription)) continue;
      const { topic, to, deadLetter, tenant } = subscription;
      yield {
        owner: subscription,
        uses: [
          ...address(topic, TOPICS, home),
          ...address(to, QUEUES, home),
          ...address(deadLetter?.to, HOSTED_ENTRIES, home),
          ...id(tenant, 'tenant'),
        ],
      };
    }
  }
}

const usesOfType = (type: MessageTypeDecl): Use[] =>
  (type.extends?.items ?? []).flatMap((parent) => id(parent, 'message'));

function usesOfApp(app: AppDecl): Use[] {
  const uses = [...id(app.tenant, 'tenant'), ...id(app.home, 'broker')];
  for (const { message, via, to } of app.publishes?.items ?? []) {
    uses.push(...id(message, 'message'));
    uses.push(...(via?.value === 'mqtt' ? id(to, 'broker') : address(to, ENTRIES)));
  }
  for (const { via, from, expects } of app.consumes?.items ?? []) {
    uses.push(...(via?.value === 'mqtt' ? id(from, 'broker') : address(from, STORES)));
    for (const message of expects?.items ?? []) uses.push(...id(message, 'message'));
  }
  return uses;
}

function address(value: Located<string> | undefined, kinds: readonly ThingKind[], home?: string): Use[] {
  if (!value) return [];
  return [{ value, means: home === undefined ? { by: 'address', kinds } : { by: 'address', kinds, home } }];
}

function id(value: Located<string> | undefined, kind: NamedKind): Use[] {
  return value ? [{ value, means: { by: 'id', kind } }] : [];
}

function wide(list: { readonly items: readonly Located<string>[] } | undefined): Use[] {
  return (list?.items ?? []).map((value) => ({ value, means: { by: 'wide' } }));
}

const one = (value: Located<string> | undefined) => (value ? { items: [value] } : undefined);

const RESOURCES: readonly ThingKind[] = ['exchange', 'queue', 'topic', 'subscription', 'alias'];

/** @returns the one thing a use names; undefined for none, several, patterns and parameters. */
export function meantBy(declared: DocumentDecl, { value, means }: Use): Thing | undefined {
  if (means.by === 'id') return means.kind === 'parameter' ? undefined : thing(means.kind, value.value);
  if (means.by === 'address') {
    const found = lookUp(declared, value.value, means.kinds, means.home);
    return found.ok ? found.thing : undefined;
  }
  const own = /^(app|tenant|broker|link|spread):(.+)$/s.exec(value.value);
  if (own) return thing(own[1] as ThingKind, own[2]!);
  const found = lookUp(declared, value.value, RESOURCES);
  return found.ok ? found.thing : undefined;
}
