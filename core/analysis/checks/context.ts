/**
 * What checks see of a topology. They ask for nothing else, so that it is known which of them have to
 * look again after a change.
 */
import { type Arrivals, NO_ARRIVALS, arrivalsIn } from '../classes/arrivals.ts';
import { arrivalOf } from '../classes/verdicts.ts';
import { type Arrival, keyWords } from '../classes/variety.ts';
import { type BrokerTraits, factsOfBrokers } from './on-brokers.ts';
import type { Unsayable } from '../../brokers/kind.ts';
import { kindOf } from '../../brokers/kinds.ts';
import type { Ask, Tables } from '../../incremental/asking.ts';
import { orderOf } from '../../incremental/layered.ts';
import type { WordToken } from '../../conditions/word-sets.ts';
import { wordsOf } from '../../conditions/words.ts';
import { Question, sameItems, settled } from '../../incremental/memory.ts';
import type { AppDecl } from '../../language/app.ts';
import type { Items } from '../../language/shape.ts';
import type { LinkDecl } from '../../language/link.ts';
import type { StatementDecl } from '../../language/statement.ts';
import type { LabelDecl, TenantDecl } from '../../language/tenant.ts';
import { type Thing, type ThingKind, addressOf } from '../../language/thing.ts';
import type { RoutingGraph } from '../../routing/graph.ts';
import type { Edge, GraphNode } from '../../brokers/terms.ts';
import { takerId } from '../../routing/nodes.ts';
import type { Decide } from '../../routing/permission.ts';
import { appsByDocument, ofEachDocument } from '../../topology/apps.ts';
import { isGuarded } from '../../topology/labels.ts';

/** An entry to which messages come and no way leads on, and a queue to which none leads, as node ids. */
export interface Apart {
  readonly entry: string;
  readonly queue: string;
}

/** How a message type is sent anywhere. */
export interface Sent {
  /** The apps that send it. */
  readonly by: readonly string[];
  readonly persistent: boolean;
  readonly to: readonly string[];
  /** Over MQTT by some. */
  readonly mqtt: boolean;
}

const NO_EDGES: readonly Edge[] = [];

/** Questions about a topology; the answers are the same objects for as long as they are the same. */
export interface CheckContext {
  node(id: string): GraphNode | undefined;
  out(id: string): readonly Edge[];
  into(id: string): readonly Edge[];
  /** The published messages that come to a node. */
  arrivals(id: string): readonly Arrival[];
  app(id: string): AppDecl | undefined;
  link(id: string): LinkDecl | undefined;
  tenant(id: string): TenantDecl | undefined;
  broker(id: string): BrokerTraits | undefined;
  /** The id of the tenant that owns a thing. */
  owner(of: Thing): string | undefined;
  sent(type: string): Sent | undefined;
  /** Whether who takes data of a label must be cleared for it. */
  guarded(label: string): boolean;
  /** Guarded labels of what passes a broker, and the message types that bear each, in the order declared. */
  guardedOn(broker: string): ReadonlyMap<string, readonly string[]>;
  /** What on a broker lacks but each other: the one entry that leads nowhere, and the one queue nothing leads to. */
  apart(broker: string): Apart | undefined;
  /** The names of the exchanges on a broker that give to all their bindings, in the order declared. */
  fanouts(broker: string): readonly string[];
  /** What cannot be told to a broker of what is declared there without a name. */
  unsayable(broker: string): readonly Unsayable[];
  /** Whether something on a broker has another name there than in the text. */
  wireNamed(broker: string): boolean;
  /** How many queues of a broker leave each of `SETTINGS` to its default. */
  unstated(broker: string): readonly number[];
  /** Whether some app receives messages of a type. */
  received(type: string): boolean;
  /** The keys there may be, as far as they are declared. */
  keys(): Keys;
  /** Whether the topology says who publishes anything at all, or who takes. */
  peopled(): { readonly publishers: boolean; readonly takers: boolean };
  decide(): Decide;
  /** The statements that deny something whatever the message, which are few. */
  denials(): readonly StatementDecl[];
  /** Everything that is named by an address. */
  things(): Things;
  /** Everyone that a statement may name. */
  callers(): readonly string[];
  /** Changes when any name comes, goes or changes. */
  names(): object;
}

/** Everything on brokers, and the ways to say it. */
export interface Things {
  readonly all: readonly Thing[];
  readonly addresses: ReadonlySet<string>;
  /** By address and by id. */
  readonly byAddress: ReadonlyMap<string, readonly Thing[]>;
}

/** The keys that message types may have, and those that brokers make themselves. */
export interface Keys {
  /** By the types that have them; undefined where some type leaves its key open, or none is declared. */
  readonly declared: readonly (readonly WordToken[])[] | undefined;
  /** Names of queues, and what dead letters are given. */
  readonly made: () => readonly (readonly WordToken[])[];
}

export type FactKind =
  | 'node'
  | 'out'
  | 'into'
  | 'arrivals'
  | 'app'
  | 'link'
  | 'tenant'
  | 'broker'
  | 'owner'
  | 'appOwner'
  | 'sent'
  | 'received'
  | 'label'
  | 'apart'
  | 'fanouts'
  | 'guardedOn'
  | 'unsayable'
  | 'wireNamed'
  | 'unstated'
  | 'whole';

/** What is remembered of maps that were put together. */
interface Joined<V> {
  readonly parts: ReadonlyMap<string, ReadonlyMap<string, V>>;
  readonly whole: ReadonlyMap<string, V>;
}

const SENT_IN = new Question<ReadonlyMap<string, ReadonlyMap<string, Sent>>>('what is sent by document');
const SENT = new Question<Joined<Sent>>('what is sent');
const RECEIVED = new Question<{
  readonly of: Arrivals;
  readonly counts: ReadonlyMap<string, number>;
}>('what is received');
type People = ReturnType<CheckContext['peopled']>;
const PEOPLE_IN = new Question<ReadonlyMap<string, People>>('people by document');
const PEOPLE = new Question<People>('people');
const DENIALS = new Question<readonly StatementDecl[]>('denials');
const THINGS = new Question<Things>('things');
const CALLERS = new Question<readonly string[]>('callers');
type Owners = ReadonlyMap<string, string>;
type Guarded = ReadonlyMap<string, readonly string[]>;
const NOTHING_GUARDED: Guarded = new Map();
const GUARDS = new Question<Guarded>('guarded labels of message types');
const GUARDED = new Question<ReadonlyMap<string, Guarded>>('guarded data on brokers');
const NODES_LAST = new Question<{ nodes: RoutingGraph['nodes'] }>('nodes looked at last');
const PASSING = new Question<{ readonly of: Arrivals; readonly counts: ReadonlyMap<string, number> }>(
  'what passes brokers',
);
const APP_OWNERS_IN = new Question<ReadonlyMap<string, Owners>>('owners of apps by document');
const APP_OWNERS = new Question<Joined<string>>('owners of apps');
const KEYS = new Question<Keys>('keys');
const DECLARED_KEYS = new Question<{ readonly keys: Known | undefined }>('declared keys');
const MADE_KEYS = new Question<{
  readonly of: RoutingGraph['nodes'];
  readonly counts: ReadonlyMap<string, number>;
}>('keys that brokers make');

/** @returns the facts of a graph, for those who look at it by `contextOf` */
export function factsOf(graph: RoutingGraph): Tables<FactKind> {
  const { topology } = graph;
  const { declared, names, memory } = topology;
  const { apps, labels } = declared;
  const onBrokers = factsOfBrokers(topology);
  const documents = appsByDocument(declared, memory);
  const ownersIn = ofEachDocument(memory, APP_OWNERS_IN, documents, ownersOfApps, settled);
  const appOwners = memory.joined(
    APP_OWNERS,
    ownersIn,
    (part) => part,
    (tenants) => tenants[0]!,
  );
  const arrivals = arrivalsIn(graph);
  const sentIn = ofEachDocument(memory, SENT_IN, documents, sentBy, (made, before) =>
    settled(made, before, sameSent),
  );
  const sent = memory.joined(SENT, sentIn, (part) => part, sentTogether, { same: sameSent });
  const peopleIn = ofEachDocument(memory, PEOPLE_IN, documents, peopleOf, (made, before) =>
    samePeople(made, before) ? before : made,
  );
  const received = memory.tally(RECEIVED, arrivals, (node, here) =>
    node.startsWith(takerId('')) ? here.map(({ type }) => type.id) : [],
  );
  /** What is asked about everything at once. */
  const whole: { readonly [Q in WholeQuestion]: () => unknown } = {
    tenant: () => declared.tenant?.value,
    peopled: () =>
      memory.latest(
        PEOPLE,
        [peopleIn],
        () => ({
          publishers: [...peopleIn.values()].some(({ publishers }) => publishers),
          takers: [...peopleIn.values()].some(({ takers }) => takers),
        }),
        samePeople,
      ),
    decide: () => graph.decide,
    denials: () =>
      memory.latest(
        DENIALS,
        [declared.access],
        () => (declared.access?.items ?? []).filter(({ deny, when }) => deny && !when),
        sameItems,
      ),
    things: () => memory.latest(THINGS, [names, orderOf(graph.nodes)], () => thingsIn(graph)),
    callers: () => memory.latest(CALLERS, [names], () => callersIn(graph)),
    names: () => names,
    keys: () => keysIn(graph, sent),
  };
  return {
    node: graph.nodes,
    out: graph.out,
    into: graph.into,
    arrivals,
    app: apps ?? NONE,
    link: declared.links ?? NONE,
    tenant: declared.tenants ?? NONE,
    ...onBrokers,
    appOwner: appOwners,
    sent,
    received,
    label: labels ?? NONE,
    apart: (broker) => apartOn(graph, arrivals, broker as string),
    guardedOn: guardedIn(graph, arrivals),
    whole: (question) => whole[question as WholeQuestion](),
  };
}

type WholeQuestion = 'peopled' | 'decide' | 'denials' | 'things' | 'callers' | 'names' | 'keys' | 'tenant';

const NONE: ReadonlyMap<string, unknown> = new Map();

/** What of the published messages passes each broker, as far as it bears guarded labels. */
function guardedIn(
  { nodes, topology: { declared, memory, messages } }: RoutingGraph,
  arrivals: Arrivals,
): ReadonlyMap<string, Guarded> {
  const guards = memory.latest(GUARDS, [messages, declared.labels], () => {
    const found = new Map<string, readonly string[]>();
    for (const { id, labels } of messages.values()) {
      const guarded = [...labels].filter((label) => isGuarded(label, declared.labels?.get(label)?.value));
      if (guarded.length) found.set(id, guarded);
    }
    return found;
  });
  // a node that is gone was on the broker that it was on
  const last = memory.own(NODES_LAST, () => ({ nodes }));
  const before = last.nodes;
  last.nodes = nodes;
  const passing = memory.tally(PASSING, arrivals, (node, here) => {
    const broker = (nodes.get(node) ?? before.get(node))?.thing.broker;
    return broker === undefined ? [] : here.map(({ type }) => `${type.id}\n${broker}`);
  });
  return memory.latest(GUARDED, [orderOf(passing), guards], () => {
    const found = new Map<string, Map<string, string[]>>();
    const order = new Map([...guards.keys()].map((type, i) => [type, i]));
    const pairs = [...passing.keys()].map((each) => each.split('\n') as [string, string]);
    const guarded = pairs.filter(([type]) => guards.has(type));
    for (const [type, broker] of guarded.sort(([a], [b]) => order.get(a)! - order.get(b)!)) {
      let on = found.get(broker);
      if (!on) found.set(broker, (on = new Map()));
      for (const label of guards.get(type)!) {
        const types = on.get(label);
        if (types) types.push(type);
        else on.set(label, [type]);
      }
    }
    return found;
  });
}

function ownersOfApps(apps: Items<AppDecl>): Owners {
  const found = new Map<string, string>();
  for (const { name, value } of apps.values()) if (value.tenant) found.set(name, value.tenant.value);
  return found;
}

function peopleOf(apps: Items<AppDecl>): People {
  const all = [...apps.values()];
  return {
    publishers: all.some(({ value }) => value.publishes?.items.length),
    takers: all.some(({ value }) => value.consumes?.items.length),
  };
}

/** The entry and the queue of a broker that lack but each other, as one text; undefined where it is not one of each. */
function apartOn(
  { topology, out, into }: RoutingGraph,
  arrivals: Arrivals,
  broker: string,
): string | undefined {
  const on = topology.names.brokers.get(broker);
  const named = (...kinds: ThingKind[]) => kinds.flatMap((kind) => [...(on?.get(kind)?.values() ?? [])]);
  const entries = named('exchange', 'topic').filter(
    ({ id }) => !out.get(id)?.length && arrivals.get(id)?.length,
  );
  const queues = named('queue').filter(({ id }) => !into.get(id)?.length);
  return entries.length === 1 && queues.length === 1 ? `${entries[0]!.id}\n${queues[0]!.id}` : undefined;
}

const samePeople = (a: People, b: People): boolean => a.publishers === b.publishers && a.takers === b.takers;

/** What some apps send, by message type. */
function sentBy(apps: Items<AppDecl>): ReadonlyMap<string, Sent> {
  const found = new Map<string, Sent[]>();
  for (const { name, value } of apps.values())
    for (const { message, to, persistent, via } of value.publishes?.items ?? []) {
      if (!message) continue;
      const sent = {
        by: [name],
        persistent: persistent?.value === true,
        to: to ? [to.value] : [],
        mqtt: via?.value === 'mqtt',
      };
      const known = found.get(message.value);
      if (known) known.push(sent);
      else found.set(message.value, [sent]);
    }
  return new Map([...found].map(([type, all]) => [type, sentTogether(all)]));
}

const sentTogether = (all: readonly Sent[]): Sent =>
  all.length === 1
    ? all[0]!
    : {
        by: [...new Set(all.flatMap(({ by }) => by))],
        persistent: all.some(({ persistent }) => persistent),
        to: [...new Set(all.flatMap(({ to }) => to))],
        mqtt: all.some(({ mqtt }) => mqtt),
      };

const sameSent = (a: Sent, b: Sent): boolean =>
  a.persistent === b.persistent && a.mqtt === b.mqtt && sameItems(a.by, b.by) && sameItems(a.to, b.to);

function callersIn({ topology: { declared } }: RoutingGraph): readonly string[] {
  const named = (kind: string, items: ReadonlyMap<string, unknown> | undefined) =>
    [...(items?.keys() ?? [])].map((name) => `${kind}:${name}`);
  return [
    ...named('app', declared.apps),
    ...named('tenant', declared.tenants),
    ...named('broker', declared.brokers),
    ...named('link', declared.links),
    ...[...(declared.brokers ?? [])].flatMap(([broker, { value }]) =>
      kindOf(value)
        .resources(value)
        .flatMap(([kind, items]) => (kind === 'topic' ? named(kind, items) : []))
        .map((id) => id.replace(':', `:${broker}/`)),
    ),
  ];
}

function thingsIn({ nodes, topology }: RoutingGraph): Things {
  const all: Thing[] = [];
  for (const on of topology.names.brokers.values())
    for (const things of on.values()) all.push(...things.values());
  // what MQTT takers subscribe to is declared with them
  for (const node of nodes.values()) if (node.role === 'subscription' && node.session) all.push(node.thing);
  const byAddress = new Map<string, Thing[]>();
  for (const each of all)
    for (const name of [each.id as string, addressOf(each)]) {
      const list = byAddress.get(name);
      if (list) list.push(each);
      else byAddress.set(name, [each]);
    }
  return { all, addresses: new Set(byAddress.keys()), byAddress };
}

function keysIn({ topology, nodes }: RoutingGraph, sent: ReadonlyMap<string, Sent>): Keys {
  const { memory, messages } = topology;
  const declared = memory.latest(DECLARED_KEYS, [messages, orderOf(sent)], () => ({
    keys: declaredKeys(topology, sent),
  }));
  // names of queues, and what dead letters are given
  const written = memory.tally(MADE_KEYS, nodes, (_, node) => {
    if (node.role !== 'queue') return [];
    const key = node.decl.deadLetter?.key?.value;
    return key === undefined ? [node.thing.name] : [node.thing.name, key];
  });
  return memory.latest(KEYS, [declared, written], () => {
    let made: Known | undefined;
    const words = (key: string) => wordsOf(key).map((word) => ({ one: [word] }));
    return { declared: declared.keys, made: () => (made ??= [...written.keys()].map(words)) };
  });
}

type Known = readonly (readonly WordToken[])[];

function declaredKeys(
  { messages }: RoutingGraph['topology'],
  sent: ReadonlyMap<string, unknown>,
): Known | undefined {
  const found: (readonly WordToken[])[] = [];
  for (const type of messages.values()) {
    if (!type.key) {
      // one that others build upon, and nobody sends, has none of its own
      if (sent.has(type.id)) return undefined;
      continue;
    }
    const words = keyWords(arrivalOf(type, type.key.value.replaceAll('/', '.'), false));
    if (!words) return undefined;
    found.push(words);
  }
  return found.length ? found : undefined;
}

/** @returns a look at facts that is asked through `ask` */
export function contextOf(ask: Ask<FactKind>): CheckContext {
  const value = (kind: FactKind, id: string) => (ask(kind, id) as { value?: unknown } | undefined)?.value;
  const whole = (question: WholeQuestion) => ask('whole', question);
  return {
    node: (id) => ask('node', id) as GraphNode | undefined,
    out: (id) => (ask('out', id) as readonly Edge[] | undefined) ?? NO_EDGES,
    into: (id) => (ask('into', id) as readonly Edge[] | undefined) ?? NO_EDGES,
    arrivals: (id) => (ask('arrivals', id) as readonly Arrival[] | undefined) ?? NO_ARRIVALS,
    app: (id) => value('app', id) as AppDecl | undefined,
    link: (id) => value('link', id) as LinkDecl | undefined,
    tenant: (id) => value('tenant', id) as TenantDecl | undefined,
    broker: (id) => ask('broker', id) as BrokerTraits | undefined,
    owner: ({ kind, name, broker, id }) => {
      const own = kind === 'app' ? ask('appOwner', name) : broker ? ask('owner', id) : undefined;
      const on = kind === 'broker' ? name : broker;
      const inherited = on ? (ask('broker', on) as BrokerTraits | undefined)?.tenant : undefined;
      return (own ?? inherited ?? whole('tenant')) as string | undefined;
    },
    sent: (type) => ask('sent', type) as Sent | undefined,
    received: (type) => ask('received', type) !== undefined,
    apart: (broker) => {
      const found = ask('apart', broker) as string | undefined;
      const [entry, queue] = found?.split('\n') ?? [];
      return entry && queue ? { entry, queue } : undefined;
    },
    guardedOn: (broker) => (ask('guardedOn', broker) as Guarded | undefined) ?? NOTHING_GUARDED,
    unsayable: (broker) => (ask('unsayable', broker) as readonly Unsayable[] | undefined) ?? [],
    wireNamed: (broker) => ask('wireNamed', broker) === true,
    unstated: (broker) => (ask('unstated', broker) as readonly number[] | undefined) ?? [],
    fanouts: (broker) => (ask('fanouts', broker) as readonly string[] | undefined) ?? [],
    guarded: (label) => isGuarded(label, value('label', label) as LabelDecl | undefined),
    peopled: () => whole('peopled') as People,
    decide: () => whole('decide') as Decide,
    denials: () => whole('denials') as readonly StatementDecl[],
    things: () => whole('things') as Things,
    callers: () => whole('callers') as readonly string[],
    names: () => whole('names') as object,
    keys: () => whole('keys') as Keys,
  };
}
