/**
 * Expectations tried out: the messages one speaks of are followed, and what becomes of each is held
 * against what was promised. A promise about a type rests on its examples and a spread over the domains
 * it declares; the result says so, and whether that spread is the whole of them.
 */
import { allFollowed, throughApps } from '../trace/through.ts';
import { sendingsOf } from '../samples/kept.ts';
import { complete, samplesOf } from '../samples/samples.ts';
import { spreadOf, spreadSize } from '../samples/spread.ts';
import { counted, listed } from '../../base/phrase.ts';
import { formatDuration } from '../../base/values.ts';
import type { Message } from '../../conditions/message.ts';
import type { ExpectationDecl } from '../../language/expectation.ts';
import { STORES, type Thing, addressOf, thing } from '../../language/thing.ts';
import type { RoutingGraph } from '../../routing/graph.ts';
import { covers } from '../../routing/permission.ts';
import { type RotationState, everyTurn } from '../../routing/choose.ts';
import type { Hop, Sending } from '../../routing/hop.ts';
import { type Rest, type Trace, hopsOf, trace } from '../../routing/trace.ts';
import type { Place } from '../../syntax/place.ts';
import { lookUp } from '../../topology/address.ts';
import type { MessageType } from '../../topology/messages.ts';
import { tenantOf } from '../../topology/owner.ts';
import type { Finding, Topology } from '../../topology/topology.ts';

/** What a verdict rests on. */
export interface Basis {
  /** This very message, or what its type or label stands for. */
  readonly of: 'this message' | 'a type' | 'a label';
  /** How many messages were followed. */
  readonly messages: number;
  /** Whether these are all the combinations of values that the types declare. */
  readonly whole: boolean;
}

/** A message that broke a promise. */
export interface Breach {
  readonly message: Message;
  readonly app: string;
  readonly why: string;
  /** The store it is about, as a node id, where it is about one. */
  readonly at?: string;
  readonly traces: readonly Trace[];
}

export interface Proof {
  readonly name: string;
  readonly place: Place;
  /** Untried: nobody sends such a message, so nothing was followed. */
  readonly verdict: 'kept' | 'broken' | 'untried';
  readonly basis: Basis;
  readonly broken?: Breach;
  /** What is promised, in a line. */
  readonly promise: string;
}

/** Of one type at most so many of its spread are followed. */
const MOST_SPREAD = 120;

/** @returns what becomes of every expectation of a topology, in the order of the text */
export function proveAll(graph: RoutingGraph): Proof[] {
  return (graph.topology.declared.expectations?.items ?? []).map((each) => prove(graph, each));
}

/** Tries one expectation out. */
export function prove(graph: RoutingGraph, expectation: ExpectationDecl): Proof {
  const { topology } = graph;
  const { messages, basis } = messagesOf(topology, expectation);
  const from = expectation.given?.from?.value.replace(/^app:/, '');
  const known = {
    name: expectation.name?.value ?? 'an expectation',
    place: expectation.name?.place ?? expectation.place,
    promise: promiseOf(expectation),
    basis,
  };
  let tried = false;
  let cut = false;
  for (const message of messages) {
    for (const [app, sendings] of byApp(sendingsOf(topology, message.type ?? '', from))) {
      tried = true;
      for (const traces of tracesOf(graph, message, sendings, () => (cut = true))) {
        const found = breachOf(graph, expectation, traces) ?? notLedTo(graph, expectation, traces);
        if (found) return { ...known, verdict: 'broken', broken: { message, app, ...found, traces } };
      }
    }
  }
  // what could not be read admits nothing here, and something once it can
  const whole =
    basis.whole && !cut && !graph.edges.some(({ condition }) => condition.op === 'never' && condition.unread);
  return { ...known, basis: { ...basis, whole }, verdict: tried ? 'kept' : 'untried' };
}

/** Of several spreads in a row so many combinations of turns are tried. */
const MOST_TURNS = 64;

/**
 * What becomes of a message, for every turn that the spreads on its way may have.
 * @param cut told where there are more than are tried
 */
function* tracesOf(
  graph: RoutingGraph,
  message: Message,
  sendings: readonly Sending[],
  cut: () => void,
): Generator<Trace[]> {
  const known = new Set<string>();
  let states: RotationState[] = [new Map()];
  for (let i = 0; i < states.length; i++) {
    let turns = states[i]!;
    const traces = sendings.map((sending) => {
      const result = trace(graph, message, sending, turns);
      turns = result.turns;
      return result.trace;
    });
    yield traces;
    for (const hop of traces.flatMap((each) => [...hopsOf(each)])) {
      const spread = graph.nodes.get(hop.node);
      if (spread?.role !== 'spread' || known.has(spread.id)) continue;
      known.add(spread.id);
      const others = everyTurn(graph, spread);
      const more = states.flatMap((state) => others.map((turn) => new Map(state).set(spread.id, turn)));
      if (states.length + more.length > MOST_TURNS) cut();
      states = [...states, ...more].slice(0, MOST_TURNS);
    }
  }
}

/** @returns an expectation that is not kept as a finding, so that it shows wherever findings show */
export function findingOfProof({ name, place, verdict, broken, basis }: Proof): Finding | undefined {
  if (verdict === 'kept') return undefined;
  if (verdict === 'untried')
    return {
      check: 'expectation/untried',
      severity: 'warning',
      message: `“${name}” is not tried: nobody publishes ${basis.messages ? 'such a message' : 'anything it speaks of'}.`,
      place,
    };
  const { message, app, why, at } = broken!;
  return {
    check: 'expectation/broken',
    severity: 'error',
    message: `“${name}” is broken: ${message.type ?? 'a message'}${seen(message)}, sent by ${app}, ${why}.`,
    place,
    ...(at ? { about: at } : {}),
  };
}

function seen({ headers, properties }: Message): string {
  const parts = Object.entries({ ...headers, ...properties }).map(
    ([name, value]) => `${name} ${JSON.stringify(value)}`,
  );
  return parts.length ? ` with ${listed(parts)}` : '';
}

function messagesOf(topology: Topology, { given }: ExpectationDecl): { messages: Message[]; basis: Basis } {
  const type = given?.message && topology.messages.get(given.message.value);
  const own = given?.headers ?? given?.properties ?? given?.key ?? given?.body;
  if (type && own) {
    const message = complete(type, {
      headers: given.headers?.value ?? {},
      properties: given.properties?.value ?? {},
      ...(given.key ? { key: given.key.value } : {}),
      ...(given.body ? { body: given.body.value } : {}),
    });
    return { messages: [message], basis: { of: 'this message', messages: 1, whole: true } };
  }
  const label = given?.label?.value;
  const types = type
    ? [type]
    : [...topology.messages.values()].filter((each) => label !== undefined && each.labels.has(label));
  const messages = types.flatMap((each) => [
    ...samplesOf(each).map((sample) => sample.message),
    ...spreadOf(each, MOST_SPREAD),
  ]);
  const whole = types.every((each) => spreadSize(each) <= MOST_SPREAD && isFinite(each));
  return { messages, basis: { of: type ? 'a type' : 'a label', messages: messages.length, whole } };
}

/** Whether a spread over a type's domains has every value there is. */
function isFinite(type: MessageType): boolean {
  return [...type.headers.values(), ...type.properties.values()].every(
    ({ schema }) => 'const' in schema || Array.isArray(schema['enum']) || schema['type'] === 'boolean',
  );
}

function byApp(sendings: readonly Sending[]): Map<string, Sending[]> {
  const apps = new Map<string, Sending[]>();
  for (const sending of sendings) {
    const app = sending.from?.replace(/^app:/, '') ?? '';
    const list = apps.get(app);
    if (list) list.push(sending);
    else apps.set(app, [sending]);
  }
  return apps;
}

/** Why what became of a message is not what was promised, and at which node; undefined where it is. */
function breachOf(
  graph: RoutingGraph,
  { reaches, only, never, copies, within }: ExpectationDecl,
  traces: readonly Trace[],
): { readonly why: string; readonly at?: string } | undefined {
  const rests = traces.flatMap((each) => each.rests);
  const where = () =>
    rests.length
      ? `it reaches ${listed([...new Set(rests.map(({ store }) => addressOf(store)))])}`
      : 'it reaches nothing';
  for (const { value } of reaches?.items ?? []) {
    if (rests.some((rest) => restsAt(graph, rest, value))) continue;
    const missed = lookUp(graph.topology.names, value, STORES);
    const why = `does not reach ${value}: ${refusal(traces) ?? where()}`;
    return missed.ok ? { why, at: missed.thing.id } : { why };
  }
  for (const { value } of never?.items ?? []) {
    const rest = rests.find((each) => restsAt(graph, each, value));
    const whose = rest && value !== addressOf(rest.store) ? `, which is ${value}’s` : '';
    if (rest) return { why: `reaches ${addressOf(rest.store)}${whose}`, at: rest.node };
    if (traces.some(({ root }) => passes(graph, root, value))) return { why: `passes ${value}` };
  }
  if (only?.value) {
    const other = rests.find((rest) => !reaches?.items.some(({ value }) => restsAt(graph, rest, value)));
    if (other) return { why: `also reaches ${addressOf(other.store)}`, at: other.node };
  }
  const made = rests.reduce((sum, rest) => sum + rest.copies, 0);
  if (copies && made !== copies.value)
    return { why: `makes ${counted(made, 'copy', 'copies')}, not ${copies.value}` };
  const slowest = rests.reduce<Rest | undefined>(
    (most, rest) => (rest.latency > (most?.latency ?? -1) ? rest : most),
    undefined,
  );
  if (within && slowest && slowest.latency > within.value)
    return {
      why: `takes ${formatDuration(slowest.latency)} to ${addressOf(slowest.store)}, more than ${formatDuration(within.value)}`,
      at: slowest.node,
    };
  return undefined;
}

/** Why a message does not lead to what was promised, gone on through apps; undefined where it does. */
function notLedTo(
  graph: RoutingGraph,
  { leadsTo }: ExpectationDecl,
  traces: readonly Trace[],
): { readonly why: string; readonly at?: string } | undefined {
  if (!leadsTo?.items.length) return undefined;
  const steps = [...allFollowed(throughApps(graph, traces))].map(({ step }) => step);
  const rests = [...traces, ...steps.flatMap(({ sent }) => sent?.trace ?? [])].flatMap((each) => each.rests);
  for (const { value } of leadsTo.items) {
    if (rests.some((rest) => restsAt(graph, rest, value))) continue;
    if (steps.some(({ handedTo }) => handedTo !== undefined && value === `app:${handedTo}`)) continue;
    const apps = [...new Set(steps.map(({ app }) => app))];
    const far = [...new Set(rests.map(({ store }) => addressOf(store)))];
    const through = apps.length ? `, through ${listed(apps)}` : '';
    const missed = lookUp(graph.topology.names, value, STORES);
    return {
      why: `does not lead to ${value}: it comes as far as ${far.length ? listed(far) : 'nothing'}${through}`,
      ...(missed.ok ? { at: missed.thing.id } : {}),
    };
  }
  return undefined;
}

/** The end that kept a message from going on, where one did. */
function refusal(traces: readonly Trace[]): string | undefined {
  for (const { ends } of traces)
    for (const { end } of ends)
      if (end.outcome === 'refused' || end.outcome === 'unresolved' || end.outcome === 'lost')
        return `${end.outcome}, ${end.why}`;
  return undefined;
}

/** Whether a store is, or is emptied by, or belongs to, what an expectation names. */
function restsAt(graph: RoutingGraph, { store, takers }: Rest, name: string): boolean {
  const [, kind, id] = /^(app|tenant|broker|link):(.+)$/s.exec(name) ?? [];
  const { topology } = graph;
  switch (kind) {
    case 'app':
    case 'link':
      return takers.includes(name);
    case 'tenant':
      return (
        tenantOf(topology, store) === id ||
        takers.some(
          (taker) =>
            taker.startsWith('app:') && tenantOf(topology, thing('app', taker.slice('app:'.length))) === id,
        )
      );
    case 'broker':
      return store.broker === id;
    default:
      return covers(name, store);
  }
}

/** Whether a message comes by an exchange, topic or broker on its way. */
function passes(graph: RoutingGraph, root: Hop, name: string): boolean {
  for (const { node, end } of hopsOf({ root })) {
    const at: Thing | undefined = graph.nodes.get(node)?.thing;
    if (!at || end?.outcome === 'refused') continue;
    if (name.startsWith('broker:')) {
      if (at.broker === name.slice('broker:'.length)) return true;
    } else if (at.kind !== 'queue' && at.kind !== 'subscription' && covers(name, at)) return true;
  }
  return false;
}

/** An expectation's promise in a line. */
function promiseOf({ given, reaches, leadsTo, only, never, copies, within }: ExpectationDecl): string {
  const parts = [
    leadsTo && `leads to ${listed(leadsTo.items.map(({ value }) => value))}`,
    reaches && `reaches ${only?.value ? 'only ' : ''}${listed(reaches.items.map(({ value }) => value))}`,
    never &&
      `never ${listed(
        never.items.map(({ value }) => value),
        4,
        'or',
      )}`,
    copies && `in ${counted(copies.value, 'copy', 'copies')}`,
    within && `within ${formatDuration(within.value)}`,
  ].filter(Boolean);
  const what = given?.message?.value ?? (given?.label ? `${given.label.value} data` : 'a message');
  const values = Object.entries({ ...given?.headers?.value, ...given?.properties?.value }).map(
    ([name, value]) => `${name} ${String(value)}`,
  );
  return `${what}${values.length ? ` (${values.join(', ')})` : ''}${given?.from ? ` from ${given.from.value.replace(/^app:/, '')}` : ''} ${parts.join(', ')}`;
}
