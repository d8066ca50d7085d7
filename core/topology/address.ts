/** Addresses: how everything in a topology is found. */
import { type BrokerDecl, itemsOn, kindOf } from '../brokers/kinds.ts';
import { orderOf, sameOrder } from '../incremental/layered.ts';
import { type Memory, Question, sameItems } from '../incremental/memory.ts';
import { type Thing, type ThingKind, addressOf, thing } from '../language/thing.ts';
import type { DocumentDecl } from './document.ts';

export type Lookup =
  | { readonly ok: true; readonly thing: Thing }
  | { readonly ok: false; readonly reason: 'unknown' | 'ambiguous'; readonly message: string };

/** What is on one broker, by kind and name: one object for as long as no name comes, goes or moves. */
export type OnBroker = ReadonlyMap<ThingKind, ReadonlyMap<string, Thing>>;

/** What everything in a topology is called: one object for as long as no name comes, goes or moves. */
export interface Names {
  readonly brokers: ReadonlyMap<string, OnBroker>;
  readonly spreads: ReadonlyMap<string, Thing>;
  /** For each kind of bare ids one object for as long as none comes or goes. */
  readonly ids: readonly unknown[];
}

const NAMES = new Question<Names>('names');
const ON_BROKERS = new Question<ReadonlyMap<string, OnBroker>>('names on brokers');
const SPREADS = new Question<ReadonlyMap<string, Thing>>('names of spreads');

/** @returns the names of everything that is declared */
export function namesIn(declared: DocumentDecl, memory: Memory): Names {
  const orders = new Map(
    [...(declared.brokers ?? [])].map(([id, { value }]) => [id, itemsOn(value).map(orderOf)]),
  );
  const brokers = memory.each(
    ON_BROKERS,
    orders,
    (_, id, before) => namesOn(id, declared.brokers!.get(id)!.value, before),
    { same: sameItems, settle: (made, before) => (sameNames(made, before) ? before : made) },
  );
  const spreads = memory.latest(SPREADS, [orderOf(declared.spreads)], () =>
    named('spread', declared.spreads),
  );
  const { tenant, messages, apps, tenants, links, parameters } = declared;
  const ids = [tenant?.value, ...[messages, apps, tenants, links, parameters].map(orderOf)];
  return memory.latest(NAMES, [brokers, spreads, ...ids], () => ({ brokers, spreads, ids }));
}

function named(
  kind: ThingKind,
  items: ReadonlyMap<string, unknown> | undefined,
  broker?: string,
  before?: ReadonlyMap<string, Thing>,
): ReadonlyMap<string, Thing> {
  const found = new Map<string, Thing>();
  for (const name of items?.keys() ?? []) found.set(name, before?.get(name) ?? thing(kind, name, broker));
  return before && sameOrder(found, before) ? before : found;
}

/** @param before those before, of which each thing is the same object for as long as it is there */
function namesOn(broker: string, decl: BrokerDecl, before: OnBroker | undefined): OnBroker {
  return new Map(
    kindOf(decl)
      .resources(decl)
      .map(([kind, items]) => [kind, named(kind, items, broker, before?.get(kind))]),
  );
}

const sameNames = (a: OnBroker, b: OnBroker): boolean =>
  sameOrder(a, b) && [...a].every(([kind, names]) => sameOrder(names, b.get(kind)!));

const PREFIX = /^(exchange|queue|topic|subscription|alias):([^]*)$/;

/**
 * Finds what an address means.
 * @param address `broker/name`, `kind:broker/name`, `broker/kind:name`, `spread:x`; bare `name` and `kind:name` inside `home`
 * @param kinds what may stand here
 * @param home the broker in whose section the address stands
 * @param looked is given every broker on which was looked, there or not
 */
export function lookUp(
  names: Names,
  address: string,
  kinds: readonly ThingKind[],
  home?: string,
  looked?: Set<string>,
): Lookup {
  if (kinds.includes('spread') && address.startsWith('spread:')) {
    const name = address.slice('spread:'.length);
    const spread = names.spreads.get(name);
    return spread
      ? { ok: true, thing: spread }
      : { ok: false, reason: 'unknown', message: `There is no spread \`${name}\`.` };
  }
  const candidates = (broker: string, name: string): Thing[] => {
    looked?.add(broker);
    const on = names.brokers.get(broker);
    if (!on) return [];
    const exact = thingsNamed(on, name, kinds);
    if (exact.length > 0 || !name.includes(':')) return exact;
    // names with a colon are rare, and so are the prefixes that need one
    const inner = PREFIX.exec(name);
    return inner
      ? thingsNamed(
          on,
          inner[2]!,
          kinds.filter((kind) => kind === inner[1]),
        )
      : [];
  };
  const all = (text: string): Thing[] => {
    const found = home === undefined ? [] : candidates(home, text);
    if (found.length > 0) return found;
    const slash = text.indexOf('/');
    return slash > 0 ? candidates(text.slice(0, slash), text.slice(slash + 1)) : [];
  };
  let found = all(address);
  const outer = found.length === 0 && address.includes(':') ? PREFIX.exec(address) : null;
  if (outer) found = all(outer[2]!).filter((each) => each.kind === outer[1]);
  if (found.length === 1) return { ok: true, thing: found[0]! };
  if (found.length > 1) {
    const ways = found.map((each) => `\`${each.kind}:${addressOf(each)}\``).join(' or ');
    return {
      ok: false,
      reason: 'ambiguous',
      message: `\`${address}\` names two things here; write ${ways}.`,
    };
  }
  return { ok: false, reason: 'unknown', message: unknownMessage(names, address, kinds, home) };
}

/** @returns what has a name on a broker, of the given kinds */
export function thingsNamed(on: OnBroker, name: string, kinds: readonly ThingKind[]): Thing[] {
  const found: Thing[] = [];
  for (const [kind, names] of on) {
    const one = kinds.includes(kind) ? names.get(name) : undefined;
    if (one) found.push(one);
  }
  return found;
}

/** @returns what has a name on a broker, where one thing, and no more, of the given kinds has it */
export function namedOnce(on: OnBroker, name: string, kinds: readonly ThingKind[]): Thing | undefined {
  let found: Thing | undefined;
  for (const kind of kinds) {
    const one = on.get(kind)?.get(name);
    if (one && found) return undefined;
    found ??= one;
  }
  return found;
}

/** What is declared on a broker by name. */
export const RESOURCES: readonly ThingKind[] = ['exchange', 'queue', 'topic', 'subscription', 'alias'];

function unknownMessage(
  { brokers }: Names,
  address: string,
  kinds: readonly ThingKind[],
  home?: string,
): string {
  const slash = address.indexOf('/');
  const broker = slash > 0 ? address.slice(0, slash) : home;
  const what = kinds.filter((kind) => RESOURCES.includes(kind)).join(', ');
  if (broker === undefined) return `\`${address}\` needs its broker: write \`broker/name\`.`;
  if (!brokers.has(broker)) return `There is no broker \`${broker}\`.`;
  const name = slash > 0 ? address.slice(slash + 1) : address;
  return `Broker \`${broker}\` has no ${what.replace(/, ([^,]*)$/, ' or $1')} named \`${name}\`.`;
}
