/**
 * What a probe is to be, where it is to be looked for and where it should come out: worked out on a thread from
 * documents and from what the brokers of an environment have.
 */
import {
  asGiven,
  classesOf,
  expectProbe,
  keptSamples,
  linksToCarry,
  mannersOf,
  publishesOf,
  remarksOn,
  samplesOf,
  sendingsOf,
  throughApps,
  withinReach,
  type HostedThing,
  type Inventory,
} from '@vondle/core/analysis';
import type { Message } from '@vondle/core/conditions';
import { buildGraph, fits, trace, type RoutingGraph } from '@vondle/core/routing';
import { ENTRIES, lookUp, type Topology } from '@vondle/core/topology';
import type { ProbeCase } from '@vondle/api';
import type { Unseen } from '../db/schema.ts';
import { openTarget, targetsOf } from '../environments/store.ts';
import { Problem } from '../http/problem.ts';
import { entryOf, membersOf, mqttExchange, type Entry, type SentBy } from '../messages/entry.ts';
import { again, countWaiting, onBroker, topologyAt, wantedOn, type Planning } from '../rollouts/planning.ts';
import { revisionsStandingOn } from '../rollouts/store.ts';
import type { Beside } from './amqp.ts';

export interface ProbeInput extends SentBy {
  readonly message: string;
  readonly sample: Partial<Message>;
}

/** A subscription that a probe is looked for beside: by one of our own with the same settings. */
export interface BesideHosted {
  /** The store it hands to, by its name there. */
  readonly store: string;
  readonly settings: HostedThing['settings'];
  /** Statements that let its topic hand to that store, where it hands to a queue. */
  readonly statements: readonly HostedThing['settings'][];
}

/** What is looked beside on one broker. */
export interface Taps {
  readonly targetId: number;
  readonly broker: string;
  readonly amqp: readonly Beside[];
  readonly hosted: readonly BesideHosted[];
}

/** A probe as it is to be sent, and what is to be seen of it. */
export interface ProbePlan {
  /** The broker it is sent to. */
  readonly broker: string;
  readonly entry: Entry;
  readonly message: Message;
  /** After how many milliseconds its copies go by themselves; undefined where they would be dead letters then. */
  readonly expires?: number;
  readonly taps: readonly Taps[];
  readonly sent: Record<string, unknown>;
  readonly predicted: { readonly queues: [string, number][]; readonly returned: boolean };
  /** What cannot be looked beside, and why. */
  readonly unseen: Unseen[];
  /** Queues that refuse messages when they are full. */
  readonly mayRefuse: string[];
  /** Queues its copies stay in until somebody takes them. */
  readonly stays: string[];
}

/** Queues that a probe looks beside, and bindings that are made for it. */
const MOST_BESIDE = 400;
const MOST_BINDINGS = 4000;
/** Subscriptions of a publish-subscribe broker that a probe looks beside. */
const MOST_SUBSCRIPTIONS = 50;
/** A probe's copies go by themselves after this, where that makes no dead letters of them. */
const PROBE_EXPIRES_MS = 20_000;
/** A client's own queue for its MQTT subscriptions; named so by the broker. */
const MQTT_QUEUE = /^mqtt-subscription-/;

/** What a store is called in a probe that was sent to a broker: there by its name, elsewhere with its broker. */
export const storeName = (own: string, broker: string, store: string): string =>
  broker === own && !store.includes('/') ? store : `${broker}/${store}`;

/**
 * @returns a rollout with the topology its broker is as: of one that was carried out its own, of one that is only
 *   planned what stands there
 * @throws Problem where nothing stands there
 */
async function standing(planning: Planning, rolloutId: number) {
  const found = await again(planning, rolloutId);
  const { rollout, row } = found;
  if (rollout.state === 'applied' && !rollout.tearsDown) return { ...found, revision: rollout.revision };
  const { environment, broker } = rollout;
  const stands = await revisionsStandingOn(planning.db, row.topologyId, environment);
  const revision = stands.find((each) => each.broker === broker)?.applied;
  if (rollout.state !== 'planned' || revision === undefined)
    throw new Problem(
      409,
      'Not applied',
      rollout.state === 'planned'
        ? `Nothing of this topology stands on ${broker} in ${environment} yet: probe it once the rollout is applied.`
        : 'Probe a rollout before it is begun, or after it is applied.',
    );
  const read = await topologyAt(planning.db, row.topologyId, revision, environment);
  return { ...found, read, wanted: wantedOn(read, broker), revision };
}

/** Works out what a probe is to be, and where it is to be looked for. @throws Problem where it cannot be sent or would destroy something */
export async function expectedProbe(
  planning: Planning,
  { rolloutId, input: asked }: { rolloutId: number; input: ProbeInput },
): Promise<ProbePlan> {
  const { rollout, row, target, wanted, read, revision } = await standing(planning, rolloutId);
  const { broker } = rollout;
  const type = read.messages.get(asked.message);
  if (!type) throw new Problem(404, 'No such message', `Revision ${revision} declares no such message type.`);
  const { message, missing } = asGiven(
    type,
    Object.keys(asked.sample).length ? asked.sample : samplesOf(type)[0]!.message,
  );
  const via = asked.via === 'mqtt' ? 'mqtt' : undefined;
  if (missing.length)
    throw new Problem(
      400,
      'No key',
      `The key ${type.key!.value} needs a value for ${missing.join(' and ')}.`,
    );
  const graph = buildGraph(read);
  // a probe of a spread is one of its first member on this broker: a probe takes no turn
  const own = membersOf(graph, asked.to).find((member) => lookUpEntry(graph, member)?.broker === broker);
  const input = via === undefined && own !== undefined ? { ...asked, to: own } : asked;
  const entry = entryOf(graph, input, broker, message);
  const onHosted = entry.kind === 'hosted';
  const traced = trace(graph, message, {
    to: input.to,
    mandatory: true,
    ...(via ? { via } : {}),
    // a publish-subscribe broker is asked as the app, with what it may do; others by who the target is reached as
    ...(onHosted ? { from: `app:${input.app}` } : {}),
  }).trace;
  const predicted = expectProbe(graph, traced, broker);
  // what travels in a link's queue lies there first
  const inLink = entry.kind === 'amqp' && entry.mark !== undefined ? [entry.key] : [];
  const has = await onBroker(rollout, () => target.reached.inventory());
  const unseen: Unseen[] = [];
  const taps: Taps[] = [];
  let looked: Omit<LookedAt, 'beside'> = { mayRefuse: [], kept: [], passing: true };
  if (onHosted)
    taps.push({
      targetId: target.id,
      broker,
      amqp: [],
      hosted: besideHosted(has.hosted ?? [], entry.entry, unseen),
    });
  else {
    const exchange = entry.kind === 'mqtt' ? mqttExchange(graph, broker) : entry.exchange;
    const key = entry.kind === 'mqtt' ? '' : entry.key;
    const { beside, ...more } = await besideAmqp(
      { has, wanted, exchange, key, foreseen: new Set(Object.keys(predicted.queues)) },
      (queues) => onBroker(rollout, () => countWaiting(queues, target.reached)),
      unseen,
    );
    looked = more;
    taps.push({ targetId: target.id, broker, amqp: beside, hosted: [] });
    const exclusive = new Set(wanted.leftToOthers.map(({ of }) => of.slice(of.indexOf('/') + 1)));
    const there = new Set(has.queues.map(({ name }) => name));
    for (const name of Object.keys(predicted.queues)) {
      if (there.has(name)) continue;
      if ([...exclusive].some((each) => name === each || name.startsWith(`${each}.`)))
        unseen.push({ queue: name, why: 'it is there only while its app is connected, and it is not' });
    }
  }
  const named = (store: string) => storeName(broker, broker, store);
  const carried = await beyond(planning, row.topologyId, {
    environment: rollout.environment,
    own: broker,
    read,
    predicted,
    mark: entry.kind === 'amqp' ? entry.mark : undefined,
    unseen,
  });
  return {
    broker,
    entry,
    message,
    ...(looked.passing && !onHosted ? { expires: PROBE_EXPIRES_MS } : {}),
    taps: [...taps, ...carried],
    sent: {
      ...message,
      to: input.to,
      app: input.app,
      ...(via ? { via } : {}),
      remarks: remarksOn(type, message),
      follows: throughApps(graph, [traced])
        .flatMap(({ app, sent }) => (sent ? caseOf(`${app}, because of it`, sent.message, sent.sending) : []))
        .slice(0, MOST_FOLLOWS),
    },
    predicted: {
      queues: [
        ...inLink.map((name): [string, number] => [named(name), 1]),
        ...Object.entries(predicted.queues).map(([name, copies]): [string, number] => [named(name), copies]),
        ...predicted.carried.map((each): [string, number] => [
          storeName(broker, each.broker, each.store),
          each.copies,
        ]),
      ],
      returned: predicted.returned && inLink.length === 0,
    },
    unseen: unseen.slice(0, 1000),
    mayRefuse: looked.mayRefuse,
    stays: looked.passing ? [] : looked.kept,
  };
}

interface LookedAt {
  readonly beside: Beside[];
  readonly mayRefuse: string[];
  readonly kept: string[];
  /** Whether its copies may go by themselves. */
  readonly passing: boolean;
}

/** @returns which queues of an AMQP 0-9-1 broker are looked beside, and what they do with a message. @throws Problem where it would destroy something */
async function besideAmqp(
  {
    has,
    wanted,
    exchange,
    key,
    foreseen,
  }: {
    has: Inventory;
    wanted: Parameters<typeof withinReach>[1];
    exchange: string;
    key: string;
    foreseen: ReadonlySet<string>;
  },
  count: (queues: readonly string[]) => Promise<ReadonlyMap<string, number>>,
  unseen: Unseen[],
): Promise<LookedAt> {
  const reach =
    exchange === ''
      ? has.queues
          .filter(({ name }) => name === key)
          .map((queue) => ({ queue, bindings: [], unforeseen: false }))
      : withinReach(has, wanted, exchange);
  // those it is predicted to come to are looked at first, should there be too many
  const sorted = [...reach].sort(
    (a, b) => Number(foreseen.has(b.queue.name)) - Number(foreseen.has(a.queue.name)),
  );
  // a broker's statistics lag behind; of queues with a limit it is asked how full they are now
  const limited = sorted.filter(
    ({ queue, unforeseen }) => (foreseen.has(queue.name) || unforeseen) && mannersOf(queue).limited,
  );
  const waiting = await count(limited.map(({ queue }) => queue.name));
  const beside: Beside[] = [];
  const mayRefuse: string[] = [];
  const kept: string[] = [];
  let bindings = 0;
  let passing = true;
  for (const { queue, bindings: own, unforeseen } of sorted) {
    const { name } = queue;
    const likely = foreseen.has(name) || unforeseen;
    const manners = mannersOf({ ...queue, messages: waiting.get(name) ?? queue.messages ?? 0 });
    if (likely && manners.pushesOut)
      throw new Problem(
        409,
        'A queue is full',
        `${name} is full: a probe would push its oldest message out. Empty it, or probe another way.`,
      );
    if (likely && manners.mayRefuse) mayRefuse.push(name);
    if (likely && manners.deadLetters) passing = false;
    if (likely) kept.push(name);
    if (MQTT_QUEUE.test(name))
      unseen.push({ queue: name, why: "it is an MQTT client's own, which no trace names" });
    else if (exchange === '') continue;
    else if (beside.length >= MOST_BESIDE || bindings + own.length > MOST_BINDINGS)
      unseen.push({ queue: name, why: 'a probe looks beside some hundreds of queues at most' });
    else {
      beside.push({ queue: name, bindings: own });
      bindings += own.length;
    }
  }
  return { beside, mayRefuse, kept, passing };
}

/** @returns the subscriptions of a topic to look beside; of a queue that is sent to nothing is beside */
function besideHosted(things: readonly HostedThing[], entry: string, unseen: Unseen[]): BesideHosted[] {
  const own = things.filter(({ kind, settings }) => kind === 'subscription' && settings['topic'] === entry);
  const statements = things.filter(({ kind }) => kind === 'statement').map(({ settings }) => settings);
  for (const { name, settings } of own.slice(MOST_SUBSCRIPTIONS))
    unseen.push({
      queue: String(settings['to'] ?? name),
      why: `a probe looks beside ${MOST_SUBSCRIPTIONS} subscriptions at most`,
    });
  return own.slice(0, MOST_SUBSCRIPTIONS).map(({ name, settings }) => {
    const to = settings['to'] as string | undefined;
    return {
      store: to ?? name,
      settings,
      statements:
        to === undefined
          ? []
          : statements.filter(({ on }) => (on as string[]).some((pattern) => fits(pattern, to))),
    };
  });
}

/** Beyond the broker it is sent to, a probe is looked for where links carry it. */
async function beyond(
  { db, ...openers }: Planning,
  topologyId: number,
  {
    environment,
    own,
    read,
    predicted: { carried },
    mark,
    unseen,
  }: {
    environment: string;
    own: string;
    read: Topology;
    predicted: ReturnType<typeof expectProbe>;
    mark: string | undefined;
    unseen: Unseen[];
  },
): Promise<Taps[]> {
  const brokers = [...new Set(carried.map(({ broker }) => broker))];
  if (brokers.length === 0) return [];
  const targets = await targetsOf(db, topologyId);
  const { carried: links } = linksToCarry(read);
  const taps: Taps[] = [];
  for (const broker of brokers) {
    const stores = carried.filter((each) => each.broker === broker).map(({ store }) => store);
    const not = (some: readonly string[], why: string) => {
      for (const store of some) unseen.push({ queue: storeName(own, broker, store), why });
    };
    const row = targets.find((each) => each.environment === environment && each.broker === broker);
    const target = row && (await openTarget(db, openers, topologyId, row.id));
    if (!target) {
      not(stores, `${broker} is not connected in ${environment}`);
      continue;
    }
    // what is marked goes where its mark says, all else where its link leads
    const ends = links.flatMap(({ to, aliases }) =>
      mark === undefined ? to : Object.hasOwn(aliases, mark) ? aliases[mark]! : [],
    );
    const exchanges = [
      ...new Set(
        ends.flatMap(({ broker: at, exchange }) => (at === broker && exchange !== '' ? [exchange] : [])),
      ),
    ];
    const has = await onBroker({ environment, broker }, () => target.reached.inventory());
    const wanted = wantedOn(read, broker);
    const amqp: Beside[] = [];
    for (const exchange of exchanges)
      for (const { queue, bindings } of has.hosted ? [] : withinReach(has, wanted, exchange))
        if (stores.includes(queue.name) && !amqp.some((each) => each.queue === queue.name))
          amqp.push({ queue: queue.name, bindings });
    const hosted = (has.hosted ?? []).flatMap(({ kind, name }) =>
      kind === 'topic' ? besideHosted(has.hosted!, name, []) : [],
    );
    const seen = new Set([...amqp.map(({ queue }) => queue), ...hosted.map(({ store }) => store)]);
    not(
      stores.filter((store) => !seen.has(store)),
      'a link puts it there by its name, and nothing can stand beside that',
    );
    if (seen.size) taps.push({ targetId: target.id, broker, amqp: amqp.slice(0, MOST_BESIDE), hosted });
  }
  return taps;
}

/** So many things that follow are told of a probe. */
const MOST_FOLLOWS = 20;
/** So many probes make a set. */
const MOST_CASES = 100;

/**
 * @returns the messages of a set that enter a rollout's broker: every sample that is kept and an example of each type,
 *   or one of each class of messages
 */
export async function probeSet(
  planning: Planning,
  { rolloutId, of }: { rolloutId: number; of: 'samples' | 'classes' },
): Promise<{ cases: ProbeCase[]; more: number }> {
  const { rollout, read } = await standing(planning, rolloutId);
  const { broker } = rollout;
  const graph = buildGraph(read);
  /** The entries on this broker that an address stands for: a spread for those of its members that are there. */
  const entering = (to: string, via?: string): string[] => {
    if (via === 'mqtt') return to === broker ? [to] : [];
    return membersOf(graph, to).filter((member) => lookUpEntry(graph, member)?.broker === broker);
  };
  const cases: ProbeCase[] = [];
  const add = (title: string, message: Message, sending: { to: string; from?: string; via?: string }) => {
    for (const to of entering(sending.to, sending.via))
      cases.push(...caseOf(title, message, { ...sending, to }));
  };
  if (of === 'samples') {
    for (const { name, message, sendings } of keptSamples(read))
      for (const sending of sendings) add(name, message, sending);
    for (const type of read.messages.values())
      for (const sending of sendingsOf(read, type.id))
        for (const { name, message } of samplesOf(type).slice(0, 3))
          add(`${type.id}: ${name}`, message, sending);
  } else
    for (const way of publishesOf(graph)) {
      const { from, type, to, via, classes } = classesOf(graph, way);
      const sending = { from: `app:${from}`, to, ...(via ? { via } : {}) };
      for (const [i, { witness }] of classes.entries())
        add(`${type}, class ${i + 1}`, { ...witness, type }, sending);
    }
  const seen = new Set<string>();
  const different = cases.filter(({ title: _title, ...rest }) => {
    const id = JSON.stringify(rest);
    return !seen.has(id) && seen.add(id);
  });
  return { cases: different.slice(0, MOST_CASES), more: Math.max(0, different.length - MOST_CASES) };
}

/** @returns a message as one of a set, where it has a type and somebody sends it */
function caseOf(
  title: string,
  { type, key, headers, properties, body }: Message,
  { to, from, via }: { to: string; from?: string; via?: string },
): ProbeCase[] {
  if (!type || !from) return [];
  const sample = {
    key,
    headers: { ...headers },
    properties: { ...properties },
    ...(body === undefined ? {} : { body }),
  };
  const app = from.slice('app:'.length);
  return [{ title, app, message: type, to, via: via === 'mqtt' ? 'mqtt' : 'amqp', sample }];
}

function lookUpEntry(graph: RoutingGraph, to: string) {
  const found = lookUp(graph.topology.names, to, ENTRIES);
  return found.ok ? found.thing : undefined;
}
