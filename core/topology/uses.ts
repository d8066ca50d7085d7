/** Every place in a topology that names something declared elsewhere in it. */
import { type BrokerDecl, kindOf } from '../brokers/kinds.ts';
import type { QueueNode } from '../brokers/terms.ts';
import { type Owners, ownersIn } from '../incremental/changed.ts';
import type { AppDecl } from '../language/app.ts';
import type { MessageTypeDecl } from '../language/message.ts';
import type { Items } from '../language/shape.ts';
import { ENTRIES, QUEUES, STORES, type Thing, type ThingKind, thing } from '../language/thing.ts';
import type { Located } from '../syntax/place.ts';
import { type Names, lookUp } from './address.ts';
import type { DocumentDecl } from './document.ts';

/** What may be meant by a name. */
export type Means =
  | {
      readonly by: 'address';
      readonly kinds: readonly ThingKind[];
      readonly home?: string;
      /** Only what is on its own broker may be meant. */
      readonly stays?: true;
    }
  | { readonly by: 'id'; readonly kind: NamedKind }
  /** `app:x`, `tenant:x`, `broker:x`, `topic:broker/x`, `link:x`, `any`, or an address, perhaps with `*`. */
  | { readonly by: 'wide' };

/** One naming: the text, and what may be meant by it. */
export interface Use {
  readonly value: Located<string>;
  readonly means: Means;
}

/** What is named by a bare id. */
export type NamedKind = 'message' | 'app' | 'broker' | 'tenant' | 'link' | 'spread' | 'parameter';

/** Is told each name that a declaration writes. */
export type Tell = (value: Located<string>, means: Means) => void;

/** A declaration and what it names. */
export interface Naming {
  readonly owner: object;
  readonly uses: readonly Use[];
}

/** Declarations that belong together. */
export interface Part {
  readonly id: string;
  /** The same map, or a list of the same objects, for as long as they are what they were. */
  readonly owners: Owners;
  /** Tells all that one of them names, in the order of the text. */
  readonly names: (owner: never, tell: Tell) => void;
}

/** @returns all uses, in order of declaration. */
export function* usesIn(declared: DocumentDecl): Generator<Use> {
  for (const { uses } of namingsIn(declared)) yield* uses;
}

/** @returns every declaration that names something, in order */
export function* namingsIn(declared: DocumentDecl): Generator<Naming> {
  const apart = [...partsApart(declared)];
  const isFirst = ({ id }: Part) => id === 'tenant' || id === 'messages';
  const parts = [
    ...apart.filter(isFirst),
    ...(declared.apps ? [partOfApps(declared.apps)] : []),
    ...[...(declared.brokers?.values() ?? [])].flatMap(({ name, value }) => [...partsOn(name, value)]),
    ...apart.filter((part) => !isFirst(part)),
  ];
  for (const { owners, names } of parts)
    for (const owner of ownersIn(owners)) {
      const uses: Use[] = [];
      names(owner as never, (value, means) => uses.push({ value, means }));
      yield { owner, uses };
    }
}

/** @returns the declarations that name something and are neither apps nor on brokers, in parts */
export function* partsApart(declared: DocumentDecl): Generator<Part> {
  const { tenant, messages, links, spreads, environments, access, samples, expectations } = declared;
  const { watch, taps } = declared;
  if (tenant) yield part('tenant', [tenant], (own, tell) => tell(own, TENANT));
  if (messages) yield part('messages', messages, namesOfType);
  if (links)
    yield part('links', links, (link, tell) => {
      told(link.from, FROM_QUEUES, tell);
      told(link.to, TO_ENTRIES, tell);
      told(link.receives?.from, FROM_QUEUES, tell);
    });
  if (spreads)
    yield part('spreads', spreads, ({ members }, tell) => {
      for (const each of members?.items ?? []) tell(each, FROM_QUEUES);
    });
  if (environments)
    yield part('environments', environments, ({ values }, tell) => {
      for (const [name, { key }] of values ?? []) tell({ value: name, place: key }, PARAMETER);
    });
  if (access)
    yield part('access', access.items, ({ who, on, when }, tell) => {
      wide(who, tell);
      wide(on, tell);
      told(when?.source, WIDE, tell);
      told(when?.tenant, TENANT, tell);
    });
  if (samples)
    yield part('samples', samples.items, ({ message, from }, tell) => {
      told(message, MESSAGE, tell);
      told(from, APP, tell);
    });
  if (expectations)
    yield part('expectations', expectations.items, ({ given, reaches, leadsTo, never }, tell) => {
      told(given?.message, MESSAGE, tell);
      told(given?.from, WIDE, tell);
      for (const each of [reaches, leadsTo, never]) wide(each, tell);
    });
  if (watch) yield part('watch', watch.items, ({ on }, tell) => wide(on, tell));
  if (taps) yield part('taps', taps.items, ({ on }, tell) => wide(on, tell));
}

const part = <T extends object>(
  id: string,
  owners: Owners<T>,
  names: (owner: T, tell: Tell) => void,
): Part => ({ id, owners, names });

/** @returns what some apps name */
export const partOfApps = (apps: Items<AppDecl>): Part => part('apps', apps, namesOfApp);

/** @returns what the declarations on a broker name, in parts */
export function* partsOn(home: string, broker: BrokerDecl): Generator<Part> {
  const kind = kindOf(broker);
  const { tenant, queues, aliases } = broker;
  const deadLetters: Means = { by: 'address', kinds: kind.deadLetters, home };
  const entries: Means = { by: 'address', kinds: ENTRIES, home };
  if (tenant) yield part('tenant', [tenant], (own, tell) => tell(own, TENANT));
  if (queues)
    yield part<QueueNode['decl']>('queues', queues, (queue, tell) => {
      told(queue.deadLetter?.to, deadLetters, tell);
      if ('perInstanceOf' in queue) told(queue.perInstanceOf, APP, tell);
      told(queue.tenant, TENANT, tell);
    });
  if (aliases)
    yield part('aliases', aliases, (alias, tell) => {
      told(alias.to, entries, tell);
      told(alias.over, LINK, tell);
    });
  for (const { sort, owners, names, stays } of kind.names(broker)) {
    if (!owners) continue;
    const means = new Map<readonly ThingKind[], Means>();
    const at = (kinds: readonly ThingKind[]): Means => {
      let known = means.get(kinds);
      if (!known) means.set(kinds, (known = { by: 'address', kinds, home, ...(stays ? { stays } : {}) }));
      return known;
    };
    yield part(sort, owners, (owner, tell) =>
      names(owner as never, {
        address: (value, kinds) => told(value, at(kinds), tell),
        id: (value, of) => told(value, BY_ID[of], tell),
      }),
    );
  }
}

function namesOfType(type: MessageTypeDecl, tell: Tell): void {
  for (const parent of type.extends?.items ?? []) tell(parent, MESSAGE);
}

function namesOfApp(app: AppDecl, tell: Tell): void {
  told(app.tenant, TENANT, tell);
  told(app.home, BROKER, tell);
  for (const { message, via, to, because } of app.publishes?.items ?? []) {
    told(message, MESSAGE, tell);
    for (const each of because?.items ?? []) tell(each, MESSAGE);
    told(to, via?.value === 'mqtt' ? BROKER : TO_ENTRIES, tell);
  }
  for (const { via, from, expects } of app.consumes?.items ?? []) {
    told(from, via?.value === 'mqtt' ? BROKER : FROM_STORES, tell);
    for (const each of expects?.items ?? []) tell(each, MESSAGE);
  }
  for (const { to, because } of app.hands?.items ?? []) {
    told(to, APP, tell);
    for (const each of because?.items ?? []) tell(each, MESSAGE);
  }
}

const byId = <K extends NamedKind>(kind: K) => ({ by: 'id', kind }) as const;
const [MESSAGE, APP, BROKER, TENANT, LINK, PARAMETER] = [
  byId('message'),
  byId('app'),
  byId('broker'),
  byId('tenant'),
  byId('link'),
  byId('parameter'),
];
const BY_ID = { app: APP, tenant: TENANT, link: LINK };
const TO_ENTRIES: Means = { by: 'address', kinds: ENTRIES };
const FROM_STORES: Means = { by: 'address', kinds: STORES };
const FROM_QUEUES: Means = { by: 'address', kinds: QUEUES };
const WIDE: Means = { by: 'wide' };

/** Tells a name where one is written. */
function told(value: Located<string> | undefined, means: Means, tell: Tell): void {
  if (value) tell(value, means);
}

function wide(list: { readonly items: readonly Located<string>[] } | undefined, tell: Tell): void {
  for (const each of list?.items ?? []) tell(each, WIDE);
}

const RESOURCES: readonly ThingKind[] = ['exchange', 'queue', 'topic', 'subscription', 'alias'];

/** @returns the one thing a use names; undefined for none, several, patterns and parameters. */
export function meantBy(names: Names, { value, means }: Use): Thing | undefined {
  if (means.by === 'id') return means.kind === 'parameter' ? undefined : thing(means.kind, value.value);
  if (means.by === 'address') {
    const found = lookUp(names, value.value, means.kinds, means.home);
    return found.ok ? found.thing : undefined;
  }
  const own = /^(app|tenant|broker|link|spread):(.+)$/s.exec(value.value);
  if (own) return thing(own[1] as ThingKind, own[2]!);
  const found = lookUp(names, value.value, RESOURCES);
  return found.ok ? found.thing : undefined;
}
