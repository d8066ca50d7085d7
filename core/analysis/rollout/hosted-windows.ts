/**
 * Messages that miss somewhere, or are too much, while the steps on a publish-subscribe service are taken. Each state
 * on the way is a topology that messages are traced in: one of each class, told apart by every filter of every state.
 */
import { TooManyClasses } from '../../base/diagram.ts';
import type { Message } from '../../conditions/message.ts';
import { thing } from '../../language/thing.ts';
import { type RoutingGraph, buildGraph } from '../../routing/graph.ts';
import { trace } from '../../routing/trace.ts';
import type { Json } from '../../syntax/render.ts';
import { tenantOf } from '../../topology/owner.ts';
import { readTopology } from '../../topology/read.ts';
import type { Topology } from '../../topology/topology.ts';
import { classesOf, publishesOf } from '../classes/classes.ts';
import { publisherOf } from '../classes/follow.ts';
import { spreadOf } from '../samples/spread.ts';
import type { HostedStep, HostedThing } from './hosted.ts';
import { entriesBehind } from './traffic.ts';

export interface HostedWindow {
  /** The first and the last state in which it is so: the service after so many steps. */
  readonly from: number;
  readonly until: number;
  readonly kind: 'missing' | 'extra';
  /** The message's type. */
  readonly message: string;
  /** The store, by its name there. */
  readonly store: string;
  /** One of the messages, and how it is sent. */
  readonly witness: Readonly<Record<string, unknown>>;
}

/** Messages of one publish that are tried where its classes are too many. */
const MOST_SPREAD = 60;
/** States times things: beyond that they are not looked at. */
const MOST_EFFORT = 40_000;
const MOST_MESSAGES = 2000;

/** Texts mean themselves: nothing in them is a parameter. */
const plainly = (_key: string, value: unknown): unknown =>
  typeof value === 'string' ? value.replaceAll('${', () => '$${') : value;

interface Sent {
  readonly message: Message;
  readonly to: string;
  readonly from: string;
  /** As the topology writes where it is sent. */
  readonly said: string;
}

/** Orders of more steps than this are not searched for, and so many are tried. */
const MOST_SEARCHED = 16;
const MOST_TRIED = 60;

/**
 * Looks for an order of the steps with fewer or shorter windows, each step moved to where it can be taken too.
 * @returns the best that was found, and its windows
 */
export function safeHostedOrder(
  has: readonly HostedThing[],
  steps: readonly HostedStep[],
  topologies: Parameters<typeof hostedWindows>[2],
): { steps: readonly HostedStep[]; windows: HostedWindow[]; unproved: string[] } {
  let best = { steps, ...hostedWindows(has, steps, topologies) };
  const cost = ({ windows }: { windows: readonly HostedWindow[] }) =>
    windows.reduce((sum, { from, until }) => sum + until - from + 1, 0);
  if (steps.length > MOST_SEARCHED) return best;
  let tried = 0;
  for (let better = true; better && cost(best) > 0;) {
    better = false;
    for (const [i, step] of best.steps.entries()) {
      for (let to = 0; to < best.steps.length && !better; to++) {
        if (to === i || to === i - 1 || tried >= MOST_TRIED) continue;
        const order = best.steps.filter((each) => each !== step);
        order.splice(to, 0, step);
        if (!canBeTaken(has, order)) continue;
        tried++;
        const found = { steps: order, ...hostedWindows(has, order, topologies) };
        if (cost(found) >= cost(best)) continue;
        best = found;
        better = true;
      }
      if (better) break;
    }
  }
  return best;
}

/** Whether steps can be taken in an order: what is pointed to is there, and what goes is not pointed to. */
function canBeTaken(has: readonly HostedThing[], steps: readonly HostedStep[]): boolean {
  const there = new Map(has.map((each) => [`${each.kind} ${each.name}`, each]));
  const ends = ({ settings }: HostedThing) =>
    [settings['topic'], settings['to'], (settings['deadLetter'] as { to?: Json } | undefined)?.to].filter(
      (each) => each !== undefined,
    );
  for (const { do: what, thing: of } of steps) {
    const others = [...there.values()].filter(({ kind }) => kind !== 'statement');
    if (what === 'put') {
      if (!ends(of).every((to) => to === of.name || others.some(({ name }) => name === to))) return false;
      there.set(`${of.kind} ${of.name}`, of);
    } else {
      if (
        of.kind !== 'statement' &&
        others.some((each) => each.name !== of.name && ends(each).includes(of.name))
      )
        return false;
      there.delete(`${of.kind} ${of.name}`);
    }
  }
  return true;
}

/**
 * @param has what the service has
 * @param before the topology that stands there, where there is one
 * @returns the windows, and what could not be told
 */
export function hostedWindows(
  has: readonly HostedThing[],
  steps: readonly HostedStep[],
  { before, after, broker }: { before?: RoutingGraph | undefined; after: RoutingGraph; broker: string },
): { windows: HostedWindow[]; unproved: string[] } {
  if (steps.length < 2) return { windows: [], unproved: [] };
  if (steps.length * (has.length + steps.length) > MOST_EFFORT)
    return { windows: [], unproved: ['There are too many states on the way to look at each of them.'] };
  const unproved = new Set<string>();
  const filters = filtersIn(has, steps);
  const sent = [before, after].flatMap((graph) => (graph ? sentTo(graph, broker, filters, unproved) : []));
  if (sent.length === 0) return { windows: [], unproved: [] };
  const tried = [...new Map(sent.map((each) => [JSON.stringify(each), each])).values()];
  if (tried.length > MOST_MESSAGES)
    unproved.add(`Of ${tried.length} messages ${MOST_MESSAGES} were followed through each state.`);
  const topologies = [after.topology, ...(before ? [before.topology] : [])];
  const rests = statesOf(has, steps).map((things) => {
    const graph = buildGraph(topologyOf(things, broker, topologies));
    return tried.slice(0, MOST_MESSAGES).map(
      ({ message, to, from }) =>
        new Set(
          // what is not there yet, or not any more, is sent to by nobody
          graph.nodes.has(to as never)
            ? trace(graph, message, { to, from }).trace.rests.map(({ store }) => store.name)
            : [],
        ),
    );
  });
  return { windows: windowsIn(rests, tried), unproved: [...unproved] };
}

/** @returns what the service has after each number of steps, none of them first */
function statesOf(has: readonly HostedThing[], steps: readonly HostedStep[]): HostedThing[][] {
  const there = new Map(has.map((each) => [`${each.kind} ${each.name}`, each]));
  const states = [[...there.values()]];
  for (const { do: what, thing: of } of steps) {
    const id = `${of.kind} ${of.name}`;
    if (what === 'put') there.set(id, of);
    else there.delete(id);
    states.push([...there.values()]);
  }
  return states;
}

function windowsIn(
  rests: readonly (readonly ReadonlySet<string>[])[],
  tried: readonly Sent[],
): HostedWindow[] {
  const last = rests.length - 1;
  const found = new Map<string, HostedWindow>();
  for (const [i, { message, from, said }] of tried.entries()) {
    const at = (state: number) => rests[state]?.[i] ?? new Set<string>();
    for (const store of new Set(rests.flatMap((_, state) => [...at(state)]))) {
      const [first, end] = [at(0).has(store), at(last).has(store)];
      if (first !== end) continue;
      for (let state = 1; state < last; state++) {
        if (at(state).has(store) === first) continue;
        let until = state;
        while (until + 1 < last && at(until + 1).has(store) !== first) until++;
        const kind = first ? 'missing' : 'extra';
        const { type = '', key: _key, ...rest } = message;
        const id = JSON.stringify([state, until, kind, type, store]);
        const witness = { type, from: from.slice('app:'.length), to: said, ...rest };
        if (!found.has(id)) found.set(id, { from: state, until, kind, message: type, store, witness });
        state = until;
      }
    }
  }
  return [...found.values()].sort((a, b) => a.from - b.from || a.until - b.until);
}

/**
 * Messages that a topology's apps send to a service. What becomes of a message in any state follows from which of the
 * filters it meets that some state has, so one is told of each class by all of them together: what holds for it on the way
 * holds for its class.
 * @param filters all that subscriptions have in some state, by their topics
 */
function sentTo(
  graph: RoutingGraph,
  broker: string,
  filters: ReadonlyMap<string, readonly Json[]>,
  unproved: Set<string>,
): Sent[] {
  const ways = publishesOf(graph).flatMap((way) =>
    [...entriesBehind(graph, way)].flatMap((id) => {
      const node = graph.nodes.get(id);
      if (node?.thing.broker !== broker || (node.role !== 'topic' && node.role !== 'queue')) return [];
      const wire = node.decl.wireName?.value ?? node.thing.name;
      return [{ way, type: way.publish!.message!.value, role: node.role, wire, kind: node.thing.kind }];
    }),
  );
  const all = new AllFilters(
    graph.topology,
    filters,
    ways.filter(({ role }) => role === 'topic'),
  );
  return ways.flatMap(({ way, type: id, role, wire, kind }): Sent[] => {
    const type = graph.topology.messages.get(id)!;
    // a queue takes whatever is sent to it
    const witnesses = role === 'queue' ? spreadOf(type, 1) : all.witnesses(id, wire);
    if (!witnesses)
      unproved.add(`${id}: its messages are too many to tell apart; ${MOST_SPREAD} of them were followed`);
    const to = thing(kind, wire, broker).id;
    const from = `app:${publisherOf(way).name}`;
    const said = way.publish?.to?.value ?? '';
    return (witnesses ?? spreadOf(type, MOST_SPREAD)).map((message) => ({ message, to, from, said }));
  });
}

/** Filters of subscriptions by their topics: those that are there, and those that some step puts there. */
function filtersIn(has: readonly HostedThing[], steps: readonly HostedStep[]): Map<string, Json[]> {
  const found = new Map<string, Map<string, Json>>();
  for (const { kind, settings } of [...has, ...steps.map((step) => step.thing)]) {
    const { topic, filter } = settings;
    if (kind !== 'subscription' || topic === undefined || filter === undefined) continue;
    const own = found.get(String(topic)) ?? new Map<string, Json>();
    found.set(String(topic), own.set(JSON.stringify(filter), filter));
  }
  return new Map([...found].map(([topic, own]) => [topic, [...own.values()]]));
}

/** Tells messages apart by all filters of a topic at once: in a broker made for it, on which each has a store of its own. */
class AllFilters {
  private readonly graph: RoutingGraph;
  private readonly broker: string;
  private readonly ways = new Map<string, ReturnType<typeof publishesOf>[number]>();

  constructor(
    private readonly topology: Topology,
    filters: ReadonlyMap<string, readonly Json[]>,
    sent: readonly { readonly type: string; readonly wire: string }[],
  ) {
    const taken = (name: string) =>
      topology.declared.brokers?.has(name) === true || topology.declared.apps?.has(name) === true;
    let name = 'all-filters';
    while (taken(name)) name += '-';
    this.broker = name;
    const topics = [...new Set(sent.map(({ wire }) => wire))];
    const subscriptions = topics.flatMap((topic, i) =>
      (filters.get(topic) ?? []).map((filter, n) => [`${i} ${n}`, { topic: String(i), filter }] as const),
    );
    this.topics = new Map(topics.map((topic, i) => [topic, String(i)]));
    const document = {
      brokers: {
        [name]: {
          kind: 'pubsub',
          access: 'open',
          topics: Object.fromEntries(topics.map((_, i) => [String(i), {}])),
          subscriptions: Object.fromEntries(subscriptions),
        },
      },
      apps: {
        [name]: {
          publishes: [...new Set(sent.map(({ type, wire }) => `${topics.indexOf(wire)} ${type}`))].map(
            (each) => {
              const [topic, message] = each.split(' ');
              return { message, to: `topic:${name}/${topic}` };
            },
          ),
        },
      },
    };
    const documents = [
      ...topology.documents,
      { name: 'all-filters.json', text: JSON.stringify(document, plainly) },
    ];
    const { environment } = topology;
    this.graph = buildGraph(readTopology(documents, environment === undefined ? {} : { environment }));
    for (const way of publishesOf(this.graph))
      if (publisherOf(way).name === name)
        this.ways.set(`${way.publish!.message!.value} ${way.publish!.to!.value}`, way);
  }

  private readonly topics: ReadonlyMap<string, string>;

  /** @returns one message of each class of those sent to a topic; undefined where there are too many to tell apart */
  witnesses(type: string, topic: string): Message[] | undefined {
    const way = this.ways.get(`${type} topic:${this.broker}/${this.topics.get(topic)}`);
    if (!way) return undefined;
    try {
      return classesOf(this.graph, way).classes.map(({ witness }) => ({ ...witness, type }));
    } catch (error) {
      if (!(error instanceof TooManyClasses)) throw error;
      return undefined;
    }
  }
}

/** What a service has, as a topology: names are those that things have there. */
function topologyOf(
  things: readonly HostedThing[],
  broker: string,
  [main, ...others]: readonly Topology[],
): Topology {
  const ofKind = (kind: HostedThing['kind'], names: readonly string[]) =>
    Object.fromEntries(
      things.flatMap((each) =>
        each.kind === kind
          ? [
              [
                each.name,
                Object.fromEntries(
                  names.flatMap((name) =>
                    each.settings[name] === undefined ? [] : [[name, each.settings[name]]],
                  ),
                ),
              ],
            ]
          : [],
      ),
    );
  const local = (name: Json) => `${broker}/${String(name)}`;
  const statements = things.flatMap(({ kind, name, settings }) => {
    if (kind !== 'statement') return [];
    const when = settings['when'] as Readonly<Record<string, Json>> | undefined;
    return [
      {
        ...settings,
        name,
        who: (settings['who'] as string[]).map((who) =>
          who.startsWith('topic:') ? `topic:${local(who.slice(6))}` : who,
        ),
        on: (settings['on'] as string[]).map(local),
        ...(when
          ? { when: { ...when, ...(when['source'] === undefined ? {} : { source: local(when['source']) }) } }
          : {}),
      },
    ];
  });
  const apps = [main!, ...others].flatMap((topology) =>
    [...(topology.declared.apps?.keys() ?? [])].map((app) => {
      const tenant = tenantOf(topology, thing('app', app));
      return [app, tenant === undefined ? {} : { tenant }] as const;
    }),
  );
  const tenant = main!.declared.tenant?.value;
  const service = things.find(({ kind }) => kind === 'service');
  const document = {
    vondle: 1,
    ...(tenant === undefined ? {} : { tenant }),
    apps: Object.fromEntries(apps.reverse()),
    brokers: {
      [broker]: {
        kind: 'pubsub',
        access: service?.settings['access'] ?? 'controlled',
        topics: ofKind('topic', ['tenant']),
        queues: ofKind('queue', ['tenant']),
        subscriptions: ofKind('subscription', ['topic', 'to', 'filter', 'wrap', 'tenant']),
      },
    },
    access: statements,
  };
  return readTopology([{ name: 'service.json', text: JSON.stringify(document, plainly) }]);
}
