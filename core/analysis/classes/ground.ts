/**
 * What following all messages asks of a topology, and nothing else: so that it is known which publishes have to be
 * followed again after a change.
 */
import type { Edge, GraphNode, SpreadNode } from '../../brokers/terms.ts';
import type { Ask as AskFact, Tables } from '../../incremental/asking.ts';
import { Question, sameItems } from '../../incremental/memory.ts';
import { ENTRIES, type Thing } from '../../language/thing.ts';
import { deal } from '../../routing/choose.ts';
import { type RoutingGraph, surroundingsOf } from '../../routing/graph.ts';
import { mqttEntry } from '../../routing/nodes.ts';
import type { Ask, Surroundings } from '../../routing/onward.ts';
import type { GatheringOrder } from '../../routing/order.ts';
import { instancesOf } from '../../routing/walk.ts';
import { brokenLinks } from '../../routing/ways.ts';
import { lookUp } from '../../topology/address.ts';
import type { MessageType } from '../../topology/messages.ts';
import { waysMet } from './met.ts';
import type { Arrival } from './variety.ts';
import { tenantOf as ownerOf } from '../../topology/owner.ts';

/** Whether something is allowed, whatever the key; and the patterns of keys for which it is or is not. */
export interface May {
  readonly always: boolean;
  readonly allowed: readonly string[];
  readonly denied: readonly string[];
}

/** What is asked of a topology by who follows all messages of a publish. */
export interface Ground extends Surroundings {
  type(id: string): MessageType | undefined;
  /** @returns the node an address of an entry names; undefined where it names none */
  entry(address: string): string | undefined;
  /** @returns the node that what is published to a broker over MQTT enters; '' for none */
  mqttEntry(broker: string): string;
  /** @param key of the messages; without one it is told which keys it hangs on */
  may(ask: Ask, key?: string): May;
  /** @returns the tenant that owns a thing */
  tenant(of: Thing): string | undefined;
  /** @returns how many instances of an app run */
  instances(app: string): number;
  /** @returns whether a link that takes from a store leads nowhere */
  broken(store: string): boolean;
  /** @returns the members of a spread of which each may come up for a publisher; undefined where none does */
  members(spread: SpreadNode, publisher: Thing | undefined): readonly Edge[] | undefined;
  /** @returns the same surroundings, of an exchange's bindings only those that let some messages of an arrival through */
  meeting(arrival: Arrival): Surroundings;
  readonly order: GatheringOrder;
}

/** Whether a member of a spread is ever chosen. */
const hasShare = ({ decl }: SpreadNode, member: number): boolean =>
  decl.choose?.value !== 'weighted' || (decl.weights?.items[member]?.value ?? 1) > 0;

/** The nearest member takes all; of the others each one's turn comes. */
function membersOf(
  graph: RoutingGraph,
  spread: SpreadNode,
  publisher: Thing | undefined,
): readonly Edge[] | undefined {
  const dealt = deal(graph, spread, 1, publisher, new Map());
  if (!dealt) return undefined;
  if (spread.decl.choose?.value === 'nearest') return dealt.shares.map(({ edge }) => edge);
  return (graph.out.get(spread.id) ?? []).filter((edge, i) => edge.kind === 'member' && hasShare(spread, i));
}

/** @returns in whose name somebody asks */
const tenantOfCaller = ({ topology }: RoutingGraph, who: Thing): string | undefined =>
  (who.kind === 'link' ? undefined : ownerOf(topology, who)) ?? topology.declared.tenant?.value;

function mayIn(
  { decide }: RoutingGraph,
  { who, action, on, source }: Ask,
  tenant: string | undefined,
  key: string | undefined,
): May {
  const { allowed, forKeys } = decide({
    who: { thing: who, tenant },
    action,
    on,
    ...(key === undefined ? {} : { key }),
    ...(source ? { source } : {}),
  });
  return { always: allowed, allowed: forKeys?.allowed ?? [], denied: forKeys?.denied ?? [] };
}

/** @returns what can be asked of a graph */
export function groundOf(graph: RoutingGraph): Ground {
  const { topology } = graph;
  const around = surroundingsOf(graph);
  return {
    ...around,
    meeting: (arrival) => ({
      node: around.node,
      out: (id) => {
        const out = around.out(id);
        return around.node(id)?.role === 'exchange' ? waysMet(out, arrival) : out;
      },
    }),
    type: (id) => topology.messages.get(id),
    entry: (address) => entryIn(graph, address),
    mqttEntry: (broker) => mqttEntry(topology, broker),
    may: (ask, key) => mayIn(graph, ask, tenantOfCaller(graph, ask.who), key),
    tenant: (of) => tenantOfCaller(graph, of),
    instances: (app) => instancesOf(graph, app),
    broken: (store) => brokenLinks(topology).has(store),
    members: (spread, publisher) => membersOf(graph, spread, publisher),
    get order() {
      return graph.order;
    },
  };
}

function entryIn({ topology }: RoutingGraph, address: string): string | undefined {
  const found = lookUp(topology.names, address, ENTRIES);
  return found.ok ? found.thing.id : undefined;
}

/** Kinds of facts, for who asks them one by one. */
export type GroundFact =
  'type' | 'node' | 'out' | 'met' | 'entry' | 'mqtt' | 'tenant' | 'may' | 'instances' | 'broken' | 'members';

/** What was asked about, by the text that stands for it. */
export class Questions {
  readonly asks = new Map<string, { readonly ask: Ask; readonly tenant?: string; readonly key?: string }>();
  readonly things = new Map<string, Thing>();
  readonly met = new Map<
    string,
    { readonly at: string; readonly arrival: Arrival; last?: readonly Edge[] }
  >();
  readonly spreads = new Map<string, { readonly spread: string; readonly publisher: Thing | undefined }>();

  private readonly answers = new Map<string, May>();

  /** @returns an answer that was told as text: there are few different ones */
  read(text: string): May {
    let may = this.answers.get(text);
    if (!may) this.answers.set(text, (may = JSON.parse(text) as May));
    return may;
  }

  /** How many are noted. */
  get size(): number {
    return this.asks.size + this.things.size + this.met.size + this.spreads.size + this.answers.size;
  }
}

const NO_WAYS: readonly Edge[] = [];

type Answering = (about: unknown) => unknown;
/** While what answers is the same function, so are all its answers. */
const MAY = new Question<Answering>('what may be done, for all messages');
const ENTRIES_NAMED = new Question<Answering>('entries, for all messages');
const MQTT = new Question<Answering>('where MQTT enters, for all messages');
const TENANTS = new Question<Answering>('tenants, for all messages');
const INSTANCES = new Question<Answering>('instances, for all messages');

/** @returns the facts of a graph, for those who ask by `askedGround` */
export function groundFacts(graph: RoutingGraph, questions: Questions): Tables<GroundFact> {
  const { topology, decide } = graph;
  const { memory, names, declared } = topology;
  const may = (about: unknown): string => {
    const { ask, tenant, key } = questions.asks.get(about as string)!;
    return JSON.stringify(mayIn(graph, ask, tenant, key));
  };
  return {
    type: topology.messages,
    node: graph.nodes,
    out: graph.out,
    met: (about) => {
      const asked = questions.met.get(about as string)!;
      const met = waysMet(graph.out.get(asked.at) ?? NO_WAYS, asked.arrival);
      // other bindings of the exchange may have changed
      return (asked.last = asked.last && sameItems(asked.last, met) ? asked.last : met);
    },
    entry: memory.latest(ENTRIES_NAMED, [names], () => (about) => entryIn(graph, about as string)),
    mqtt: memory.latest(
      MQTT,
      [names, declared.brokers],
      () => (about) => mqttEntry(topology, about as string),
    ),
    tenant: memory.latest(
      TENANTS,
      [declared.apps, declared.brokers, declared.tenant, questions],
      () => (about) => tenantOfCaller(graph, questions.things.get(about as string)!),
    ),
    may: memory.latest(MAY, [decide, questions], () => may),
    instances: memory.latest(
      INSTANCES,
      [declared.apps],
      () => (about) => instancesOf(graph, about as string),
    ),
    broken: brokenLinks(topology) as ReadonlyMap<string, unknown>,
    members: (about) => {
      const { spread, publisher } = questions.spreads.get(about as string)!;
      const node = graph.nodes.get(spread);
      if (node?.role !== 'spread') return undefined;
      const members = membersOf(graph, node, publisher);
      return members && JSON.stringify(members.map(({ id }) => id));
    },
  };
}

/** A text after its length, so that several in a row are told from any others. */
const told = (text: string | undefined): string => (text === undefined ? '-' : `${text.length}:${text}`);

/** @returns what can be asked of a graph, each question noted for who is looking */
export function askedGround(graph: RoutingGraph, ask: AskFact<GroundFact>, questions: Questions): Ground {
  const out = (id: string) => (ask('out', id) as readonly Edge[] | undefined) ?? [];
  const tenantOf = (of: Thing) => {
    questions.things.set(of.id, of);
    return ask('tenant', of.id) as string | undefined;
  };
  const node = (id: string) => ask('node', id) as GraphNode | undefined;
  return {
    node,
    out,
    meeting: (arrival) => {
      const { type, key, wrapped } = arrival;
      const form = `${wrapped ? 'w' : 'p'}${told(type.id)}${told(key)}`;
      return {
        node,
        out: (at) => {
          if (node(at)?.role !== 'exchange') return out(at);
          const id = `${form}${at}`;
          const known = questions.met.get(id);
          if (known?.arrival !== arrival)
            questions.met.set(id, { at, arrival, ...(known?.last ? { last: known.last } : {}) });
          return ask('met', id) as readonly Edge[];
        },
      };
    },
    type: (id) => ask('type', id) as MessageType | undefined,
    entry: (address) => ask('entry', address) as string | undefined,
    mqttEntry: (broker) => ask('mqtt', broker) as string,
    may: (of, key) => {
      const tenant = tenantOf(of.who);
      const id = `${told(of.who.id)}${told(tenant)}${of.action}${told(of.on.id)}${told(of.source?.id)}${told(key)}`;
      if (!questions.asks.has(id))
        questions.asks.set(id, {
          ask: of,
          ...(tenant === undefined ? {} : { tenant }),
          ...(key === undefined ? {} : { key }),
        });
      return questions.read(ask('may', id) as string);
    },
    tenant: tenantOf,
    instances: (app) => ask('instances', app) as number,
    broken: (store) => ask('broken', store) !== undefined,
    members: (spread, publisher) => {
      const id = `${spread.id} ${publisher?.id ?? ''}`;
      questions.spreads.set(id, { spread: spread.id, publisher });
      const ids = ask('members', id) as string | undefined;
      if (ids === undefined) return undefined;
      const chosen = new Set(JSON.parse(ids) as string[]);
      return out(spread.id).filter((edge) => chosen.has(edge.id));
    },
    get order() {
      return graph.order;
    },
  };
}
