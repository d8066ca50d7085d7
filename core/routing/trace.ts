/**
 * The trace of one message: the tree of hops it makes through the routing graph, and how each
 * branch ends. Exact by the rules of docs/routing.md; explanations are not made here but on
 * demand, from the edges a hop names (see narrate.ts), so that a hundred thousand messages can be
 * traced for their outcome alone.
 */
import { admits } from '../conditions/evaluate.ts';
import type { Message } from '../conditions/message.ts';
import { ENTRIES, type Thing, addressOf, thing } from '../language/thing.ts';
import { mqttEntry, takerId } from './edge-specs.ts';
import type { RoutingGraph } from './graph.ts';
import type { Edge, ExchangeNode, QueueNode, SpreadNode, StoreNode } from './parts.ts';
import type { Decision } from './permission.ts';
import type { Place } from '../syntax/place.ts';
import { lookUp } from '../topology/address.ts';
import { tenantOf } from '../topology/owner.ts';

/** How one branch of a trace finishes. */
export type Outcome =
  'held' | 'taken' | 'lost' | 'sent back' | 'refused' | 'waiting' | 'unresolved' | 'looped';

export interface End {
  readonly outcome: Outcome;
  /** A plain phrase: why it ends so here. */
  readonly why: string;
  /** The text that decided, where some did. */
  readonly place?: Place;
  /** How many copies end here; 0 where nothing existed to count. */
  readonly copies: number;
}

/** One step of the way. */
export interface Hop {
  /** The node reached; '' where an address names nothing. */
  readonly node: string;
  /** The address that names nothing, as it was written. */
  readonly address?: string;
  /** The way that led here; absent for the first. */
  readonly edge?: Edge;
  /** The message as it is here: a dead letter may have another key, a wrapped one an envelope. */
  readonly message: Message;
  readonly copies: number;
  /** Milliseconds since it was sent, from the links travelled. */
  readonly latency: number;
  readonly next: readonly Hop[];
  /** The message had been here before on another way, so nothing more happens. */
  readonly again?: true;
  /** No binding or subscription here let it on. */
  readonly unmatched?: true;
  /** The permission that was asked for this step, where access is controlled. */
  readonly permission?: Decision;
  readonly end?: End;
  /** Apps and links that take the copies resting here, as thing ids. */
  readonly takers?: readonly string[];
  /** Words about a choice that was made here, such as which member of a spread. */
  readonly note?: string;
}

/** Where copies came to rest, over all branches. */
export interface Rest {
  readonly node: string;
  readonly store: Thing;
  readonly copies: number;
  readonly takers: readonly string[];
  readonly outcome: 'held' | 'taken' | 'waiting';
  /** The latest arrival, in milliseconds. */
  readonly latency: number;
}

export interface Trace {
  readonly message: Message;
  /** The app it was published by, when one is known. */
  readonly from?: string;
  readonly root: Hop;
  readonly rests: readonly Rest[];
  readonly ends: readonly { readonly hop: Hop; readonly end: End }[];
  /** Copies at rest in all. */
  readonly copies: number;
}

/** Where and how a message is sent. */
export interface Sending {
  /** An address, or the broker itself with `via: 'mqtt'`. */
  readonly to: string;
  readonly via?: 'amqp' | 'mqtt';
  /** The publishing app's id; without one, nobody's permission to publish is asked. */
  readonly from?: string;
  readonly mandatory?: boolean;
}

/** Counters of spreads, so that repeating a message shows the next choice. Never changed in place. */
export type RotationState = ReadonlyMap<string, number>;

export interface TraceResult {
  readonly trace: Trace;
  readonly turns: RotationState;
}

/** What a store may do to a copy it gives up on. */
export type DeadLetterReason = 'expired' | 'rejected' | 'overflow' | 'too many deliveries';

/** Copies are followed through at most this many hops; a topology past it repeats without end. */
const MOST_HOPS = 20_000;

/**
 * Traces one message.
 * @param sending where it is sent, by whom
 * @param turns the spread counters of the traces before it
 */
export function trace(
  graph: RoutingGraph,
  message: Message,
  sending: Sending,
  turns: RotationState = new Map(),
): TraceResult {
  const walk = new Walk(graph, turns);
  const root = walk.send(message, sending);
  return { trace: finish(message, root, sending.from), turns: walk.turns };
}

/**
 * Follows a copy that its store gives up on.
 * @param node the store's node id
 * @param message the message as it rested there
 * @returns the trace that begins at that store
 */
export function traceFate(
  graph: RoutingGraph,
  node: string,
  message: Message,
  fate: DeadLetterReason,
  turns: RotationState = new Map(),
): TraceResult {
  const walk = new Walk(graph, turns);
  const root = walk.giveUp(node, message, fate);
  return { trace: finish(message, root), turns: walk.turns };
}

/** A hop being built; its branches are filled in as the walk meets them. */
interface Draft {
  node: string;
  address?: string;
  edge?: Edge;
  message: Message;
  copies: number;
  latency: number;
  next: Draft[];
  again?: true;
  unmatched?: true;
  permission?: Decision;
  end?: End;
  takers?: readonly string[];
  note?: string;
}

class Walk {
  turns: RotationState;
  private hops = 0;

  constructor(
    private readonly graph: RoutingGraph,
    turns: RotationState,
  ) {
    this.turns = turns;
  }

  send(message: Message, sending: Sending): Hop {
    const { topology } = this.graph;
    const publisher = sending.from ? thing('app', sending.from.replace(/^app:/, '')) : undefined;
    if (sending.via === 'mqtt') {
      const entry = mqttEntry(topology, sending.to);
      const sent = { ...message, key: message.key.replaceAll('/', '.') };
      const hop = this.hop(entry, undefined, sent, 1, 0);
      if (!entry) {
        hop.address = sending.to;
        this.end(hop, 'unresolved', `broker \`${sending.to}\` has no exchange for MQTT`);
      } else if (this.mayPublish(hop, publisher, entry)) this.enter(hop, { publisher, mandatory: false });
      return hop;
    }
    const found = lookUp(topology.declared, sending.to, ENTRIES);
    const hop = this.hop(found.ok ? found.thing.id : '', undefined, message, 1, 0);
    if (!found.ok) {
      hop.address = sending.to;
      this.end(hop, 'unresolved', found.message);
    }
    if (found.ok) this.arrive(hop, { publisher, mandatory: sending.mandatory === true });
    return hop;
  }

  giveUp(node: string, message: Message, fate: DeadLetterReason): Hop {
    const hop = this.hop(node, undefined, message, 1, 0);
    const store = this.graph.nodes.get(node);
    if (store?.role !== 'queue' && store?.role !== 'subscription') {
      this.end(hop, 'unresolved', 'only a queue or subscription can give a message up');
      return hop;
    }
    const { decl } = store;
    if (fate === 'overflow' && 'overflow' in decl && decl.overflow?.value === 'refuse-new') {
      this.end(
        hop,
        'refused',
        `${addressOf(store.thing)} is full and refuses new messages`,
        decl.overflow.place,
      );
      return hop;
    }
    const edge = this.graph.out.get(node)?.find((each) => each.kind === 'deadLetter');
    if (!edge) {
      const why = decl.deadLetter
        ? `the dead letter of ${addressOf(store.thing)} names nothing`
        : `${FATES[fate]}, and ${addressOf(store.thing)} has no dead letter`;
      this.end(hop, 'lost', why, decl.deadLetter?.place);
      return hop;
    }
    const key = edge.deadLetter?.key?.value ?? message.key;
    const next = this.step(hop, edge, { ...message, key });
    // the broker itself moves it: no permission is asked, and nobody hears of it when it finds no queue
    this.enter(next, { publisher: undefined, mandatory: false });
    return hop;
  }

  private hop(
    node: string,
    edge: Edge | undefined,
    message: Message,
    copies: number,
    latency: number,
  ): Draft {
    this.hops++;
    return { node, ...(edge ? { edge } : {}), message, copies, latency, next: [] };
  }

  private step(from: Draft, edge: Edge, message = from.message, latency = from.latency): Draft {
    const next = this.hop(edge.to, edge, message, from.copies, latency);
    from.next.push(next);
    return next;
  }

  private end(hop: Draft, outcome: Outcome, why: string, place?: Place, copies = hop.copies): void {
    hop.end = { outcome, why, copies, ...(place ? { place } : {}) };
  }

  /** An addressed entry: aliases and spreads are replaced by what they name, then permission is asked. */
  private arrive(hop: Draft, how: How, seen: ReadonlySet<string> = new Set()): void {
    const node = this.graph.nodes.get(hop.node);
    if (!node) return this.end(hop, 'unresolved', 'it names nothing');
    if (this.hops > MOST_HOPS) return this.end(hop, 'looped', `more than ${MOST_HOPS} hops`);
    if (node.role === 'alias') return this.alias(hop, node.thing, how, seen);
    if (node.role === 'spread') {
      const choice = this.choose(node, how.publisher);
      if (!choice) return this.end(hop, 'unresolved', `${node.thing.id} has no members`, node.place);
      hop.note = choice.why;
      return this.arrive(this.step(hop, choice.edge), how, seen);
    }
    if (!this.mayPublish(hop, how.mover ?? how.publisher, hop.node, how.source)) return;
    if (node.role === 'exchange' && node.decl.internal?.value) {
      return this.end(
        hop,
        'refused',
        `${addressOf(node.thing)} is internal: nothing can be published to it`,
        node.decl.internal.place,
      );
    }
    this.enter(hop, how);
  }

  private alias(hop: Draft, alias: Thing, how: How, seen: ReadonlySet<string>): void {
    if (seen.has(alias.id))
      return this.end(hop, 'unresolved', `the alias chain comes back to ${addressOf(alias)}`);
    const edge = this.graph.out.get(alias.id)?.find((each) => each.kind === 'alias');
    const node = this.graph.nodes.get(alias.id)!;
    if (!edge) return this.end(hop, 'unresolved', `the alias ${addressOf(alias)} names nothing`, node.place);
    const target = this.graph.nodes.get(edge.to)!;
    const following = new Set(seen).add(alias.id);
    if (target.thing.broker === alias.broker || target.role === 'spread') {
      return this.arrive(this.step(hop, edge), how, following);
    }
    if (!edge.link) {
      return this.end(
        hop,
        'unresolved',
        `${addressOf(target.thing)} is on another broker, and the alias names no link`,
        node.place,
      );
    }
    // a remote alias goes into its link's queue, and over the link to its own destination
    if (!this.mayPublish(hop, how.mover ?? how.publisher, alias.id, how.source)) return;
    const { link } = edge;
    if (link.decl.active?.value === false) {
      return this.end(hop, 'waiting', `link ${link.thing.name} is not active`, link.decl.active.place);
    }
    const next = this.step(hop, edge, hop.message, hop.latency + (link.decl.latency?.value ?? 0));
    this.arrive(
      next,
      { publisher: how.publisher, mover: link.thing, source: alias, mandatory: false },
      following,
    );
  }

  /** A message that is let into an exchange, topic or queue. */
  private enter(hop: Draft, how: How): void {
    const node = this.graph.nodes.get(hop.node)!;
    if (node.role === 'exchange') return this.route(hop, node, how);
    if (node.role === 'topic') return this.distribute(hop);
    if (node.role === 'queue') {
      if (this.graph.topology.declared.brokers?.get(node.thing.broker)?.value.variant === 'amqp') {
        // through the unnamed exchange, whose key is the queue's name: a dead letter keeps that one
        const key = ('wireName' in node.decl && node.decl.wireName?.value) || node.thing.name;
        hop.message = { ...hop.message, key };
      }
      if (!this.rest(hop, node) && how.mandatory) {
        this.end(hop, 'sent back', `no instance of ${addressOf(node.thing)} exists`, node.place);
      }
      return;
    }
    this.end(hop, 'unresolved', `${addressOf(node.thing)} cannot be published to`);
  }

  /**
   * Routing inside an AMQP broker: one publish puts at most one copy in a queue, an exchange is asked
   * once, and an exchange that matched nothing hands to its unrouted-to.
   */
  private route(entry: Draft, exchange: ExchangeNode, how: How): void {
    const asked = new Set([exchange.id]);
    const reached = new Set<string>();
    const deliveries: Draft[] = [];
    const work = [entry];
    for (let hop = work.shift(); hop; hop = work.shift()) {
      let ways = this.graph.routers.get(hop.node)!.match(hop.message);
      if (ways.length === 0) {
        hop.unmatched = true;
        ways = (this.graph.out.get(hop.node) ?? []).filter((edge) => edge.kind === 'unrouted');
      }
      for (const edge of ways) {
        const next = this.step(hop, edge);
        const target = this.graph.nodes.get(edge.to)!;
        const seen = target.role === 'exchange' ? asked : reached;
        if (seen.has(edge.to)) {
          next.again = true;
          next.copies = 0;
          continue;
        }
        seen.add(edge.to);
        if (target.role === 'exchange') work.push(next);
        else deliveries.push(next);
      }
    }
    let delivered = false;
    for (const hop of deliveries) {
      delivered = this.rest(hop, this.graph.nodes.get(hop.node) as QueueNode) || delivered;
    }
    if (delivered) return;
    // nothing of it is anywhere: the whole publish ends here, at each exchange that let it fall
    if (how.mandatory) {
      return this.end(entry, 'sent back', `it reached no queue and was published as mandatory`);
    }
    const visit = (hop: Draft): void => {
      const node = this.graph.nodes.get(hop.node);
      if (hop.next.length === 0 && !hop.again && !hop.end && node?.role === 'exchange') {
        this.end(
          hop,
          'lost',
          `no binding of ${addressOf(node.thing)} matches${node.decl.type?.value === 'headers' ? '' : ` \`${hop.message.key}\``}`,
        );
      }
      hop.next.forEach(visit);
    };
    visit(entry);
  }

  /** A topic gives one copy to each subscription whose filter admits the message. */
  private distribute(hop: Draft): void {
    const topic = this.graph.nodes.get(hop.node)!;
    const ways = (this.graph.out.get(hop.node) ?? []).filter((edge) => edge.kind === 'subscription');
    let admitted = 0;
    for (const edge of ways) {
      if (!admits(edge.condition, hop.message)) continue;
      admitted++;
      const wrap = edge.subscription?.decl.wrap?.value === true;
      const next = this.step(hop, edge, wrap ? wrapped(hop.message, topic.thing, edge) : hop.message);
      const target = this.graph.nodes.get(edge.to)!;
      if (target.role === 'queue' && !this.mayPublish(next, topic.thing, edge.to, topic.thing)) continue;
      this.rest(next, target as StoreNode);
    }
    if (admitted > 0) return;
    hop.unmatched = true;
    const name = addressOf(topic.thing);
    this.end(
      hop,
      'lost',
      ways.length ? `no subscription of ${name} admits it` : `nobody subscribes to ${name}`,
      topic.place,
    );
  }

  /** A copy comes to rest. @returns false when the store stands for no queue at all. */
  private rest(hop: Draft, store: StoreNode): boolean {
    const perInstance = 'perInstanceOf' in store.decl ? store.decl.perInstanceOf : undefined;
    if (perInstance) {
      hop.copies *= instancesOf(this.graph, perInstance.value);
      if (hop.copies === 0) {
        this.end(
          hop,
          'lost',
          `${perInstance.value} has no instances, so no such queue exists`,
          perInstance.place,
        );
        return false;
      }
    }
    const ways = this.graph.out.get(store.id) ?? [];
    const takers: string[] = [];
    let refused: { why: string; place?: Place } | undefined;
    for (const edge of ways) {
      if (edge.kind !== 'take') continue;
      const app = this.graph.nodes.get(edge.to)!.thing;
      const permission = this.ask(app, 'consume', store.thing, hop.message.key);
      if (permission.allowed) takers.push(app.id);
      else refused ??= permission;
    }
    hop.takers = [...new Set(takers)];
    const link = ways.find((edge) => edge.kind === 'link');
    if (link && takers.length === 0) {
      this.travel(hop, store, link);
      return true;
    }
    if (takers.length)
      this.end(hop, 'taken', `taken by ${list(hop.takers.map((id) => id.replace(/^app:/, '')))}`);
    else if (refused) this.end(hop, 'held', `it stays: ${refused.why}`, refused.place);
    else this.end(hop, 'held', `nobody takes from ${addressOf(store.thing)}`);
    return true;
  }

  /** A link takes the copy from its queue and publishes it at its far end, with the same key. */
  private travel(hop: Draft, queue: StoreNode, edge: Edge): void {
    const { decl, thing: link } = edge.link!;
    hop.takers = [link.id];
    if (decl.active?.value === false) {
      return this.end(hop, 'waiting', `link ${link.name} is not active`, decl.active.place);
    }
    if (!admits(edge.condition, hop.message)) {
      return this.end(
        hop,
        'waiting',
        `link ${link.name} carries no key \`${hop.message.key}\``,
        decl.keys?.place,
      );
    }
    const permission = this.ask(link, 'consume', queue.thing, hop.message.key);
    if (!permission.allowed) return this.end(hop, 'waiting', permission.why, permission.place);
    const next = this.step(hop, edge, hop.message, hop.latency + (decl.latency?.value ?? 0));
    if (this.hops > MOST_HOPS || this.loops(queue.id))
      return this.end(next, 'looped', `link ${link.name} brings it round again`);
    this.arrive(next, { publisher: undefined, mover: link, source: queue.thing, mandatory: false });
    this.leave(queue.id);
  }

  // the queues whose links are being travelled right now: coming back to one is a loop
  private readonly travelling = new Set<string>();

  private loops(queue: string): boolean {
    if (this.travelling.has(queue)) return true;
    this.travelling.add(queue);
    return false;
  }

  private leave(queue: string): void {
    this.travelling.delete(queue);
  }

  private choose(spread: SpreadNode, publisher: Thing | undefined): { edge: Edge; why: string } | undefined {
    const members = (this.graph.out.get(spread.id) ?? []).filter((edge) => edge.kind === 'member');
    if (members.length === 0) return undefined;
    const turn = this.turns.get(spread.id) ?? 0;
    const how = spread.decl.choose?.value ?? 'rotate';
    const name = (edge: Edge) => addressOf(this.graph.nodes.get(edge.to)!.thing);
    if (how === 'nearest') {
      const home = publisher && homeOf(this.graph, publisher.name);
      const near = home && members.find((edge) => this.graph.nodes.get(edge.to)!.thing.broker === home);
      if (near) return { edge: near, why: `${name(near)} is on ${home}, the publisher’s broker` };
      return {
        edge: members[0]!,
        why: `no member is on the publisher’s broker; ${name(members[0]!)} is first`,
      };
    }
    this.turns = new Map(this.turns).set(spread.id, turn + 1);
    if (how === 'weighted') {
      const weights = members.map((_, i) => spread.decl.weights?.items[i]?.value ?? 1);
      const index = weightedTurn(weights, turn);
      if (index < 0) return undefined;
      const total = weights.reduce((sum, weight) => sum + weight, 0);
      return {
        edge: members[index]!,
        why: `${name(members[index]!)} has ${weights[index]} of ${total} shares`,
      };
    }
    const edge = members[turn % members.length]!;
    return { edge, why: `turn ${(turn % members.length) + 1} of ${members.length} is ${name(edge)}` };
  }

  private ask(who: Thing, action: 'publish' | 'consume', on: Thing, key: string, source?: Thing): Decision {
    const tenant = who.kind === 'link' ? undefined : tenantOf(this.graph.topology, who);
    return this.graph.decide({
      who: { thing: who, tenant: tenant ?? this.graph.topology.declared.tenant?.value },
      action,
      on,
      key,
      ...(source ? { source } : {}),
    });
  }

  /** Asks permission to publish; without it the branch ends refused. Nobody known to ask is let in. */
  private mayPublish(hop: Draft, who: Thing | undefined, node: string, source?: Thing): boolean {
    const on = this.graph.nodes.get(node)?.thing;
    if (!who || !on) return true;
    const permission = this.ask(who, 'publish', on, hop.message.key, source);
    hop.permission = permission;
    if (!permission.allowed) this.end(hop, 'refused', permission.why, permission.place);
    return permission.allowed;
  }
}

/** On whose behalf a message enters. */
interface How {
  readonly publisher: Thing | undefined;
  /** The link that carries it, which then needs permission instead of the publisher. */
  readonly mover?: Thing;
  readonly source?: Thing;
  readonly mandatory: boolean;
}

const FATES: Record<DeadLetterReason, string> = {
  expired: 'it expires',
  rejected: 'it is rejected',
  overflow: 'the queue is full',
  'too many deliveries': 'it is tried too often',
};

/** @returns how many instances of an app run; one where the topology does not say. */
export function instancesOf(graph: RoutingGraph, app: string): number {
  return graph.topology.declared.apps?.get(app)?.value.instances?.value ?? 1;
}

/** @returns the broker an app is connected to: the one it names, else the one most of its ways lead to. */
export function homeOf(graph: RoutingGraph, app: string): string | undefined {
  const decl = graph.topology.declared.apps?.get(app)?.value;
  if (decl?.home) return decl.home.value;
  const counts = new Map<string, number>();
  const ways = [...(graph.out.get(`publisher:${app}`) ?? []), ...(graph.into.get(takerId(app)) ?? [])];
  for (const edge of ways) {
    const broker = [edge.to, edge.from].map((id) => graph.nodes.get(id)!.thing.broker).find(Boolean);
    if (broker) counts.set(broker, (counts.get(broker) ?? 0) + 1);
  }
  return [...counts].sort((a, b) => b[1] - a[1])[0]?.[0];
}

/** Smooth weighted turns: over any total of weights each index comes up by its share, spaced out. */
function weightedTurn(weights: readonly number[], turn: number): number {
  const total = weights.reduce((sum, weight) => sum + weight, 0);
  if (total <= 0) return -1;
  const current = weights.map(() => 0);
  let chosen = 0;
  // turns repeat once every share has been dealt; for whole weights that is after `total` of them
  const steps = Number.isInteger(total) ? turn % total : turn % 10_000;
  for (let step = 0; step <= steps; step++) {
    weights.forEach((weight, i) => (current[i]! += weight));
    chosen = current.indexOf(current.reduce((most, each) => Math.max(most, each), -Infinity));
    current[chosen]! -= total;
  }
  return chosen;
}

/** What a queue holds of a wrapped message: the topic's envelope, the message inside its body. */
function wrapped(message: Message, topic: Thing, edge: Edge): Message {
  const subject = message.properties['subject'];
  return {
    ...(message.type ? { type: message.type } : {}),
    key: '',
    headers: {},
    properties: subject === undefined ? {} : { subject },
    body: {
      topic: addressOf(topic),
      subscription: edge.label,
      headers: message.headers,
      properties: message.properties,
      body: message.body,
    },
  };
}

function list(names: readonly string[]): string {
  return names.length < 2 ? names.join('') : `${names.slice(0, -1).join(', ')} and ${names.at(-1)}`;
}

function finish(message: Message, root: Hop, from?: string): Trace {
  const rests = new Map<string, Rest>();
  const ends: { hop: Hop; end: End }[] = [];
  const visit = (hop: Hop): void => {
    if (hop.end) ends.push({ hop, end: hop.end });
    const outcome = hop.end?.outcome;
    if (outcome === 'held' || outcome === 'taken' || outcome === 'waiting') {
      const before = rests.get(hop.node);
      const [kind, address] = split(hop.node);
      rests.set(hop.node, {
        node: hop.node,
        store: before?.store ?? thing(kind, address.name, address.broker),
        copies: (before?.copies ?? 0) + hop.copies,
        takers: hop.takers ?? [],
        outcome,
        latency: Math.max(before?.latency ?? 0, hop.latency),
      });
    }
    hop.next.forEach(visit);
  };
  visit(root);
  const found = [...rests.values()];
  return {
    message,
    ...(from ? { from } : {}),
    root,
    rests: found,
    ends,
    copies: found.reduce((sum, rest) => sum + rest.copies, 0),
  };
}

function split(node: string): [Thing['kind'], { broker: string; name: string }] {
  const colon = node.indexOf(':');
  const slash = node.indexOf('/');
  return [
    node.slice(0, colon) as Thing['kind'],
    { broker: node.slice(colon + 1, slash), name: node.slice(slash + 1) },
  ];
}
