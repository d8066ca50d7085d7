/**
 * What an AMQP 0-9-1 broker would have if it were as the topology says, and the steps that lead
 * there from what it has now. Both sides are the protocol's own terms (§1.6 exchange, queue).
 */
import type { AmqpBrokerDecl, AmqpQueueDecl, DeadLetterDecl } from '../language/language.ts';
import type { Topology } from '../language/read.ts';
import {
  BINDABLE,
  EXCHANGES,
  lookUp,
  thing,
  type Thing,
  type ThingId,
  type ThingKind,
} from '../model/address.ts';
import type { Place } from '../model/place.ts';

export type Arguments = Readonly<Record<string, string | number | boolean | null>>;

export interface WireExchange {
  readonly name: string;
  readonly type: string;
  readonly durable: boolean;
  readonly autoDelete: boolean;
  readonly internal: boolean;
  readonly arguments: Arguments;
}

export interface WireQueue {
  readonly name: string;
  readonly durable: boolean;
  readonly autoDelete: boolean;
  readonly exclusive: boolean;
  readonly arguments: Arguments;
}

export interface WireBinding {
  readonly source: string;
  readonly destination: string;
  readonly to: 'queue' | 'exchange';
  readonly key: string;
  readonly arguments: Arguments;
}

/** What a broker has, or should have. */
export interface Inventory {
  readonly exchanges: readonly WireExchange[];
  readonly queues: readonly WireQueue[];
  readonly bindings: readonly WireBinding[];
}

/** A wanted thing with where it is declared. */
export type Wanted<T> = T & { readonly of: ThingId; readonly place: Place };

export interface WantedState {
  readonly exchanges: readonly Wanted<WireExchange>[];
  readonly queues: readonly Wanted<WireQueue>[];
  readonly bindings: readonly (WireBinding & { readonly place: Place })[];
  /** What is declared but not for a rollout to make, with the reason. */
  readonly leftToOthers: readonly { readonly of: ThingId; readonly why: string }[];
}

export type Step = {
  readonly title: string;
  readonly risk: 'none' | 'some' | 'loses messages';
  readonly place?: Place;
} & (
  | { readonly do: 'declare exchange' | 'replace exchange'; readonly exchange: WireExchange }
  | { readonly do: 'declare queue' | 'replace queue'; readonly queue: WireQueue }
  | { readonly do: 'bind' | 'unbind'; readonly binding: WireBinding }
);

export interface Plan {
  readonly steps: readonly Step[];
  /** What the broker has beyond the topology, left as it is. */
  readonly kept: readonly string[];
  readonly leftToOthers: WantedState['leftToOthers'];
  /** How many wanted things are there already, as wanted. */
  readonly inPlace: number;
}

/** @returns the wire names a declared queue stands for: one, or one for each instance of its app. */
export function wireNames(topology: Topology, name: string, queue: AmqpQueueDecl): string[] {
  const base = queue.wireName?.value ?? name;
  if (!queue.perInstanceOf) return [base];
  const count = topology.declared.apps?.get(queue.perInstanceOf.value)?.value.instances?.value ?? 1;
  return Array.from({ length: count }, (_, i) => `${base}.${i + 1}`);
}

/** Works out what the topology asks of one AMQP broker. */
export function wantedState(topology: Topology, brokerId: string): WantedState {
  const broker = topology.declared.brokers?.get(brokerId)?.value;
  const leftToOthers: { of: ThingId; why: string }[] = [];
  if (broker?.variant !== 'amqp') return { exchanges: [], queues: [], bindings: [], leftToOthers };
  const find = (address: string, kinds: readonly ThingKind[]): Thing | undefined => {
    const found = lookUp(topology.declared, address, kinds, brokerId);
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
      of: of.id,
      place: key,
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
        of: of.id,
        place: key,
      });
    }
  }
  const bindings: (WireBinding & { place: Place })[] = [];
  const seen = new Set<string>();
  for (const declared of broker.bindings?.items ?? []) {
    const from = declared.from && find(declared.from.value, EXCHANGES);
    const to = declared.to && find(declared.to.value, BINDABLE);
    if (!from || !to || absent.has(to.id)) continue;
    for (const destination of wireOf(to)) {
      const binding: WireBinding = {
        source: wireOf(from)[0]!,
        destination,
        to: to.kind === 'exchange' ? 'exchange' : 'queue',
        ...bindingTerms(broker, from.name, declared),
      };
      if (seen.has(bindingId(binding))) continue;
      seen.add(bindingId(binding));
      bindings.push({ ...binding, place: declared.place });
    }
  }
  return { exchanges, queues, bindings, leftToOthers };
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
  for (const [name, item] of binding.headers?.values ?? []) terms[name] = item.value.value;
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

function same(a: Arguments, b: Arguments): boolean {
  return JSON.stringify(sorted(a)) === JSON.stringify(sorted(b));
}

/**
 * The steps from what a broker has to what is wanted, in the order they are to be taken: exchanges
 * and queues, then new bindings, and only then the removal of old ones, so that no message finds
 * neither. Exchanges and queues the topology does not know are kept and named.
 */
export function planRollout(wanted: WantedState, has: Inventory): Plan {
  const steps: Step[] = [];
  let inPlace = 0;
  const exchangesThere = new Map(has.exchanges.map((each) => [each.name, each]));
  for (const { of: _of, place, ...exchange } of wanted.exchanges) {
    const there = exchangesThere.get(exchange.name);
    if (!there) {
      steps.push({
        do: 'declare exchange',
        exchange,
        place,
        risk: 'none',
        title: `declare ${exchange.type} exchange ${exchange.name}`,
      });
    } else if (differs(exchange, there)) {
      steps.push({
        do: 'replace exchange',
        exchange,
        place,
        risk: 'some',
        title: `replace exchange ${exchange.name}: ${differs(exchange, there)}; its bindings are made again`,
      });
    } else inPlace++;
  }
  const queuesThere = new Map(has.queues.map((each) => [each.name, each]));
  for (const { of: _of, place, ...queue } of wanted.queues) {
    const there = queuesThere.get(queue.name);
    if (!there) {
      steps.push({ do: 'declare queue', queue, place, risk: 'none', title: `declare queue ${queue.name}` });
    } else if (differs(queue, there)) {
      steps.push({
        do: 'replace queue',
        queue,
        place,
        risk: 'loses messages',
        title: `replace queue ${queue.name}: ${differs(queue, there)}; the messages in it are destroyed`,
      });
    } else inPlace++;
  }
  const replacedExchanges = new Set(
    steps.flatMap((step) => (step.do === 'replace exchange' ? [step.exchange.name] : [])),
  );
  const replacedQueues = new Set(
    steps.flatMap((step) => (step.do === 'replace queue' ? [step.queue.name] : [])),
  );
  const gone = (binding: WireBinding) =>
    replacedExchanges.has(binding.source) ||
    (binding.to === 'exchange' ? replacedExchanges : replacedQueues).has(binding.destination);
  const there = new Set(has.bindings.filter((binding) => !gone(binding)).map(bindingId));
  const want = new Set(wanted.bindings.map(bindingId));
  for (const { place, ...binding } of wanted.bindings) {
    if (there.has(bindingId(binding))) inPlace++;
    else steps.push({ do: 'bind', binding, place, risk: 'none', title: `bind ${shown(binding)}` });
  }
  const ours = new Set(wanted.exchanges.map((each) => each.name));
  for (const binding of has.bindings) {
    if (!ours.has(binding.source) || want.has(bindingId(binding)) || gone(binding)) continue;
    steps.push({ do: 'unbind', binding, risk: 'some', title: `remove the binding ${shown(binding)}` });
  }
  const wantedQueues = new Set(wanted.queues.map((each) => each.name));
  const kept = [
    ...has.exchanges
      .filter((each) => !ours.has(each.name) && !BUILT_IN.test(each.name))
      .map((each) => `exchange ${each.name}`),
    ...has.queues.filter((each) => !wantedQueues.has(each.name)).map((each) => `queue ${each.name}`),
  ];
  return { steps, kept, leftToOthers: wanted.leftToOthers, inPlace };
}

/** Exchanges every broker has (AMQP 0-9-1 §3.1.3.1): the unnamed one and those beginning `amq.`. */
const BUILT_IN = /^$|^amq\./;

function differs(wanted: WireExchange | WireQueue, there: WireExchange | WireQueue): string {
  const parts: string[] = [];
  if ('type' in wanted && 'type' in there && wanted.type !== there.type)
    parts.push(`${there.type} becomes ${wanted.type}`);
  for (const flag of ['durable', 'autoDelete'] as const) {
    if (wanted[flag] !== there[flag]) parts.push(`${flag} becomes ${wanted[flag]}`);
  }
  if ('internal' in wanted && 'internal' in there && wanted.internal !== there.internal) {
    parts.push(`internal becomes ${wanted.internal}`);
  }
  if (!same(wanted.arguments, there.arguments)) parts.push('its settings change');
  return parts.join(', ');
}

function shown({ source, destination, to, key, arguments: terms }: WireBinding): string {
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
