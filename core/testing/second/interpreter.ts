/**
 * A second interpreter of topologies, written from docs/routing.md and docs/language.md alone: it shares no code with
 * routing/ or conditions/, follows every copy by itself, and is slow. Where the two differ, one of them is wrong, or
 * the documents do not say.
 */
import type { Binding, Broker, Dead, Filter, Headers, Model, Queue, Sent, Statement, Told } from './model.ts';

type Kind = 'exchange' | 'queue' | 'topic' | 'subscription' | 'alias' | 'spread';
interface Place {
  kind: Kind;
  broker: string;
  name: string;
}
interface Message {
  key: string;
  headers: Record<string, unknown>;
  properties: Record<string, unknown>;
}
/** A message on its way: how many copies, on whose behalf, and the link queues it has left. */
interface Copy {
  message: Message;
  copies: number;
  travelled: string[];
}
interface Sender {
  app?: string | undefined;
  link?: string;
  source?: Place;
}
type Reason = 'expired' | 'rejected';

/** A message that is given up more often goes round without end. */
const LONGEST = 12;
/** And one that has become so many copies. */
const MOST = 10_000;

const ADDRESSED: Kind[] = ['exchange', 'topic', 'queue', 'alias', 'spread'];
const shown = ({ kind, broker, name }: Place) => (kind === 'spread' ? `spread:${name}` : `${broker}/${name}`);
const idOf = (place: Place) => `${place.kind}:${shown(place)}`;

/** @returns what becomes of a message; with a reason stores give up what rests in them, if they can for that */
export function interpret(model: Model, sent: Sent, reason?: Reason): Told {
  return new Interpreter(model, reason).run(sent);
}

class Interpreter {
  private readonly ends: Record<string, number> = {};
  private readonly stores: Record<string, number> = {};
  private readonly takers: Record<string, Set<string>> = {};
  /** What each member of a spread is owed. */
  private readonly owed: Record<string, number[]> = {};

  constructor(
    private readonly model: Model,
    private readonly reason: Reason | undefined,
  ) {}

  run(sent: Sent): Told {
    const message = { key: sent.key, headers: sent.headers, properties: sent.properties };
    const copy = { message, copies: 1, travelled: [] };
    if (sent.via === 'mqtt') this.overMqtt(sent, copy);
    else {
      const target = this.named(sent.to, ADDRESSED);
      const said = sent.mandatory ?? this.saidMandatory(sent, target);
      if (target) this.arrive(target, copy, { app: sent.from }, said, [], []);
      else this.end('unresolved', sent.to, 1);
    }
    return {
      ends: this.ends,
      stores: this.stores,
      takers: Object.fromEntries(Object.entries(this.takers).map(([at, all]) => [at, [...all].sort()])),
    };
  }

  private overMqtt(sent: Sent, copy: Copy): void {
    const exchange = this.mqttExchange(sent.to);
    if (!exchange) return this.end('unresolved', sent.to, 1);
    const key = sent.key.replaceAll('/', '.');
    if (!this.allowed({ app: sent.from }, 'publish', exchange, key))
      return this.end('refused', shown(exchange), 1);
    if (this.broker(exchange).exchanges![exchange.name]!.internal)
      return this.end('refused', shown(exchange), 1);
    this.route(exchange, { ...copy, message: { ...copy.message, key } }, false, []);
  }

  private saidMandatory({ from, type, to }: Sent, target: Place | undefined): boolean {
    if (from === undefined || type === undefined || !target) return false;
    return (this.model.apps[from]?.publishes ?? []).some((each) => {
      const entry = each.via === 'mqtt' ? undefined : this.named(each.to, ADDRESSED);
      return (
        each.mandatory === true && each.message === type && entry && idOf(entry) === idOf(target) && to !== ''
      );
    });
  }

  private end(outcome: string, at: string, copies: number): void {
    const name = `${outcome} at ${at}`;
    this.ends[name] = (this.ends[name] ?? 0) + copies;
  }

  // names

  private has(place: Place): boolean {
    if (place.kind === 'spread') return place.name in this.model.spreads;
    const broker = this.model.brokers[place.broker];
    const lists = {
      exchange: broker?.exchanges,
      queue: broker?.queues,
      topic: broker?.topics,
      subscription: broker?.subscriptions,
      alias: broker?.aliases,
    };
    return Object.hasOwn(lists[place.kind] ?? {}, place.name);
  }

  /** What an address means; nothing where it means two things. */
  private named(address: string, kinds: Kind[], home?: string): Place | undefined {
    if (address.startsWith('spread:'))
      return this.only([{ kind: 'spread', broker: '', name: address.slice('spread:'.length) }], kinds);
    const prefix = /^(exchange|queue|topic|subscription|alias):(.*)$/s.exec(address);
    const among = prefix ? kinds.filter((kind) => kind === prefix[1]) : kinds;
    const rest = prefix ? prefix[2]! : address;
    const at = (broker: string, name: string) =>
      this.only(
        among.map((kind) => ({ kind, broker, name })),
        among,
      );
    if (home !== undefined && this.counted(among, home, rest) > 0) return at(home, rest);
    const slash = rest.indexOf('/');
    return slash > 0 ? at(rest.slice(0, slash), rest.slice(slash + 1)) : undefined;
  }

  /** What is taken from; a subscription that hands to a queue keeps nothing. */
  private store(address: string): Place | undefined {
    const found = this.named(address, ['queue', 'subscription']);
    if (found?.kind !== 'subscription') return found;
    return this.broker(found).subscriptions![found.name]!.to === undefined ? found : undefined;
  }

  private counted(kinds: Kind[], broker: string, name: string): number {
    return kinds.filter((kind) => this.has({ kind, broker, name })).length;
  }

  private only(places: Place[], kinds: Kind[]): Place | undefined {
    const there = places.filter((each) => kinds.includes(each.kind) && this.has(each));
    return there.length === 1 ? there[0] : undefined;
  }

  private broker({ broker }: Place): Broker {
    return this.model.brokers[broker]!;
  }

  private mqttExchange(broker: string): Place | undefined {
    const address = this.model.brokers[broker]?.mqtt?.exchange;
    return address === undefined ? undefined : this.named(address, ['exchange'], broker);
  }

  // who may

  private allowed(
    who: { app?: string | undefined; link?: string; topic?: Place },
    action: string,
    on: Place,
    key: string,
    source?: Place,
  ): boolean {
    const caller = who.link
      ? `link:${who.link}`
      : who.topic
        ? `topic:${shown(who.topic)}`
        : who.app === undefined
          ? undefined
          : `app:${who.app}`;
    // nobody known is let in
    if (caller === undefined) return true;
    const holds = (statement: Statement) => {
      const one = (value: string | string[]) => (Array.isArray(value) ? value : [value]);
      const names = one(statement.who).some(
        (each) => each === 'any' || each === caller || (who.topic && each === `broker:${who.topic.broker}`),
      );
      const covers = (pattern: string, place: Place) =>
        [shown(place), idOf(place)].some((each) => glob(pattern, each));
      const { when } = statement;
      return (
        names &&
        one(statement.on).some((each) => covers(each, on)) &&
        (when?.key === undefined || keyMatches(when.key, key)) &&
        (when?.source === undefined || (source !== undefined && covers(when.source, source)))
      );
    };
    const about = this.model.access.filter(holds);
    if (about.some(({ deny }) => deny?.includes(action))) return false;
    if (about.some(({ allow }) => allow?.includes(action))) return true;
    return this.broker(on).access === 'open';
  }

  private instances(app: string): number {
    return this.model.apps[app]?.instances ?? 1;
  }

  // on the way

  /** A copy is addressed to something. */
  private arrive(
    to: Place,
    copy: Copy,
    sender: Sender,
    mandatory: boolean,
    aliases: string[],
    given: string[],
  ): void {
    const { key } = copy.message;
    const mayPublish = () =>
      this.allowed(
        sender.link ? { link: sender.link } : { app: sender.app },
        'publish',
        to,
        key,
        sender.source,
      );
    switch (to.kind) {
      case 'spread':
        return this.spread(to, copy, sender, mandatory, aliases, given);
      case 'alias':
        return this.alias(to, copy, sender, mandatory, aliases, given, mayPublish);
      case 'exchange':
        if (!mayPublish() || this.broker(to).exchanges![to.name]!.internal)
          return this.end('refused', shown(to), copy.copies);
        return this.route(to, copy, mandatory, given);
      case 'queue': {
        if (!mayPublish()) return this.end('refused', shown(to), copy.copies);
        return this.enterQueue(to, copy, mandatory, given);
      }
      default:
        if (!mayPublish()) return this.end('refused', shown(to), copy.copies);
        return this.distribute(to, copy, given);
    }
  }

  private enterQueue(to: Place, copy: Copy, mandatory: boolean, given: string[]): void {
    const queue = this.broker(to).queues![to.name]!;
    // through the unnamed exchange of an AMQP broker, whose key is the queue's name
    const key = this.broker(to).kind === 'amqp' ? (queue.wireName ?? to.name) : copy.message.key;
    const inside = { ...copy, message: { ...copy.message, key } };
    if (queue.perInstanceOf !== undefined && this.instances(queue.perInstanceOf) === 0)
      return this.end(mandatory ? 'sent back' : 'lost', shown(to), mandatory ? 0 : 0);
    this.rest(to, inside, given);
  }

  private alias(
    to: Place,
    copy: Copy,
    sender: Sender,
    mandatory: boolean,
    aliases: string[],
    given: string[],
    mayPublish: () => boolean,
  ): void {
    const at = shown(to);
    if (aliases.includes(at)) return this.end('unresolved', at, copy.copies);
    const alias = this.broker(to).aliases![to.name]!;
    const target = this.named(alias.to, ADDRESSED, to.broker);
    if (!target) return this.end('unresolved', at, copy.copies);
    if (target.kind === 'spread' || target.broker === to.broker)
      return this.arrive(target, copy, sender, mandatory, [...aliases, at], given);
    const link = alias.over === undefined ? undefined : this.model.links[alias.over];
    if (!link) return this.end('unresolved', at, copy.copies);
    const brokerIn = (address: string) => address.replace(/^queue:/, '').split('/')[0];
    const queue = this.named(link.from, ['queue']);
    if (brokerIn(link.from) !== to.broker || brokerIn(link.to) !== target.broker || !queue)
      return this.end('unresolved', at, copy.copies);
    if (!mayPublish()) return this.end('refused', at, copy.copies);
    if (link.active === false || !this.allowed({ link: alias.over! }, 'consume', queue, copy.message.key)) {
      // what waits at a remote alias is told as resting there
      this.stores[at] = (this.stores[at] ?? 0) + copy.copies;
      this.takers[at] ??= new Set();
      return this.end('waiting', at, copy.copies);
    }
    this.arrive(
      target,
      copy,
      { app: sender.app, link: alias.over!, source: to },
      false,
      [...aliases, at],
      given,
    );
  }

  private spread(
    to: Place,
    copy: Copy,
    sender: Sender,
    mandatory: boolean,
    aliases: string[],
    given: string[],
  ): void {
    const { members, choose = 'rotate', weights } = this.model.spreads[to.name]!;
    const all = members.flatMap((each, i) => {
      const place = this.named(each, ['queue']);
      return place ? [{ place, weight: weights?.[i] ?? 1 }] : [];
    });
    if (all.length === 0 || (choose === 'weighted' && all.every(({ weight }) => weight === 0)))
      return this.end('unresolved', shown(to), copy.copies);
    const near = all.find(({ place }) => place.broker === this.homeOf(sender.app)) ?? all[0]!;
    // every copy takes a turn of its own
    const counts = all.map(() => 0);
    for (let i = 0; i < copy.copies; i++)
      counts[
        choose === 'nearest'
          ? all.indexOf(near)
          : this.turn(
              to.name,
              choose,
              all.map(({ weight }) => weight),
            )
      ]!++;
    for (const [i, copies] of counts.entries())
      if (copies > 0) this.arrive(all[i]!.place, { ...copy, copies }, sender, mandatory, aliases, given);
  }

  /** Whose turn it is: in order, or of those with weights who is owed most, the first of several. */
  private turn(spread: string, choose: string, weights: number[]): number {
    const even = choose === 'rotate' ? weights.map(() => 1) : weights;
    const owed = (this.owed[spread] ??= even.map(() => 0));
    even.forEach((weight, i) => (owed[i]! += weight));
    const chosen = owed.reduce((best, each, i) => (each > owed[best]! + 1e-9 ? i : best), 0);
    owed[chosen]! -= even.reduce((sum, weight) => sum + weight, 0);
    return chosen;
  }

  private homeOf(app: string | undefined): string | undefined {
    const decl = app === undefined ? undefined : this.model.apps[app];
    if (!decl) return undefined;
    if (decl.home !== undefined) return decl.home;
    const counts = new Map<string, number>();
    const count = (broker: string | undefined) => {
      if (broker) counts.set(broker, (counts.get(broker) ?? 0) + 1);
    };
    for (const { to, via } of decl.publishes ?? [])
      count(via === 'mqtt' ? this.mqttExchange(to)?.broker : this.named(to, ADDRESSED)?.broker);
    if (this.instances(app!) > 0)
      for (const { from, via } of decl.consumes ?? [])
        count(via === 'mqtt' ? this.mqttExchange(from)?.broker : this.store(from)?.broker);
    return [...counts].sort((a, b) => b[1] - a[1])[0]?.[0];
  }

  /** Inside an AMQP broker: each exchange is asked once, and each queue gets one copy. */
  private route(entry: Place, copy: Copy, mandatory: boolean, given: string[]): void {
    const { message } = copy;
    const asked = new Set([idOf(entry)]);
    const queues = new Map<string, () => void>();
    const work = [entry];
    const unmatched: Place[] = [];
    for (const exchange of work) {
      const found = this.boundTo(exchange, message);
      const { unroutedTo } = this.broker(exchange).exchanges![exchange.name]!;
      const unrouted =
        unroutedTo === undefined ? undefined : this.named(unroutedTo, ['exchange'], exchange.broker);
      const next = found.length ? found : unrouted ? [unrouted] : [];
      if (next.length === 0) unmatched.push(exchange);
      for (const place of next) {
        const id = idOf(place);
        if (place.kind === 'exchange') {
          if (!asked.has(id)) work.push(place);
          asked.add(id);
        } else if (!queues.has(id)) queues.set(id, () => this.rest(place, copy, given));
      }
    }
    for (const go of queues.values()) go();
    if (queues.size > 0) return;
    if (mandatory) return this.end('sent back', shown(entry), copy.copies);
    if (unmatched.length === 0) return this.end('lost', shown(entry), copy.copies);
    for (const each of unmatched) this.end('lost', shown(each), copy.copies);
  }

  /** What an exchange gives a message to: bound queues and exchanges, and MQTT takers where it is the one they meet. */
  private boundTo(exchange: Place, message: Message): Place[] {
    const broker = this.broker(exchange);
    const { type } = broker.exchanges![exchange.name]!;
    const found = (broker.bindings ?? []).flatMap((binding) => {
      const from = this.named(binding.from, ['exchange'], exchange.broker);
      const to = this.named(binding.to, ['queue', 'exchange'], exchange.broker);
      // a broker binds what it has itself
      if (!from || !to || from.broker !== exchange.broker || to.broker !== exchange.broker) return [];
      return from.name === exchange.name && bindingMatches(type, binding, message) && this.isThere(to)
        ? [to]
        : [];
    });
    const met = this.mqttExchange(exchange.broker);
    if (met?.name !== exchange.name) return found;
    for (const [app, decl] of Object.entries(this.model.apps))
      for (const each of decl.consumes ?? []) {
        if (each.via !== 'mqtt' || each.from !== exchange.broker || this.instances(app) === 0) continue;
        const store = sessionName(app, each.topic!);
        // a binding key of the exchange, which only type topic reads as a filter
        const key = each
          .topic!.replace(/^\$share\/[^/]*\//, '')
          .replaceAll('/', '.')
          .replaceAll('+', '*');
        if (
          type === 'topic' ? topicMatches(each.topic!, message.key) : type !== 'direct' || key === message.key
        )
          found.push({ kind: 'subscription', broker: exchange.broker, name: store });
      }
    return found;
  }

  private isThere(place: Place): boolean {
    const queue: Queue | undefined =
      place.kind === 'queue' ? this.broker(place).queues![place.name] : undefined;
    return queue?.perInstanceOf === undefined || this.instances(queue.perInstanceOf) > 0;
  }

  /** A topic gives one copy to each subscription that admits the message. */
  private distribute(topic: Place, copy: Copy, given: string[]): void {
    let some = false;
    for (const [name, each] of Object.entries(this.broker(topic).subscriptions ?? {})) {
      const of = this.named(each.topic, ['topic'], topic.broker);
      if (!of || idOf(of) !== idOf(topic)) continue;
      const own: Place = { kind: 'subscription', broker: topic.broker, name };
      const to = each.to === undefined ? own : this.named(each.to, ['queue'], topic.broker);
      if (!to || (each.filter && filterAdmits(each.filter, copy.message) !== true)) continue;
      some = true;
      const message = each.wrap ? enveloped(copy.message) : copy.message;
      if (to.kind === 'queue' && !this.allowed({ topic }, 'publish', to, copy.message.key, topic)) {
        this.end('refused', shown(to), copy.copies);
        continue;
      }
      this.rest(to, { ...copy, message }, given);
    }
    if (!some) this.end('lost', shown(topic), copy.copies);
  }

  /** Copies come to a store. @param given the stores that gave them up before, with the key they had there */
  private rest(store: Place, before: Copy, given: string[]): void {
    const at = shown(store);
    const { each, takers: apps, asked } = this.about(store);
    const copy = { ...before, copies: before.copies * each };
    const { key } = copy.message;
    const takers = [...new Set(apps)].filter((app) => this.allowed({ app }, 'consume', asked, key));
    const links = Object.entries(this.model.links).flatMap(([name, link]) => {
      const from = this.named(link.from, ['queue']);
      return from && idOf(from) === idOf(store) ? [{ name, link, to: this.named(link.to, ADDRESSED) }] : [];
    });
    const going = links.filter(({ to }) => to);
    const carries = ({ name, link }: (typeof links)[number]) =>
      link.active !== false &&
      (!link.keys?.length || link.keys.some((pattern) => keyMatches(pattern, key))) &&
      this.allowed({ link: name }, 'consume', store, key);
    const chosen = going.find(carries);
    if (takers.length === 0 && chosen) {
      if (copy.travelled.includes(idOf(store))) return this.end('looped', shown(chosen.to!), copy.copies);
      const onward = { ...copy, travelled: [...copy.travelled, idOf(store)] };
      return this.arrive(chosen.to!, onward, { link: chosen.name, source: store }, false, [], given);
    }
    if (takers.length === 0 && going.length === 0 && links.length > 0)
      return this.end('unresolved', at, copy.copies);
    if (this.reason && this.canGiveUp(store)) return this.giveUp(store, copy, given);
    const waits = takers.length === 0 && going.length > 0;
    this.end(takers.length ? 'taken' : waits ? 'waiting' : 'held', at, copy.copies);
    this.stores[at] = (this.stores[at] ?? 0) + copy.copies;
    const all = (this.takers[at] ??= new Set());
    takers.forEach((app) => all.add(`app:${app}`));
  }

  /** How many such stores there are, who takes from it, and where they are asked for permission. */
  private about(store: Place): { each: number; takers: string[]; asked: Place } {
    const broker = this.broker(store);
    const apps = Object.entries(this.model.apps).filter(([app]) => this.instances(app) > 0);
    if (store.kind === 'subscription' && !Object.hasOwn(broker.subscriptions ?? {}, store.name)) {
      const takers = apps.filter(([app, decl]) =>
        (decl.consumes ?? []).some(
          (each) =>
            each.via === 'mqtt' && each.from === store.broker && sessionName(app, each.topic!) === store.name,
        ),
      );
      const shared = store.name.startsWith('$share/');
      return {
        each: shared ? 1 : this.instances(takers[0]![0]),
        takers: takers.map(([app]) => app),
        asked: this.mqttExchange(store.broker)!,
      };
    }
    const perInstance = store.kind === 'queue' ? broker.queues![store.name]!.perInstanceOf : undefined;
    const takers = apps.filter(([, decl]) =>
      (decl.consumes ?? []).some(({ from, via }) => {
        const place = via === 'mqtt' ? undefined : this.store(from);
        return place && idOf(place) === idOf(store);
      }),
    );
    return {
      each: perInstance === undefined ? 1 : this.instances(perInstance),
      takers: takers.map(([app]) => app),
      asked: store,
    };
  }

  // given up

  private declOf(store: Place): { ttl?: string; deadLetter?: Dead } {
    const broker = this.broker(store);
    return (store.kind === 'queue' ? broker.queues : broker.subscriptions)?.[store.name] ?? {};
  }

  private canGiveUp(store: Place): boolean {
    return this.reason === 'rejected' || this.declOf(store).ttl !== undefined;
  }

  private giveUp(store: Place, copy: Copy, given: string[]): void {
    if (copy.copies > MOST) return this.end('endless', shown(store), copy.copies);
    const { deadLetter } = this.declOf(store);
    const home = store.broker;
    const to = deadLetter && this.named(deadLetter.to, ['exchange', 'topic', 'queue'], home);
    if (!to) return this.end('lost', shown(store), copy.copies);
    const { key, headers, properties } = copy.message;
    const state = JSON.stringify([idOf(store), key, headers, properties, this.owed]);
    // a round without a rejection is cut where it closes; one with a rejection goes on for ever
    if (given.length > LONGEST || (this.reason === 'rejected' && given.includes(state)))
      return this.end('endless', shown(store), copy.copies);
    if (this.reason === 'expired' && given.some((each) => (JSON.parse(each) as [string])[0] === idOf(store)))
      return this.end('looped', shown(store), copy.copies);
    const message = deadLetter.key === undefined ? copy.message : { ...copy.message, key: deadLetter.key };
    const next = { message, copies: copy.copies, travelled: [] };
    const record = [...given, state];
    if (to.kind === 'exchange') this.route(to, next, false, record);
    else if (to.kind === 'queue') this.enterQueue(to, next, false, record);
    else this.distribute(to, next, record);
  }
}

const sessionName = (app: string, topic: string) => (topic.startsWith('$share/') ? topic : `${app}:${topic}`);

// conditions

function bindingMatches(type: string, { key = '', headers }: Binding, message: Message): boolean {
  switch (type) {
    case 'fanout':
      return true;
    case 'direct':
      return message.key === key;
    case 'topic':
      return keyMatches(key, message.key);
    default:
      return headersMatch(headers ?? { values: {} }, message.headers);
  }
}

function headersMatch({ match = 'all', values }: Headers, headers: Record<string, unknown>): boolean {
  const asked = Object.entries(values).filter(([name]) => !name.startsWith('x-'));
  const holds = ([name, value]: [string, unknown]) =>
    Object.hasOwn(headers, name) && (value === null || headers[name] === value);
  return match === 'all' ? asked.every(holds) : asked.some(holds);
}

/** By recursion over the words, as the standard says it. */
function keyMatches(pattern: string, key: string): boolean {
  const split = (text: string) => (text === '' ? [] : text.split('.'));
  const fits = (wanted: string[], words: string[]): boolean => {
    const [first, ...rest] = wanted;
    if (first === undefined) return words.length === 0;
    if (first === '#') return words.some((_, i) => fits(rest, words.slice(i))) || fits(rest, []);
    return words.length > 0 && (first === '*' || first === words[0]) && fits(rest, words.slice(1));
  };
  return fits(split(pattern), split(key));
}

/** An MQTT filter against the key that a topic has become. */
function topicMatches(text: string, key: string): boolean {
  const filter = text.startsWith('$share/') ? text.split('/').slice(2).join('/') : text;
  const levels = filter.split('/');
  if (/^[+#]/.test(filter) && key.startsWith('$')) return false;
  const words = key === '' ? [] : key.split('.');
  for (const [i, level] of levels.entries()) {
    if (level === '#') return true;
    if (words[i] === undefined || (level !== '+' && level !== words[i])) return false;
  }
  return words.length === levels.length;
}

function glob(pattern: string, text: string): boolean {
  const slash = pattern.indexOf('/');
  const part = (each: string, star: string) =>
    each
      .split('*')
      .map((fixed) => fixed.replace(/[^a-z0-9]/gi, '\\$&'))
      .join(star);
  const [broker, name] = slash < 0 ? [pattern, ''] : [pattern.slice(0, slash), pattern.slice(slash)];
  return new RegExp(`^${part(broker, '[^/]*')}${part(name, '.*')}$`).test(text);
}

function filterAdmits(filter: Filter, message: Message): boolean | undefined {
  const value = (name: string) =>
    Object.hasOwn(message.properties, name) ? message.properties[name] : message.headers[name];
  if ('match' in filter)
    return Object.entries(filter.match).every(([name, wanted]) => value(name) === wanted);
  if ('prefix' in filter)
    return Object.entries(filter.prefix).every(([name, wanted]) => {
      const given = value(name);
      return typeof given === 'string' && given.startsWith(wanted);
    });
  if ('any' in filter || 'all' in filter) {
    // what decides alone decides; else one unknown leaves all of it unknown
    const [of, decides] = 'any' in filter ? [filter.any, true] : [filter.all, false];
    const each = of.map((one) => filterAdmits(one, message));
    return each.includes(decides) ? decides : each.includes(undefined) ? undefined : !decides;
  }
  if ('not' in filter) {
    const inner = filterAdmits(filter.not, message);
    return inner === undefined ? undefined : !inner;
  }
  return selectorAdmits(filter.selector, message);
}

/** Only the few forms that the generator writes: `name op number`, `name = 'text'`, `name IS NULL`. */
function selectorAdmits(selector: string, { headers }: Message): boolean | undefined {
  const isNull = /^(\w+) IS NULL$/.exec(selector);
  if (isNull) return headers[isNull[1]!] === undefined;
  const [, name, op, wanted] = /^(\w+) (=|<>|<|>=) (.+)$/.exec(selector)!;
  const given = headers[name!];
  if (given === undefined) return undefined;
  const right = wanted!.startsWith("'") ? wanted!.slice(1, -1) : Number(wanted);
  if (typeof given !== typeof right) return false;
  if (op === '=') return given === right;
  if (op === '<>') return given !== right;
  return op === '<' ? (given as number) < (right as number) : (given as number) >= (right as number);
}

function enveloped({ properties }: Message): Message {
  return {
    key: '',
    headers: {},
    properties: 'subject' in properties ? { subject: properties['subject'] } : {},
  };
}
