/**
 * Expectations tried out: what becomes of the messages one speaks of is held against what was promised. A promise
 * about a type or a label is tried on one message of every class that it could tell from others, which proves it for
 * all, or refutes it by the smallest. Where classes do not decide it, it rests on the types' examples and a spread over
 * the domains they declare; the result says so, and whether that spread is the whole of them.
 */
import { type AllSent, allSent } from './alike.ts';
import { type Ground, groundOf } from '../classes/ground.ts';
import { Kept } from '../classes/kept.ts';
import { allFollowed, throughApps } from '../trace/through.ts';
import { sendingsOf } from '../samples/kept.ts';
import { complete, samplesOf } from '../samples/samples.ts';
import { spreadOf, spreadSize } from '../samples/spread.ts';
import { counted, listed } from '../../base/phrase.ts';
import { formatDuration } from '../../base/values.ts';
import type { Message } from '../../conditions/message.ts';
import { Question, remembered } from '../../incremental/memory.ts';
import type { ExpectationDecl } from '../../language/expectation.ts';
import { STORES, type Thing, addressOf, thing } from '../../language/thing.ts';
import type { RoutingGraph } from '../../routing/graph.ts';
import { covers } from '../../routing/permission.ts';
import { type RotationState, everyTurn } from '../../routing/choose.ts';
import type { Hop, Sending } from '../../routing/hop.ts';
import { publisherId } from '../../routing/nodes.ts';
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
  /** Whether it holds for every message there can be. */
  readonly whole: boolean;
  /** Whether that is known by all classes of messages, not by trying each. */
  readonly proved: boolean;
  /** Where it is, how many these are; absent where they are without number. */
  readonly all?: bigint;
  /** Why it is not proved for all of them. */
  readonly unless?: string;
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

const SENT = new Question<Kept<AllSent | undefined>>('what expectations tell apart');

/** @returns what becomes of every expectation of a topology, in the order of the text */
export function proveAll(graph: RoutingGraph): Proof[] {
  const { topology } = graph;
  const kept = topology.memory.own(SENT, () => new Kept<AllSent | undefined>());
  const asked = new Map<string, ExpectationDecl>();
  const about = new Map<string, Sent>();
  const all = (topology.declared.expectations?.items ?? []).map((expectation, i) => ({
    expectation,
    sent: sentIn(graph, expectation).map((of) => {
      const id = JSON.stringify([expectation.name?.value ?? i, of.app, of.type.id]);
      asked.set(id, expectation);
      about.set(id, of);
      return { of, id };
    }),
  }));
  const known = kept.run(graph, asked, (around, expectation, id) =>
    allSentOf(around, about.get(id)!, expectation),
  );
  return all.map(({ expectation, sent }) =>
    proveBy(
      graph,
      expectation,
      sent.map(({ of, id }) => ({ ...of, all: known.get(id) })),
    ),
  );
}

/** Tries one expectation out. */
export function prove(graph: RoutingGraph, expectation: ExpectationDecl): Proof {
  const around = groundOf(graph);
  const sent = sentIn(graph, expectation);
  return proveBy(
    graph,
    expectation,
    sent.map((of) => ({ ...of, all: allSentOf(around, of, expectation) })),
  );
}

/** All messages that an app sends of a type. */
interface Sent {
  readonly app: string;
  readonly type: MessageType;
  readonly sendings: readonly Sending[];
}

/** The same told apart; undefined where it is sent nowhere that is there. */
interface AllOfSent extends Sent {
  readonly all: AllSent | undefined;
}

/** @returns what an expectation about all messages of types speaks of, by app and type; nothing where it is about one message */
function sentIn({ topology }: RoutingGraph, { given, leadsTo }: ExpectationDecl): Sent[] {
  // what follows hangs on more than where messages go
  if (leadsTo?.items.length || ofThisMessage(topology, given)) return [];
  const from = given?.from?.value.replace(/^app:/, '');
  return typesOf(topology, given).flatMap((type) =>
    [...byApp(sendingsOf(topology, type.id, from))].map(([app, sendings]) => ({ app, type, sendings })),
  );
}

function allSentOf(around: Ground, { app, type }: Sent, expectation: ExpectationDecl): AllSent | undefined {
  const ways = around
    .out(publisherId(app))
    .filter(({ kind, publish }) => kind === 'publish' && publish?.message?.value === type.id);
  return ways.length > 0 ? allSent(around, ways, expectation) : undefined;
}

function proveBy(graph: RoutingGraph, expectation: ExpectationDecl, sent: readonly AllOfSent[]): Proof {
  const known = {
    name: expectation.name?.value ?? 'an expectation',
    place: expectation.name?.place ?? expectation.place,
    promise: promiseOf(expectation),
  };
  const of = aboutWhat(graph.topology, expectation);
  const first = byClasses(graph, expectation, sent);
  if (first.broken)
    return { ...known, basis: { of, ...first.basis }, verdict: 'broken', broken: first.broken };
  if (first.basis.whole) return { ...known, basis: { of, ...first.basis }, verdict: 'kept' };
  return { ...known, ...bySamples(graph, expectation, first) };
}

interface Tried {
  readonly basis: Omit<Basis, 'of'>;
  readonly broken?: Breach;
}

/** What was found of the messages of one app and type. */
interface OneTried {
  readonly followed: number;
  readonly unless: string | undefined;
  readonly broken: Breach | undefined;
}

/** Tries one message of every class; while nothing changed that decides it, what was found before holds. */
const tryAll = remembered(
  (
    { alike }: Extract<AllSent, { alike: unknown }>,
    graph: RoutingGraph,
    expectation: ExpectationDecl,
    { app, type, sendings }: Sent,
  ): OneTried => {
    let broken: Breach | undefined;
    let unless = alike.find((each) => each.unless !== undefined)?.unless;
    const cut = () => {
      unless ??= 'spreads can take turns in more ways than are tried';
    };
    // an example may be what its type does not allow
    const messages = [
      ...alike.map(({ witness }) => witness),
      ...samplesOf(type).map(({ message }) => message),
    ];
    for (const message of messages) {
      const found = breachBy(graph, expectation, message, app, sendings, cut);
      if (found && (!broken || sizeOf(found.message) < sizeOf(broken.message))) broken = found;
    }
    return { followed: messages.length, unless, broken };
  },
);

function byClasses(graph: RoutingGraph, expectation: ExpectationDecl, sent: readonly AllOfSent[]): Tried {
  let broken: Breach | undefined;
  let unless = sent.length === 0 ? 'nothing is known of all of them' : undefined;
  let followed = 0;
  const totals = new Map<string, bigint | undefined>();
  for (const each of sent) {
    const { type, all } = each;
    if (!all || 'why' in all) {
      unless ??= all?.why ?? 'it is sent nowhere';
      continue;
    }
    totals.set(type.id, all.total);
    const tried = tryAll(all, graph, expectation, each);
    unless ??= tried.unless;
    followed += tried.followed;
    if (tried.broken && (!broken || sizeOf(tried.broken.message) < sizeOf(broken.message)))
      broken = tried.broken;
  }
  const counted = [...totals.values()].reduce<bigint | undefined>(
    (sum, total) => (sum === undefined || total === undefined ? undefined : sum + total),
    0n,
  );
  return {
    basis: {
      messages: followed,
      whole: unless === undefined && broken === undefined,
      proved: unless === undefined && broken === undefined,
      ...(unless === undefined && counted !== undefined ? { all: counted } : {}),
      ...(unless === undefined ? {} : { unless }),
    },
    ...(broken ? { broken } : {}),
  };
}

/** How much there is to read in a message. */
const sizeOf = ({ key, headers, properties }: Message): number =>
  JSON.stringify([headers, properties]).length * 100 + key.length;

/** @returns how a message that an app sends breaks an expectation, for some turn of spreads; undefined where it keeps it */
function breachBy(
  graph: RoutingGraph,
  expectation: ExpectationDecl,
  message: Message,
  app: string,
  sendings: readonly Sending[],
  cut: () => void,
): Breach | undefined {
  for (const traces of tracesOf(graph, message, sendings, cut)) {
    const found = breachOf(graph, expectation, traces) ?? notLedTo(graph, expectation, traces);
    if (found) return { message, app, ...found, traces };
  }
  return undefined;
}

/** Tries the examples of types, and a spread over what they declare; or the one message it is about. */
function bySamples(
  graph: RoutingGraph,
  expectation: ExpectationDecl,
  first: Tried,
): Pick<Proof, 'verdict' | 'basis' | 'broken'> {
  const { topology } = graph;
  const { messages, basis } = messagesOf(topology, expectation);
  const from = expectation.given?.from?.value.replace(/^app:/, '');
  let tried = false;
  let cut = false;
  for (const message of messages) {
    for (const [app, sendings] of byApp(sendingsOf(topology, message.type ?? '', from))) {
      tried = true;
      const broken = breachBy(graph, expectation, message, app, sendings, () => (cut = true));
      if (broken) return { verdict: 'broken', basis, broken };
    }
  }
  // what could not be read admits nothing here, and something once it can
  const whole =
    basis.whole && !cut && !graph.edges.some(({ condition }) => condition.op === 'never' && condition.unread);
  const { unless } = first.basis;
  return {
    verdict: tried ? 'kept' : 'untried',
    basis: {
      ...basis,
      messages: basis.messages + first.basis.messages,
      whole,
      proved: false,
      ...(whole || unless === undefined || basis.of === 'this message' ? {} : { unless }),
    },
  };
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

/** @returns what a verdict rests on, in words */
export function basisInWords({ basis, verdict }: Pick<Proof, 'basis' | 'verdict'>): string {
  const { of, messages, whole, all, unless } = basis;
  if (of === 'this message') return 'tried with this very message';
  const declared = of === 'a label' ? 'the types declare' : 'its type declares';
  if (verdict === 'broken') return `refuted by this message, of ${counted(messages, 'message')} tried`;
  if (whole && all === 1n) return 'proved for the one message there is';
  if (whole && all !== undefined) return `proved for all ${all.toLocaleString('en')} messages`;
  if (whole && basis.proved) return 'proved for all messages';
  const spread = whole ? 'every combination of values' : 'a spread over the values';
  return `tried with ${counted(messages, 'message')}: the examples and ${spread} ${declared}${unless ? `; not proved for all: ${unless}` : ''}`;
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

/** The very message that an expectation is about, where it says more than a type. */
function ofThisMessage(topology: Topology, given: ExpectationDecl['given']): Message | undefined {
  const type = given?.message && topology.messages.get(given.message.value);
  if (!type || !(given.headers ?? given.properties ?? given.key ?? given.body)) return undefined;
  return complete(type, {
    headers: given.headers?.value ?? {},
    properties: given.properties?.value ?? {},
    ...(given.key ? { key: given.key.value } : {}),
    ...(given.body ? { body: given.body.value } : {}),
  });
}

function typesOf(topology: Topology, given: ExpectationDecl['given']): MessageType[] {
  const type = given?.message && topology.messages.get(given.message.value);
  const label = given?.label?.value;
  if (type) return [type];
  return [...topology.messages.values()].filter((each) => label !== undefined && each.labels.has(label));
}

function aboutWhat(topology: Topology, { given }: ExpectationDecl): Basis['of'] {
  if (ofThisMessage(topology, given)) return 'this message';
  return given?.message && topology.messages.has(given.message.value) ? 'a type' : 'a label';
}

function messagesOf(topology: Topology, expectation: ExpectationDecl): { messages: Message[]; basis: Basis } {
  const { given } = expectation;
  const of = aboutWhat(topology, expectation);
  const message = ofThisMessage(topology, given);
  if (message) return { messages: [message], basis: { of, messages: 1, whole: true, proved: false } };
  const types = typesOf(topology, given);
  const messages = types.flatMap((each) => [
    ...samplesOf(each).map((sample) => sample.message),
    ...spreadOf(each, MOST_SPREAD),
  ]);
  const whole = types.every((each) => spreadSize(each) <= MOST_SPREAD && isFinite(each));
  return { messages, basis: { of, messages: messages.length, whole, proved: false } };
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
