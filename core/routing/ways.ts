/**
 * What the declarations of a topology make of the routing graph: the nodes, and every way from one to
 * another, each with what it hangs on, so that a graph can be made of the one before it.
 */
import { directKey, headersMatch, topicKey } from '../filters/amqp.ts';
import { parseMqttFilter } from '../filters/mqtt.ts';
import type { AppDecl, BindingDecl, ConsumeDecl, DeadLetterDecl, LinkDecl } from '../language/language.ts';
import type { Names, Topology } from '../language/read.ts';
import {
  BINDABLE,
  ENTRIES,
  EXCHANGES,
  finder,
  lookUp,
  QUEUES,
  STORES,
  thing,
  TOPICS,
  type Lookup,
  type Thing,
  type ThingKind,
} from '../model/address.ts';
import type { Place, Val } from '../model/place.ts';
import { ALWAYS, type Constant, type Predicate } from '../predicate/predicate.ts';
import type { Edge, EdgeKind, ExchangeNode, GraphNode, NodeRole, SubscriptionNode } from './graph.ts';

/** One way, before it is an edge. Two ways of the same parts make the same edge. */
export interface Way {
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

type Nodes = ReadonlyMap<string, GraphNode>;

const DEAD_LETTER_ENTRIES: readonly ThingKind[] = ['exchange', 'topic', 'queue'];

/** The nodes of resources by their declarations: one that stayed is the same node. */
const known = new WeakMap<object, GraphNode>();
/** The same for what a declaration makes several nodes of, by their ids: what an app sends and takes as. */
const knownById = new WeakMap<object, Map<string, GraphNode>>();

/** @returns everything a message can be at, by id. */
export function nodesOf(topology: Topology): Map<string, GraphNode> {
  const { declared } = topology;
  const nodes = new Map<string, GraphNode>();
  const add = (
    role: NodeRole,
    of: Thing,
    place: Place,
    decl: object,
    id: string = of.id,
    by: object = decl,
  ) => {
    let own = knownById.get(by);
    if (!own) knownById.set(by, (own = new Map()));
    let node = own.get(id);
    if (node?.place !== place) own.set(id, (node = { id, role, thing: of, place, decl } as GraphNode));
    nodes.set(id, node);
  };
  const addResource = (
    role: NodeRole & ThingKind,
    broker: string,
    { name, key, value }: { readonly name: string; readonly key: Place; readonly value: object },
  ) => {
    let node = known.get(value);
    if (
      node?.thing.name !== name ||
      node.thing.broker !== broker ||
      node.role !== role ||
      node.place !== key
    ) {
      const of = thing(role, name, broker);
      node = { id: of.id, role, thing: of, place: key, decl: value } as GraphNode;
      known.set(value, node);
    }
    nodes.set(node.id, node);
  };
  for (const { name, key, value } of declared.apps?.values() ?? []) {
    const app = thing('app', name);
    if (value.publishes?.items.length) add('publisher', app, key, value, publisherId(name));
    if (value.consumes?.items.length) add('taker', app, key, value, takerId(name));
  }
  for (const { name: broker, value } of declared.brokers?.values() ?? []) {
    const addAll = (
      role: NodeRole & ThingKind,
      items: ReadonlyMap<string, { name: string; key: Place; value: object }> | undefined,
    ) => {
      for (const item of items?.values() ?? []) addResource(role, broker, item);
    };
    if (value.variant === 'amqp') addAll('exchange', value.exchanges);
    else {
      addAll('topic', value.topics);
      for (const item of value.subscriptions?.values() ?? []) {
        // one that hands to a queue is a way, not a place
        if (!item.value.to) addResource('subscription', broker, item);
      }
    }
    addAll('queue', value.queues);
    addAll('alias', value.aliases);
  }
  for (const { name, key, value } of declared.spreads?.values() ?? [])
    add('spread', thing('spread', name), key, value);
  for (const { name: app, value } of declared.apps?.values() ?? []) {
    for (const consume of value.consumes?.items ?? []) {
      const session = sessionOf(topology, app, consume);
      if (!session) continue;
      const { place } = consume;
      const decl = session.shared ? { place } : { place, perInstanceOf: { value: app, place } };
      add('subscription', session.store, place, decl, session.store.id, consume);
    }
  }
  return nodes;
}

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
  /** The types of the broker's exchanges, on which conditions hang. */
  readonly types: string;
  readonly bindings: readonly BindingDecl[];
  readonly ways: readonly Way[];
}

/** What one app publishes, or what it takes. */
interface AppWays {
  readonly app: AppDecl;
  readonly ways: readonly Way[];
}

export interface Ways {
  readonly names: Names;
  /** The ids of all nodes. */
  readonly nodes: readonly string[];
  /** What MQTT enters each broker by. */
  readonly mqtt: string;
  /** All ways, in order of declaration, those that lead nowhere included. */
  readonly all: readonly Way[];
  readonly apps: ReadonlyMap<string, AppWays>;
  readonly bindings: ReadonlyMap<string, BindingWays>;
}

/**
 * @param before the ways of an earlier state by the same reader
 * @returns every way between nodes
 */
export function waysOf(topology: Topology, nodes: Nodes, before?: Ways): Ways {
  const { declared } = topology;
  const ways: Way[] = [];
  const bindingWays = new Map<string, BindingWays>();
  const ids = [...nodes.keys()];
  const mqtt = [...(declared.brokers?.keys() ?? [])].map((id) => mqttEntry(topology, id)).join();
  // as long as these stay, what a declaration names is what it named before
  const stays =
    before?.names === topology.names &&
    before.mqtt === mqtt &&
    before.nodes.length === ids.length &&
    before.nodes.every((id, i) => id === ids[i]);
  const steady = stays ? before : undefined;
  const add = (
    kind: EdgeKind,
    from: string,
    to: string,
    of: object,
    make: Way['make'],
    hangsOn?: unknown,
  ): void => {
    ways.push({ kind, from, to, of, with: hangsOn, open: nodes.has(from) && nodes.has(to), make });
  };
  const find = (address: Val<string> | undefined, kinds: readonly ThingKind[], home?: string): string =>
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
  const again = (id: string, app: AppDecl, make: () => void): void => {
    const before = steady?.apps.get(id);
    const from = ways.length;
    if (before?.app === app) for (const way of before.ways) ways.push(way);
    else make();
    apps.set(id, { app, ways: ways.slice(from) });
  };

  for (const { name, value } of declared.apps?.values() ?? []) {
    again(publisherId(name), value, () => {
      for (const publish of value.publishes?.items ?? []) {
        const mqtt = publish.via?.value === 'mqtt';
        const to = mqtt ? mqttEntry(topology, publish.to?.value ?? '') : find(publish.to, ENTRIES);
        const { place } = publish;
        add('publish', publisherId(name), to, publish, () => ({
          place,
          label: publish.message?.value ?? '',
          publish,
        }));
      }
    });
  }
  for (const { name: home, value: broker } of declared.brokers?.values() ?? []) {
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
      const types = [...(broker.exchanges?.values() ?? [])].map(({ value }) => value.type?.value).join();
      const own = waysOfBindings(
        topology,
        nodes,
        home,
        bindings,
        types,
        before?.bindings.get(home),
        steady !== undefined,
      );
      bindingWays.set(home, { types, bindings, ways: own });
      for (const way of own) ways.push(way);
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
  for (const { name, key, value } of declared.links?.values() ?? []) {
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
  }
  for (const { name, value } of declared.spreads?.values() ?? []) {
    for (const member of value.members?.items ?? [])
      add('member', thing('spread', name).id, find(member, QUEUES), member, () => ({ place: member.place }));
  }
  for (const { name, value } of declared.apps?.values() ?? []) {
    again(takerId(name), value, () => {
      for (const consume of value.consumes?.items ?? []) addTake(name, consume);
    });
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
  return { names: topology.names, nodes: ids, mqtt, all: ways, apps, bindings: bindingWays };
}

/** The ways of a broker's bindings; where names and types stayed the same, those before and behind an edit are known. */
function waysOfBindings(
  { declared }: Topology,
  nodes: Nodes,
  home: string,
  bindings: readonly BindingDecl[],
  types: string,
  known: BindingWays | undefined,
  steady: boolean,
): readonly Way[] {
  const sources = finder(declared, EXCHANGES, home);
  const targets = finder(declared, BINDABLE, home);
  const wayOf = (binding: BindingDecl, before?: Way): Way => {
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
  if (known?.types !== types) return bindings.map((binding) => wayOf(binding));
  if (!steady) return bindings.map((binding, i) => wayOf(binding, known.ways[i]));
  if (known.bindings === bindings) return known.ways;
  const before = known.bindings;
  const shorter = Math.min(before.length, bindings.length);
  let first = 0;
  while (first < shorter && before[first] === bindings[first]) first++;
  let same = 0;
  while (same < shorter - first && before[before.length - 1 - same] === bindings[bindings.length - 1 - same])
    same++;
  return [
    ...known.ways.slice(0, first),
    ...bindings.slice(first, bindings.length - same).map((binding) => wayOf(binding)),
    ...known.ways.slice(before.length - same),
  ];
}

function idIn(look: (address: string) => Lookup, address: Val<string> | undefined): string {
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
