/** Which messages come to a broker, and where on it they come to rest in any state of it. */
import { type Diagram, TooManyClasses } from '../../base/diagram.ts';
import type { Edge } from '../../brokers/terms.ts';
import type { Predicate } from '../../conditions/predicate.ts';
import { type RoutingGraph, buildGraph } from '../../routing/graph.ts';
import type { MessageType } from '../../topology/messages.ts';
import { TopologyReader } from '../../topology/read.ts';
import { STAYS, conditionsBehind, publishesOf } from '../classes/classes.ts';
import { Following, publisherOf } from '../classes/follow.ts';
import { type Ground, groundOf } from '../classes/ground.ts';
import { Space } from '../classes/space.ts';
import { asAmqp } from '../../brokers/kinds.ts';
import { type BrokerState, alternateOf } from './state.ts';
import { type Arguments, type WireExchange, wireNames } from './wire.ts';

/** Messages of one type that are sent to one entry of a broker. */
export interface Traffic {
  readonly type: MessageType;
  /** What they enter, by its name on the wire. */
  readonly entry: { readonly kind: 'exchange' | 'queue'; readonly name: string };
  /** Of the first that sends them so: as a message names it, and the app. */
  readonly to: string;
  readonly from: string;
  readonly via?: 'mqtt';
}

/** @returns what a topology's apps send to a broker, by aliases and spreads too; what links bring is not among it */
export function trafficOf(graph: RoutingGraph, broker: string): Traffic[] {
  const { topology } = graph;
  const decl = asAmqp(topology.declared.brokers?.get(broker)?.value);
  if (!decl) return [];
  const found = new Map<string, Traffic>();
  for (const way of publishesOf(graph)) {
    const type = topology.messages.get(way.publish!.message!.value)!;
    for (const id of entriesBehind(graph, way)) {
      const node = graph.nodes.get(id);
      if (node?.thing.broker !== broker || (node.role !== 'exchange' && node.role !== 'queue')) continue;
      const { name } = node.thing;
      const queue = node.role === 'queue' ? decl.queues?.get(name)?.value : undefined;
      const names = queue
        ? wireNames(topology, name, queue)
        : [decl.exchanges?.get(name)?.value.wireName?.value ?? name];
      const via = way.publish?.via?.value === 'mqtt' ? { via: 'mqtt' as const } : {};
      for (const wire of names) {
        const key = JSON.stringify([type.id, node.role, wire, via]);
        if (found.has(key)) continue;
        const to = way.publish?.to?.value ?? '';
        const from = publisherOf(way).name;
        found.set(key, { type, entry: { kind: node.role, name: wire }, to, from, ...via });
      }
    }
  }
  return [...found.values()];
}

/** @returns the nodes that a publish may enter: what aliases name, and each member of a spread */
export function entriesBehind(graph: RoutingGraph, way: Edge): Set<string> {
  const seen = new Set([way.to]);
  for (const id of seen)
    for (const { kind, to } of graph.out.get(id) ?? [])
      if (kind === 'alias' || kind === 'member') seen.add(to);
  return seen;
}

/** @returns the traffic of two topologies, what is alike in both once */
export function trafficTogether(before: readonly Traffic[], after: readonly Traffic[]): Traffic[] {
  const told = ({ type, entry, via }: Traffic) => JSON.stringify([messagesOf(type), entry, via]);
  return [...new Map([...before, ...after].map((each) => [told(each), each])).values()];
}

/** What messages a type stands for, as far as their ways hang on it. */
const messagesOf = (type: MessageType) => [
  type.id,
  type.key?.value,
  [...type.required].sort(),
  ...(['headers', 'properties'] as const).map((part) =>
    [...type[part]].map(([name, { schema }]) => [name, schema]),
  ),
];

const APP = 'sender';
const BROKER = 'broker';
const KINDS: ReadonlySet<string> = new Set(['direct', 'fanout', 'topic', 'headers']);

/** Where the messages of one kind of traffic rest, by the queue's wire name. */
export type Resting = ReadonlyMap<string, Diagram>;

/**
 * Tells of any state of a broker where which messages come to rest. Names are replaced by our own in what is
 * read, for anything may be called anything on the wire.
 */
export class Resters {
  private readonly reader = new TopologyReader();
  private readonly names = new Map<string, string>();
  private readonly wire = new Map<string, string>();
  private readonly spaces: (Space | undefined)[];
  /** Of what is not told, why. */
  readonly untold = new Map<Traffic, string>();
  /** How many states were looked at, each counted by how large it is. */
  effort = 0;

  /**
   * @param traffic the messages
   * @param states all that may meet on their way stands in at least one of these
   */
  constructor(
    readonly traffic: readonly Traffic[],
    states: readonly BrokerState[],
  ) {
    const conditions = traffic.map(() => new Set<Predicate>());
    for (const state of states) {
      const around = this.groundOf(state);
      for (const [i, { type }] of traffic.entries()) {
        const way = this.wayOf(around, i);
        if (way) for (const each of conditionsBehind(around, way, type)) conditions[i]!.add(each);
      }
    }
    this.spaces = traffic.map((each, i) =>
      this.orUntold(each, () => new Space(each.type, templateOf(each), conditions[i]!)),
    );
  }

  /** @returns the messages of one kind of traffic */
  spaceOf(traffic: number): Space | undefined {
    return this.spaces[traffic];
  }

  /** @returns for each kind of traffic where its messages rest in a state */
  in(state: BrokerState): Resting[] {
    const around = this.groundOf(state);
    return this.traffic.map((each, i) => {
      const space = this.spaces[i];
      const way = this.wayOf(around, i);
      const resting = new Map<string, Diagram>();
      if (!space || !way || this.untold.has(each)) return resting;
      const { diagrams } = space;
      const fates = this.orUntold(each, () => {
        const typed: Ground = { ...around, type: () => each.type };
        return new Following(typed, space, templateOf(each)).publish(way);
      });
      for (const { node, outcome, copies } of fates ?? []) {
        if (node === undefined || !STAYS.has(outcome)) continue;
        const set = diagrams.map(copies, ({ value }) => (value === 0 ? diagrams.no : diagrams.yes));
        const queue = this.wire.get(node)!;
        const before = resting.get(queue);
        resting.set(queue, before ? diagrams.apply(diagrams.or, before, set) : set);
      }
      return resting;
    });
  }

  private orUntold<T>(traffic: Traffic, work: () => T): T | undefined {
    try {
      return work();
    } catch (error) {
      if (!(error instanceof TooManyClasses)) throw error;
      this.untold.set(traffic, error.message);
      return undefined;
    }
  }

  private wayOf(around: Ground, traffic: number): Edge | undefined {
    return around.out(`publisher:${APP}`).find(({ publish }) => publish?.message?.value === `t${traffic}`);
  }

  /** @returns what a thing is called in what is read */
  private nameOf(kind: 'exchange' | 'queue', wire: string): string {
    const key = `${kind} ${wire}`;
    let name = this.names.get(key);
    if (name === undefined) {
      name = `${kind}-${this.names.size}`;
      this.names.set(key, name);
      this.wire.set(`${kind}:${BROKER}/${name}`, wire);
    }
    return name;
  }

  /** The state as a topology with a broker that is open, and an app that sends each kind of traffic. */
  private groundOf(state: BrokerState): Ground {
    const exchanges = [...state.exchanges.values()].filter(({ type }) => KINDS.has(type));
    const there = new Set(exchanges.map(({ name }) => name));
    const documents = exchanges.map((exchange) => {
      const own = this.nameOf('exchange', exchange.name);
      return {
        name: `${own}.json`,
        text: JSON.stringify({ brokers: { [BROKER]: this.exchange(state, exchange, there) } }),
      };
    });
    this.effort += 1 + documents.reduce((sum, { text }) => sum + text.length, 0) / 20_000;
    const queues = Object.fromEntries(
      [...state.queues.keys()].map((each) => [this.nameOf('queue', each), {}]),
    );
    const broker = {
      kind: 'amqp',
      access: 'open',
      queues,
    };
    const publishes = this.traffic.map(({ entry: { kind, name } }, i) => ({
      message: `t${i}`,
      to: `${kind}:${BROKER}/${this.nameOf(kind, name)}`,
    }));
    const head = {
      messages: Object.fromEntries(this.traffic.map((_, i) => [`t${i}`, {}])),
      apps: { [APP]: { publishes } },
      brokers: { [BROKER]: broker },
    };
    const topology = this.reader.read([{ name: 'head.json', text: JSON.stringify(head) }, ...documents]);
    return groundOf(buildGraph(topology));
  }

  private exchange(state: BrokerState, exchange: WireExchange, there: ReadonlySet<string>): object {
    const alternate = alternateOf(exchange);
    const name = this.nameOf('exchange', exchange.name);
    const decl = {
      type: exchange.type,
      ...(exchange.internal ? { internal: true } : {}),
      ...(alternate !== undefined && there.has(alternate)
        ? { unroutedTo: this.nameOf('exchange', alternate) }
        : {}),
    };
    const bindings = state
      .from(exchange.name)
      .filter(({ to, destination }) => to === 'queue' || there.has(destination))
      .map(({ to, destination, key, arguments: terms }) => ({
        from: name,
        to: this.nameOf(to, destination),
        key: escaped(key),
        ...(exchange.type === 'headers' ? { headers: headersOf(terms) } : {}),
      }));
    return { exchanges: { [name]: decl }, ...(bindings.length ? { bindings } : {}) };
  }
}

/** In values that are read, `${` begins a parameter; names stand for themselves. */
const escaped = (text: string): string => text.replaceAll('${', () => '$${');

function headersOf({ 'x-match': match, ...values }: Arguments): object {
  return {
    match: match === 'any' ? 'any' : 'all',
    values: Object.fromEntries(
      Object.entries(values).map(([name, value]) => [
        name,
        typeof value === 'string' ? escaped(value) : value,
      ]),
    ),
  };
}

/** @returns what the keys of messages are made by */
const templateOf = ({ type, via }: Traffic): string => {
  const key = type.key?.value ?? '';
  return via ? key.replaceAll('/', '.') : key;
};
