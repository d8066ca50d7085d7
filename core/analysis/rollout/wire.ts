/**
 * What an AMQP 0-9-1 broker would have if it were as the topology says, in the protocol's own terms
 * (§1.6 exchange, queue).
 */
import { put } from '../../base/values.ts';
import { asAmqp } from '../../brokers/kinds.ts';
import type { Span } from '../../base/span.ts';
import type { AmqpBrokerDecl, AmqpQueueDecl } from '../../brokers/amqp/declares.ts';
import type { DeadLetterDecl } from '../../language/dead-letter.ts';
import {
  BINDABLE,
  EXCHANGES,
  type Thing,
  type ThingId,
  type ThingKind,
  thing,
} from '../../language/thing.ts';
import { spanOf } from '../../syntax/place.ts';
import { lookUp } from '../../topology/address.ts';
import type { Topology } from '../../topology/topology.ts';
import { type HostedThing, type HostedWanted, wantedHosted } from './hosted.ts';

export type Arguments = Readonly<Record<string, string | number | boolean | null>>;

export interface WireExchange {
  readonly name: string;
  readonly type: string;
  readonly durable: boolean;
  readonly autoDelete: boolean;
  readonly internal: boolean;
  readonly arguments: Arguments;
  /** Of an exchange that is there: settings that a policy adds to it. */
  readonly policy?: Arguments;
}

export interface WireQueue {
  readonly name: string;
  readonly durable: boolean;
  readonly autoDelete: boolean;
  readonly exclusive: boolean;
  readonly arguments: Arguments;
  /** Of a queue that is there: messages in it, and takers connected, when it was looked at. */
  readonly messages?: number;
  /** Those of them that nobody has in hand. */
  readonly ready?: number;
  readonly takers?: number;
  /** Of a queue that is there: settings that policies add to it. */
  readonly policy?: Arguments;
  /** Of a queue that is there: its kind by the broker's word, where that is not `classic`. */
  readonly kind?: string;
}

export interface WireBinding {
  readonly source: string;
  readonly destination: string;
  readonly to: 'queue' | 'exchange';
  readonly key: string;
  readonly arguments: Arguments;
}

/** The rights of one app, each a regular expression as the broker matches names and keys with; '' is nothing. */
export interface AppRights {
  readonly app: string;
  readonly configure: string;
  readonly write: string;
  readonly read: string;
  /** By topic exchange: the keys that may be published with; every key where an exchange is not named. */
  readonly keys: Readonly<Record<string, string>>;
}

export interface WantedRights {
  /** The broker. */
  readonly of: ThingId;
  readonly rights: readonly (AppRights & { readonly place: Span })[];
  /** What is declared and the broker's rights cannot say exactly, with what is done instead. */
  readonly unsaid: readonly { readonly of: ThingId; readonly why: string }[];
}

/** What a broker has, or should have. */
export interface Inventory {
  readonly exchanges: readonly WireExchange[];
  readonly queues: readonly WireQueue[];
  readonly bindings: readonly WireBinding[];
  /** Queues that a rollout put there for a moment, and is not done with. */
  readonly passing?: readonly string[];
  /** What a publish-subscribe service has; such a one has nothing else. */
  readonly hosted?: readonly HostedThing[];
  /** The users that stand for the topology's apps; left out where they cannot be seen. */
  readonly rights?: readonly AppRights[];
  /** Apps for which somebody else has made a user of that name. */
  readonly usersOfOthers?: readonly string[];
}

/** A wanted thing with where it is declared. */
export type Wanted<T> = T & {
  readonly of: ThingId;
  readonly place: Span;
  /** Settings that the document does not state, but leaves to their defaults. */
  readonly byDefault?: readonly string[];
};

export interface WantedState {
  readonly exchanges: readonly Wanted<WireExchange>[];
  readonly queues: readonly Wanted<WireQueue>[];
  readonly bindings: readonly (WireBinding & { readonly place: Span })[];
  /** What is declared but not for a rollout to make, with the reason. */
  readonly leftToOthers: readonly { readonly of: ThingId; readonly why: string }[];
  /** What is asked of a publish-subscribe service, where it is one. */
  readonly hosted?: HostedWanted;
  /** What apps are to be able to do, where that is for a rollout to see to. */
  readonly rights?: WantedRights;
}

/** @returns the wire names a declared queue stands for: one, or one for each instance of its app. */
export function wireNames(topology: Topology, name: string, queue: AmqpQueueDecl): string[] {
  const base = queue.wireName?.value ?? name;
  if (!queue.perInstanceOf) return [base];
  const count = topology.declared.apps?.get(queue.perInstanceOf.value)?.value.instances?.value ?? 1;
  return Array.from({ length: count }, (_, i) => `${base}.${i + 1}`);
}

/** Works out what the topology asks of one broker. */
export function wantedState(topology: Topology, brokerId: string): WantedState {
  const broker = asAmqp(topology.declared.brokers?.get(brokerId)?.value);
  const leftToOthers: { of: ThingId; why: string }[] = [];
  if (!broker) {
    const hosted = wantedHosted(topology, brokerId);
    const nothing = { exchanges: [], queues: [], bindings: [] };
    return hosted ? { ...nothing, leftToOthers: hosted.unsaid, hosted } : { ...nothing, leftToOthers };
  }
  const find = (address: string, kinds: readonly ThingKind[]): Thing | undefined => {
    const found = lookUp(topology.names, address, kinds, brokerId);
    return found.ok ? found.thing : undefined;
  };
  const wireOf = (of: Thing): string[] => {
    if (of.kind === 'exchange') return [broker.exchanges?.get(of.name)?.value.wireName?.value ?? of.name];
    const queue = broker.queues?.get(of.name)?.value;
    return queue ? wireNames(topology, of.name, queue) : [of.name];
  };

  const exchanges: Wanted<WireExchange>[] = [];
  for (const { name, key, value } of broker.exchanges?.values() ?? []) {
    const unrouted = value.unroutedTo && find(value.unroutedTo.value, EXCHANGES);
    const of = thing('exchange', name, brokerId);
    exchanges.push({
      name: wireOf(of)[0]!,
      type: value.type?.value ?? 'direct',
      durable: value.durable?.value ?? true,
      autoDelete: value.autoDelete?.value ?? false,
      internal: value.internal?.value ?? false,
      arguments: unrouted ? { 'alternate-exchange': wireOf(unrouted)[0]! } : {},
      byDefault: unstated(value, ['type', 'durable', 'autoDelete', 'internal']),
      of: of.id,
      place: spanOf(topology, key),
    });
  }
  const queues: Wanted<WireQueue>[] = [];
  const absent = new Set<string>();
  for (const { name, key, value } of broker.queues?.values() ?? []) {
    const of = thing('queue', name, brokerId);
    if (value.exclusive?.value) {
      absent.add(of.id);
      leftToOthers.push({ of: of.id, why: 'an exclusive queue belongs to the connection that declares it' });
      continue;
    }
    for (const wire of wireOf(of)) {
      queues.push({
        name: wire,
        durable: value.durable?.value ?? true,
        autoDelete: value.autoDelete?.value ?? false,
        exclusive: false,
        arguments: queueArguments(value, value.deadLetter, (address) => {
          const target = find(address, BINDABLE);
          return target && { kind: target.kind, wire: wireOf(target)[0] ?? target.name };
        }),
        byDefault: unstated(value, ['durable', 'autoDelete']),
        of: of.id,
        place: spanOf(topology, key),
      });
    }
  }
  const bindings: (WireBinding & { place: Span })[] = [];
  const seen = new Set<string>();
  for (const declared of broker.bindings?.items ?? []) {
    const from = declared.from && find(declared.from.value, EXCHANGES);
    const to = declared.to && find(declared.to.value, BINDABLE);
    if (!from || !to || absent.has(to.id) || declared.unread) continue;
    // a broker binds what it has itself
    if (from.broker !== brokerId || to.broker !== brokerId) continue;
    for (const destination of wireOf(to)) {
      const binding: WireBinding = {
        source: wireOf(from)[0]!,
        destination,
        to: to.kind === 'exchange' ? 'exchange' : 'queue',
        ...bindingTerms(broker, from.name, declared),
      };
      if (seen.has(bindingId(binding))) continue;
      seen.add(bindingId(binding));
      bindings.push({ ...binding, place: spanOf(topology, declared.place) });
    }
  }
  if (broker.mqtt)
    leftToOthers.push({
      of: thing('broker', brokerId).id,
      why: `which exchange MQTT publishes enter is in the configuration of the broker, and cannot be changed while it runs: see that it is ${broker.mqtt.exchange?.value ?? 'the one that is declared'}`,
    });
  return { exchanges, queues, bindings, leftToOthers };
}

/** @returns those of some settings that a declaration does not state */
const unstated = <T extends object>(declared: T, keys: readonly (keyof T & string)[]): string[] =>
  keys.filter((key) => declared[key] === undefined);

/** @returns what a broker has that is as wanted */
export const inventoryOf = ({ exchanges, queues, bindings }: WantedState): Inventory => ({
  exchanges: exchanges.map(onWire),
  queues: queues.map(onWire),
  bindings: bindings.map(({ place: _place, ...binding }) => binding),
});

/** @returns a wanted thing as the broker is told of it, without where and how it is declared */
export function onWire<T extends WireExchange | WireQueue>(wanted: Wanted<T>): T {
  const { of: _of, place: _place, byDefault: _byDefault, ...wire } = wanted;
  return wire as unknown as T;
}

type Bindings = NonNullable<AmqpBrokerDecl['bindings']>['items'];

function bindingTerms(
  broker: AmqpBrokerDecl,
  exchange: string,
  binding: Bindings[number],
): Pick<WireBinding, 'key' | 'arguments'> {
  const type = broker.exchanges?.get(exchange)?.value.type?.value;
  if (type !== 'headers') return { key: binding.key?.value ?? '', arguments: {} };
  const terms: Record<string, string | number | boolean | null> = {
    'x-match': binding.headers?.match?.value ?? 'all',
  };
  for (const [name, item] of binding.headers?.values ?? []) put(terms, name, item.value.value);
  return { key: binding.key?.value ?? '', arguments: terms };
}

function queueArguments(
  queue: AmqpQueueDecl,
  deadLetter: DeadLetterDecl | undefined,
  target: (address: string) => { kind: string; wire: string } | undefined,
): Arguments {
  const terms: Record<string, string | number | boolean> = {};
  if (queue.ttl) terms['x-message-ttl'] = queue.ttl.value;
  if (queue.expires) terms['x-expires'] = queue.expires.value;
  if (queue.maxLength) terms['x-max-length'] = queue.maxLength.value;
  if (queue.maxBytes) terms['x-max-length-bytes'] = queue.maxBytes.value;
  if (queue.overflow)
    terms['x-overflow'] = queue.overflow.value === 'refuse-new' ? 'reject-publish' : 'drop-head';
  if (queue.maxPriority?.value) terms['x-max-priority'] = queue.maxPriority.value;
  if (queue.maxDeliveries) {
    // only replicated queues count deliveries
    terms['x-queue-type'] = 'quorum';
    terms['x-delivery-limit'] = queue.maxDeliveries.value;
  }
  const to = deadLetter?.to && target(deadLetter.to.value);
  if (to) {
    // a queue is reached through the unnamed exchange, by its own name
    terms['x-dead-letter-exchange'] = to.kind === 'exchange' ? to.wire : '';
    const key = to.kind === 'queue' ? to.wire : deadLetter?.key?.value;
    if (key !== undefined) terms['x-dead-letter-routing-key'] = key;
  }
  return terms;
}

/** @returns an id equal for equal bindings. */
export function bindingId(binding: WireBinding): string {
  return JSON.stringify([
    binding.source,
    binding.to,
    binding.destination,
    binding.key,
    sorted(binding.arguments),
  ]);
}

function sorted(terms: Arguments): [string, unknown][] {
  return Object.entries(terms).sort(([a], [b]) => (a < b ? -1 : a > b ? 1 : 0));
}

function alike(a: Arguments, b: Arguments): boolean {
  // a queue is classic where nothing else is asked for
  const told = (terms: Arguments) =>
    JSON.stringify(
      sorted(terms).filter(([name, value]) => !(name === 'x-queue-type' && value === 'classic')),
    );
  return told(a) === told(b);
}

/** Exchanges every broker has (AMQP 0-9-1 §3.1.3.1): the unnamed one and those beginning `amq.`. */
export const BUILT_IN = /^$|^amq\./;

/** @returns how a thing is otherwise than wanted, in words; nothing where it is as wanted. */
export function differs(wanted: WireExchange | WireQueue, there: WireExchange | WireQueue): string {
  const parts: string[] = [];
  if ('type' in wanted && 'type' in there && wanted.type !== there.type)
    parts.push(`${there.type} becomes ${wanted.type}`);
  for (const flag of ['durable', 'autoDelete'] as const) {
    if (wanted[flag] !== there[flag]) parts.push(`${flag} becomes ${wanted[flag]}`);
  }
  if ('internal' in wanted && 'internal' in there && wanted.internal !== there.internal) {
    parts.push(`internal becomes ${wanted.internal}`);
  }
  if (!alike(wanted.arguments, there.arguments)) parts.push('its settings change');
  return parts.join(', ');
}

/** @returns a binding in words */
export function bindingText({ source, destination, to, key, arguments: terms }: WireBinding): string {
  const { 'x-match': match, ...values } = terms;
  const headers = Object.entries(values).map(([name, value]) =>
    value === null ? name : `${name} = ${String(value)}`,
  );
  const on = headers.length
    ? ` on ${headers.join(match === 'any' ? ' or ' : ' and ')}`
    : key
      ? ` on ${key}`
      : '';
  return `${source} → ${to === 'exchange' ? 'exchange ' : ''}${destination}${on}`;
}
