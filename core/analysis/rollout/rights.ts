/**
 * What each app may do on an AMQP 0-9-1 broker, as such a broker keeps rights: a user has three patterns of names (what
 * it may make, write to and read from), and for topic exchanges a pattern of the keys it may publish with. An app is
 * given what its own ways need and statements allow, and nothing more.
 */
import { literally } from '../../base/values.ts';
import type { Span } from '../../base/span.ts';
import { asAmqp } from '../../brokers/kinds.ts';
import { keysPattern } from '../../conditions/word-patterns.ts';
import { EXCHANGES, type Thing, type ThingId, thing } from '../../language/thing.ts';
import type { RoutingGraph } from '../../routing/graph.ts';
import { names } from '../../routing/permission.ts';
import { spanOf } from '../../syntax/place.ts';
import { lookUp } from '../../topology/address.ts';
import { tenantOf } from '../../topology/owner.ts';
import { isMet, requestOf } from '../access/needs.ts';
import { usageOf } from '../access/usage.ts';
import type { StepWords } from './risk.ts';
import { type AppRights, type WantedRights, wireNames } from './wire.ts';

/** A step that changes what one app may. */
export type RightsStep = StepWords &
  (
    | {
        readonly do: 'give rights';
        readonly rights: AppRights;
        /** What it comes to in the end, where something is given first and taken later. */
        readonly later?: AppRights;
      }
    | { readonly do: 'take rights'; readonly rights: AppRights }
  );

/** The name under which a broker keeps the right to publish to queues by their names (AMQP 0-9-1 §3.1.3.1). */
const UNNAMED = 'amq.default';
/** A broker's patterns have a size. */
const LONGEST = 30_000;
/** What an MQTT client's own queue is called, behind which stands its client id. */
const SESSION = 'mqtt-subscription-';

/** What an app may, by names on the wire. */
class Rights {
  readonly configure = new Set<string>();
  readonly write = new Set<string>();
  readonly read = new Set<string>();
  readonly keys = new Map<string, { allowed: Set<string>; denied: Set<string> } | 'all'>();
  mqtt = false;
}

/** @returns what each app is to be able to do on a broker whose access is controlled; nothing where it is open */
export function wantedRights(graph: RoutingGraph, brokerId: string): WantedRights {
  const { topology } = graph;
  const decl = topology.declared.brokers?.get(brokerId)?.value;
  const broker = asAmqp(decl);
  const all = { of: thing('broker', brokerId).id };
  if (!broker || broker.access?.value === 'open') return { ...all, rights: [], unsaid: [] };
  const unsaid = new Map<string, { of: ThingId; why: string }>();
  const cannot = (of: ThingId, why: string) => unsaid.set(`${of} ${why}`, { of, why });
  const byApp = new Map<string, Rights>();
  const of = (app: string): Rights => {
    const found = byApp.get(app) ?? new Rights();
    byApp.set(app, found);
    return found;
  };
  const exchange = (on: Thing) => broker.exchanges?.get(on.name)?.value;
  const wireOf = (on: Thing): string[] => {
    if (on.kind === 'exchange') return [exchange(on)?.wireName?.value ?? on.name];
    const queue = broker.queues?.get(on.name)?.value;
    return queue ? wireNames(topology, on.name, queue) : [];
  };
  const own = (address: string): Thing | undefined => {
    const found = lookUp(topology.names, address, EXCHANGES, brokerId);
    return found.ok && found.thing.broker === brokerId ? found.thing : undefined;
  };

  for (const need of usageOf(graph).needs) {
    const { who, action, on, edge } = need;
    if (on.broker !== brokerId || who.thing.kind !== 'app' || !isMet(graph.decide, need).allowed) continue;
    const rights = of(who.thing.name);
    const { allowed, forKeys, by } = graph.decide(requestOf(need));
    const id = who.thing.id;
    if (by?.when?.encrypted)
      cannot(
        id,
        `it may ${by.when.encrypted.value ? 'only over encrypted connections' : 'only over plain ones'}, which no right of a user tells: the broker’s listeners have to`,
      );
    if (action === 'publish' && on.kind === 'exchange') {
      const [wire] = wireOf(on);
      rights.write.add(wire!);
      const narrowed = forKeys && (!allowed || forKeys.denied.length > 0);
      if (!narrowed) rights.keys.set(wire!, 'all');
      else if (exchange(on)?.type?.value === 'topic') narrow(rights, wire!, allowed, forKeys);
      else
        cannot(
          id,
          `it may publish to ${on.name} with some keys alone, which a broker holds to on topic exchanges only: it is let publish there with every key`,
        );
    } else if (action === 'publish') {
      if (on.kind === 'alias' && !broker.aliases?.get(on.name)?.value.over) continue;
      rights.write.add(UNNAMED);
      cannot(
        id,
        'it publishes to a queue by its name, through the unnamed exchange, which leads to every queue: it can thereby publish to all of them',
      );
    } else if (on.kind === 'exchange') {
      rights.mqtt = true;
      rights.read.add(wireOf(on)[0]!);
    } else {
      for (const wire of wireOf(on)) rights.read.add(wire);
      if (edge.kind === 'take' && broker.queues?.get(on.name)?.value.exclusive?.value) ownQueue(rights, on);
    }
  }
  forSetUp();
  const rights: (AppRights & { place: Span })[] = [];
  for (const [app, each] of byApp) {
    const key = topology.declared.apps?.get(app)?.key;
    const made = asPatterns(app, each);
    if (longest(made) > LONGEST)
      cannot(
        thing('app', app).id,
        'it needs more names than a broker’s pattern can hold: it is given no user',
      );
    else if (key) rights.push({ ...made, place: spanOf(topology, key) });
  }
  return { ...all, rights, unsaid: [...unsaid.values()] };

  /** An exclusive queue is made and bound by the connection that takes from it. */
  function ownQueue(rights: Rights, on: Thing): void {
    for (const wire of wireOf(on)) for (const each of [rights.configure, rights.write]) each.add(wire);
    for (const { from, to } of broker!.bindings?.items ?? []) {
      const target = to && lookUp(topology.names, to.value, ['queue'], brokerId);
      const source = from && own(from.value);
      if (target?.ok && target.thing.id === on.id && source) rights.read.add(wireOf(source)[0]!);
    }
    const dead = broker!.queues?.get(on.name)?.value.deadLetter?.to;
    const gets = dead && lookUp(topology.names, dead.value, ['exchange', 'queue'], brokerId);
    // a queue whose dead letters go somewhere is made by who may publish there alone
    if (gets?.ok) rights.write.add(gets.thing.kind === 'exchange' ? wireOf(gets.thing)[0]! : UNNAMED);
  }

  /** What statements let apps do besides moving messages. */
  function forSetUp(): void {
    const { access, apps } = topology.declared;
    for (const statement of access?.items ?? []) {
      const actions = (statement.allow?.items ?? []).map(({ value }) => value);
      if (!actions.some((each) => each === 'declare' || each === 'bind' || each === 'browse')) continue;
      for (const app of apps?.keys() ?? []) {
        const caller = thing('app', app);
        const who = { thing: caller, tenant: tenantOf(topology, caller) };
        if (!statement.who?.items.some(({ value }) => names(value, who))) continue;
        for (const { thing: on } of graph.nodes.values()) {
          if (on.broker !== brokerId || (on.kind !== 'exchange' && on.kind !== 'queue')) continue;
          const may = (action: 'declare' | 'bind' | 'browse') =>
            actions.includes(action) && graph.decide({ who, action, on }).by === statement;
          if (may('declare')) for (const wire of wireOf(on)) of(app).configure.add(wire);
          if (may('bind'))
            for (const wire of wireOf(on)) of(app)[on.kind === 'queue' ? 'write' : 'read'].add(wire);
          if (may('browse') && on.kind === 'queue' && !graph.decide({ who, action: 'consume', on }).allowed)
            cannot(
              caller.id,
              `it may browse ${on.name}, and a broker knows no right to look without taking: it is not let`,
            );
        }
      }
    }
  }
}

function narrow(
  { keys }: Rights,
  wire: string,
  allowed: boolean,
  forKeys: { readonly allowed: readonly string[]; readonly denied: readonly string[] },
): void {
  const before = keys.get(wire);
  if (before === 'all') return;
  const all = before ?? { allowed: new Set<string>(), denied: new Set<string>() };
  for (const each of allowed ? ['#'] : forKeys.allowed) all.allowed.add(each);
  for (const each of forKeys.denied) all.denied.add(each);
  keys.set(wire, all);
}

function asPatterns(app: string, { configure, write, read, keys, mqtt }: Rights): AppRights {
  const patterns: Record<string, string> = {};
  for (const [exchange, each] of [...keys].sort(([a], [b]) => (a < b ? -1 : 1)))
    if (each !== 'all') patterns[exchange] = keysPattern([...each.allowed], [...each.denied]);
  const sessions = mqtt ? [`${SESSION}${literally(app)}(?:[^A-Za-z0-9].*)?`] : [];
  const named = (names: ReadonlySet<string>) => anyOf([...[...names].map(literally), ...sessions]);
  return {
    app,
    configure: named(configure),
    write: named(write),
    read: named(read),
    keys: patterns,
  };
}

const longest = ({ configure, write, read, keys }: AppRights): number =>
  Math.max(...[configure, write, read, ...Object.values(keys)].map(({ length }) => length));

/** @returns a regular expression that matches what one of some expressions matches; '' where there is none */
function anyOf(parts: readonly string[]): string {
  return parts.length ? `^(?:${[...new Set(parts)].sort().join('|')})\\z` : '';
}

/** @returns the expressions that one of ours is made of; undefined where it is none of ours */
function partsIn(pattern: string): string[] | undefined {
  if (pattern === '') return [];
  const inside = /^\^\(\?:(.*)\)\\z$/s.exec(pattern)?.[1];
  if (inside === undefined) return undefined;
  const parts = [''];
  let depth = 0;
  for (let i = 0; i < inside.length; i++) {
    const char = inside[i]!;
    if (char === '(') depth++;
    if (char === ')') depth--;
    if (char === '|' && depth === 0) parts.push('');
    else parts[parts.length - 1] += char === '\\' ? char + (inside[++i] ?? '') : char;
  }
  return depth === 0 ? parts : undefined;
}

/** @returns the names a pattern of ours stands for; undefined where it is none of ours */
const namesIn = (pattern: string): string[] | undefined =>
  // behind a session's name stands what may follow it
  partsIn(pattern)?.map((part) => part.replace(/\(\?:.*$/s, '…').replace(/\\(.)/gs, '$1'));

/** @returns rights in words */
export function rightsText({ configure, write, read }: AppRights): string {
  const parts = [
    ['make', configure],
    ['write to', write],
    ['read from', read],
  ].flatMap(([verb, pattern]) => {
    const found = namesIn(pattern!);
    if (!found) return [`${verb} what matches ${pattern}`];
    return found.length ? [`${verb} ${listed(found)}`] : [];
  });
  return parts.length ? parts.join(', ') : 'do nothing';
}

const listed = (all: readonly string[]): string =>
  (all.length > 6 ? `${all.slice(0, 5).join(', ')} and ${all.length - 5} more` : all.join(', ')).replaceAll(
    UNNAMED,
    'every queue by its name',
  );

/** @returns a regular expression that matches what either of two matches */
function either(a: string, b: string): string {
  const [x, y] = [partsIn(a), partsIn(b)];
  if (x && y) return anyOf([...x, ...y]);
  return a === b || b === '' ? a : a === '' ? b : `(?:${a})|(?:${b})`;
}

/** @returns rights that have all of both */
function both(a: AppRights, b: AppRights): AppRights {
  const keys: Record<string, string> = {};
  // an exchange that one of them does not name may be published to with every key
  for (const [exchange, pattern] of Object.entries(a.keys)) {
    const other = b.keys[exchange];
    if (other !== undefined) keys[exchange] = either(pattern, other);
  }
  const { app } = b;
  return {
    app,
    configure: either(a.configure, b.configure),
    write: either(a.write, b.write),
    read: either(a.read, b.read),
    keys,
  };
}

/** @returns whether rights are the same, word for word */
export function sameRights(a: AppRights, b: AppRights): boolean {
  const text = ({ app, configure, write, read, keys }: AppRights) =>
    JSON.stringify([app, configure, write, read, Object.entries(keys).sort(([x], [y]) => (x < y ? -1 : 1))]);
  return text(a) === text(b);
}

/** Whether one has names, by our reading, that the other has not; so it is where one cannot be read. */
function hasMore(a: AppRights, b: AppRights): boolean {
  for (const what of ['configure', 'write', 'read'] as const) {
    const [mine, other] = [namesIn(a[what]), namesIn(b[what])];
    if (!mine || !other) {
      if (a[what] !== b[what]) return true;
    } else if (mine.some((each) => !other.includes(each))) return true;
  }
  return Object.entries(b.keys).some(([exchange, pattern]) => a.keys[exchange] !== pattern);
}

/**
 * @param has the users that stand for this topology's apps there; undefined where that cannot be seen
 * @param made the apps that earlier revisions gave rights to there
 * @returns what is given before anything else is done, and what is taken after all else: on the way an app may what it
 *   may before or after
 */
export function planRights(
  { rights: wanted }: Pick<WantedRights, 'rights'>,
  has: readonly AppRights[],
  made: ReadonlySet<string>,
): { first: RightsStep[]; last: RightsStep[]; kept: string[]; inPlace: number } {
  const there = new Map(has.map((each) => [each.app, each]));
  const ours = new Set(wanted.map(({ app }) => app));
  const [first, last]: [RightsStep[], RightsStep[]] = [[], []];
  let inPlace = 0;
  for (const { place, ...rights } of wanted) {
    const is = there.get(rights.app);
    if (is && sameRights(is, rights)) {
      inPlace++;
      continue;
    }
    if (!is || hasMore(rights, is)) {
      const union = is ? both(is, rights) : rights;
      const narrows = is !== undefined && !sameRights(union, rights);
      first.push({
        do: 'give rights',
        rights: union,
        ...(narrows ? { later: rights } : {}),
        place,
        risk: 'widens access',
        title: is
          ? `let ${rights.app} ${rightsText(rights)}`
          : `make a user for ${rights.app}, which may ${rightsText(rights)}`,
        inverse: is ? `let ${rights.app} ${rightsText(is)} alone` : `remove the user of ${rights.app}`,
      });
      if (!narrows) continue;
    }
    last.push({
      do: 'give rights',
      rights,
      place,
      risk: 'interrupts',
      title: `let ${rights.app} ${rightsText(rights)}, and nothing else`,
      inverse: `let it ${rightsText(is)} again`,
    });
  }
  const kept: string[] = [];
  for (const each of has) {
    if (ours.has(each.app)) continue;
    if (!made.has(each.app)) kept.push(`the user of ${each.app}`);
    else
      last.push({
        do: 'take rights',
        rights: each,
        risk: 'interrupts',
        title: `remove the user of ${each.app}`,
        destroys: `Who is connected as ${each.app} is cut off; its password is worth nothing any more.`,
        inverse: `make a user for ${each.app} again, with another password`,
      });
  }
  return { first, last, kept, inPlace };
}

/** @returns tells of any step on rights whether what it does is so already */
export function doneInRights(has: readonly AppRights[]): (step: RightsStep) => boolean {
  const there = new Map(has.map((each) => [each.app, each]));
  return (step) => {
    const is = there.get(step.rights.app);
    if (step.do === 'take rights') return is === undefined;
    if (!is) return false;
    return sameRights(is, step.rights) || (step.later !== undefined && sameRights(is, step.later));
  };
}

/** @returns how what apps may differs between two looks, in words, of those that a rollout concerns */
export function rightsChanges(
  concerns: ReadonlySet<string>,
  before: readonly AppRights[],
  now: readonly AppRights[],
): string[] {
  const [was, is] = [before, now].map((all) => new Map(all.map((each) => [each.app, each])));
  return [...concerns].flatMap((app) => {
    const [a, b] = [was!.get(app), is!.get(app)];
    if (!a && b) return [`a user of ${app} is there now`];
    if (a && !b) return [`the user of ${app} is gone`];
    return a && b && !sameRights(a, b) ? [`${app} may ${rightsText(b)} now`] : [];
  });
}
