/** Addresses: how everything in a topology is found. */
import type { BrokerDecl } from '../brokers/kinds.ts';
import { sameKeys } from '../incremental/layered.ts';
import { type Thing, type ThingKind, addressOf, thing } from '../language/thing.ts';
import type { DocumentDecl } from './document.ts';

export type Lookup =
  | { readonly ok: true; readonly thing: Thing }
  | { readonly ok: false; readonly reason: 'unknown' | 'ambiguous'; readonly message: string };

const RESOURCES = ['exchange', 'queue', 'topic', 'subscription', 'alias'] as const;
const PREFIX = /^(exchange|queue|topic|subscription|alias):([^]*)$/;

/** @returns the things of one name on a broker, of the given kinds. */
export function namedOn(
  broker: BrokerDecl,
  brokerId: string,
  name: string,
  kinds: readonly ThingKind[],
): Thing[] {
  const found: Thing[] = [];
  const see = (kind: ThingKind, items: ReadonlyMap<string, unknown> | undefined) => {
    if (items?.has(name) && kinds.includes(kind)) found.push(thing(kind, name, brokerId));
  };
  if (broker.variant === 'amqp') see('exchange', broker.exchanges);
  see('queue', broker.queues);
  if (broker.variant === 'pubsub') {
    see('topic', broker.topics);
    see('subscription', broker.subscriptions);
  }
  see('alias', broker.aliases);
  return found;
}

/**
 * Finds what an address means.
 * @param address `broker/name`, `kind:broker/name`, `broker/kind:name`, `spread:x`; bare `name` and `kind:name` inside `home`
 * @param kinds what may stand here
 * @param home the broker in whose section the address stands
 */
export function lookUp(
  declared: DocumentDecl,
  address: string,
  kinds: readonly ThingKind[],
  home?: string,
): Lookup {
  return finder(declared, kinds, home)(address);
}

/** @returns the look-up of one place of the language: see `lookUp`. Many look-ups cost less this way. */
export function finder(
  declared: DocumentDecl,
  kinds: readonly ThingKind[],
  home?: string,
): (address: string) => Lookup {
  // the same few addresses are asked for again and again: by references, the graph, every trace
  const byHome = inside<readonly ThingKind[], Map<string, Map<string, Lookup>>>(
    inside(lookups, declared, () => new Map()),
    kinds,
    () => new Map(),
  );
  const byAddress = inside<string, Map<string, Lookup>>(byHome, home ?? '', () => new Map());
  return (address) => {
    let found = byAddress.get(address);
    if (!found) byAddress.set(address, (found = find(declared, address, kinds, home)));
    return found;
  };
}

type Remembered = Map<readonly ThingKind[], Map<string, Map<string, Lookup>>>;
const lookups = new WeakMap<DocumentDecl, Remembered>();

/** @returns what a map has at a key, made there first where it has nothing. */
function inside<K, V>(
  map: { get(key: K): V | undefined; set(key: K, value: V): unknown },
  key: K,
  make: () => V,
): V {
  let value = map.get(key);
  if (value === undefined) map.set(key, (value = make()));
  return value;
}

/** More changed names than this are not worth sorting out. */
const MOST_CHANGED = 20;

/** What came of taking look-ups over. */
interface TakenOver {
  /** The addresses, of the ones that were looked up, that may mean something else now. */
  readonly affected: ReadonlySet<string>;
  /** Whether all names are what they were. */
  readonly sameNames: boolean;
}

/**
 * Lets declarations take over what was looked up in those before them, but for the addresses that a name
 * come or gone may mean otherwise.
 * @returns undefined when nothing could be taken over
 */
export function takeOverLookups(from: DocumentDecl, to: DocumentDecl): TakenOver | undefined {
  const remembered = lookups.get(from);
  const changed = changedNames(from, to);
  if (!remembered || !changed || changed.length > MOST_CHANGED) return undefined;
  const affected = new Set<string>();
  lookups.delete(from);
  lookups.set(to, remembered);
  if (changed.length === 0) return { affected, sameNames: true };
  for (const byHome of remembered.values()) {
    for (const byAddress of byHome.values()) {
      for (const address of byAddress.keys())
        if (changed.some((name) => address.endsWith(name))) affected.add(address);
      for (const address of affected) byAddress.delete(address);
    }
  }
  return { affected, sameNames: false };
}

/** @returns the resource and spread names only one side has; undefined when the brokers differ. */
function changedNames(a: DocumentDecl, b: DocumentDecl): string[] | undefined {
  if (a.brokers?.size !== b.brokers?.size) return undefined;
  const changed: string[] = [];
  type Names = ReadonlyMap<string, unknown> | undefined;
  const differ = (one: Names, other: Names) => {
    if (sameKeys(one, other)) return;
    for (const name of one?.keys() ?? []) if (!other?.has(name)) changed.push(name);
    for (const name of other?.keys() ?? []) if (!one?.has(name)) changed.push(name);
  };
  for (const [id, { value: before }] of a.brokers ?? []) {
    const after = b.brokers?.get(id)?.value;
    if (after?.variant !== before.variant) return undefined;
    differ(before.queues, after.queues);
    differ(before.aliases, after.aliases);
    if (before.variant === 'amqp' && after.variant === 'amqp') differ(before.exchanges, after.exchanges);
    if (before.variant === 'pubsub' && after.variant === 'pubsub') {
      differ(before.topics, after.topics);
      differ(before.subscriptions, after.subscriptions);
    }
  }
  differ(a.spreads, b.spreads);
  return changed;
}

function find(declared: DocumentDecl, address: string, kinds: readonly ThingKind[], home?: string): Lookup {
  if (kinds.includes('spread') && address.startsWith('spread:')) {
    const name = address.slice('spread:'.length);
    return declared.spreads?.has(name)
      ? { ok: true, thing: thing('spread', name) }
      : { ok: false, reason: 'unknown', message: `There is no spread \`${name}\`.` };
  }
  // names with a colon are rare, and so are the prefixes that need one
  const outer = address.includes(':') ? PREFIX.exec(address) : null;
  const candidates = (broker: string, name: string): Thing[] => {
    const decl = declared.brokers?.get(broker)?.value;
    if (!decl) return [];
    const exact = namedOn(decl, broker, name, kinds);
    if (exact.length) return exact;
    const inner = name.includes(':') ? PREFIX.exec(name) : null;
    return inner
      ? namedOn(
          decl,
          broker,
          inner[2]!,
          kinds.filter((kind) => kind === inner[1]),
        )
      : [];
  };
  const all = (text: string): Thing[] => {
    const found = home ? candidates(home, text) : [];
    const slash = text.indexOf('/');
    if (found.length === 0 && slash > 0)
      found.push(...candidates(text.slice(0, slash), text.slice(slash + 1)));
    return found;
  };
  let found = all(address);
  if (found.length === 0 && outer) found = all(outer[2]!).filter((each) => each.kind === outer[1]);
  if (found.length === 1) return { ok: true, thing: found[0]! };
  if (found.length > 1) {
    const ways = found.map((each) => `\`${each.kind}:${addressOf(each)}\``).join(' or ');
    return {
      ok: false,
      reason: 'ambiguous',
      message: `\`${address}\` names two things here; write ${ways}.`,
    };
  }
  return { ok: false, reason: 'unknown', message: unknownMessage(declared, address, kinds, home) };
}

function unknownMessage(
  declared: DocumentDecl,
  address: string,
  kinds: readonly ThingKind[],
  home?: string,
): string {
  const slash = address.indexOf('/');
  const broker = slash > 0 ? address.slice(0, slash) : home;
  const what = kinds.filter((kind) => (RESOURCES as readonly string[]).includes(kind)).join(', ');
  if (broker === undefined) return `\`${address}\` needs its broker: write \`broker/name\`.`;
  if (!declared.brokers?.has(broker)) return `There is no broker \`${broker}\`.`;
  const name = slash > 0 ? address.slice(slash + 1) : address;
  return `Broker \`${broker}\` has no ${what.replace(/, ([^,]*)$/, ' or $1')} named \`${name}\`.`;
}
