/** The routing graph: everything a message can be at, and every way it can go on from there. */
import { accessOf, type Decide } from '../access/decide.ts';
import { directKey, headersMatch, topicKey } from '../filters/amqp.ts';
import { parseMqttFilter } from '../filters/mqtt.ts';
import type {
  AliasDecl,
  AmqpQueueDecl,
  AppDecl,
  BindingDecl,
  ConsumeDecl,
  DeadLetterDecl,
  ExchangeDecl,
  HostedQueueDecl,
  LinkDecl,
  PublishDecl,
  SpreadDecl,
  SubscriptionDecl,
  TopicDecl,
} from '../language/language.ts';
import type { Topology } from '../language/read.ts';
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
import { exchangeRouter, isRouterOf, type Router } from './router.ts';

/** A node's role in the flow; an app that both sends and takes is two nodes. */
export type NodeRole =
  'publisher' | 'exchange' | 'topic' | 'alias' | 'spread' | 'queue' | 'subscription' | 'taker';

interface NodeOf<R extends NodeRole, D> {
  readonly id: string;
  readonly role: R;
  readonly thing: Thing;
  readonly place: Place;
  readonly decl: D;
}

export type ExchangeNode = NodeOf<'exchange', ExchangeDecl>;
export type QueueNode = NodeOf<'queue', AmqpQueueDecl | HostedQueueDecl>;
/** The store of an MQTT taker, which no document declares by itself. */
type SessionDecl = SubscriptionDecl & Pick<AmqpQueueDecl, 'perInstanceOf'>;
export type SubscriptionNode = NodeOf<'subscription', SessionDecl>;
export type StoreNode = QueueNode | SubscriptionNode;
export type TopicNode = NodeOf<'topic', TopicDecl>;
export type AliasNode = NodeOf<'alias', AliasDecl>;
export type SpreadNode = NodeOf<'spread', SpreadDecl>;
export type AppNode = NodeOf<'publisher' | 'taker', AppDecl>;
export type GraphNode =
  ExchangeNode | QueueNode | SubscriptionNode | TopicNode | AliasNode | SpreadNode | AppNode;

export type EdgeKind =
  'publish' | 'binding' | 'unrouted' | 'subscription' | 'deadLetter' | 'alias' | 'link' | 'member' | 'take';

/** A way from one node to another. */
export interface Edge {
  /** Unique, and the same for the same declaration in two revisions. */
  readonly id: string;
  readonly kind: EdgeKind;
  readonly from: string;
  readonly to: string;
  /** The declaration that makes it. */
  readonly place: Place;
  /** What a message must meet to go this way. */
  readonly condition: Predicate;
  /** The words on it in a picture: a key, a filter. Empty for none. */
  readonly label: string;
  /** What a router finds it by: the binding key, or the one an MQTT topic filter becomes. */
  readonly key?: string;
  readonly publish?: PublishDecl;
  readonly consume?: ConsumeDecl;
  readonly binding?: BindingDecl;
  readonly subscription?: SubscriptionNode;
  readonly link?: { readonly thing: Thing; readonly decl: LinkDecl };
  readonly deadLetter?: DeadLetterDecl;
}

export interface RoutingGraph {
  readonly topology: Topology;
  readonly nodes: ReadonlyMap<string, GraphNode>;
  readonly edges: readonly Edge[];
  readonly out: ReadonlyMap<string, readonly Edge[]>;
  readonly into: ReadonlyMap<string, readonly Edge[]>;
  /** For each exchange, the bindings a message meets, found without trying all. */
  readonly routers: ReadonlyMap<string, Router>;
  readonly decide: Decide;
}

const DEAD_LETTER_ENTRIES: readonly ThingKind[] = ['exchange', 'topic', 'queue'];

/** @returns who owns an app, broker or topic: its tenant, its broker's, or the topology's. */
export function tenantOf(topology: Topology, of: Thing): string | undefined {
  const { declared } = topology;
  const app = of.kind === 'app' ? declared.apps?.get(of.name)?.value.tenant : undefined;
  const broker = of.broker ? declared.brokers?.get(of.broker)?.value.tenant : undefined;
  return (app ?? broker ?? declared.tenant)?.value;
}

/** What was made of a binding: by far the most numerous edges, and the dearest to make. */
interface MadeBinding {
  readonly edge: Edge;
  readonly type: string;
  /** The id without the number that tells it from others like it. */
  readonly base: string;
}

const madeBindings = new WeakMap<RoutingGraph, WeakMap<BindingDecl, MadeBinding>>();

/**
 * Builds the routing graph of a topology. References that name nothing make no edge (they are
 * findings already); everything else is there once.
 *
 * @param before the graph of an earlier state by the same reader: what did not change is taken from it
 */
export function buildGraph(topology: Topology, before?: RoutingGraph): RoutingGraph {
  const { declared } = topology;
  const nodes = new Map<string, GraphNode>();
  const edges: Edge[] = [];
  const out = new Map<string, Edge[]>();
  const into = new Map<string, Edge[]>();
  const ids = new Map<string, number>();
  const made = (before && madeBindings.get(before)) ?? new WeakMap<BindingDecl, MadeBinding>();

  const addNode = (role: NodeRole, of: Thing, place: Place, decl: unknown, id: string = of.id) => {
    nodes.set(id, { id, role, thing: of, place, decl } as GraphNode);
  };
  const addEdge = (
    edge: Omit<Edge, 'id' | 'condition' | 'label'> & Partial<Pick<Edge, 'condition' | 'label'>>,
  ) => {
    if (!nodes.has(edge.from) || !nodes.has(edge.to)) return;
    const base = baseOf(edge);
    keep({ condition: ALWAYS, label: '', ...edge, id: idOf(base, count(base)) });
  };
  const keep = (edge: Edge) => {
    edges.push(edge);
    push(out, edge.from, edge);
    push(into, edge.to, edge);
  };
  const count = (base: string): number => {
    const next = (ids.get(base) ?? 0) + 1;
    ids.set(base, next);
    return next;
  };
  const find = (address: Val<string> | undefined, kinds: readonly ThingKind[], home?: string): string =>
    idIn(finder(declared, kinds, home), address);

  for (const { name, key, value } of declared.apps?.values() ?? []) {
    const app = thing('app', name);
    if (value.publishes?.items.length) addNode('publisher', app, key, value, publisherId(name));
    if (value.consumes?.items.length) addNode('taker', app, key, value, takerId(name));
  }
  for (const { name: broker, value } of declared.brokers?.values() ?? []) {
    const add = (
      role: NodeRole & ThingKind,
      items: ReadonlyMap<string, { name: string; key: Place; value: unknown }> | undefined,
    ) => {
      for (const item of items?.values() ?? [])
        addNode(role, thing(role, item.name, broker), item.key, item.value);
    };
    if (value.variant === 'amqp') add('exchange', value.exchanges);
    else {
      add('topic', value.topics);
      for (const item of value.subscriptions?.values() ?? []) {
        // one that hands to a queue is a way, not a place
        if (!item.value.to)
          addNode('subscription', thing('subscription', item.name, broker), item.key, item.value);
      }
    }
    add('queue', value.queues);
    add('alias', value.aliases);
  }
  for (const { name, key, value } of declared.spreads?.values() ?? [])
    addNode('spread', thing('spread', name), key, value);

  for (const { name, value } of declared.apps?.values() ?? []) {
    for (const publish of value.publishes?.items ?? []) {
      const to =
        publish.via?.value === 'mqtt'
          ? mqttEntry(topology, publish.to?.value ?? '')
          : find(publish.to, ENTRIES);
      addEdge({
        kind: 'publish',
        from: publisherId(name),
        to,
        place: publish.place,
        label: publish.message?.value ?? '',
        publish,
      });
    }
  }
  for (const { name: home, value: broker } of declared.brokers?.values() ?? []) {
    for (const [name, { value: queue }] of broker.queues ?? []) {
      addDeadLetter(thing('queue', name, home), queue.deadLetter, home);
    }
    for (const [name, { value: alias }] of broker.aliases ?? []) {
      const over = alias.over && declared.links?.get(alias.over.value);
      addEdge({
        kind: 'alias',
        from: thing('alias', name, home).id,
        to: find(alias.to, ENTRIES, home),
        place: alias.place,
        label: alias.over ? `over ${alias.over.value}` : '',
        ...(over ? { link: { thing: thing('link', over.name), decl: over.value } } : {}),
      });
    }
    if (broker.variant === 'amqp') {
      for (const [name, { value: exchange }] of broker.exchanges ?? []) {
        if (!exchange.unroutedTo) continue;
        addEdge({
          kind: 'unrouted',
          from: thing('exchange', name, home).id,
          to: find(exchange.unroutedTo, EXCHANGES, home),
          place: exchange.unroutedTo.place,
          label: 'unrouted',
        });
      }
      const sources = finder(declared, EXCHANGES, home);
      const targets = finder(declared, BINDABLE, home);
      for (const binding of broker.bindings?.items ?? []) {
        const from = idIn(sources, binding.from);
        const to = idIn(targets, binding.to);
        const exchange = nodes.get(from) as ExchangeNode | undefined;
        if (!exchange || !nodes.has(to)) continue;
        const type = exchange.decl.type?.value ?? 'direct';
        const known = made.get(binding);
        const fits = known?.type === type && known.edge.from === from && known.edge.to === to;
        const parts = fits ? undefined : bindingCondition(type, binding);
        const base = fits ? known.base : baseOf({ kind: 'binding', from, to, label: parts!.label });
        const id = idOf(base, count(base));
        if (fits && known.edge.id === id) {
          keep(known.edge);
          continue;
        }
        const key = binding.key?.value ?? '';
        const edge: Edge = fits
          ? { ...known.edge, id }
          : { kind: 'binding', from, to, place: binding.place, ...parts!, key, binding, id };
        made.set(binding, { edge, type, base });
        keep(edge);
      }
    } else {
      for (const [name, { key, value: subscription }] of broker.subscriptions ?? []) {
        const own = thing('subscription', name, home);
        const node: SubscriptionNode = {
          id: own.id,
          role: 'subscription',
          thing: own,
          place: key,
          decl: subscription,
        };
        addEdge({
          kind: 'subscription',
          from: find(subscription.topic, TOPICS, home),
          to: subscription.to ? find(subscription.to, QUEUES, home) : own.id,
          place: key,
          condition: subscription.filter?.predicate ?? ALWAYS,
          label: name,
          subscription: node,
        });
        if (!subscription.to) addDeadLetter(own, subscription.deadLetter, home);
      }
    }
  }
  for (const { name, key, value } of declared.links?.values() ?? []) {
    addEdge({
      kind: 'link',
      from: find(value.from, QUEUES),
      to: find(value.to, ENTRIES),
      place: key,
      condition: linkCondition(value),
      label: name,
      link: { thing: thing('link', name), decl: value },
    });
  }
  for (const { name, value } of declared.spreads?.values() ?? []) {
    for (const member of value.members?.items ?? []) {
      addEdge({
        kind: 'member',
        from: thing('spread', name).id,
        to: find(member, QUEUES),
        place: member.place,
      });
    }
  }
  for (const { name, value } of declared.apps?.values() ?? []) {
    for (const consume of value.consumes?.items ?? []) {
      if (consume.via?.value === 'mqtt') {
        addSession(name, consume);
        continue;
      }
      addEdge({
        kind: 'take',
        from: find(consume.from, STORES),
        to: takerId(name),
        place: consume.place,
        consume,
      });
    }
  }

  /** What an MQTT taker subscribes to is a store of its own, for each instance or for its shared group. */
  function addSession(app: string, consume: ConsumeDecl): void {
    const broker = consume.from?.value ?? '';
    const filter = parseMqttFilter(consume.topic?.value ?? '');
    const entry = mqttEntry(topology, broker);
    if (!filter.ok || !entry) return;
    const { place } = consume;
    const store = thing('subscription', `${app}:${consume.topic!.value}`, broker);
    const session: SessionDecl =
      filter.share === undefined ? { place, perInstanceOf: { value: app, place } } : { place };
    addNode('subscription', store, place, session);
    const condition = { ...filter.predicate, place: consume.topic!.place };
    addEdge({
      kind: 'binding',
      from: entry,
      to: store.id,
      place,
      condition,
      label: consume.topic!.value,
      key: filter.key,
    });
    addEdge({ kind: 'take', from: store.id, to: takerId(app), place, consume });
  }

  function addDeadLetter(from: Thing, deadLetter: DeadLetterDecl | undefined, home: string): void {
    if (!deadLetter) return;
    addEdge({
      kind: 'deadLetter',
      from: from.id,
      to: find(deadLetter.to, DEAD_LETTER_ENTRIES, home),
      place: deadLetter.place,
      label: 'dead letters',
      deadLetter,
    });
  }

  const routers = new Map<string, Router>();
  for (const node of nodes.values()) {
    if (node.role !== 'exchange') continue;
    const type = node.decl.type?.value ?? 'direct';
    const bindings = (out.get(node.id) ?? []).filter((edge) => edge.kind === 'binding');
    const known = before?.routers.get(node.id);
    routers.set(node.id, known && isRouterOf(known, type, bindings) ? known : exchangeRouter(type, bindings));
  }
  const graph = { topology, nodes, edges, out, into, routers, decide: accessOf(topology) };
  madeBindings.set(graph, made);
  return graph;
}

const baseOf = ({ kind, from, to, label }: Pick<Edge, 'kind' | 'from' | 'to'> & { label?: string }): string =>
  `${kind} ${from} → ${to}${label ? ` ${label}` : ''}`;
const idOf = (base: string, count: number): string => (count > 1 ? `${base} #${count}` : base);

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

function push<K, V>(map: Map<K, V[]>, key: K, value: V): void {
  const list = map.get(key);
  if (list) list.push(value);
  else map.set(key, [value]);
}
