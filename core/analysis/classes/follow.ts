/**
 * All messages of a publish followed at once: what walk.ts does to one message, done to sets of them. Copies are
 * functions from messages to their number; where they come to rest, and how their branches end, are functions too.
 */
import type { Edge, ExchangeNode, GraphNode, SpreadNode, StoreNode, TopicNode } from '../../brokers/terms.ts';
import { type Diagram, type Operation, TooManyClasses } from '../../base/diagram.ts';
import { type Thing, addressOf, thing } from '../../language/thing.ts';
import type { DeadLetterReason, Outcome } from '../../routing/hop.ts';
import { publisherId } from '../../routing/nodes.ts';
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
import { topicKey } from '../../conditions/amqp.ts';
import type { Ground } from './ground.ts';
import { type Form, OWN, type Space } from './space.ts';
import { arrivalOf, verdictAt } from './verdicts.ts';

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
  /** A store gave them up: they are dead letters, and given up no second time. */
  readonly dead?: true;
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
  /** The store, where copies rest in one. */
  readonly node?: string;
  readonly outcome: Outcome;
  /** The copies of each message that end so. */
  readonly copies: Diagram;
  /** They are one spread's, and of all its members one gets them. */
  readonly dealt?: string;
}

/** Links may lead round in circles for so many steps. */
const MOST_ROUND = 20_000;

/** What more is noted on the way. */
export interface Watched {
  /** By node id, those that come by it, wherever they end. */
  readonly passed: Map<string, Diagram[]>;
  /** By store id and taker, those that the taker takes there. */
  readonly taken: Map<string, Map<string, Diagram[]>>;
  /** By the link's edge id, those that it carries. */
  readonly carried: Map<string, { readonly latency: number; readonly parts: Diagram[] }>;
}

/** Follows all messages of one publish. */
export class Following {
  private readonly fates = new Map<
    string,
    { at: string; node?: string; outcome: Outcome; dealt?: string; parts: Diagram[] }
  >();
  private readonly waiting = new Map<string, Gathered[]>();
  private readonly none: Diagram;
  private readonly plus: Operation;
  private readonly domain: Domain<Moving>;
  private readonly permissions = new Map<string, Diagram>();
  private round = 0;
  /** The stores that links take some of the messages from. */
  readonly through = new Set<string>();

  /**
   * @param reason what every store gives up for that copies come to rest in, once; without it they rest there
   * @param watched what more is to be noted
   */
  constructor(
    private readonly around: Ground,
    private readonly space: Space,
    private readonly template: string,
    private readonly reason?: DeadLetterReason,
    private readonly watched?: Watched,
  ) {
    const { diagrams } = space;
    const none = (this.none = diagrams.leaf(0));
    this.plus = {
      early: (a, b) => (a === none ? b : b === none ? a : undefined),
      values: (a, b) => diagrams.leaf((a.value as number) + (b.value as number)),
      either: true,
    };
    const some = (set: Diagram, form: Form): Moving | undefined =>
      set === diagrams.no ? undefined : { set, form };
    const arrival = (form: Form) => arrivalOf(space.type, form.key ?? template, form.wrapped === true);
    // what lets nothing through was not told apart, and is not asked
    const passing = (edge: Edge, form: Form) =>
      edge.condition.op === 'always' || verdictAt(edge, arrival(form)).some
        ? space.sets(edge.condition, form).yes
        : diagrams.no;
    this.domain = {
      candidates: (_, __, out) => out,
      through: (edge, { set, form }) => some(diagrams.apply(diagrams.and, set, passing(edge, form)), form),
      past: (edge, { set, form }) => some(diagrams.apply(diagrams.without, set, passing(edge, form)), form),
      pastAll: (edges, { set, form }) => {
        const let_ = diagrams.all(
          diagrams.or,
          edges.map((edge) => passing(edge, form)),
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
    const { diagrams } = this.space;
    const publisher = thing('app', way.from.slice(publisherId('').length));
    const { publish } = way;
    const flow: Flow = { copies: diagrams.leaf(1), form: OWN };
    const to = publish?.to?.value ?? '';
    if (publish?.via?.value === 'mqtt') {
      const node = this.around.node(this.around.mqttEntry(to));
      if (!node) this.end(to, 'unresolved', flow);
      else {
        const { ask, closed } = addressed(this.around, node, { publisher });
        const let_ = this.allowed(node, ask, flow);
        if (closed) this.end(addressOf(node.thing), closed.outcome, let_);
        else this.enter(node, let_, false);
      }
    } else {
      const entry = this.around.entry(to);
      if (entry !== undefined) this.arrive(entry, flow, { publisher }, this.saidMandatory(way), []);
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
        const { rank } = this.around.order;
        for (const id of this.waiting.keys()) if (node === undefined || rank(id) < rank(node)) node = id;
      }
      const all = this.waiting.get(node!)!;
      this.waiting.delete(node!);
      for (const gathered of all) this.goOn(gathered);
    }
  }

  /** What is around exchanges for messages in a form. */
  private meeting({ key, wrapped }: Form): Surroundings {
    return this.around.meeting(arrivalOf(this.space.type, key ?? this.template, wrapped === true));
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

  private end(at: string, outcome: Outcome, { copies, dealt }: Flow, node?: string): void {
    if (copies === this.none) return;
    const id = `${outcome} ${at} ${dealt ?? ''}`;
    const fate = this.fates.get(id);
    if (fate) fate.parts.push(copies);
    else
      this.fates.set(id, {
        at,
        outcome,
        ...(node === undefined ? {} : { node }),
        ...(dealt === undefined ? {} : { dealt }),
        parts: [copies],
      });
  }

  private passes(node: string, flow: Flow): void {
    if (this.watched && flow.copies !== this.none) push(this.watched.passed, node, this.some(flow));
  }

  private takes(store: string, taker: string, set: Diagram): void {
    if (!this.watched || set === this.space.diagrams.no) return;
    const { taken } = this.watched;
    let here = taken.get(store);
    if (!here) taken.set(store, (here = new Map()));
    push(here, taker, set);
  }

  private carries({ id }: Edge, latency: number, flow: Flow): void {
    if (!this.watched || latency === 0 || flow.copies === this.none) return;
    const { carried } = this.watched;
    let here = carried.get(id);
    if (!here) carried.set(id, (here = { latency, parts: [] }));
    here.parts.push(this.some(flow));
  }

  private within({ copies, form, dealt, dead }: Flow, set: Diagram): Flow {
    return {
      copies: this.of(copies, set),
      form,
      ...(dealt === undefined ? {} : { dealt }),
      ...(dead ? { dead } : {}),
    };
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
    if (form.key !== undefined) allowed = this.around.may(ask, form.key).always ? diagrams.yes : diagrams.no;
    else {
      // what is narrowed to keys is asked key by key; deny wins
      const { always, allowed: forSome, denied } = this.around.may(ask);
      const matching = (keys: readonly string[]) =>
        diagrams.all(
          diagrams.or,
          keys.map((key) => this.space.sets(topicKey(key), form).yes),
          diagrams.no,
        );
      allowed = diagrams.apply(diagrams.without, always ? diagrams.yes : matching(forSome), matching(denied));
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
      const node = this.around.node(id);
      if (!node) return this.end(id, 'unresolved', flow);
      const address = addressOf(node.thing);
      if (node.role === 'alias' && seen.has(node.id)) return this.end(address, 'unresolved', flow);
      const { ask, closed, standsFor } = addressed(this.around, node, sender);
      if (closed?.outcome === 'unresolved') {
        this.passes(node.id, flow);
        return this.end(address, 'unresolved', flow);
      }
      flow = this.allowed(node, ask, flow);
      if (closed?.outcome !== 'refused') this.passes(node.id, flow);
      if (closed) return this.end(address, closed.outcome, flow, node.id);
      if (!standsFor) return this.enter(node, flow, mandatory, travelled);
      if (node.role === 'spread') return this.share(node, flow, sender, mandatory, travelled, seen);
      const set = this.some(flow);
      const way = onward(this.around, node, { set, form: flow.form }, this.domain, sender)[0]!;
      if (way.ask) {
        const may = this.permission(way.ask, flow.form);
        this.end(address, 'waiting', this.without(flow, may), node.id);
        flow = this.within(flow, may);
      }
      this.carries(way.edge, way.latency, flow);
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
    const members = this.around.members(spread, sender.publisher);
    if (!members) return this.end(spread.thing.id, 'unresolved', flow);
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
    const { node, form, travelled, mandatory, link, dealt, dead, copies } = gathered;
    let here = this.waiting.get(node.id);
    if (!here) this.waiting.set(node.id, (here = []));
    const like = here.findIndex(
      (each) =>
        each.form.key === form.key &&
        each.form.wrapped === form.wrapped &&
        each.mandatory === mandatory &&
        each.dealt === dealt &&
        each.dead === dead &&
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
      this.passes(node.id, this.within(flow, set));
      const ways = onward(this.meeting(form), node, { set, form }, this.domain);
      const through = new Map<string, Diagram[]>();
      for (const { edge, messages } of ways)
        if (messages) {
          const others = through.get(edge.to);
          if (others) others.push(messages.set);
          else through.set(edge.to, [messages.set]);
        }
      const went: Diagram[] = [];
      for (const [to, sets] of through) {
        const target = this.around.node(to)!;
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
      if (this.rest(this.around.node(id) as StoreNode, this.within(flow, set), travelled))
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
      const store = this.around.node(edge.to) as StoreNode;
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
    const at = addressOf(store.thing);
    this.passes(store.id, flow);
    const perInstance = 'perInstanceOf' in store.decl ? store.decl.perInstanceOf : undefined;
    const instances = perInstance ? this.around.instances(perInstance.value) : 1;
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
    const ways = onward(this.around, store, { set, form: here.form }, this.domain);
    const taken = diagrams.all(
      diagrams.or,
      ways.flatMap(({ edge, ask }) => {
        if (edge.kind !== 'take' || !ask) return [];
        const may = this.permission(ask, here.form);
        this.takes(store.id, ask.who.id, diagrams.apply(diagrams.and, set, may));
        return [may];
      }),
      diagrams.no,
    );
    this.stay(store, 'taken', this.within(here, taken));
    let left = this.without(here, taken);
    const links = ways.filter(({ edge }) => edge.kind === 'link');
    if (links.length === 0) {
      if (this.around.broken(store.id)) this.end(at, 'unresolved', left);
      else this.stay(store, 'held', left);
      return true;
    }
    for (const link of links) {
      const goes = this.goesBy(link, here.form);
      const own = this.within(left, goes);
      this.gather({ ...own, node: store, travelled, mandatory: false, link });
      left = this.without(left, goes);
    }
    this.stay(store, 'waiting', left);
    return true;
  }

  /** Copies that stay where they rest, unless their store gives them up. */
  private stay(store: StoreNode, outcome: 'taken' | 'held' | 'waiting', flow: Flow): void {
    const { reason } = this;
    const at = addressOf(store.thing);
    if (reason === undefined || flow.dead) return this.end(at, outcome, flow, store.id);
    if (flow.copies === this.none) return;
    const { decl } = store;
    if (reason === 'overflow' && 'overflow' in decl && decl.overflow?.value === 'refuse-new')
      return this.end(at, 'refused', flow);
    const edge = this.around.out(store.id).find(({ kind }) => kind === 'deadLetter');
    const behind = edge && this.around.node(edge.to);
    if (!behind) return this.end(at, 'lost', flow);
    const { messages } = wayOn(
      this.around,
      store,
      edge,
      { set: this.some(flow), form: flow.form },
      this.domain,
    );
    this.enter(behind, { ...flow, form: messages!.form, dead: true }, false);
  }

  /** The messages that a link takes from its queue. */
  private goesBy({ ask, closed, messages }: Onward<Moving>, form: Form): Diagram {
    const { diagrams } = this.space;
    if (closed || !messages) return diagrams.no;
    return diagrams.apply(diagrams.and, messages.set, this.permission(ask!, form));
  }

  /** A link takes copies from its queue and publishes them at its far end, with the same key. */
  private travel(flow: Gathered, queue: StoreNode, { edge, sender, latency }: Onward<Moving>): void {
    this.carries(edge, latency, flow);
    this.through.add(queue.id);
    if (flow.travelled.includes(queue.id)) {
      const behind = this.around.node(edge.to);
      return this.end(behind ? addressOf(behind.thing) : edge.to, 'looped', flow);
    }
    const { circular } = this.around.order;
    const travelled = circular(queue.id) ? [...flow.travelled, queue.id].sort() : flow.travelled;
    this.arrive(edge.to, this.within(flow, this.space.diagrams.yes), sender ?? NOBODY, false, travelled);
  }
}

function push<K, V>(lists: Map<K, V[]>, key: K, value: V): void {
  const list = lists.get(key);
  if (list) list.push(value);
  else lists.set(key, [value]);
}

/** @returns who publishes by a way */
export const publisherOf = ({ from }: Edge): Thing => thing('app', from.slice(publisherId('').length));
