/**
 * Messages that miss somewhere, or are too much, while the steps on a publish-subscribe service are taken. Each state
 * on the way is a topology that messages are traced in: one of each class at either end, and others of their types.
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

/** Messages of one publish that are tried, besides one of each class. */
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
  const sent = [before, after].flatMap((graph) => (graph ? sentTo(graph, broker, unproved) : []));
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

/** @returns messages that a topology's apps send to a service: one of each class, and others of their types */
function sentTo(graph: RoutingGraph, broker: string, unproved: Set<string>): Sent[] {
  const found: Sent[] = [];
  for (const way of publishesOf(graph)) {
    const type = graph.topology.messages.get(way.publish!.message!.value)!;
    const entries = [...entriesBehind(graph, way)].flatMap((id) => {
      const node = graph.nodes.get(id);
      return node?.thing.broker === broker && (node.role === 'topic' || node.role === 'queue') ? [node] : [];
    });
    if (entries.length === 0) continue;
    const messages = spreadOf(type, MOST_SPREAD);
    try {
      for (const { witness } of classesOf(graph, way).classes) messages.push({ ...witness, type: type.id });
    } catch (error) {
      if (!(error instanceof TooManyClasses)) throw error;
      unproved.add(
        `${type.id}: its messages are too many to tell apart; ${MOST_SPREAD} of them were followed`,
      );
    }
    for (const node of entries) {
      const wire = (node.decl as { wireName?: { value: string } }).wireName?.value ?? node.thing.name;
      const to = thing(node.thing.kind, wire, broker).id;
      const from = `app:${publisherOf(way).name}`;
      for (const message of messages) found.push({ message, to, from, said: way.publish?.to?.value ?? '' });
    }
  }
  return found;
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
