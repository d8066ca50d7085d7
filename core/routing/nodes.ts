/** Everything a message can be at. */
import type { GraphNode, NodeRole, QueueNode, SubscriptionNode } from '../brokers/terms.ts';
import type { ResourceDecl } from '../brokers/kind.ts';
import { type BrokerDecl, kindOf } from '../brokers/kinds.ts';
import { parseMqttFilter } from '../conditions/mqtt.ts';
import { type Remade, remade } from '../incremental/changed.ts';
import { sameOrder } from '../incremental/layered.ts';
import { Question, remembered, settled } from '../incremental/memory.ts';
import type { AppDecl, ConsumeDecl } from '../language/app.ts';
import type { Item, Items } from '../language/shape.ts';
import type { SpreadDecl } from '../language/spread.ts';
import { EXCHANGES, type Thing, type ThingKind, thing } from '../language/thing.ts';
import type { Located } from '../syntax/place.ts';
import { appsByDocument } from '../topology/apps.ts';
import { type OnBroker, lookUp } from '../topology/address.ts';
import type { Topology } from '../topology/topology.ts';

export const publisherId = (app: string): string => `publisher:${app}`;
export const takerId = (app: string): string => `taker:${app}`;

type Nodes = ReadonlyMap<string, GraphNode>;

type Joined = { readonly parts: ReadonlyMap<string, Nodes>; readonly whole: Nodes };

const NODES = new Question<Joined>('nodes');
/** The nodes of what is on a broker, by kind. */
interface ResourceNodes {
  readonly on: OnBroker;
  readonly kinds: ReadonlyMap<ThingKind, Remade<string, Item<ResourceDecl>, GraphNode>>;
}

const RESOURCES = new Question<ReadonlyMap<string, ResourceNodes>>('nodes of resources');
const NO_BROKERS: Items<BrokerDecl> = new Map();
const SPREADS = new Question<Nodes>('nodes of spreads');
const APPS = {
  all: new Question<Nodes>('nodes of apps'),
  parts: new Question<ReadonlyMap<string, Nodes>>('nodes of apps by document'),
  joined: new Question<Joined>('nodes of apps together'),
};
const SESSIONS: typeof APPS = {
  all: new Question('sessions'),
  parts: new Question('sessions by document'),
  joined: new Question('sessions together'),
};

/** @returns every node of a topology, by id */
export function nodesOf(topology: Topology): Nodes {
  const { declared, names, memory } = topology;
  const { brokers, spreads } = declared;
  const apps = appsByDocument(declared, memory);
  const entries = [...(brokers?.keys() ?? [])].map((each) => mqttEntry(topology, each)).join('\n');
  const ofApps = (questions: typeof APPS, nodesIn: (items: Items<AppDecl>) => GraphNode[]) =>
    memory.latest(questions.all, [apps, entries], () => {
      const parts = memory.each(questions.parts, apps, (own) => byId(nodesIn(own)), {
        ground: [entries],
        settle,
      });
      return memory.joined(questions.joined, parts, (part) => part, last, { ordered: true });
    });
  const resources = memory.each(
    RESOURCES,
    brokers ?? NO_BROKERS,
    ({ value }, id, before) => resourceNodes(value, names.brokers.get(id)!, before),
    { holds: ({ on }, id) => names.brokers.get(id) === on, steady: names.brokers },
  );
  const ofSpreads = memory.latest(SPREADS, [spreads], () =>
    byId([...(spreads?.values() ?? [])].map((item) => spreadNode(item))),
  );
  const all = new Map<string, Nodes>([
    ['apps', ofApps(APPS, (items) => [...items.values()].flatMap((item) => appNodes(item)))],
    ...[...resources].flatMap(([id, { kinds }]) =>
      Array.from(kinds, ([kind, { made }]) => [`${kind} ${id}`, made] as const),
    ),
    ['spreads', ofSpreads],
    ['sessions', ofApps(SESSIONS, (items) => sessionNodes(topology, items))],
  ]);
  return memory.joined(NODES, all, (part) => part, last, { ordered: true });
}

const byId = (nodes: readonly GraphNode[]): Nodes => new Map(nodes.map((node) => [node.id, node]));

/** Of two nodes of one id the later one counts. */
const last = (nodes: readonly GraphNode[]): GraphNode => nodes.at(-1)!;

const settle = (made: Nodes, before: Nodes): Nodes =>
  sameOrder(made, before) ? settled(made, before) : made;

function resourceNodes(decl: BrokerDecl, on: OnBroker, before: ResourceNodes | undefined): ResourceNodes {
  const { resources, queueNameIsKey } = kindOf(decl);
  const kinds = resources(decl).map(([kind, items]) => {
    const things = on.get(kind)!;
    const node = (item: Item<ResourceDecl>) =>
      // a subscription that hands to a queue is a way, not a place
      kind === 'subscription' && 'to' in item.value && item.value.to
        ? undefined
        : resourceNode(item, things.get(item.name)!, queueNameIsKey);
    return [kind, remade(before?.kinds.get(kind), items, (name) => things.get(name)!.id, node)] as const;
  });
  return { on, kinds: new Map(kinds) };
}

const appNodes = remembered(({ name, key, value }: Item<AppDecl>): GraphNode[] => {
  const of = thing('app', name);
  const node = (role: 'publisher' | 'taker', id: string): GraphNode => ({
    id,
    role,
    thing: of,
    place: key,
    decl: value,
  });
  return [
    ...(value.publishes?.items.length ? [node('publisher', publisherId(name))] : []),
    ...(value.consumes?.items.length ? [node('taker', takerId(name))] : []),
  ];
});

const spreadNode = remembered(({ name, key, value }: Item<SpreadDecl>): GraphNode => {
  const of = thing('spread', name);
  return { id: of.id, role: 'spread', thing: of, place: key, decl: value };
});

const resourceNode = remembered(
  (
    { name, key, value }: Item<{ readonly wireName?: Located<string> | undefined }>,
    of: Thing,
    named: boolean,
  ) => {
    const own: Partial<QueueNode> =
      of.kind === 'queue' && named ? { enteredAs: value.wireName?.value || name } : {};
    const role = of.kind as NodeRole & ThingKind;
    return { id: of.id, role, thing: of, place: key, decl: value, ...own } as unknown as GraphNode;
  },
  (node, _, of) => node.thing === of,
);

/** @returns the id of the exchange that MQTT publishes to a broker enter, or '' when it has none. */
export function mqttEntry({ declared, names }: Topology, broker: string): string {
  const decl = declared.brokers?.get(broker)?.value;
  const exchange = decl && kindOf(decl).mqttExchange(decl);
  if (!exchange) return '';
  const found = lookUp(names, exchange.value, EXCHANGES, broker);
  return found.ok ? found.thing.id : '';
}

/** What an MQTT taker subscribes to is a store of its own for each instance, or one of all that share its group and filter. */
export interface Session {
  readonly store: Thing;
  /** The exchange that feeds it. */
  readonly entry: string;
  readonly filter: Extract<ReturnType<typeof parseMqttFilter>, { ok: true }>;
}

/** @returns the store of what an app takes over MQTT; undefined for what it takes otherwise, or what names nothing */
export function sessionOf(topology: Topology, app: string, consume: ConsumeDecl): Session | undefined {
  if (consume.via?.value !== 'mqtt') return undefined;
  const broker = consume.from?.value ?? '';
  const filter = parseMqttFilter(consume.topic?.value ?? '');
  const entry = mqttEntry(topology, broker);
  if (!filter.ok || !entry) return undefined;
  const name = filter.share === undefined ? `${app}:${consume.topic!.value}` : consume.topic!.value;
  return { entry, store: thing('subscription', name, broker), filter };
}

function sessionNodes(topology: Topology, apps: Items<AppDecl>): GraphNode[] {
  return [...apps.values()].flatMap(({ name: app, value }) =>
    (value.consumes?.items ?? []).flatMap((consume) => {
      const session = sessionOf(topology, app, consume);
      return session ? [sessionNode(consume, app, session)] : [];
    }),
  );
}

const sessionNode = remembered(
  ({ place }: ConsumeDecl, app: string, { store, entry, filter: { share } }: Session): GraphNode => {
    const decl = share !== undefined ? { place } : { place, perInstanceOf: { value: app, place } };
    return { id: store.id, role: 'subscription', thing: store, place, decl, session: entry } as GraphNode;
  },
  (node, _, __, { store, entry }) => node.id === store.id && (node as SubscriptionNode).session === entry,
);
