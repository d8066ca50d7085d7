/** Every place in a topology that names something declared elsewhere in it. */
import {
  BINDABLE,
  ENTRIES,
  EXCHANGES,
  HOSTED_ENTRIES,
  lookUp,
  QUEUES,
  STORES,
  thing,
  TOPICS,
  type Thing,
  type ThingKind,
} from '../model/address.ts';
import type { Val } from '../model/place.ts';
import type { DocumentDecl } from './language.ts';

/** One naming: the text, and what may be meant by it. */
export interface Use {
  readonly value: Val<string>;
  readonly means:
    | { readonly by: 'address'; readonly kinds: readonly ThingKind[]; readonly home?: string }
    | { readonly by: 'id'; readonly kind: NamedKind }
    /** `app:x`, `tenant:x`, `broker:x`, `topic:broker/x`, `link:x`, `any`, or an address, perhaps with `*`. */
    | { readonly by: 'wide' };
}

/** What is named by a bare id. */
export type NamedKind = 'message' | 'app' | 'broker' | 'tenant' | 'link' | 'spread' | 'parameter';

/** @returns all uses, in order of declaration. */
export function* usesIn(declared: DocumentDecl): Generator<Use> {
  const address = function* (
    value: Val<string> | undefined,
    kinds: readonly ThingKind[],
    home?: string,
  ): Generator<Use> {
    if (value) yield { value, means: { by: 'address', kinds, ...(home === undefined ? {} : { home }) } };
  };
  const id = function* (value: Val<string> | undefined, kind: NamedKind): Generator<Use> {
    if (value) yield { value, means: { by: 'id', kind } };
  };
  const wide = function* (list: { items: readonly Val<string>[] } | undefined): Generator<Use> {
    for (const value of list?.items ?? []) yield { value, means: { by: 'wide' } };
  };

  yield* id(declared.tenant, 'tenant');
  for (const { value: type } of declared.messages?.values() ?? []) {
    for (const parent of type.extends?.items ?? []) yield* id(parent, 'message');
  }
  for (const { value: app } of declared.apps?.values() ?? []) {
    yield* id(app.tenant, 'tenant');
    yield* id(app.home, 'broker');
    for (const publish of app.publishes?.items ?? []) {
      yield* id(publish.message, 'message');
      if (publish.via?.value === 'mqtt') yield* id(publish.to, 'broker');
      else yield* address(publish.to, ENTRIES);
    }
    for (const consume of app.consumes?.items ?? []) {
      if (consume.via?.value === 'mqtt') yield* id(consume.from, 'broker');
      else yield* address(consume.from, STORES);
      for (const message of consume.expects?.items ?? []) yield* id(message, 'message');
    }
  }
  for (const { name: home, value: broker } of declared.brokers?.values() ?? []) {
    yield* id(broker.tenant, 'tenant');
    for (const { value: queue } of broker.queues?.values() ?? []) {
      yield* address(queue.deadLetter?.to, broker.variant === 'amqp' ? BINDABLE : HOSTED_ENTRIES, home);
      if ('perInstanceOf' in queue) yield* id(queue.perInstanceOf, 'app');
    }
    for (const { value: alias } of broker.aliases?.values() ?? []) {
      yield* address(alias.to, ENTRIES, home);
      yield* id(alias.over, 'link');
    }
    if (broker.variant === 'amqp') {
      yield* address(broker.mqtt?.exchange, EXCHANGES, home);
      for (const { value: exchange } of broker.exchanges?.values() ?? []) {
        yield* address(exchange.unroutedTo, EXCHANGES, home);
      }
      for (const binding of broker.bindings?.items ?? []) {
        yield* address(binding.from, EXCHANGES, home);
        yield* address(binding.to, BINDABLE, home);
      }
    } else {
      for (const { value: subscription } of broker.subscriptions?.values() ?? []) {
        yield* address(subscription.topic, TOPICS, home);
        yield* address(subscription.to, QUEUES, home);
        yield* address(subscription.deadLetter?.to, HOSTED_ENTRIES, home);
      }
    }
  }
  for (const { value: link } of declared.links?.values() ?? []) {
    yield* address(link.from, QUEUES);
    yield* address(link.to, ENTRIES);
  }
  for (const { value: spread } of declared.spreads?.values() ?? []) {
    for (const member of spread.members?.items ?? []) yield* address(member, QUEUES);
  }
  for (const { value: environment } of declared.environments?.values() ?? []) {
    for (const [name, { key }] of environment.values ?? [])
      yield* id({ value: name, place: key }, 'parameter');
  }
  for (const statement of declared.access?.items ?? []) {
    yield* wide(statement.who);
    yield* wide(statement.on);
    if (statement.when?.source) yield* wide({ items: [statement.when.source] });
    yield* id(statement.when?.tenant, 'tenant');
  }
  for (const { given, reaches, never } of declared.expectations?.items ?? []) {
    yield* id(given?.message, 'message');
    if (given?.from) yield* wide({ items: [given.from] });
    yield* wide(reaches);
    yield* wide(never);
  }
}

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
