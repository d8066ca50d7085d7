/**
 * What checks see of a topology. Whatever they ask is noted, so that it can be told later, by asking
 * the same again, whether what they said still stands.
 */
import { type Arrivals, NO_ARRIVALS, followArrivals } from '../classes/arrivals.ts';
import type { Arrival } from '../classes/variety.ts';
import type { BrokerDecl } from '../../brokers/kinds.ts';
import { differing, sameOrder } from '../../incremental/layered.ts';
import type { AppDecl } from '../../language/app.ts';
import type { LinkDecl } from '../../language/link.ts';
import type { StatementDecl } from '../../language/statement.ts';
import type { TenantDecl } from '../../language/tenant.ts';
import { type Thing, type ThingKind, addressOf, thing } from '../../language/thing.ts';
import type { RoutingGraph } from '../../routing/graph.ts';
import type { Edge, GraphNode } from '../../routing/parts.ts';
import type { Decide } from '../../routing/permission.ts';
import { tenantOf } from '../../topology/owner.ts';
import type { Topology } from '../../topology/topology.ts';

/** What is said of a broker as a whole. */
export interface BrokerTraits {
  readonly kind: BrokerDecl['variant'];
  readonly open: boolean;
  readonly transit: 'encrypted' | 'plain';
  readonly rest: 'encrypted' | 'plain';
  readonly clears: ReadonlySet<string>;
  readonly tenant: string | undefined;
}

/** How a message type is sent anywhere. */
export interface Sent {
  /** The apps that send it. */
  readonly by: readonly string[];
  readonly persistent: boolean;
  readonly to: readonly string[];
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

type Question = keyof CheckContext;

/** Labels that are guarded where no document says otherwise. */
const GUARDED: ReadonlySet<string> = new Set(['personal', 'financial']);

/** The answers for one state of a topology. */
export class Facts {
  readonly arrivals: Arrivals;
  /** The nodes about which anything may be otherwise than before; undefined for all. */
  readonly changed: ReadonlySet<string> | undefined;
  readonly brokers: ReadonlyMap<string, Broker>;
  readonly sent: ReadonlyMap<string, Sent>;
  readonly denials: readonly StatementDecl[];
  /** Made when first asked for. */
  private things: Things | undefined;
  readonly people: { readonly publishers: boolean; readonly takers: boolean };

  /** @param before those of an earlier state by the same reader */
  constructor(
    readonly graph: RoutingGraph,
    before?: Facts,
  ) {
    const followed = followArrivals(graph, before);
    this.arrivals = followed.arrivals;
    this.changed = followed.changed;
    const was = before?.graph.topology;
    const { declared, names } = graph.topology;
    this.brokers = brokersOf(graph, before?.brokers);
    if (before && was!.declared.apps === declared.apps) {
      this.sent = before.sent;
      this.people = before.people;
    } else {
      this.sent = sentIn(graph, before?.sent);
      const people = peopleIn(graph);
      const known = before?.people;
      this.people =
        known?.publishers === people.publishers && known.takers === people.takers ? known : people;
    }
    if (before && was!.declared.access === declared.access) this.denials = before.denials;
    else {
      const denials = (declared.access?.items ?? []).filter(({ deny, when }) => deny && !when);
      this.denials = before && sameList(before.denials, denials) ? before.denials : denials;
    }
    // what MQTT takers subscribe to is named by no declaration of its own
    const same = was?.names === names && sameOrder(before!.graph.nodes, graph.nodes);
    this.things = same ? before!.things : undefined;
  }

  answer(question: Question, about: unknown): unknown {
    const { declared, messages, names } = this.graph.topology;
    const id = about as string;
    switch (question) {
      case 'node':
        return this.graph.nodes.get(id);
      case 'out':
        return this.graph.out.get(id) ?? NO_EDGES;
      case 'into':
        return this.graph.into.get(id) ?? NO_EDGES;
      case 'arrivals':
        return this.arrivals.get(id) ?? NO_ARRIVALS;
      case 'app':
        return declared.apps?.get(id)?.value;
      case 'link':
        return declared.links?.get(id)?.value;
      case 'tenant':
        return declared.tenants?.get(id)?.value;
      case 'broker':
        return this.brokers.get(id)?.traits;
      case 'owner':
        return tenantOf(this.graph.topology, about as Thing);
      case 'sent':
        return messages.has(id) ? this.sent.get(id) : undefined;
      case 'guarded':
        return declared.labels?.get(id)?.value.guarded?.value ?? GUARDED.has(id);
      case 'peopled':
        return this.people;
      case 'decide':
        return this.graph.decide;
      case 'denials':
        return this.denials;
      case 'things':
        return (this.things ??= thingsIn(this.graph));
      case 'callers':
        return callersIn(this.graph);
      case 'names':
        return names;
    }
  }
}

interface Broker {
  readonly decl: BrokerDecl;
  readonly traits: BrokerTraits;
  readonly sign: string;
}

function brokersOf({ topology }: RoutingGraph, before: Facts['brokers'] | undefined): Facts['brokers'] {
  const found = new Map<string, Broker>();
  for (const [id, { value }] of topology.declared.brokers ?? []) {
    const traits: BrokerTraits = {
      kind: value.variant,
      open: value.access?.value === 'open',
      transit: value.transit?.value ?? 'encrypted',
      rest: value.rest?.value ?? 'encrypted',
      clears: new Set(value.clears?.items.map((label) => label.value)),
      tenant: (value.tenant ?? topology.declared.tenant)?.value,
    };
    const sign = JSON.stringify([{ ...traits, clears: [...traits.clears] }]);
    const known = before?.get(id);
    found.set(id, { decl: value, sign, traits: known?.sign === sign ? known.traits : traits });
  }
  return found;
}

function peopleIn({ topology }: RoutingGraph): Facts['people'] {
  const apps = [...(topology.declared.apps?.values() ?? [])];
  return {
    publishers: apps.some(({ value }) => value.publishes?.items.length),
    takers: apps.some(({ value }) => value.consumes?.items.length),
  };
}

function sentIn({ topology }: RoutingGraph, before: Facts['sent'] | undefined): Facts['sent'] {
  const found = new Map<string, { by: Set<string>; persistent: boolean; to: Set<string> }>();
  for (const [app, { value }] of topology.declared.apps ?? []) {
    for (const { message, to, persistent } of value.publishes?.items ?? []) {
      if (!message) continue;
      const sent = found.get(message.value) ?? { by: new Set(), persistent: false, to: new Set() };
      sent.by.add(app);
      if (to) sent.to.add(to.value);
      sent.persistent ||= persistent?.value === true;
      found.set(message.value, sent);
    }
  }
  const result = new Map<string, Sent>();
  for (const [id, { by, persistent, to }] of found) {
    const sent: Sent = { by: [...by], persistent, to: [...to] };
    const known = before?.get(id);
    const still =
      known?.persistent === persistent && sameList(known.by, sent.by) && sameList(known.to, sent.to);
    result.set(id, still ? known : sent);
  }
  return result;
}

const sameList = (a: readonly unknown[], b: readonly unknown[]) =>
  a.length === b.length && a.every((each, i) => each === b[i]);

/** Asked only where something is wrong, so it is made anew, and what asks is looked at anew. */
function callersIn({ topology: { declared } }: RoutingGraph): string[] {
  const named = (kind: string, items: ReadonlyMap<string, unknown> | undefined) =>
    [...(items?.keys() ?? [])].map((name) => `${kind}:${name}`);
  return [
    ...named('app', declared.apps),
    ...named('tenant', declared.tenants),
    ...named('broker', declared.brokers),
    ...named('link', declared.links),
    ...[...(declared.brokers ?? [])].flatMap(([broker, { value }]) =>
      value.variant === 'pubsub'
        ? [...(value.topics?.keys() ?? [])].map((name) => `topic:${broker}/${name}`)
        : [],
    ),
  ];
}

function thingsIn({ nodes, topology }: RoutingGraph): Things {
  const all: Thing[] = [];
  const add = (kind: ThingKind, names: Iterable<string> | undefined, broker: string) => {
    for (const name of names ?? []) all.push(thing(kind, name, broker));
  };
  for (const [broker, { value }] of topology.declared.brokers ?? []) {
    if (value.variant === 'amqp') add('exchange', value.exchanges?.keys(), broker);
    else {
      add('topic', value.topics?.keys(), broker);
      add('subscription', value.subscriptions?.keys(), broker);
    }
    add('queue', value.queues?.keys(), broker);
    add('alias', value.aliases?.keys(), broker);
  }
  // what MQTT takers subscribe to is declared with them
  for (const node of nodes.values())
    if (node.role === 'subscription' && node.thing.name.includes(':')) all.push(node.thing);
  const byAddress = new Map<string, Thing[]>();
  for (const each of all)
    for (const name of [each.id as string, addressOf(each)]) {
      const list = byAddress.get(name);
      if (list) list.push(each);
      else byAddress.set(name, [each]);
    }
  return { all, addresses: new Set(byAddress.keys()), byAddress };
}

/**
 * @returns what the answer to a question hangs on, as `changesSince` names it: the id of a node, or the
 *   question with what it is about, or the question alone where it is about everything
 */
export function groundOf(question: Question, about: unknown): string {
  switch (question) {
    case 'node':
    case 'out':
    case 'into':
    case 'arrivals':
      return about as string;
    case 'app':
    case 'link':
    case 'tenant':
    case 'broker':
    case 'sent':
    case 'guarded':
      return `${question} ${about as string}`;
    default:
      return question;
  }
}

/**
 * @returns the grounds on which some question may be answered otherwise than before, as `groundOf` names
 *   them; undefined where that may be any
 */
export function changesSince(before: Facts, now: Facts): ReadonlySet<string> | undefined {
  if (!now.changed) return undefined;
  // who asks for the callers gets a new list each time
  const found = new Set<string>(['callers']);
  for (const id of now.changed) found.add(id);
  const [was, is] = [before.graph.topology, now.graph.topology];
  const note = (question: Question, ids: Iterable<string>) => {
    for (const id of ids) found.add(groundOf(question, id));
  };
  const apps = differing(was.declared.apps, is.declared.apps);
  note('app', apps);
  note('link', differing(was.declared.links, is.declared.links));
  note('tenant', differing(was.declared.tenants, is.declared.tenants));
  note('guarded', differing(was.declared.labels, is.declared.labels));
  note('sent', differing<string, unknown>(was.messages, is.messages));
  note('sent', differing(before.sent, now.sent));
  let owners = was.declared.tenant?.value !== is.declared.tenant?.value;
  for (const id of apps) {
    const tenantIn = ({ declared }: Topology) => declared.apps?.get(id)?.value.tenant?.value;
    owners ||= tenantIn(was) !== tenantIn(is);
  }
  for (const [id, { traits, decl }] of now.brokers) {
    const known = before.brokers.get(id);
    if (known?.traits === traits && known.decl === decl) continue;
    found.add(groundOf('broker', id));
    // its topics, subscriptions and queues may have owners of their own
    owners ||= known?.traits !== traits || ownersOn(known.decl) !== ownersOn(decl);
  }
  if (owners) found.add('owner');
  if (before.people !== now.people) found.add('peopled');
  if (before.graph.decide !== now.graph.decide) found.add('decide');
  if (before.denials !== now.denials) found.add('denials');
  if (was.names !== is.names) found.add('names');
  if (was.names !== is.names || !sameOrder(before.graph.nodes, now.graph.nodes)) found.add('things');
  return found;
}

/** The owners that a broker's resources state, as one word. */
function ownersOn(decl: BrokerDecl): string {
  const all = decl.variant === 'amqp' ? [decl.queues] : [decl.queues, decl.topics, decl.subscriptions];
  return all
    .flatMap((items) =>
      [...(items ?? [])].flatMap(([name, { value }]) => (value.tenant ? [name, value.tenant.value] : [])),
    )
    .join(' ');
}

/** What was asked while something was looked at, and what was answered. */
export interface Dependencies {
  readonly questions: Question[];
  readonly abouts: unknown[];
  readonly answers: unknown[];
}

/** @returns a look that notes in `asked` what is asked of it; without it nothing is noted */
export function contextOf(facts: Facts, asked?: Dependencies): CheckContext {
  const ask = (question: Question, about?: unknown): unknown => {
    const answer = facts.answer(question, about);
    asked?.questions.push(question);
    asked?.abouts.push(about);
    asked?.answers.push(answer);
    return answer;
  };
  return {
    node: (id) => ask('node', id) as ReturnType<CheckContext['node']>,
    out: (id) => ask('out', id) as ReturnType<CheckContext['out']>,
    into: (id) => ask('into', id) as ReturnType<CheckContext['into']>,
    arrivals: (id) => ask('arrivals', id) as ReturnType<CheckContext['arrivals']>,
    app: (id) => ask('app', id) as ReturnType<CheckContext['app']>,
    link: (id) => ask('link', id) as ReturnType<CheckContext['link']>,
    tenant: (id) => ask('tenant', id) as ReturnType<CheckContext['tenant']>,
    broker: (id) => ask('broker', id) as ReturnType<CheckContext['broker']>,
    owner: (of) => ask('owner', of) as ReturnType<CheckContext['owner']>,
    sent: (type) => ask('sent', type) as ReturnType<CheckContext['sent']>,
    guarded: (label) => ask('guarded', label) as ReturnType<CheckContext['guarded']>,
    peopled: () => ask('peopled') as ReturnType<CheckContext['peopled']>,
    decide: () => ask('decide') as ReturnType<CheckContext['decide']>,
    denials: () => ask('denials') as ReturnType<CheckContext['denials']>,
    things: () => ask('things') as ReturnType<CheckContext['things']>,
    callers: () => ask('callers') as ReturnType<CheckContext['callers']>,
    names: () => ask('names') as ReturnType<CheckContext['names']>,
  };
}

/** @returns whether everything that was asked would be answered the same now */
export function stillSo(facts: Facts, { questions, abouts, answers }: Dependencies): boolean {
  for (let i = 0; i < questions.length; i++)
    if (facts.answer(questions[i]!, abouts[i]) !== answers[i]) return false;
  return true;
}
