/** Thing ids and addresses: how everything in a topology is named and found. */
import type { BrokerDecl, DocumentDecl } from '../language/language.ts';

/** What a thing is. */
export type ThingKind =
  | 'app'
  | 'tenant'
  | 'message'
  | 'broker'
  | 'exchange'
  | 'queue'
  | 'topic'
  | 'subscription'
  | 'alias'
  | 'link'
  | 'spread';

/** The id of a thing, unique in a topology: `queue:mainland/boards`, `app:archive`, `spread:manifest-work`. */
export type ThingId = string & { readonly __thing: true };

export interface Thing {
  readonly id: ThingId;
  readonly kind: ThingKind;
  /** The broker it is on; empty for what is on none. */
  readonly broker: string;
  readonly name: string;
}

export function thing(kind: ThingKind, name: string, broker = ''): Thing {
  return { id: `${kind}:${broker ? `${broker}/` : ''}${name}` as ThingId, kind, broker, name };
}

/** @returns how a person writes a thing: `mainland/boards`, or `app:archive` for what is on no broker. */
export function addressOf(of: Thing): string {
  if (of.broker) return `${of.broker}/${of.name}`;
  return of.kind === 'broker' ? of.name : of.id;
}

/** What can be published to. */
export const ENTRIES: readonly ThingKind[] = ['exchange', 'topic', 'queue', 'alias', 'spread'];
/** What can be taken from. */
export const STORES: readonly ThingKind[] = ['queue', 'subscription'];
/** What the other places of the language may name; shared, so that look-ups can be remembered by them. */
export const EXCHANGES: readonly ThingKind[] = ['exchange'];
export const QUEUES: readonly ThingKind[] = ['queue'];
export const TOPICS: readonly ThingKind[] = ['topic'];
export const BINDABLE: readonly ThingKind[] = ['queue', 'exchange'];
export const HOSTED_ENTRIES: readonly ThingKind[] = ['topic', 'queue'];

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
  // the same few addresses are asked for again and again: by references, the graph, every trace
  const byHome = inside(inside(lookups, declared, newWeak), kinds, newMap);
  const byAddress = inside(byHome, home ?? '', newMap) as Map<string, Lookup>;
  let found = byAddress.get(address);
  if (!found) byAddress.set(address, (found = find(declared, address, kinds, home)));
  return found;
}

type Remembered = Map<string, Map<string, Lookup>>;
const lookups = new WeakMap<DocumentDecl, WeakMap<readonly ThingKind[], Remembered>>();
const newWeak = () => new WeakMap<readonly ThingKind[], Remembered>();
const newMap = <K, V>() => new Map<K, V>();

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
