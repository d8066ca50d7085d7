/**
 * One message followed through the graph, copy by copy where copies differ, counted where they do not:
 * copies that come to an exchange, a topic or a link's queue alike go on from there together, so that
 * a way that doubles at each of fifty steps takes fifty steps to follow.
 */
import { textOf } from '../base/values.ts';
import { admits } from '../conditions/evaluate.ts';
import type { Message } from '../conditions/message.ts';
import { ENTRIES, type Thing, addressOf, thing } from '../language/thing.ts';
import { lookUp } from '../topology/address.ts';
import { tenantOf } from '../topology/owner.ts';
import { type RotationState, deal } from './choose.ts';
import { mqttEntry, publisherId } from './nodes.ts';
import { brokenLinks } from './ways.ts';
import { type RoutingGraph, surroundingsOf } from './graph.ts';
import type { DeadLetterReason, End, Hop, Outcome, Sending } from './hop.ts';
import {
  type Ask,
  type Domain,
  NOBODY,
  type Onward,
  type Sender,
  type Surroundings,
  addressed,
  entered,
  onward,
  wayOn,
} from './onward.ts';
import type { Edge, ExchangeNode, QueueNode, SpreadNode, StoreNode, TopicNode } from '../brokers/terms.ts';
import type { Decision } from './permission.ts';
import type { Place } from '../syntax/place.ts';

/** Where links lead round in circles, copies are followed through at most this many hops. */
const MOST_ROUND = 20_000;

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
  joins?: Draft;
  unmatched?: true;
  permission?: Decision;
  end?: End;
  takers?: readonly string[];
  note?: string;
}

/** Copies that are addressed to something. */
interface Arriving {
  readonly hop: Draft;
  readonly sender: Sender;
  readonly mandatory: boolean;
}

/** Copies that came to a node alike and are still to go on from there. */
interface Gathered {
  readonly node: ExchangeNode | TopicNode | StoreNode;
  readonly message: Message;
  /** The queues whose links they travelled: to come back to one is to go round. */
  readonly travelled: readonly string[];
  /** Those of them that can be come back to, as one text; worked out when others come to the same node. */
  circled?: string;
  readonly hops: Draft[];
  readonly mandatory: boolean;
  /** The link that takes them on, where they rest in its queue. */
  readonly link?: Onward<Message>;
}

/** One concrete message. */
export const ONE_MESSAGE: Domain<Message> = {
  through: ({ condition }, message) => (admits(condition, message) ? message : undefined),
  past: ({ condition }, message) => (admits(condition, message) ? undefined : message),
  keyed: (message, key) => ({ ...message, key }),
  wrapped: envelopeOf,
};

export class Walk {
  turns: RotationState;
  /** Hops made on circles. */
  private round = 0;
  private travelled: readonly string[] = [];
  /** What was gathered, by node. */
  private readonly waiting = new Map<string, Gathered[]>();
  /** The nodes of those, the one to go on next at the end. */
  private readonly next: string[] = [];
  private readonly around: Surroundings;
  private readonly oneMessage: Domain<Message>;

  constructor(
    private readonly graph: RoutingGraph,
    turns: RotationState,
  ) {
    this.turns = turns;
    this.around = surroundingsOf(graph);
    this.oneMessage = {
      ...ONE_MESSAGE,
      candidates: (exchange, message) => graph.router(exchange).match(message),
      // what a router found has been let through already
      through: (edge, message) => (edge.kind === 'binding' ? message : ONE_MESSAGE.through(edge, message)),
    };
  }

  /** Follows a message from where it is sent. @returns the hop where it enters */
  send(message: Message, sending: Sending): Hop {
    const { topology } = this.graph;
    const publisher = sending.from ? thing('app', sending.from.replace(/^app:/, '')) : undefined;
    if (sending.via === 'mqtt') {
      const node = this.graph.nodes.get(mqttEntry(topology, sending.to));
      const sent = { ...message, key: message.key.replaceAll('/', '.') };
      const hop = hopAt(node?.id ?? '', undefined, sent, 1, 0);
      if (!node) {
        hop.address = sending.to;
        end(hop, 'unresolved', `broker \`${sending.to}\` has no exchange for MQTT`);
      } else {
        const { ask, closed } = addressed(this.around, node, { publisher });
        if (this.allows(hop, ask)) {
          if (closed) end(hop, closed.outcome, closed.why, closed.place);
          else this.enter(hop, false);
        }
      }
      return this.finish(hop);
    }
    const found = lookUp(topology.names, sending.to, ENTRIES);
    const hop = hopAt(found.ok ? found.thing.id : '', undefined, message, 1, 0);
    if (found.ok) {
      const mandatory = sending.mandatory ?? this.saidMandatory(publisher, message, found.thing);
      this.arrive(hop, { publisher }, mandatory);
    } else {
      hop.address = sending.to;
      end(hop, 'unresolved', found.message);
    }
    return this.finish(hop);
  }

  /** Whether an app says of what it sends so that it is to come back where it reaches no queue. */
  private saidMandatory(publisher: Thing | undefined, { type }: Message, to: Thing): boolean {
    if (!publisher || type === undefined) return false;
    const ways = this.around.out(publisherId(publisher.name));
    return ways.some(
      ({ publish, to: entry }) =>
        publish?.mandatory?.value === true &&
        publish.message?.value === type &&
        publish.via?.value !== 'mqtt' &&
        entry === to.id,
    );
  }

  /** Follows a copy that its store gives up. @returns the hop at that store */
  giveUp(id: string, message: Message, reason: DeadLetterReason): Hop {
    const hop = hopAt(id, undefined, message, 1, 0);
    const store = this.graph.nodes.get(id);
    if (store?.role !== 'queue' && store?.role !== 'subscription') {
      end(hop, 'unresolved', 'only a queue or subscription can give a message up');
      return hop as Hop;
    }
    const { decl } = store;
    const name = addressOf(store.thing);
    if (reason === 'overflow' && 'overflow' in decl && decl.overflow?.value === 'refuse-new') {
      end(hop, 'refused', `${name} is full and refuses new messages`, decl.overflow.place);
      return hop as Hop;
    }
    const edge = this.around.out(id).find(({ kind }) => kind === 'deadLetter');
    if (!edge) {
      const why = decl.deadLetter
        ? `the dead letter of ${name} names nothing`
        : `${BECAUSE[reason]}, and ${name} has no dead letter`;
      end(hop, 'lost', why, decl.deadLetter?.place);
      return hop as Hop;
    }
    this.enter(this.step(hop, wayOn(this.around, store, edge, message, this.oneMessage)), false);
    return this.finish(hop);
  }

  /** Lets everything go on that was gathered, each where nothing more can come to it. */
  private finish(root: Draft): Hop {
    for (let node = this.next.pop(); node !== undefined; node = this.next.pop()) {
      const gathered = this.waiting.get(node)!;
      this.waiting.delete(node);
      for (const each of gathered) this.goOn(each);
    }
    return root as Hop;
  }

  /** A way taken by copies at a hop. @param copies how many, where not all that came by it */
  private step(
    from: Draft,
    { edge, messages, latency }: Onward<Message>,
    copies = from.copies,
    message = messages!,
  ): Draft {
    const next = hopAt(edge.to, edge, message, copies, from.latency + latency);
    from.next.push(next);
    if (this.travelled.length > 0) this.round++;
    return next;
  }

  /** Copies that are addressed: aliases and spreads are replaced by what they name, then permission is asked. */
  private arrive(
    hop: Draft,
    sender: Sender,
    mandatory: boolean,
    seen: ReadonlySet<string> = new Set(),
  ): void {
    // one alias after the other: a chain of them may be longer than a stack is deep
    const chain = new Set(seen);
    let at: Arriving | undefined = { hop, sender, mandatory };
    while (at) at = this.arriveAt(at, chain);
  }

  /** @returns what is to arrive next, where this was another name for it */
  private arriveAt({ hop, sender, mandatory }: Arriving, seen: Set<string>): Arriving | undefined {
    const node = this.graph.nodes.get(hop.node);
    if (!node) return void end(hop, 'unresolved', 'it names nothing');
    if (node.role === 'alias' && seen.has(node.id))
      return void end(hop, 'unresolved', `the alias chain comes back to ${addressOf(node.thing)}`);
    const { ask, closed, standsFor } = addressed(this.around, node, sender);
    if (closed?.outcome === 'unresolved') return void end(hop, 'unresolved', closed.why, closed.place);
    if (!this.allows(hop, ask)) return undefined;
    if (closed) return void end(hop, closed.outcome, closed.why, closed.place);
    if (!standsFor) return void this.enter(hop, mandatory);
    if (node.role === 'spread') return void this.share(hop, node, sender, mandatory, seen);
    const [way] = onward(this.around, node, hop.message, this.oneMessage, sender);
    const permission = way!.ask && decideFor(this.graph, way!.ask, hop.message.key);
    if (permission && !permission.allowed) return void end(hop, 'waiting', permission.why, permission.place);
    // behind its link nobody hears of it when it finds no queue
    const carried = way!.sender !== sender;
    seen.add(node.id);
    return { hop: this.step(hop, way!), sender: way!.sender!, mandatory: mandatory && !carried };
  }

  private share(
    hop: Draft,
    spread: SpreadNode,
    sender: Sender,
    mandatory: boolean,
    seen: ReadonlySet<string>,
  ): void {
    const dealt = deal(this.graph, spread, hop.copies, sender.publisher, this.turns);
    if (!dealt) {
      const members = this.around.out(spread.id).length;
      const why = `${spread.thing.id} has ${members ? 'no member with a share' : 'no members'}`;
      return end(hop, 'unresolved', why, spread.place);
    }
    this.turns = dealt.turns;
    hop.note = dealt.why;
    for (const { edge, copies } of dealt.shares) {
      const way = wayOn(this.around, spread, edge, hop.message, this.oneMessage, sender);
      this.arrive(this.step(hop, way, copies), sender, mandatory, seen);
    }
  }

  /** Copies that are let into an exchange, topic or queue. */
  private enter(hop: Draft, mandatory: boolean): void {
    const node = this.graph.nodes.get(hop.node)!;
    hop.message = entered(node, hop.message, this.oneMessage);
    if (node.role === 'queue') {
      if (!this.rest(hop, node) && mandatory)
        end(hop, 'sent back', `no instance of ${addressOf(node.thing)} exists`, node.place);
    } else if (node.role === 'exchange' || node.role === 'topic') this.gather(hop, node, mandatory);
    else end(hop, 'unresolved', `${addressOf(node.thing)} cannot be published to`);
  }

  /** Has copies wait for others like them before they go on. */
  private gather(hop: Draft, node: Gathered['node'], mandatory: boolean, link?: Onward<Message>): void {
    const { travelled } = this;
    const here = this.waiting.get(node.id);
    const circled = here && this.onCircles(travelled);
    const like = here?.find(
      (each) =>
        (each.circled ??= this.onCircles(each.travelled)) === circled &&
        each.mandatory === mandatory &&
        alike(each.message, hop.message),
    );
    if (like) {
      like.hops.push(hop);
      return;
    }
    const gathered = {
      node,
      message: hop.message,
      travelled,
      hops: [hop],
      mandatory,
      ...(link ? { link } : {}),
    };
    if (here) here.push(gathered);
    else {
      this.waiting.set(node.id, [gathered]);
      this.line(node.id);
    }
  }

  /** Puts a node among those that are to go on, behind every node that may still lead to it. */
  private line(node: string): void {
    const { next } = this;
    let [low, high] = [0, next.length];
    // the order of a graph is worked out only where there is something to order
    if (high > 0) {
      const { rank } = this.graph.order;
      while (low < high) {
        const middle = (low + high) >> 1;
        if (rank(next[middle]!) > rank(node)) low = middle + 1;
        else high = middle;
      }
    }
    next.splice(low, 0, node);
  }

  /** Of travelled queues those that can be come back to: the others tell copies apart no longer. */
  private onCircles(travelled: readonly string[]): string {
    return travelled
      .filter((queue) => this.graph.order.circular(queue))
      .sort()
      .join('\n');
  }

  /** Lets what came together go on from the hop that came last; the others join it. */
  private goOn({ node, hops, travelled, mandatory, link }: Gathered): void {
    const leader = hops.reduce((a, b) => (b.latency > a.latency ? b : a));
    let copies = 0;
    for (const hop of hops) {
      copies += hop.copies;
      if (hop !== leader) hop.joins = leader;
    }
    this.travelled = travelled;
    if (link) this.travel(leader, node as StoreNode, link, copies);
    else if (node.role === 'exchange') this.route(leader, node, copies, mandatory);
    else this.distribute(leader, node as TopicNode, copies);
  }

  /**
   * Routing inside an AMQP broker: one publish puts at most one copy in a queue, an exchange is asked
   * once, and an exchange that matched nothing hands to its unrouted-to.
   */
  private route(entry: Draft, exchange: ExchangeNode, copies: number, mandatory: boolean): void {
    const asked = new Set([exchange.id]);
    const reached = new Set<string>();
    const deliveries: Draft[] = [];
    const work = [{ hop: entry, node: exchange }];
    const fallen: typeof work = [];
    for (const at of work) {
      const ways = onward(this.around, at.node, at.hop.message, this.oneMessage);
      if (!ways.some(({ edge }) => edge.kind === 'binding')) at.hop.unmatched = true;
      let went = false;
      for (const way of ways) {
        if (way.messages === undefined) continue;
        went = true;
        const next = this.step(at.hop, way, copies);
        const target = this.graph.nodes.get(way.edge.to)!;
        const seen = target.role === 'exchange' ? asked : reached;
        if (seen.has(way.edge.to)) {
          next.again = true;
          next.copies = 0;
          continue;
        }
        seen.add(way.edge.to);
        if (target.role === 'exchange') work.push({ hop: next, node: target });
        else deliveries.push(next);
      }
      if (!went) fallen.push(at);
    }
    let delivered = false;
    for (const hop of deliveries)
      delivered = this.rest(hop, this.graph.nodes.get(hop.node) as QueueNode) || delivered;
    if (delivered) return;
    // nothing of it is anywhere: the whole publish ends here, at each exchange that let it fall
    if (mandatory)
      return end(entry, 'sent back', `it reached no queue and was published as mandatory`, undefined, copies);
    if (fallen.length === 0) return end(entry, 'lost', this.roundIn(asked), exchange.place, copies);
    for (const { hop, node } of fallen) {
      const key = node.decl.type?.value === 'headers' ? '' : ` \`${hop.message.key}\``;
      end(hop, 'lost', `no binding of ${addressOf(node.thing)} matches${key}`, undefined, copies);
    }
  }

  /** Why exchanges that only lead to each other lose a message. */
  private roundIn(asked: ReadonlySet<string>): string {
    const names = [...asked].map((id) => addressOf(this.graph.nodes.get(id)!.thing));
    const shown = names.length > 6 ? [...names.slice(0, 5), `${names.length - 5} more`] : names;
    return `it goes round between exchanges (${[...shown, names[0]].join(' → ')}) and reaches no queue`;
  }

  /** A topic gives one copy to each subscription whose filter lets the message through. */
  private distribute(hop: Draft, topic: TopicNode, copies: number): void {
    const ways = onward(this.around, topic, hop.message, this.oneMessage);
    for (const way of ways) {
      if (way.messages === undefined) continue;
      const next = this.step(hop, way, copies);
      if (this.allows(next, way.ask)) this.rest(next, this.graph.nodes.get(way.edge.to) as StoreNode);
    }
    if (hop.next.length > 0) return;
    hop.unmatched = true;
    const name = addressOf(topic.thing);
    end(
      hop,
      'lost',
      ways.length ? `no subscription of ${name} admits it` : `nobody subscribes to ${name}`,
      topic.place,
      copies,
    );
  }

  /** Copies come to rest. @returns false when the store stands for no queue at all */
  private rest(hop: Draft, store: StoreNode): boolean {
    const perInstance = 'perInstanceOf' in store.decl ? store.decl.perInstanceOf : undefined;
    if (perInstance) {
      hop.copies *= instancesOf(this.graph, perInstance.value);
      if (hop.copies === 0) {
        const why = `${perInstance.value} has no instances, so no such queue exists`;
        end(hop, 'lost', why, perInstance.place);
        return false;
      }
    }
    const ways = onward(this.around, store, hop.message, this.oneMessage);
    const takers = new Set<string>();
    let refused: { why: string; place?: Place } | undefined;
    for (const { edge, ask } of ways) {
      if (edge.kind !== 'take' || !ask) continue;
      const permission = decideFor(this.graph, ask, hop.message.key);
      if (permission.allowed) takers.add(ask.who.id);
      else refused ??= permission;
    }
    hop.takers = [...takers];
    const links = ways.filter(({ edge }) => edge.kind === 'link');
    const link = links.find((each) => !this.waitsFor(each, hop.message)) ?? links[0];
    const broken = link ? undefined : brokenLinks(this.graph.topology).get(store.id)?.[0];
    if (broken && takers.size === 0)
      end(hop, 'unresolved', `link ${broken.thing.name} leads to nothing that is there`, broken.place);
    else if (link && takers.size === 0) {
      hop.takers = [link.edge.link!.thing.id];
      this.gather(hop, store, false, link);
    } else if (takers.size > 0)
      end(hop, 'taken', `taken by ${list(hop.takers.map((id) => id.replace(/^app:/, '')))}`);
    else if (refused) end(hop, 'held', `it stays: ${refused.why}`, refused.place);
    else end(hop, 'held', `nobody takes from ${addressOf(store.thing)}`);
    return true;
  }

  /** A link takes copies from its queue and publishes them at its far end, with the same key. */
  private travel(hop: Draft, queue: StoreNode, way: Onward<Message>, copies: number): void {
    const { edge, sender } = way;
    const { thing: link } = edge.link!;
    const waits = this.waitsFor(way, hop.message);
    if (waits) return end(hop, 'waiting', waits.why, waits.place, copies);
    const next = this.step(hop, way, copies);
    const tired = this.round > MOST_ROUND && this.graph.order.circular(queue.id);
    if (tired || this.travelled.includes(queue.id))
      return end(next, 'looped', `link ${link.name} brings it round again`);
    this.travelled = [...this.travelled, queue.id];
    this.arrive(next, sender ?? NOBODY, false);
  }

  /** @returns why a link does not take a message from its queue; undefined where it does */
  private waitsFor(
    { edge, ask, closed, messages }: Onward<Message>,
    { key }: Message,
  ): { readonly why: string; readonly place?: Place } | undefined {
    const { thing: link, decl } = edge.link!;
    if (closed) return closed;
    if (messages === undefined) {
      const { condition } = edge;
      const why = condition.op === 'never' ? condition.why! : `link ${link.name} carries no key \`${key}\``;
      const place = decl.keys?.place;
      return { why, ...(place ? { place } : {}) };
    }
    const permission = decideFor(this.graph, ask!, key);
    return permission.allowed ? undefined : permission;
  }

  /** Asks for what a step needs; without it the branch ends refused. Nobody known to ask is let through. */
  private allows(hop: Draft, ask: Ask | undefined): boolean {
    if (!ask) return true;
    const permission = decideFor(this.graph, ask, hop.message.key);
    hop.permission = permission;
    if (!permission.allowed) end(hop, 'refused', permission.why, permission.place);
    return permission.allowed;
  }
}

function hopAt(
  node: string,
  edge: Edge | undefined,
  message: Message,
  copies: number,
  latency: number,
): Draft {
  return { node, ...(edge ? { edge } : {}), message, copies, latency, next: [] };
}

function end(hop: Draft, outcome: Outcome, why: string, place?: Place, copies = hop.copies): void {
  const said: End = { outcome, why, copies, ...(place ? { place } : {}) };
  hop.end = said;
}

/** @returns whether two copies are the same message: conditions further on cannot tell them apart */
export const alike = (a: Message, b: Message): boolean =>
  a === b || (routedAlike(a, b) && same(a.body, b.body));

/** @returns whether two copies go the same ways: no condition looks into a body */
export const routedAlike = (a: Message, b: Message): boolean =>
  a.type === b.type && a.key === b.key && same(a.headers, b.headers) && same(a.properties, b.properties);

const same = (a: unknown, b: unknown): boolean => a === b || textOf(a) === textOf(b);

/** Why a store gives a copy up, as the beginning of a sentence. */
const BECAUSE: Record<DeadLetterReason, string> = {
  expired: 'it expires',
  rejected: 'it is rejected',
  overflow: 'the queue is full',
  'too many deliveries': 'it is tried too often',
};

/**
 * @param key of the message; without one what is allowed for some keys only is not
 * @returns whether something that a message needs is allowed, and why
 */
export function decideFor(
  { topology, decide }: RoutingGraph,
  { who, action, on, source }: Ask,
  key?: string,
): Decision {
  const tenant = who.kind === 'link' ? undefined : tenantOf(topology, who);
  return decide({
    who: { thing: who, tenant: tenant ?? topology.declared.tenant?.value },
    action,
    on,
    ...(key === undefined ? {} : { key }),
    ...(source ? { source } : {}),
  });
}

/** @returns how many instances of an app run; one where the topology does not say. */
export function instancesOf(graph: RoutingGraph, app: string): number {
  return graph.topology.declared.apps?.get(app)?.value.instances?.value ?? 1;
}

/** What a queue holds of a wrapped message: the topic's envelope, the message inside its body. */
function envelopeOf(message: Message, topic: Thing, edge: Edge): Message {
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
