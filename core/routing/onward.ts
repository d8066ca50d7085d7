/**
 * What each hop does to messages: the one description of routing. It is written over a domain, which
 * says what "messages" are: one message (a trace), every message of a type that may come (arrivals),
 * or whatever lacks the least (why not). Who follows messages asks `onward` what becomes of them at a
 * node, and what was addressed to a node is asked of `addressed` first.
 */
import { type Thing, addressOf } from '../language/thing.ts';
import type { LinkDecl } from '../language/link.ts';
import type { Place } from '../syntax/place.ts';
import type { Edge, ExchangeNode, GraphNode } from '../brokers/terms.ts';

/** What can be asked about the graph around a node. */
export interface Surroundings {
  node(id: string): GraphNode | undefined;
  out(id: string): readonly Edge[];
}

/** What messages are, for whoever follows them. No messages at all are `undefined`. */
export interface Domain<M> {
  /** @returns of the messages those that a way's condition lets through */
  through(edge: Edge, messages: M): M | undefined;
  /** @returns of the messages those that a way's condition does not let through */
  past(edge: Edge, messages: M): M | undefined;
  /** The same for many ways at once, where that is quicker: what none of them lets through. */
  pastAll?(edges: readonly Edge[], messages: M): M | undefined;
  /** @returns the messages with another routing key */
  keyed(messages: M, key: string): M;
  /** @returns the messages inside a topic's envelope, as the queue behind a subscription holds them */
  wrapped(messages: M, topic: Thing, subscription: Edge): M;
  /** @returns the bindings of an exchange that may let some through, in order; without it all are tried */
  candidates?(exchange: ExchangeNode, messages: M, out: readonly Edge[]): readonly Edge[];
}

/** On whose behalf messages are addressed to a node. */
export interface Sender {
  /** The app that published them; undefined where nobody known did. */
  readonly publisher?: Thing | undefined;
  /** The link that carries them, which then needs permission in the publisher's stead. */
  readonly mover?: Thing;
  /** Where the mover takes them from. */
  readonly source?: Thing;
}

/** Nobody known: nobody is asked for permission. */
export const NOBODY: Sender = {};

/** A permission that messages need on their way. */
export interface Ask {
  readonly who: Thing;
  readonly action: 'publish' | 'consume';
  readonly on: Thing;
  /** Where the messages come from, for statements narrowed by `source`. */
  readonly source?: Thing;
}

/** Why nothing goes on here, whatever the messages. */
export interface Closed {
  readonly outcome: 'waiting' | 'refused' | 'unresolved';
  readonly why: string;
  readonly place?: Place;
}

/** A way on from where messages are. */
export interface Onward<M> {
  readonly edge: Edge;
  /** What goes that way, as it is behind it; undefined where its condition lets nothing through. */
  readonly messages: M | undefined;
  /** Asked before they go. */
  readonly ask?: Ask;
  readonly closed?: Closed;
  /** They are addressed to what is behind it, on behalf of this sender; else the broker itself hands them on. */
  readonly sender?: Sender;
  /** They enter what is behind it as what is addressed does, though nobody is asked: a dead letter. */
  readonly enters?: true;
  /** Milliseconds the way takes. */
  readonly latency: number;
}

/** What becomes of messages that are addressed to a node. */
export interface Addressed {
  /** Asked of the sender first. */
  readonly ask?: Ask;
  readonly closed?: Closed;
  /** It is another name for what its ways lead to; else the messages enter it. */
  readonly standsFor: boolean;
}

/**
 * @param sender on whose behalf they come
 * @returns what is asked where messages are addressed to a node, as publishers, links and dead letters do
 */
export function addressed(around: Surroundings, node: GraphNode, sender: Sender): Addressed {
  const ask = publishing(sender, node.thing);
  switch (node.role) {
    case 'spread':
      return { standsFor: true };
    case 'alias': {
      const way = around.out(node.id).find(({ kind }) => kind === 'alias');
      const target = way && around.node(way.to);
      const name = addressOf(node.thing);
      if (!target) return unresolved(`the alias ${name} names nothing`, node.place);
      if (!remote(node, target)) return { standsFor: true };
      if (!way.link)
        return unresolved(
          `${addressOf(target.thing)} is on another broker, and the alias names no link`,
          node.place,
        );
      const elsewhere = leadsElsewhere(around, way.link, node.thing.broker, target.thing.broker);
      if (elsewhere) return unresolved(elsewhere, node.place);
      // what is sent to a remote alias is published to the alias itself, and its link goes on
      return { standsFor: true, ...(ask ? { ask } : {}), ...closedBy(way) };
    }
    case 'exchange': {
      const { internal } = node.decl;
      return {
        standsFor: false,
        ...(ask ? { ask } : {}),
        ...(internal?.value
          ? {
              closed: {
                outcome: 'refused',
                why: `${addressOf(node.thing)} is internal: nothing can be published to it`,
                place: internal.place,
              },
            }
          : {}),
      };
    }
    case 'topic':
    case 'queue':
      return { standsFor: false, ...(ask ? { ask } : {}) };
    default:
      return {
        ...unresolved(`${addressOf(node.thing)} cannot be published to`),
        ...(ask ? { ask } : {}),
      };
  }
}

function unresolved(why: string, place?: Place): Addressed {
  return { standsFor: false, closed: { outcome: 'unresolved', why, ...(place ? { place } : {}) } };
}

function publishing({ publisher, mover, source }: Sender, on: Thing): Ask | undefined {
  const who = mover ?? publisher;
  return who && { who, action: 'publish', on, ...(source ? { source } : {}) };
}

/** Whether an alias stands for something on another broker, which only a link leads to. */
const remote = (alias: GraphNode, target: GraphNode): boolean =>
  target.role !== 'spread' && target.thing.broker !== alias.thing.broker;

/** @returns why a link cannot carry what is sent to an alias; undefined where it can */
function leadsElsewhere(
  around: Surroundings,
  { thing, decl }: NonNullable<Edge['link']>,
  from: string,
  to: string,
): string | undefined {
  const ends = [decl.from, decl.to].map((address) => brokerOf(address?.value ?? ''));
  if (ends[0] !== from || ends[1] !== to)
    return `link ${thing.name} leads from ${ends[0]} to ${ends[1]}, not from ${from} to ${to}`;
  return queueOf(around, decl) ? undefined : `link ${thing.name} takes from no queue that is there`;
}

/** The broker in an address that stands in no broker's section. */
const brokerOf = (address: string): string => address.replace(/^queue:/, '').split('/', 1)[0]!;

/** The queue a link takes from. */
const queueOf = (around: Surroundings, { from }: LinkDecl): GraphNode | undefined => {
  const [broker = '', ...name] = (from?.value ?? '').replace(/^queue:/, '').split('/');
  const named = name.join('/');
  return (
    around.node(`queue:${broker}/${named}`) ?? around.node(`queue:${broker}/${named.replace(/^queue:/, '')}`)
  );
};

function closedBy({ link }: Edge): { readonly closed?: Closed } {
  const active = link?.decl.active;
  if (active?.value !== false) return {};
  const why = `link ${link!.thing.name} is not active`;
  return { closed: { outcome: 'waiting', why, place: active.place } };
}

/** @returns messages as they are inside what they were addressed to: an AMQP queue is entered under its own name (§3.1.3.1) */
export function entered<M>(node: GraphNode, messages: M, { keyed }: Pick<Domain<M>, 'keyed'>): M {
  return node.role === 'queue' && node.enteredAs !== undefined ? keyed(messages, node.enteredAs) : messages;
}

/**
 * @param node where the messages are
 * @param sender on whose behalf, where the node only stands for another
 * @returns every way on from there, in the order of the text, with what goes by it. Which member of a
 *   spread is chosen, and whether a store's copies are taken, carried on or given up, is not decided here.
 */
export function onward<M>(
  around: Surroundings,
  node: GraphNode,
  messages: M,
  domain: Domain<M>,
  sender: Sender = NOBODY,
): Onward<M>[] {
  if (node.role === 'exchange') return routed(around, node, messages, domain);
  return around.out(node.id).map((edge) => wayOn(around, node, edge, messages, domain, sender));
}

/** An exchange gives to every binding that lets messages through, and the rest to its unrouted-to. */
function routed<M>(around: Surroundings, node: ExchangeNode, messages: M, domain: Domain<M>): Onward<M>[] {
  const tried = domain.candidates?.(node, messages, around.out(node.id)) ?? around.out(node.id);
  const bindings = tried.filter(({ kind }) => kind === 'binding');
  const ways: Onward<M>[] = bindings.map((edge) => ({
    edge,
    messages: domain.through(edge, messages),
    latency: 0,
  }));
  if (!node.decl.unroutedTo) return ways;
  let rest: M | undefined = messages;
  if (domain.pastAll) rest = domain.pastAll(bindings, messages);
  else for (const edge of bindings) if (rest !== undefined) rest = domain.past(edge, rest);
  for (const edge of around.out(node.id))
    if (edge.kind === 'unrouted') ways.push({ edge, messages: rest, latency: 0 });
  return ways;
}

/** @returns one way on from a node, and what goes by it; of an exchange's only what its bindings let through */
export function wayOn<M>(
  around: Surroundings,
  node: GraphNode,
  edge: Edge,
  messages: M,
  domain: Domain<M>,
  sender: Sender = NOBODY,
): Onward<M> {
  const behind = around.node(edge.to);
  const latency = edge.link?.decl.latency?.value ?? 0;
  switch (edge.kind) {
    case 'publish':
      return { edge, messages, latency, sender: { publisher: node.thing } };
    case 'binding':
    case 'unrouted':
      return { edge, messages: domain.through(edge, messages), latency };
    case 'subscription': {
      // a topic hands a copy to each subscription whose filter lets it through; to a queue only with permission
      const some = domain.through(edge, messages);
      const wraps = edge.subscription?.decl.wrap?.value === true;
      return {
        edge,
        messages: some !== undefined && wraps ? domain.wrapped(some, node.thing, edge) : some,
        latency,
        ...(behind?.role === 'queue'
          ? { ask: { who: node.thing, action: 'publish', on: behind.thing, source: node.thing } }
          : {}),
      };
    }
    case 'member':
      return { edge, messages, latency, sender };
    case 'alias':
      return behind && edge.link && remote(node, behind)
        ? {
            edge,
            messages,
            latency,
            sender: { publisher: sender.publisher, mover: edge.link.thing, source: node.thing },
            ...takenByLink(around, edge.link),
          }
        : { edge, messages, latency: 0, sender };
    case 'take':
      return {
        edge,
        messages,
        latency,
        ...(behind ? { ask: consuming(behind.thing, takenAt(around, node)) } : {}),
      };
    case 'link': {
      const { thing } = edge.link!;
      return {
        edge,
        messages: domain.through(edge, messages),
        latency,
        ask: consuming(thing, node),
        ...closedBy(edge),
        sender: { mover: thing, source: node.thing },
      };
    }
    case 'deadLetter': {
      // the broker itself moves it: nobody is asked, and nobody hears of it when it finds no queue
      const key = edge.deadLetter?.key?.value;
      return {
        edge,
        messages: key === undefined ? messages : domain.keyed(messages, key),
        latency,
        enters: true,
      };
    }
  }
}

/** A link takes what is sent to a remote alias from its queue, as it takes all else. */
function takenByLink(
  around: Surroundings,
  { thing, decl }: NonNullable<Edge['link']>,
): { readonly ask?: Ask } {
  const queue = queueOf(around, decl);
  return queue ? { ask: consuming(thing, queue) } : {};
}

/** Where permission to take from a store is asked: an MQTT taker has no store to name, and is asked at the exchange. */
const takenAt = (around: Surroundings, store: GraphNode): GraphNode =>
  (store.role === 'subscription' && store.session ? around.node(store.session) : undefined) ?? store;

const consuming = (who: Thing, store: GraphNode): Ask => ({ who, action: 'consume', on: store.thing });

/** The domain in which everything goes every way: for what ways need whatever the messages. */
const ANYTHING: Domain<true> = {
  through: () => true,
  past: () => true,
  keyed: () => true,
  wrapped: () => true,
};

const MOVED: ReadonlySet<Edge['kind']> = new Set(['publish', 'subscription', 'take', 'link']);

/**
 * @returns the permissions that a way needs, whatever the messages: of who moves them along it, and of
 *   whom they are addressed on behalf of at what is behind it, aliases and spreads seen through
 */
export function asksOf(around: Surroundings, edge: Edge): Ask[] {
  // the broker itself goes the others; what aliases and spreads need is asked of those who address them
  const node = MOVED.has(edge.kind) ? around.node(edge.from) : undefined;
  if (!node) return [];
  const { ask, sender } = wayOn(around, node, edge, true, ANYTHING);
  return [...(ask ? [ask] : []), ...(sender ? asksBehind(around, edge.to, sender, new Set()) : [])];
}

function asksBehind(around: Surroundings, entry: string, from: Sender, seen: Set<string>): Ask[] {
  const asks: Ask[] = [];
  // a chain of aliases may be longer than a stack is deep
  const open = [{ id: entry, sender: from }];
  for (let at = open.pop(); at; at = open.pop()) {
    const { id, sender } = at;
    const node = around.node(id);
    if (!node || seen.has(id)) continue;
    seen.add(id);
    const { ask, closed, standsFor } = addressed(around, node, sender);
    if (closed?.outcome === 'unresolved') continue;
    if (ask) asks.push(ask);
    if (!standsFor) continue;
    const behind = onward(around, node, true as const, ANYTHING, sender);
    for (const way of behind) if (way.ask) asks.push(way.ask);
    for (const way of behind.toReversed()) open.push({ id: way.edge.to, sender: way.sender ?? NOBODY });
  }
  return asks;
}
