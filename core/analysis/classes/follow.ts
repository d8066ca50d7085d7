/**
 * All messages of a publish followed at once: what walk.ts does to one message, done to sets of them. Copies are
 * functions from messages to their number; where they come to rest, and how their branches end, are functions too.
 */
import type { Edge, ExchangeNode, GraphNode, SpreadNode, StoreNode, TopicNode } from '../../brokers/terms.ts';
import { type Diagram, type Operation, TooManyClasses } from '../../base/diagram.ts';
import { ENTRIES, type Thing, addressOf, thing } from '../../language/thing.ts';
import { deal } from '../../routing/choose.ts';
import { type RoutingGraph, surroundingsOf } from '../../routing/graph.ts';
import type { Outcome } from '../../routing/hop.ts';
import { mqttEntry, publisherId } from '../../routing/nodes.ts';
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
} from '../../routing/onward.ts';
import { decideFor, instancesOf } from '../../routing/walk.ts';
import { brokenLinks } from '../../routing/ways.ts';
import { topicKey } from '../../conditions/amqp.ts';
import { lookUp } from '../../topology/address.ts';
import { candidatesOf } from './met.ts';
import { type Form, OWN, type Space } from './space.ts';
import { arrivalOf } from './verdicts.ts';

/** Messages on their way: which of the publish, and as what. */
interface Moving {
  readonly set: Diagram;
  readonly form: Form;
}

/** Copies on their way. */
interface Flow {
  /** How many of each message. */
  readonly copies: Diagram;
  readonly form: Form;
  /** The spread that deals them to one of its members, which one of them not being known. */
  readonly dealt?: string;
}

/** Copies that came to a node and are still to go on from there. */
interface Gathered extends Flow {
  readonly node: ExchangeNode | TopicNode | StoreNode;
  /** The queues of links they travelled that can be come back to. */
  readonly travelled: readonly string[];
  readonly mandatory: boolean;
  readonly link?: Onward<Moving>;
}

/** One thing that becomes of messages, and of which. */
export interface Fate {
  /** The address where. */
  readonly at: string;
  readonly outcome: Outcome;
  /** The copies of each message that end so. */
  readonly copies: Diagram;
  /** They are one spread's, and of all its members one gets them. */
  readonly dealt?: string;
}

/** Links may lead round in circles for so many steps. */
const MOST_ROUND = 20_000;

/** Follows all messages of one publish. */
export class Following {
  private readonly around: Surroundings;
  private readonly fates = new Map<
    string,
    { at: string; outcome: Outcome; dealt?: string; parts: Diagram[] }
  >();
  private readonly waiting = new Map<string, Gathered[]>();
  private readonly none: Diagram;
  private readonly plus: Operation;
  private readonly domain: Domain<Moving>;
  private readonly permissions = new Map<string, Diagram>();
  private round = 0;

  constructor(
    private readonly graph: RoutingGraph,
    private readonly space: Space,
    private readonly template: string,
  ) {
    this.around = surroundingsOf(graph);
    const { diagrams } = space;
    const none = (this.none = diagrams.leaf(0));
    this.plus = {
      early: (a, b) => (a === none ? b : b === none ? a : undefined),
      values: (a, b) => diagrams.leaf((a.value as number) + (b.value as number)),
      either: true,
    };
    const some = (set: Diagram, form: Form): Moving | undefined =>
      set === diagrams.no ? undefined : { set, form };
    this.domain = {
      candidates: (_, { form }, out) =>
        candidatesOf(out, arrivalOf(space.type, form.key ?? template, form.wrapped === true)),
      through: ({ condition }, { set, form }) =>
        some(diagrams.apply(diagrams.and, set, space.sets(condition, form).yes), form),
      past: ({ condition }, { set, form }) =>
        some(diagrams.apply(diagrams.without, set, space.sets(condition, form).yes), form),
      pastAll: (edges, { set, form }) => {
        const let_ = diagrams.all(
          diagrams.or,
          edges.map(({ condition }) => space.sets(condition, form).yes),
          diagrams.no,
        );
        return some(diagrams.apply(diagrams.without, set, let_), form);
      },
      keyed: ({ set, form }, key) => ({ set, form: { ...form, key } }),
      wrapped: ({ set }) => ({ set, form: { key: '', wrapped: true } }),
    };
  }

  /**
   * @param way the publish
   * @returns what becomes of its messages
   */
  publish(way: Edge): Fate[] {
    const { topology } = this.graph;
    const { diagrams } = this.space;
    const publisher = thing('app', way.from.slice(publisherId('').length));
    const { publish } = way;
    const flow: Flow = { copies: diagrams.leaf(1), form: OWN };
    const to = publish?.to?.value ?? '';
    if (publish?.via?.value === 'mqtt') {
      const node = this.graph.nodes.get(mqttEntry(topology, to));
      if (!node) this.end(to, 'unresolved', flow);
      else {
        const { ask, closed } = addressed(this.around, node, { publisher });
        const let_ = this.allowed(node, ask, flow);
        if (closed) this.end(addressOf(node.thing), closed.outcome, let_);
        else this.enter(node, let_, false);
      }
    } else {
      const found = lookUp(topology.names, to, ENTRIES);
      if (found.ok) this.arrive(found.thing.id, flow, { publisher }, this.saidMandatory(way), []);
      else this.end(to, 'unresolved', flow);
    }
    this.finish();
    return [...this.fates.values()].map(({ parts, ...fate }) => ({
      ...fate,
      copies: diagrams.all(this.plus, parts, this.none),
    }));
  }

  /** As a trace has it: where an app publishes a type to one entry twice, once saying so is enough. */
  private saidMandatory(way: Edge): boolean {
    return this.around
      .out(way.from)
      .some(
        ({ to, label, publish }) =>
          to === way.to &&
          label === way.label &&
          publish?.mandatory?.value === true &&
          publish.via?.value !== 'mqtt',
      );
  }

  private finish(): void {
    while (this.waiting.size > 0) {
      // each node where nothing more can come to it
      let node: string | undefined;
      if (this.waiting.size === 1) [node] = this.waiting.keys();
      else {
        const { rank } = this.graph.order;
        for (const id of this.waiting.keys()) if (node === undefined || rank(id) < rank(node)) node = id;
      }
      const all = this.waiting.get(node!)!;
      this.waiting.delete(node!);
      for (const gathered of all) this.goOn(gathered);
    }
  }

  private some(flow: Flow): Diagram {
    return this.support(flow.copies);
  }

  private support(copies: Diagram): Diagram {
    const { diagrams } = this.space;
    return diagrams.map(copies, ({ value }) => (value === 0 ? diagrams.no : diagrams.yes));
  }

  /** The copies of those messages that are in a set. */
  private of(copies: Diagram, set: Diagram): Diagram {
    return this.space.diagrams.apply(this.only, copies, set);
  }

  private readonly only: Operation = {
    early: (copies, set) =>
      set === this.space.diagrams.yes
        ? copies
        : set === this.space.diagrams.no || copies === this.none
          ? this.none
          : undefined,
    values: (copies, set) => (set === this.space.diagrams.yes ? copies : this.none),
  };

  private end(at: string, outcome: Outcome, { copies, dealt }: Flow): void {
    if (copies === this.none) return;
    const id = `${outcome} ${at} ${dealt ?? ''}`;
    const fate = this.fates.get(id);
    if (fate) fate.parts.push(copies);
    else this.fates.set(id, { at, outcome, ...(dealt === undefined ? {} : { dealt }), parts: [copies] });
  }

  private within({ copies, form, dealt }: Flow, set: Diagram): Flow {
    return { copies: this.of(copies, set), form, ...(dealt === undefined ? {} : { dealt }) };
  }

  private without(flow: Flow, set: Diagram): Flow {
    return this.within(flow, this.space.diagrams.not(set));
  }

  /** The messages that something is allowed for. */
  private permission(ask: Ask, form: Form): Diagram {
    const { diagrams } = this.space;
    const id = `${ask.who.id} ${ask.action} ${ask.on.id} ${ask.source?.id ?? ''} ${form.key === undefined ? '' : `=${form.key}`}`;
    const before = this.permissions.get(id);
    if (before) return before;
    let allowed: Diagram;
    if (form.key !== undefined)
      allowed = decideFor(this.graph, ask, form.key).allowed ? diagrams.yes : diagrams.no;
    else {
      // what is narrowed to keys is asked key by key; deny wins
      const { allowed: always, forKeys } = decideFor(this.graph, ask);
      const matching = (keys: readonly string[]) =>
        diagrams.all(
          diagrams.or,
          keys.map((key) => this.space.sets(topicKey(key), form).yes),
          diagrams.no,
        );
      allowed = diagrams.apply(
        diagrams.without,
        always ? diagrams.yes : matching(forKeys?.allowed ?? []),
        matching(forKeys?.denied ?? []),
      );
    }
    this.permissions.set(id, allowed);
    return allowed;
  }

  /** Asks for what copies need at a node; those without it end refused. @returns the others */
  private allowed(node: GraphNode, ask: Ask | undefined, flow: Flow): Flow {
    if (!ask) return flow;
    const set = this.permission(ask, flow.form);
    this.end(addressOf(node.thing), 'refused', this.without(flow, set));
    return this.within(flow, set);
  }

  /** Copies that are addressed: aliases and spreads are replaced by what they name, then permission is asked. */
  private arrive(
    to: string,
    arriving: Flow,
    from: Sender,
    mustReach: boolean,
    travelled: readonly string[],
    before: ReadonlySet<string> = new Set(),
  ): void {
    const seen = new Set(before);
    let [id, flow, sender, mandatory] = [to, arriving, from, mustReach];
    while (flow.copies !== this.none) {
      const node = this.graph.nodes.get(id);
      if (!node) return this.end(id, 'unresolved', flow);
      const address = addressOf(node.thing);
      if (node.role === 'alias' && seen.has(node.id)) return this.end(address, 'unresolved', flow);
      const { ask, closed, standsFor } = addressed(this.around, node, sender);
      if (closed?.outcome === 'unresolved') return this.end(address, 'unresolved', flow);
      flow = this.allowed(node, ask, flow);
      if (closed) return this.end(address, closed.outcome, flow);
      if (!standsFor) return this.enter(node, flow, mandatory, travelled);
      if (node.role === 'spread') return this.share(node, flow, sender, mandatory, travelled, seen);
      const set = this.some(flow);
      const way = onward(this.around, node, { set, form: flow.form }, this.domain, sender)[0]!;
      if (way.ask) {
        const may = this.permission(way.ask, flow.form);
        this.end(address, 'waiting', this.without(flow, may));
        flow = this.within(flow, may);
      }
      // behind its link nobody hears of it when it finds no queue
      if (way.sender !== sender) mandatory = false;
      sender = way.sender!;
      seen.add(node.id);
      id = way.edge.to;
    }
  }

  /** A spread gives each message to one of its members: which one hangs on what came before, unless the nearest takes all. */
  private share(
    spread: SpreadNode,
    flow: Flow,
    sender: Sender,
    mandatory: boolean,
    travelled: readonly string[],
    seen: ReadonlySet<string>,
  ): void {
    const dealt = deal(this.graph, spread, 1, sender.publisher, new Map());
    if (!dealt) return this.end(spread.thing.id, 'unresolved', flow);
    const nearest = spread.decl.choose?.value === 'nearest';
    const members = nearest
      ? dealt.shares.map(({ edge }) => edge)
      : this.around.out(spread.id).filter((edge, i) => edge.kind === 'member' && hasShare(spread, i));
    const one = members.length === 1;
    for (const edge of members) {
      const way = wayOn(
        this.around,
        spread,
        edge,
        { set: this.some(flow), form: flow.form },
        this.domain,
        sender,
      );
      const own = one ? flow : { ...flow, dealt: spread.thing.name };
      this.arrive(edge.to, own, way.sender ?? sender, mandatory, travelled, seen);
    }
  }

  /** Copies that are let into an exchange, topic or queue. */
  private enter(node: GraphNode, flow: Flow, mandatory: boolean, travelled: readonly string[] = []): void {
    const { form } = entered(node, { set: this.space.diagrams.yes, form: flow.form }, this.domain);
    const inside = { ...flow, form };
    if (node.role === 'queue') {
      const there = this.rest(node, inside, travelled, mandatory);
      if (!there && mandatory) this.end(addressOf(node.thing), 'sent back', inside);
    } else if (node.role === 'exchange' || node.role === 'topic')
      this.gather({ ...inside, node, travelled, mandatory });
    else this.end(addressOf(node.thing), 'unresolved', inside);
  }

  /** Has copies wait for others like them before they go on. */
  private gather(gathered: Gathered): void {
    if (gathered.copies === this.none) return;
    const { node, form, travelled, mandatory, link, dealt, copies } = gathered;
    let here = this.waiting.get(node.id);
    if (!here) this.waiting.set(node.id, (here = []));
    const like = here.findIndex(
      (each) =>
        each.form.key === form.key &&
        each.form.wrapped === form.wrapped &&
        each.mandatory === mandatory &&
        each.dealt === dealt &&
        each.link?.edge === link?.edge &&
        each.travelled.join('\n') === travelled.join('\n'),
    );
    if (like < 0) here.push(gathered);
    else
      here[like] = {
        ...here[like]!,
        copies: this.space.diagrams.apply(this.plus, here[like]!.copies, copies),
      };
  }

  private goOn(gathered: Gathered): void {
    const { node, link } = gathered;
    if (gathered.travelled.length > 0 && ++this.round > MOST_ROUND)
      throw new TooManyClasses('links lead round in too many ways');
    if (link) this.travel(gathered, node as StoreNode, link);
    else if (node.role === 'exchange') this.route(gathered, node);
    else this.distribute(gathered, node as TopicNode);
  }

  /**
   * Routing inside an AMQP broker: one publish puts at most one copy in a queue, an exchange is asked
   * once, and an exchange that matched nothing hands to its unrouted-to.
   */
  private route(flow: Gathered, exchange: ExchangeNode): void {
    const { diagrams } = this.space;
    const { form, travelled, mandatory } = flow;
    const all = this.some(flow);
    const asked = new Map([[exchange.id, all]]);
    const reached = new Map<string, Diagram>();
    const fallen = new Map<string, { node: ExchangeNode; sets: Diagram[] }>();
    const work: { node: ExchangeNode; set: Diagram }[] = [{ node: exchange, set: all }];
    for (const { node, set } of work) {
      const ways = onward(this.around, node, { set, form }, this.domain);
      const through = new Map<string, Diagram[]>();
      for (const { edge, messages } of ways)
        if (messages) {
          const others = through.get(edge.to);
          if (others) others.push(messages.set);
          else through.set(edge.to, [messages.set]);
        }
      const went: Diagram[] = [];
      for (const [to, sets] of through) {
        const target = this.graph.nodes.get(to)!;
        const own = diagrams.all(diagrams.or, sets, diagrams.no);
        went.push(own);
        const known = target.role === 'exchange' ? asked : reached;
        const before = known.get(to);
        const anew = before ? diagrams.apply(diagrams.without, own, before) : own;
        if (anew === diagrams.no) continue;
        known.set(to, before ? diagrams.apply(diagrams.or, before, anew) : anew);
        if (target.role === 'exchange') work.push({ node: target, set: anew });
      }
      const rest = diagrams.apply(diagrams.without, set, diagrams.all(diagrams.or, went, diagrams.no));
      if (rest === diagrams.no) continue;
      const falls = fallen.get(node.id);
      if (falls) falls.sets.push(rest);
      else fallen.set(node.id, { node, sets: [rest] });
    }
    const delivered: Diagram[] = [];
    for (const [id, set] of reached)
      if (this.rest(this.graph.nodes.get(id) as StoreNode, this.within(flow, set), travelled))
        delivered.push(set);
    const missed = diagrams.apply(diagrams.without, all, diagrams.all(diagrams.or, delivered, diagrams.no));
    if (missed === diagrams.no) return;
    // nothing of these is anywhere: the whole publish ends here, at each exchange that let it fall
    const lost = this.within(flow, missed);
    if (mandatory) return this.end(addressOf(exchange.thing), 'sent back', lost);
    const fell: Diagram[] = [];
    for (const { node, sets } of fallen.values()) {
      const set = diagrams.all(diagrams.or, sets, diagrams.no);
      fell.push(set);
      this.end(addressOf(node.thing), 'lost', this.within(lost, set));
    }
    this.end(
      addressOf(exchange.thing),
      'lost',
      this.without(lost, diagrams.all(diagrams.or, fell, diagrams.no)),
    );
  }

  /** A topic gives one copy to each subscription whose filter lets the message through. */
  private distribute(flow: Gathered, topic: TopicNode): void {
    const { diagrams } = this.space;
    const all = this.some(flow);
    const went: Diagram[] = [];
    for (const { edge, messages, ask } of onward(
      this.around,
      topic,
      { set: all, form: flow.form },
      this.domain,
    )) {
      if (!messages) continue;
      went.push(messages.set);
      const store = this.graph.nodes.get(edge.to) as StoreNode;
      const given = { ...this.within(flow, messages.set), form: messages.form };
      this.rest(store, this.allowed(store, ask, given), flow.travelled);
    }
    this.end(
      addressOf(topic.thing),
      'lost',
      this.without(flow, diagrams.all(diagrams.or, went, diagrams.no)),
    );
  }

  /** Copies come to rest. @returns false when the store stands for no queue at all */
  private rest(store: StoreNode, flow: Flow, travelled: readonly string[], mandatory = false): boolean {
    const { diagrams } = this.space;
    const { nodes, topology } = this.graph;
    const at = addressOf(store.thing);
    const perInstance = 'perInstanceOf' in store.decl ? store.decl.perInstanceOf : undefined;
    const instances = perInstance ? instancesOf(this.graph, perInstance.value) : 1;
    if (instances === 0) {
      if (!mandatory) this.end(at, 'lost', flow);
      return false;
    }
    const here: Flow = {
      ...flow,
      copies:
        instances === 1
          ? flow.copies
          : diagrams.map(flow.copies, ({ value }) => diagrams.leaf((value as number) * instances)),
    };
    const set = this.some(here);
    if (set === diagrams.no) return true;
    const ways = onward(this.around, nodes.get(store.id)!, { set, form: here.form }, this.domain);
    const taken = diagrams.all(
      diagrams.or,
      ways.flatMap(({ edge, ask }) => (edge.kind === 'take' && ask ? [this.permission(ask, here.form)] : [])),
      diagrams.no,
    );
    this.end(at, 'taken', this.within(here, taken));
    let left = this.without(here, taken);
    const links = ways.filter(({ edge }) => edge.kind === 'link');
    if (links.length === 0) {
      const broken = brokenLinks(topology).get(store.id)?.[0];
      this.end(at, broken ? 'unresolved' : 'held', left);
      return true;
    }
    for (const link of links) {
      const goes = this.goesBy(link, here.form);
      const own = this.within(left, goes);
      this.gather({ ...own, node: store, travelled, mandatory: false, link });
      left = this.without(left, goes);
    }
    this.end(at, 'waiting', left);
    return true;
  }

  /** The messages that a link takes from its queue. */
  private goesBy({ ask, closed, messages }: Onward<Moving>, form: Form): Diagram {
    const { diagrams } = this.space;
    if (closed || !messages) return diagrams.no;
    return diagrams.apply(diagrams.and, messages.set, this.permission(ask!, form));
  }

  /** A link takes copies from its queue and publishes them at its far end, with the same key. */
  private travel(flow: Gathered, queue: StoreNode, { edge, sender }: Onward<Moving>): void {
    if (flow.travelled.includes(queue.id)) {
      const behind = this.graph.nodes.get(edge.to);
      return this.end(behind ? addressOf(behind.thing) : edge.to, 'looped', flow);
    }
    const { circular } = this.graph.order;
    const travelled = circular(queue.id) ? [...flow.travelled, queue.id].sort() : flow.travelled;
    this.arrive(edge.to, this.within(flow, this.space.diagrams.yes), sender ?? NOBODY, false, travelled);
  }
}

/** Whether a member of a spread is ever chosen. */
const hasShare = ({ decl }: SpreadNode, member: number): boolean =>
  decl.choose?.value !== 'weighted' || (decl.weights?.items[member]?.value ?? 1) > 0;

/** @returns who publishes by a way */
export const publisherOf = ({ from }: Edge): Thing => thing('app', from.slice(publisherId('').length));
