/**
 * What a topology asks of a publish-subscribe service, and the steps that lead there. Such a service is told whole
 * settings of one thing at a time, and takes them in place: nothing is made anew.
 */
import { put } from '../../base/values.ts';
import type { Span } from '../../base/span.ts';
import { asHosted } from '../../brokers/kinds.ts';
import type { PubsubBrokerDecl } from '../../brokers/pubsub/declares.ts';
import { HOSTED_ENTRIES, QUEUES, TOPICS, type ThingId, type ThingKind, thing } from '../../language/thing.ts';
import { fits, titleOf } from '../../routing/permission.ts';
import { spanOf } from '../../syntax/place.ts';
import type { Json } from '../../syntax/render.ts';
import { lookUp } from '../../topology/address.ts';
import type { Topology } from '../../topology/topology.ts';
import type { Risk, StepWords } from './risk.ts';

export type HostedKind = 'service' | 'topic' | 'queue' | 'subscription' | 'statement';
export type HostedSettings = Readonly<Record<string, Json>>;

/** A thing on a publish-subscribe service: its name there, and all its settings; times in milliseconds. */
export interface HostedThing {
  readonly kind: HostedKind;
  readonly name: string;
  readonly settings: HostedSettings;
  /** Of a store that is there: messages in it, and takers connected, when it was looked at. */
  readonly messages?: number;
  readonly takers?: number;
}

export interface HostedWanted {
  readonly things: readonly (HostedThing & { readonly place?: Span })[];
  /** What is declared and cannot be told to such a service, with the reason. */
  readonly unsaid: readonly { readonly of: ThingId; readonly why: string }[];
}

/** A step on such a service. */
export type HostedStep = StepWords & { readonly do: 'put' | 'remove'; readonly thing: HostedThing };

/** @returns what a topology asks of a service; nothing where it declares no such */
export function wantedHosted(topology: Topology, brokerId: string): HostedWanted | undefined {
  const broker = asHosted(topology.declared.brokers?.get(brokerId)?.value);
  if (!broker) return undefined;
  const things: (HostedThing & { place?: Span })[] = [
    { kind: 'service', name: '', settings: { access: broker.access?.value ?? 'controlled' } },
  ];
  const unsaid: { of: ThingId; why: string }[] = [];
  const wireOf = wireNames(broker);
  const find = (address: string, kinds: readonly ThingKind[]): string | undefined => {
    const found = lookUp(topology.names, address, kinds, brokerId);
    return found.ok && found.thing.broker === brokerId
      ? wireOf(found.thing.kind, found.thing.name)
      : undefined;
  };
  const settingsOf = (decl: {
    order?: { value: string };
    dedupe?: { value: number };
    lease?: { value: number };
    ttl?: { value: number };
    delay?: { value: number };
    maxDeliveries?: { value: number };
    tenant?: { value: string };
    deadLetter?: { to?: { value: string } };
  }): Record<string, Json> => {
    const settings: Record<string, Json> = {};
    const say = (name: string, value: Json | undefined) => value !== undefined && put(settings, name, value);
    if (decl.order?.value === 'fifo') say('order', 'fifo');
    say('dedupeMs', decl.dedupe?.value);
    say('leaseMs', decl.lease?.value);
    say('ttlMs', decl.ttl?.value);
    say('delayMs', decl.delay?.value);
    say('maxDeliveries', decl.maxDeliveries?.value);
    say('tenant', decl.tenant?.value);
    const dead = decl.deadLetter?.to && find(decl.deadLetter.to.value, HOSTED_ENTRIES);
    if (dead !== undefined) say('deadLetter', { to: dead });
    return settings;
  };
  for (const { name, key, value } of broker.topics?.values() ?? [])
    things.push({
      kind: 'topic',
      name: wireOf('topic', name),
      settings: settingsOf(value),
      place: spanOf(topology, key),
    });
  for (const { name, key, value } of broker.queues?.values() ?? [])
    things.push({
      kind: 'queue',
      name: wireOf('queue', name),
      settings: settingsOf(value),
      place: spanOf(topology, key),
    });
  for (const { name, key, value } of broker.subscriptions?.values() ?? []) {
    const topic = value.topic && find(value.topic.value, TOPICS);
    const to = value.to && find(value.to.value, QUEUES);
    if (topic === undefined || (value.to && to === undefined)) {
      unsaid.push({
        of: thing('subscription', name, brokerId).id,
        why: 'its topic or its queue is not declared on this broker',
      });
      continue;
    }
    const settings = settingsOf(value);
    put(settings, 'topic', topic);
    if (to !== undefined) put(settings, 'to', to);
    if (value.filter) put(settings, 'filter', value.filter.said);
    if (value.wrap?.value) put(settings, 'wrap', true);
    things.push({
      kind: 'subscription',
      name: wireOf('subscription', name),
      settings,
      place: spanOf(topology, key),
    });
  }
  things.push(...statementsOf(topology, brokerId, broker, unsaid));
  return { things, unsaid };
}

const wireNames =
  ({ topics, queues, subscriptions }: PubsubBrokerDecl) =>
  (kind: ThingKind, name: string): string => {
    const items = kind === 'topic' ? topics : kind === 'queue' ? queues : subscriptions;
    return items?.get(name)?.value.wireName?.value ?? name;
  };

/** The statements of access that speak of something on a broker, as it is told them. */
function statementsOf(
  topology: Topology,
  brokerId: string,
  broker: PubsubBrokerDecl,
  unsaid: { of: ThingId; why: string }[],
): (HostedThing & { place?: Span })[] {
  const wireOf = wireNames(broker);
  const local = (address: string): string | undefined => {
    const bare = address.replace(/^(topic|queue|subscription|alias|exchange):/, '');
    const slash = bare.indexOf('/');
    if (slash < 0 || !fits(bare.slice(0, slash), brokerId)) return undefined;
    const name = bare.slice(slash + 1);
    for (const kind of ['topic', 'queue', 'subscription'] as const) {
      const items = { topic: broker.topics, queue: broker.queues, subscription: broker.subscriptions }[kind];
      if (items?.has(name)) return wireOf(kind, name);
    }
    return name;
  };
  const taken = new Set<string>();
  const found: (HostedThing & { place?: Span })[] = [];
  for (const [i, statement] of (topology.declared.access?.items ?? []).entries()) {
    const on = (statement.on?.items ?? []).flatMap(({ value }) => local(value) ?? []);
    if (on.length === 0) continue;
    const title = titleOf(statement, i);
    const cannot = (why: string) => unsaid.push({ of: `access:${title}` as ThingId, why });
    if (statement.unread?.length) {
      cannot('it could not be read whole');
      continue;
    }
    const who = (statement.who?.items ?? []).flatMap(({ value }) => {
      if (value === `broker:${brokerId}`)
        return [...(broker.topics?.keys() ?? [])].map((name) => `topic:${wireOf('topic', name)}`);
      if (!value.startsWith('topic:')) return value.startsWith('broker:') ? [] : [value];
      const name = local(value.slice('topic:'.length));
      return name === undefined ? [] : [`topic:${name}`];
    });
    if (who.length === 0) continue;
    const when: Record<string, Json> = {};
    if (statement.when?.key) {
      cannot('it is narrowed by key, and messages of this broker have none');
      continue;
    }
    if (statement.when?.source) {
      const source = local(statement.when.source.value);
      if (source === undefined) {
        cannot('it is narrowed to what comes from another broker, which this one cannot tell');
        continue;
      }
      when['source'] = source;
    }
    if (statement.when?.tenant) when['tenant'] = statement.when.tenant.value;
    if (statement.when?.encrypted) when['encrypted'] = statement.when.encrypted.value;
    let name = title;
    for (let n = 2; taken.has(name); n++) name = `${title} (${n})`;
    taken.add(name);
    const actions = (list: typeof statement.allow) => list?.items.map(({ value }) => value);
    const [allow, deny] = [actions(statement.allow), actions(statement.deny)];
    found.push({
      kind: 'statement',
      name,
      settings: {
        ...(allow?.length ? { allow } : {}),
        ...(deny?.length ? { deny } : {}),
        who,
        on,
        ...(Object.keys(when).length ? { when } : {}),
      },
      place: spanOf(topology, statement.place),
    });
  }
  return found;
}

const idOf = ({ kind, name }: HostedThing): string => `${kind} ${name}`;
const byId = <T extends HostedThing>(things: readonly T[]) =>
  new Map(things.map((each) => [idOf(each), each]));

/** @returns settings as text, equal for equal ones */
export function settingsText(value: Json | undefined): string {
  if (Array.isArray(value)) return `[${value.map((each) => settingsText(each as Json)).join(',')}]`;
  if (typeof value === 'object' && value !== null)
    return `{${Object.entries(value as Readonly<Record<string, Json>>)
      .filter(([, each]) => each !== undefined)
      .sort(([a], [b]) => (a < b ? -1 : 1))
      .map(([name, each]) => `${JSON.stringify(name)}:${settingsText(each)}`)
      .join(',')}}`;
  return JSON.stringify(value ?? null);
}

/** Stores and topics first, then who may, then what fills them. */
const RANK: Readonly<Record<HostedKind, number>> = {
  service: 0,
  topic: 1,
  queue: 2,
  statement: 3,
  subscription: 4,
};
const SHOWN: Readonly<Record<HostedKind, string>> = {
  service: 'the service',
  topic: 'topic',
  queue: 'queue',
  subscription: 'subscription',
  statement: 'statement',
};
const nameOf = ({ kind, name }: HostedThing) =>
  kind === 'service' ? SHOWN.service : `${SHOWN[kind]} ${name}`;

/**
 * @param earlier what earlier revisions of the topology made there
 * @returns the steps from what a service has to what is wanted: what is filled before what fills it, a permission
 *   before what needs it; what is no longer declared goes last, the other way round
 */
export function planHosted(
  wanted: HostedWanted,
  has: readonly HostedThing[],
  earlier: readonly HostedWanted[],
): { steps: HostedStep[]; kept: string[]; inPlace: number } {
  const there = byId(has);
  const ours = byId(wanted.things);
  const made = new Set(earlier.flatMap(({ things }) => things.map(idOf)));
  const steps: HostedStep[] = [];
  let inPlace = 0;
  for (const each of inOrder(wanted.things)) {
    const { place, ...of } = each;
    const is = there.get(idOf(of));
    const same = is && settingsText(is.settings as Json) === settingsText(of.settings as Json);
    if (same) inPlace += 1;
    else steps.push(putting(of, is, place));
  }
  // what points to what is not there yet is told of it once it is
  const late = openEnds(steps, has);
  steps.push(...late);
  const kept: string[] = [];
  const gone: HostedThing[] = [];
  for (const each of has) {
    if (ours.has(idOf(each)) || each.kind === 'service') continue;
    if (made.has(idOf(each))) gone.push(each);
    else kept.push(nameOf(each));
  }
  steps.push(...removals(gone));
  return { steps, kept, inPlace };
}

/** @returns what takes things away, the last made first; dead letters that go round in circles are stopped before */
function* removals(gone: readonly HostedThing[]): Generator<HostedStep> {
  const left = new Set(inOrder(gone).reverse());
  for (const each of left) {
    left.delete(each);
    for (const other of left) {
      if (each.kind === 'statement' || deadLetterOf(other) !== each.name) continue;
      const { deadLetter: _gone, ...settings } = other.settings;
      const title = `let nothing that ${other.name} gives up go to ${each.name} any more`;
      yield { do: 'put', thing: { ...other, settings }, title, risk: 'interrupts' };
    }
    yield removing(each);
  }
}

/** @returns things in the order in which they can be made: a store behind the one that its dead letters go to */
function inOrder<T extends HostedThing>(things: readonly T[]): T[] {
  const byName = new Map(
    things.filter(({ kind }) => kind === 'queue' || kind === 'topic').map((each) => [each.name, each]),
  );
  const done = new Set<T>();
  for (const each of [...things].sort((a, b) => RANK[a.kind] - RANK[b.kind])) {
    const line: T[] = [];
    for (let at: T | undefined = each; at && !done.has(at) && !line.includes(at);) {
      line.unshift(at);
      const to: string | undefined = deadLetterOf(at);
      at = to === undefined ? undefined : byName.get(to);
    }
    for (const one of line) done.add(one);
  }
  return [...done];
}

const deadLetterOf = ({ settings }: HostedThing): string | undefined =>
  (settings['deadLetter'] as { to?: string } | undefined)?.to;

/** Leaves out of steps what is not there by then, and gives it back in steps of its own. */
function openEnds(steps: HostedStep[], has: readonly HostedThing[]): HostedStep[] {
  const there = new Set(has.map(({ name }) => name));
  const late: HostedStep[] = [];
  for (const [i, step] of steps.entries()) {
    const { thing: of } = step;
    const to = deadLetterOf(of);
    if (of.kind !== 'statement') there.add(of.name);
    if (to === undefined || there.has(to)) continue;
    const { deadLetter: _later, ...settings } = of.settings;
    steps[i] = { ...step, thing: { ...of, settings } };
    late.push({ ...step, risk: 'none', title: `let what ${of.name} gives up go to ${to}` });
  }
  return late;
}

function putting(of: HostedThing, is: HostedThing | undefined, place: Span | undefined): HostedStep {
  const opens = of.kind === 'service' && of.settings['access'] === 'open';
  const allows = of.kind === 'statement' && of.settings['allow'] !== undefined;
  const risk: Risk =
    opens || allows ? 'widens access' : is && of.kind !== 'statement' ? 'interrupts' : 'none';
  const title =
    of.kind === 'service'
      ? `make the service ${String(of.settings['access'])}`
      : of.kind === 'statement'
        ? `${is ? 'change' : 'state'} “${of.name}”: ${statementText(of.settings)}`
        : is
          ? `change ${nameOf(of)}: ${changedText(is.settings, of.settings)}`
          : `make ${nameOf(of)}${of.kind === 'subscription' ? ` of ${String(of.settings['topic'])}${of.settings['to'] === undefined ? '' : `, to ${String(of.settings['to'])}`}` : ''}`;
  return {
    do: 'put',
    thing: of,
    title,
    risk: risk === 'interrupts' && !changesWay(is!.settings, of.settings) ? 'none' : risk,
    ...(place ? { place } : {}),
    inverse: is ? `give ${nameOf(of)} the settings it had` : `remove ${nameOf(of)}`,
  };
}

/** Whether messages may go elsewhere by new settings. */
const changesWay = (was: HostedSettings, is: HostedSettings): boolean =>
  ['topic', 'to', 'filter', 'wrap', 'tenant'].some(
    (name) => settingsText(was[name]) !== settingsText(is[name]),
  );

function removing(of: HostedThing): HostedStep {
  const { messages = 0, takers = 0 } = of;
  const store = of.kind === 'queue' || (of.kind === 'subscription' && of.settings['to'] === undefined);
  const holds =
    messages === 0
      ? 'What comes to lie in it until then is destroyed'
      : messages === 1
        ? 'The 1 message in it is destroyed'
        : `The ${messages} messages in it are destroyed`;
  const cut = takers ? `, and ${takers === 1 ? 'its 1 taker is' : `its ${takers} takers are`} cut off` : '';
  return {
    do: 'remove',
    thing: of,
    title: `remove ${nameOf(of)}`,
    risk: store ? 'loses' : 'interrupts',
    ...(store ? { destroys: `${holds}${cut}.` } : {}),
    inverse: `make ${nameOf(of)} again${store ? '; what was in it is gone' : ''}`,
  };
}

function statementText({ allow, deny, who, on }: HostedSettings): string {
  const list = (value: Json | undefined) => (value as readonly string[] | undefined)?.join(', ');
  const acts = [allow && `may ${list(allow)}`, deny && `may not ${list(deny)}`]
    .filter(Boolean)
    .join(', and ');
  return `${list(who)} ${acts} on ${list(on)}`;
}

function changedText(was: HostedSettings, is: HostedSettings): string {
  const names = [...new Set([...Object.keys(was), ...Object.keys(is)])].filter(
    (name) => settingsText(was[name]) !== settingsText(is[name]),
  );
  const shown = (value: Json | undefined) => (value === undefined ? 'nothing' : settingsText(value));
  return names
    .map((name) => `${name} ${shown(was[name])} becomes ${shown(is[name])}`)
    .join(', ')
    .slice(0, 400);
}

/** @returns tells of any step whether what it does is so already */
export function doneOnHosted(has: readonly HostedThing[]): (step: HostedStep) => boolean {
  const there = byId(has);
  return ({ do: what, thing: of }) => {
    const is = there.get(idOf(of));
    return what === 'remove'
      ? is === undefined
      : is !== undefined && settingsText(is.settings as Json) === settingsText(of.settings as Json);
  };
}

/** @returns how what a rollout rests on differs between two looks, in words */
export function hostedChanges(
  wanted: HostedWanted,
  before: readonly HostedThing[],
  now: readonly HostedThing[],
  removed: readonly string[],
): string[] {
  const concerns = new Set([...wanted.things.map(idOf), ...removed]);
  const [was, is] = [byId(before), byId(now)];
  const changes: string[] = [];
  for (const id of concerns) {
    const [a, b] = [was.get(id), is.get(id)];
    if (!a && b) changes.push(`${nameOf(b)} is there now`);
    else if (a && !b) changes.push(`${nameOf(a)} is gone`);
    else if (a && b && settingsText(a.settings as Json) !== settingsText(b.settings as Json))
      changes.push(`${nameOf(b)}: ${changedText(a.settings, b.settings)}`);
  }
  return changes;
}

/** @returns what tells two steps apart */
export const hostedStepId = ({ do: what, thing: of }: HostedStep): string => `${what} ${idOf(of)}`;
