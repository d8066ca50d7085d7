/**
 * What an AMQP 0-9-1 broker would have if it were as the topology says, and the steps that lead
 * there from what it has now. Both sides are the protocol's own terms (§1.6 exchange, queue).
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
  /** Of a queue that is there: messages in it, and takers connected, when it was looked at. */
  readonly messages?: number;
  readonly takers?: number;
  /** Of a queue that is there: settings an operator's policy adds to it. */
  readonly policy?: Arguments;
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
export type Wanted<T> = T & { readonly of: ThingId; readonly place: Span };

export interface WantedState {
  readonly exchanges: readonly Wanted<WireExchange>[];
  readonly queues: readonly Wanted<WireQueue>[];
  readonly bindings: readonly (WireBinding & { readonly place: Span })[];
  /** What is declared but not for a rollout to make, with the reason. */
  readonly leftToOthers: readonly { readonly of: ThingId; readonly why: string }[];
}

export type Step = {
  readonly title: string;
  readonly risk: 'none' | 'some' | 'loses messages';
  readonly place?: Span;
} & (
  | { readonly do: 'declare exchange'; readonly exchange: WireExchange }
  | { readonly do: 'declare queue'; readonly queue: WireQueue }
  /** Taken away and made again, bound again at once: with what the topology binds, and what others do. */
  | {
      readonly do: 'replace exchange';
      readonly exchange: WireExchange;
      readonly bindings: readonly WireBinding[];
    }
  | { readonly do: 'replace queue'; readonly queue: WireQueue; readonly bindings: readonly WireBinding[] }
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
  const broker = asAmqp(topology.declared.brokers?.get(brokerId)?.value);
  const leftToOthers: { of: ThingId; why: string }[] = [];
  if (!broker) return { exchanges: [], queues: [], bindings: [], leftToOthers };
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

function same(a: Arguments, b: Arguments): boolean {
  return JSON.stringify(sorted(a)) === JSON.stringify(sorted(b));
}

/**
 * The steps from what a broker has to what is wanted, in the order they are to be taken: exchanges
 * and queues, then new bindings, and only then the removal of old ones, so that no message finds
 * neither. Exchanges and queues the topology does not know are kept and named, and so are bindings that
 * lead to them, unless an earlier revision made these.
 * @param earlier what earlier revisions of the topology made there
 */
export function planRollout(
  wanted: WantedState,
  has: Inventory,
  earlier: readonly Pick<WantedState, 'bindings'>[] = [],
): Plan {
  const steps: Step[] = [];
  let inPlace = 0;
  const exchangesThere = new Map(has.exchanges.map((each) => [each.name, each]));
  const queuesThere = new Map(has.queues.map((each) => [each.name, each]));
  const ourExchanges = new Set(wanted.exchanges.map((each) => each.name));
  const ourQueues = new Set(wanted.queues.map((each) => each.name));
  const want = new Set(wanted.bindings.map(bindingId));
  const made = new Set(earlier.flatMap(({ bindings }) => bindings.map(bindingId)));
  const knows = ({ to, destination }: WireBinding) =>
    (to === 'exchange' ? ourExchanges : ourQueues).has(destination);
  /** Whether a binding that is there is somebody else's: of theirs, to theirs, or from theirs to ours. */
  const isOthers = (binding: WireBinding) => {
    const id = bindingId(binding);
    if (want.has(id) || made.has(id)) return false;
    return !ourExchanges.has(binding.source) || !knows(binding);
  };

  const changed = new Map<string, string>();
  for (const exchange of wanted.exchanges) {
    const there = exchangesThere.get(exchange.name);
    const how = there && differs(exchange, there);
    if (how) changed.set(`exchange ${exchange.name}`, how);
  }
  for (const queue of wanted.queues) {
    const there = queuesThere.get(queue.name);
    const how = there && differs(queue, there);
    if (how) changed.set(`queue ${queue.name}`, how);
  }
  const touches = (binding: WireBinding) =>
    [`exchange ${binding.source}`, `${binding.to} ${binding.destination}`].filter((each) =>
      changed.has(each),
    );
  const againAt = new Map<string, WireBinding[]>();
  const again = new Set<string>();
  const note = (binding: WireBinding) => {
    const id = bindingId(binding);
    if (again.has(id)) return;
    const at = touches(binding);
    if (at.length === 0) return;
    again.add(id);
    for (const each of at) {
      const list = againAt.get(each);
      if (list) list.push(binding);
      else againAt.set(each, [binding]);
    }
  };
  if (changed.size) {
    const thereIds = new Set(has.bindings.map(bindingId));
    // only what is there already is bound again with the thing; what is new comes when both ends are there
    for (const { place: _place, ...binding } of wanted.bindings)
      if (thereIds.has(bindingId(binding))) note(binding);
    for (const binding of has.bindings) if (isOthers(binding)) note(binding);
  }

  for (const { of: _of, place, ...exchange } of wanted.exchanges) {
    const name = `exchange ${exchange.name}`;
    const how = changed.get(name);
    if (!exchangesThere.has(exchange.name)) {
      steps.push({
        do: 'declare exchange',
        exchange,
        place,
        risk: 'none',
        title: `declare ${exchange.type} exchange ${exchange.name}`,
      });
    } else if (how) {
      const bindings = againAt.get(name) ?? [];
      steps.push({
        do: 'replace exchange',
        exchange,
        bindings,
        place,
        risk: 'some',
        title: `replace exchange ${exchange.name}: ${how}; ${boundAgain(bindings, isOthers)}`,
      });
    } else inPlace++;
  }
  for (const { of: _of, place, ...queue } of wanted.queues) {
    const name = `queue ${queue.name}`;
    const how = changed.get(name);
    const there = queuesThere.get(queue.name);
    if (!there) {
      steps.push({ do: 'declare queue', queue, place, risk: 'none', title: `declare queue ${queue.name}` });
    } else if (how) {
      const bindings = againAt.get(name) ?? [];
      steps.push({
        do: 'replace queue',
        queue,
        bindings,
        place,
        risk: 'loses messages',
        title: `replace queue ${queue.name}: ${how}; ${destroyed(there)}; ${boundAgain(bindings, isOthers)}`,
      });
    } else inPlace++;
  }
  const there = new Set(has.bindings.map(bindingId));
  for (const { place, ...binding } of wanted.bindings) {
    const id = bindingId(binding);
    if (there.has(id)) inPlace += again.has(id) ? 0 : 1;
    else steps.push({ do: 'bind', binding, place, risk: 'none', title: `bind ${shown(binding)}` });
  }
  const kept = [
    ...has.exchanges
      .filter((each) => !ourExchanges.has(each.name) && !BUILT_IN.test(each.name))
      .map((each) => `exchange ${each.name}`),
    ...has.queues.filter((each) => !ourQueues.has(each.name)).map((each) => `queue ${each.name}`),
  ];
  const leaves = new Map<string, number>();
  for (const binding of has.bindings) {
    if (!ourExchanges.has(binding.source)) continue;
    if (want.has(bindingId(binding))) continue;
    if (isOthers(binding)) {
      kept.push(`binding ${shown(binding)}`);
      continue;
    }
    leaves.set(binding.source, (leaves.get(binding.source) ?? 0) + 1);
    // it goes with the thing that is replaced
    if (touches(binding).length) continue;
    steps.push({ do: 'unbind', binding, risk: 'some', title: `remove the binding ${shown(binding)}` });
  }
  steps.push(...madeAgain(wanted, has, leaves, isOthers));
  return { steps, kept, leftToOthers: wanted.leftToOthers, inPlace };
}

/**
 * An auto-delete exchange goes with its last binding (AMQP 0-9-1 §1.6.2.3): one whose bindings all leave
 * is made again, with what is bound to it.
 */
function* madeAgain(
  wanted: WantedState,
  has: Inventory,
  leaves: ReadonlyMap<string, number>,
  isOthers: (binding: WireBinding) => boolean,
): Generator<Step> {
  for (const { of: _of, place, ...exchange } of wanted.exchanges) {
    if (!exchange.autoDelete || !leaves.has(exchange.name)) continue;
    const stays =
      wanted.bindings.some(({ source }) => source === exchange.name) ||
      has.bindings.some((binding) => binding.source === exchange.name && isOthers(binding));
    if (stays) continue;
    const title = `declare ${exchange.type} exchange ${exchange.name} again: it goes with its last binding`;
    yield { do: 'declare exchange', exchange, place, risk: 'some', title };
    const to = (binding: WireBinding) => binding.to === 'exchange' && binding.destination === exchange.name;
    const others = has.bindings.filter((binding) => to(binding) && isOthers(binding));
    for (const { place: _place, ...binding } of [
      ...wanted.bindings.filter(to),
      ...others.map((each) => ({ ...each, place: undefined })),
    ])
      yield { do: 'bind', binding, risk: 'none', title: `bind ${shown(binding)} again` };
  }
}

function destroyed({ messages = 0, takers = 0 }: WireQueue): string {
  const holds =
    messages === 1
      ? 'the 1 message in it is'
      : messages
        ? `the ${messages} messages in it are`
        : 'what comes to lie in it until then is';
  const cut = takers ? `, and ${takers === 1 ? 'its 1 taker is' : `its ${takers} takers are`} cut off` : '';
  return `${holds} destroyed${cut}`;
}

function boundAgain(bindings: readonly WireBinding[], isOthers: (binding: WireBinding) => boolean): string {
  const others = bindings.filter(isOthers);
  const count = bindings.length === 1 ? 'its 1 binding is' : `its ${bindings.length} bindings are`;
  const whose = others.length
    ? `, ${others.length} of others: ${others.slice(0, 5).map(shown).join('; ')}${others.length > 5 ? '; …' : ''}`
    : '';
  return bindings.length ? `${count} made again at once${whose}` : 'nothing is bound to it';
}

/** @returns tells of any step whether what it does is so already, by what the broker has. */
export function doneIn(has: Inventory): (step: Step) => boolean {
  const exchanges = new Map(has.exchanges.map((each) => [each.name, each]));
  const queues = new Map(has.queues.map((each) => [each.name, each]));
  const bindings = new Set(has.bindings.map(bindingId));
  const same = <T extends WireExchange | WireQueue>(wanted: T, there: T | undefined) =>
    there !== undefined && differs(wanted, there) === '';
  const bound = (binding: WireBinding) => bindings.has(bindingId(binding));
  return (step) => {
    switch (step.do) {
      case 'declare exchange':
        return same(step.exchange, exchanges.get(step.exchange.name));
      case 'replace exchange':
        return same(step.exchange, exchanges.get(step.exchange.name)) && step.bindings.every(bound);
      case 'declare queue':
        return same(step.queue, queues.get(step.queue.name));
      case 'replace queue':
        return same(step.queue, queues.get(step.queue.name)) && step.bindings.every(bound);
      case 'bind':
        return bound(step.binding);
      case 'unbind':
        return !bound(step.binding);
    }
  };
}

/** @returns what tells two steps apart, whatever their words. */
export function stepId(step: Step): string {
  const what =
    'binding' in step ? bindingId(step.binding) : 'queue' in step ? step.queue.name : step.exchange.name;
  return `${step.do} ${what}`;
}

/**
 * What of a broker a rollout rests on and changes, and how that differs between two looks at it.
 * @returns each difference in words; none where a plan made at the first look holds at the second
 */
export function inventoryChanges(wanted: WantedState, before: Inventory, now: Inventory): string[] {
  const changes: string[] = [];
  const compare = <T extends WireExchange | WireQueue>(
    what: string,
    names: readonly string[],
    was: readonly T[],
    is: readonly T[],
  ) => {
    const old = new Map(was.map((each) => [each.name, each]));
    const fresh = new Map(is.map((each) => [each.name, each]));
    for (const name of names) {
      const a = old.get(name);
      const b = fresh.get(name);
      if (!a && b) changes.push(`${what} ${name} is there now`);
      else if (a && !b) changes.push(`${what} ${name} is gone`);
      else if (a && b) {
        const how = differs(b, a);
        if (how) changes.push(`${what} ${name}: ${how}`);
      }
    }
  };
  compare(
    'exchange',
    wanted.exchanges.map(({ name }) => name),
    before.exchanges,
    now.exchanges,
  );
  compare(
    'queue',
    wanted.queues.map(({ name }) => name),
    before.queues,
    now.queues,
  );
  const exchanges = new Set(wanted.exchanges.map(({ name }) => name));
  const queues = new Set(wanted.queues.map(({ name }) => name));
  const concerns = ({ source, to, destination }: WireBinding) =>
    exchanges.has(source) || (to === 'exchange' ? exchanges : queues).has(destination);
  const ids = (inventory: Inventory) =>
    new Map(inventory.bindings.filter(concerns).map((binding) => [bindingId(binding), binding]));
  const was = ids(before);
  const is = ids(now);
  for (const [id, binding] of is) if (!was.has(id)) changes.push(`binding ${shown(binding)} is there now`);
  for (const [id, binding] of was) if (!is.has(id)) changes.push(`binding ${shown(binding)} is gone`);
  return changes;
}

/** Exchanges every broker has (AMQP 0-9-1 §3.1.3.1): the unnamed one and those beginning `amq.`. */
const BUILT_IN = /^$|^amq\./;

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
