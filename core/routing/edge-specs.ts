/**
 * What the declarations of a topology make of the routing graph: the nodes, and every way from one to
 * another, each with what it hangs on, so that a graph can be made of the one before it.
 */
import type { BindingDecl } from '../brokers/amqp/declares.ts';
import type { BrokerDecl } from '../brokers/kinds.ts';
import { directKey, headersMatch, topicKey } from '../conditions/amqp.ts';
import { parseMqttFilter } from '../conditions/mqtt.ts';
import { ALWAYS, type Constant, type Predicate } from '../conditions/predicate.ts';
import { Layered, sameOrder } from '../incremental/layered.ts';
import type { AppDecl, ConsumeDecl } from '../language/app.ts';
import type { DeadLetterDecl } from '../language/dead-letter.ts';
import type { LinkDecl } from '../language/link.ts';
import {
  BINDABLE,
  ENTRIES,
  EXCHANGES,
  QUEUES,
  STORES,
  TOPICS,
  type Thing,
  type ThingKind,
  thing,
} from '../language/thing.ts';
import type {
  Edge,
  EdgeKind,
  ExchangeNode,
  GraphNode,
  NodeRole,
  QueueNode,
  SubscriptionNode,
} from './parts.ts';
import type { Located, Place } from '../syntax/place.ts';
import { type Lookup, finder, lookUp } from '../topology/address.ts';
import type { Names, Topology } from '../topology/topology.ts';

/** One way, before it is an edge. Two ways of the same parts make the same edge. */
export interface EdgeSpec {
  readonly kind: EdgeKind;
  readonly from: string;
  readonly to: string;
  /** The declaration that makes it: one object for as long as its text stays. */
  readonly of: object;
  /** What else it is made of, where that may change by itself. */
  readonly with?: unknown;
  /** Whether both its ends are there. */
  readonly open: boolean;
  readonly make: () => Pick<Edge, 'place'> & Partial<Omit<Edge, 'id' | 'kind' | 'from' | 'to'>>;
}

/** Declarations that belong together, and what was made of them: made again only where one of them changed. */
interface Part<T> {
  /** What all of it hangs on: the same objects for as long as they say the same. */
  readonly of: readonly unknown[];
  readonly made: readonly T[];
}

type Parts<T> = ReadonlyMap<string, Part<T>>;

const sameItems = (a: readonly unknown[], b: readonly unknown[]): boolean =>
  a.length === b.length && a.every((each, i) => each === b[i]);

/** Everything a message can be at, by id, and by what declares it. */
export interface Nodes {
  readonly all: ReadonlyMap<string, GraphNode>;
  readonly parts: Parts<GraphNode>;
}

const DEAD_LETTER_ENTRIES: readonly ThingKind[] = ['exchange', 'topic', 'queue'];

/** The nodes of resources by their declarations: one that stayed is the same node. */
const known = new WeakMap<object, GraphNode>();
/** The same for what a declaration makes several nodes of, by their ids: what an app sends and takes as. */
const knownById = new WeakMap<object, Map<string, GraphNode>>();

function nodeFor(role: NodeRole, of: Thing, place: Place, decl: object, id: string, by: object): GraphNode {
  let own = knownById.get(by);
  if (!own) knownById.set(by, (own = new Map()));
  let node = own.get(id);
  if (node?.place !== place) own.set(id, (node = { id, role, thing: of, place, decl } as GraphNode));
  return node;
}

interface Named {
  readonly name: string;
  readonly key: Place;
  readonly value: object;
}

function nodeOfResource(
  role: NodeRole & ThingKind,
  broker: string,
  { name, key, value }: Named,
  more?: Partial<QueueNode>,
): GraphNode {
  const node = known.get(value);
  if (node?.thing.name === name && node.thing.broker === broker && node.role === role && node.place === key)
    return node;
  const of = thing(role, name, broker);
  const made = { id: of.id, role, thing: of, place: key, decl: value, ...more } as GraphNode;
  known.set(value, made);
  return made;
}

/**
 * @param before those of an earlier state by the same reader
 * @returns everything a message can be at
 */
export function nodesOf(topology: Topology, before?: Nodes): Nodes {
  const { apps, brokers, spreads } = topology.declared;
  const parts = new Map<string, Part<GraphNode>>();
  const part = (name: string, of: readonly unknown[], make: () => Iterable<GraphNode>): void => {
    const was = before?.parts.get(name);
    parts.set(name, was && sameItems(was.of, of) ? was : { of, made: [...make()] });
  };
  part('apps', [apps], function* () {
    for (const { name, key, value } of apps?.values() ?? []) {
      const app = thing('app', name);
      if (value.publishes?.items.length)
        yield nodeFor('publisher', app, key, value, publisherId(name), value);
      if (value.consumes?.items.length) yield nodeFor('taker', app, key, value, takerId(name), value);
    }
  });
  for (const { name, value } of brokers?.values() ?? [])
    part(`broker ${name}`, [value], () => nodesOn(name, value));
  part('spreads', [spreads], function* () {
    for (const { name, key, value } of spreads?.values() ?? []) {
      const of = thing('spread', name);
      yield nodeFor('spread', of, key, value, of.id, value);
    }
  });
  part('sessions', [apps, mqttEntries(topology)], function* () {
    for (const { name: app, value } of apps?.values() ?? []) {
      for (const consume of value.consumes?.items ?? []) {
        const session = sessionOf(topology, app, consume);
        if (!session) continue;
        const { place } = consume;
        const decl = session.shared ? { place } : { place, perInstanceOf: { value: app, place } };
        yield nodeFor('subscription', session.store, place, decl, session.store.id, consume);
      }
    }
  });
  const changes = before && changedNodes(before, parts);
  if (changes) return { all: Layered.on(before.all).with(changes), parts };
  const all = new Map<string, GraphNode>();
  for (const { made } of parts.values()) for (const node of made) all.set(node.id, node);
  return { all, parts };
}

function* nodesOn(broker: string, decl: BrokerDecl): Generator<GraphNode> {
  function* each(role: NodeRole & ThingKind, items: ReadonlyMap<string, Named> | undefined) {
    for (const item of items?.values() ?? []) yield nodeOfResource(role, broker, item);
  }
  if (decl.variant === 'amqp') yield* each('exchange', decl.exchanges);
  else {
    yield* each('topic', decl.topics);
    for (const item of decl.subscriptions?.values() ?? []) {
      // one that hands to a queue is an edge, not a place
      if (!item.value.to) yield nodeOfResource('subscription', broker, item);
    }
  }
  for (const item of decl.queues?.values() ?? []) {
    // through the unnamed exchange a key is the queue's name on the wire (AMQP 0-9-1 §3.1.3.1)
    const { wireName } = item.value;
    const own = decl.variant === 'amqp' ? { enteredAs: wireName?.value || item.name } : undefined;
    yield nodeOfResource('queue', broker, item, own);
  }
  yield* each('alias', decl.aliases);
}

/** @returns the nodes that are otherwise now, by id; undefined where some came, went or moved */
function changedNodes(before: Nodes, now: Parts<GraphNode>): Map<string, GraphNode> | undefined {
  const changes = new Map<string, GraphNode>();
  if (!sameItems([...before.parts.keys()], [...now.keys()])) return undefined;
  let count = 0;
  for (const [name, { made }] of now) {
    const was = before.parts.get(name)!.made;
    count += made.length;
    if (was === made) continue;
    if (was.length !== made.length) return undefined;
    for (const [i, node] of made.entries()) {
      if (was[i]!.id !== node.id) return undefined;
      if (was[i] !== node) changes.set(node.id, node);
    }
  }
  // of two nodes of one id the later one counts
  return count === before.all.size ? changes : undefined;
}

/** The types of all exchanges, as one text: a binding may name one of another broker. */
const exchangeTypes = ({ declared }: Topology): string =>
  [...(declared.brokers?.values() ?? [])]
    .map(({ value }) =>
      value.variant === 'amqp'
        ? [...(value.exchanges?.values() ?? [])].map((each) => each.value.type?.value).join()
        : '',
    )
    .join(' ');

/** What MQTT enters each broker by. */
const mqttEntries = (topology: Topology): string =>
  [...(topology.declared.brokers?.keys() ?? [])].map((id) => mqttEntry(topology, id)).join();

/** What an MQTT taker subscribes to is a store of its own, for each instance or for its shared group. */
function sessionOf(topology: Topology, app: string, consume: ConsumeDecl) {
  if (consume.via?.value !== 'mqtt') return undefined;
  const broker = consume.from?.value ?? '';
  const filter = parseMqttFilter(consume.topic?.value ?? '');
  const entry = mqttEntry(topology, broker);
  if (!filter.ok || !entry) return undefined;
  const store = thing('subscription', `${app}:${consume.topic!.value}`, broker);
  return { entry, store, filter, shared: filter.share !== undefined };
}

/** The bindings of one broker, and the way of each: by far the most numerous. */
interface BindingWays {
  /** The types of all exchanges, on which conditions hang. */
  readonly types: string;
  readonly bindings: readonly BindingDecl[];
  readonly specs: readonly EdgeSpec[];
}

/** What one app publishes, or what it takes. */
interface AppWays {
  readonly app: AppDecl;
  readonly specs: readonly EdgeSpec[];
}

export interface EdgeSpecs {
  readonly names: Names;
  readonly nodes: ReadonlyMap<string, GraphNode>;
  readonly mqtt: string;
  /** All ways, part by part in order of declaration, those that lead nowhere included. */
  readonly parts: Parts<EdgeSpec>;
  readonly apps: ReadonlyMap<string, AppWays>;
  readonly bindings: ReadonlyMap<string, BindingWays>;
}

/**
 * @param before the specs of an earlier state by the same reader
 * @returns every way between nodes
 */
export function edgeSpecsOf(topology: Topology, { all: nodes }: Nodes, before?: EdgeSpecs): EdgeSpecs {
  const { declared } = topology;
  const parts = new Map<string, Part<EdgeSpec>>();
  let specs: EdgeSpec[] = [];
  const bindingWays = new Map<string, BindingWays>();
  const mqtt = mqttEntries(topology);
  const types = exchangeTypes(topology);
  // as long as these stay, what a declaration names is what it named before
  const stays = before?.names === topology.names && before.mqtt === mqtt && sameOrder(before.nodes, nodes);
  const steady = stays ? before : undefined;
  const part = (name: string, of: readonly unknown[], make: () => void): void => {
    const was = steady?.parts.get(name);
    if (was && sameItems(was.of, of)) {
      parts.set(name, was);
      return;
    }
    specs = [];
    make();
    parts.set(name, { of, made: specs });
  };
  const add = (
    kind: EdgeKind,
    from: string,
    to: string,
    of: object,
    make: EdgeSpec['make'],
    hangsOn?: unknown,
  ): void => {
    specs.push({ kind, from, to, of, with: hangsOn, open: nodes.has(from) && nodes.has(to), make });
  };
  const find = (address: Located<string> | undefined, kinds: readonly ThingKind[], home?: string): string =>
    idIn(finder(declared, kinds, home), address);
  const deadLetter = (from: Thing, decl: DeadLetterDecl | undefined, home: string): void => {
    if (!decl) return;
    const { place } = decl;
    add('deadLetter', from.id, find(decl.to, DEAD_LETTER_ENTRIES, home), decl, () => ({
      place,
      label: 'dead letters',
      deadLetter: decl,
    }));
  };

  const apps = new Map<string, AppWays>();
  /** What one app publishes or takes: most apps stay when one changes. */
  const again = (id: string, app: AppDecl, make: () => void): void => {
    const was = steady?.apps.get(id);
    const from = specs.length;
    if (was?.app === app) for (const spec of was.specs) specs.push(spec);
    else make();
    apps.set(id, was?.app === app ? was : { app, specs: specs.slice(from) });
  };

  part('publishes', [declared.apps], () => {
    for (const { name, value } of declared.apps?.values() ?? [])
      again(publisherId(name), value, () => {
        for (const publish of value.publishes?.items ?? []) {
          const to =
            publish.via?.value === 'mqtt'
              ? mqttEntry(topology, publish.to?.value ?? '')
              : find(publish.to, ENTRIES);
          const { place } = publish;
          add('publish', publisherId(name), to, publish, () => ({
            place,
            label: publish.message?.value ?? '',
            publish,
          }));
        }
      });
  });
  for (const { name, value } of declared.brokers?.values() ?? []) {
    part(`broker ${name}`, [value, declared.links, types], () => addBroker(name, value));
    const known = bindingWays.get(name) ?? steady?.bindings.get(name);
    if (known) bindingWays.set(name, known);
  }
  part('links', [declared.links], () => {
    for (const { name, key, value } of declared.links?.values() ?? [])
      add(
        'link',
        find(value.from, QUEUES),
        find(value.to, ENTRIES),
        value,
        () => ({
          place: key,
          condition: linkCondition(value),
          label: name,
          link: { thing: thing('link', name), decl: value },
        }),
        name,
      );
  });
  part('spreads', [declared.spreads], () => {
    for (const { name, value } of declared.spreads?.values() ?? [])
      for (const member of value.members?.items ?? [])
        add('member', thing('spread', name).id, find(member, QUEUES), member, () => ({
          place: member.place,
        }));
  });
  part('takes', [declared.apps], () => {
    for (const { name, value } of declared.apps?.values() ?? [])
      again(takerId(name), value, () => {
        for (const consume of value.consumes?.items ?? []) addTake(name, consume);
      });
  });

  function addBroker(home: string, broker: BrokerDecl): void {
    for (const [name, { value: queue }] of broker.queues ?? [])
      if (queue.deadLetter) deadLetter(thing('queue', name, home), queue.deadLetter, home);
    for (const [name, { value: alias }] of broker.aliases ?? []) {
      const over = alias.over && declared.links?.get(alias.over.value);
      add(
        'alias',
        thing('alias', name, home).id,
        find(alias.to, ENTRIES, home),
        alias,
        () => ({
          place: alias.place,
          label: alias.over ? `over ${alias.over.value}` : '',
          ...(over ? { link: { thing: thing('link', over.name), decl: over.value } } : {}),
        }),
        over?.value,
      );
    }
    if (broker.variant === 'amqp') {
      for (const [name, { value: exchange }] of broker.exchanges ?? []) {
        const { unroutedTo } = exchange;
        if (!unroutedTo) continue;
        add(
          'unrouted',
          thing('exchange', name, home).id,
          find(unroutedTo, EXCHANGES, home),
          exchange,
          () => ({
            place: unroutedTo.place,
            label: 'unrouted',
          }),
        );
      }
      const bindings = broker.bindings?.items ?? [];
      const own = specsOfBindings(
        topology,
        nodes,
        home,
        bindings,
        types,
        before?.bindings.get(home),
        steady !== undefined,
      );
      bindingWays.set(home, { types, bindings, specs: own });
      for (const spec of own) specs.push(spec);
    } else {
      for (const [name, { key, value: subscription }] of broker.subscriptions ?? []) {
        const own = thing('subscription', name, home);
        const to = subscription.to ? find(subscription.to, QUEUES, home) : own.id;
        const node: SubscriptionNode = {
          id: own.id,
          role: 'subscription',
          thing: own,
          place: key,
          decl: subscription,
        };
        add(
          'subscription',
          find(subscription.topic, TOPICS, home),
          to,
          subscription,
          () => ({
            place: key,
            condition: subscription.filter?.predicate ?? ALWAYS,
            label: name,
            subscription: node,
          }),
          own.id === to ? key : name,
        );
        if (!subscription.to) deadLetter(own, subscription.deadLetter, home);
      }
    }
  }

  function addTake(app: string, consume: ConsumeDecl): void {
    const { place } = consume;
    if (consume.via?.value !== 'mqtt') {
      add('take', find(consume.from, STORES), takerId(app), consume, () => ({ place, consume }));
      return;
    }
    const session = sessionOf(topology, app, consume);
    if (!session) return;
    const { entry, store, filter } = session;
    const { value: label, place: at } = consume.topic!;
    add('binding', entry, store.id, consume, () => ({
      place,
      condition: { ...filter.predicate, place: at },
      label,
      key: filter.key,
    }));
    add('take', store.id, takerId(app), consume, () => ({ place, consume }));
  }

  // where no app changed, none was looked at
  const known = steady && apps.size === 0 ? steady.apps : apps;
  return { names: topology.names, nodes, mqtt, parts, apps: known, bindings: bindingWays };
}

/** The ways of a broker's bindings; where names and types stayed the same, those before and behind an edit are known. */
function specsOfBindings(
  { declared }: Topology,
  nodes: ReadonlyMap<string, GraphNode>,
  home: string,
  bindings: readonly BindingDecl[],
  types: string,
  known: BindingWays | undefined,
  steady: boolean,
): readonly EdgeSpec[] {
  const sources = finder(declared, EXCHANGES, home);
  const targets = finder(declared, BINDABLE, home);
  const specOf = (binding: BindingDecl, before?: EdgeSpec): EdgeSpec => {
    const from = idIn(sources, binding.from);
    const to = idIn(targets, binding.to);
    // the name of something else may have changed
    if (before?.of === binding && before.from === from && before.to === to && before.open) return before;
    const type = (nodes.get(from) as ExchangeNode | undefined)?.decl.type?.value ?? 'direct';
    const make = () => ({
      place: binding.place,
      ...bindingCondition(type, binding),
      key: binding.key?.value ?? '',
      binding,
    });
    const open = nodes.has(from) && nodes.has(to);
    return { kind: 'binding', from, to, of: binding, with: type, open, make };
  };
  if (known?.types !== types) return bindings.map((binding) => specOf(binding));
  if (!steady) return bindings.map((binding, i) => specOf(binding, known.specs[i]));
  if (known.bindings === bindings) return known.specs;
  const before = known.bindings;
  const shorter = Math.min(before.length, bindings.length);
  let first = 0;
  while (first < shorter && before[first] === bindings[first]) first++;
  let same = 0;
  while (same < shorter - first && before[before.length - 1 - same] === bindings[bindings.length - 1 - same])
    same++;
  return [
    ...known.specs.slice(0, first),
    ...bindings.slice(first, bindings.length - same).map((binding) => specOf(binding)),
    ...known.specs.slice(before.length - same),
  ];
}

function idIn(look: (address: string) => Lookup, address: Located<string> | undefined): string {
  if (!address) return '';
  const found = look(address.value);
  return found.ok ? found.thing.id : '';
}

export const publisherId = (app: string): string => `publisher:${app}`;
export const takerId = (app: string): string => `taker:${app}`;

/** @returns the id of the exchange that MQTT publishes to a broker enter, or '' when it has none. */
export function mqttEntry(topology: Topology, broker: string): string {
  const decl = topology.declared.brokers?.get(broker)?.value;
  if (decl?.variant !== 'amqp' || !decl.mqtt?.exchange) return '';
  const found = lookUp(topology.declared, decl.mqtt.exchange.value, EXCHANGES, broker);
  return found.ok ? found.thing.id : '';
}

function bindingCondition(
  type: 'direct' | 'fanout' | 'topic' | 'headers',
  binding: BindingDecl,
): { condition: Predicate; label: string } {
  const key = binding.key?.value ?? '';
  const place = { place: binding.key?.place ?? binding.headers?.place ?? binding.place };
  switch (type) {
    case 'fanout':
      return { condition: { ...ALWAYS, ...place }, label: '' };
    case 'direct':
      return { condition: { ...directKey(key), ...place }, label: key };
    case 'topic':
      return { condition: { ...topicKey(key), ...place }, label: key };
    case 'headers': {
      const match = binding.headers?.match?.value ?? 'all';
      const values = new Map<string, Constant>();
      for (const [name, item] of binding.headers?.values ?? []) values.set(name, item.value.value);
      const shown = [...values].map(([name, value]) =>
        value === null ? name : `${name} = ${String(value)}`,
      );
      return {
        condition: { ...headersMatch(match, values), ...place },
        label: shown.join(match === 'all' ? ' and ' : ' or '),
      };
    }
  }
}

function linkCondition(link: LinkDecl): Predicate {
  if (!link.keys?.items.length) return ALWAYS;
  const of = link.keys.items.map((key) => ({ ...topicKey(key.value), place: key.place }));
  return of.length === 1 ? of[0]! : { op: 'any', of, place: link.keys.place };
}
