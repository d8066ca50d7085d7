/** Every place in a topology that names something declared elsewhere in it. */
import { type BrokerDecl, kindOf } from '../brokers/kinds.ts';
import type { AppDecl } from '../language/app.ts';
import type { MessageTypeDecl } from '../language/message.ts';
import type { Items } from '../language/shape.ts';
import { ENTRIES, QUEUES, STORES, type Thing, type ThingKind, thing } from '../language/thing.ts';
import type { Located } from '../syntax/place.ts';
import { type Names, lookUp } from './address.ts';
import type { DocumentDecl } from './document.ts';

/** One naming: the text, and what may be meant by it. */
export interface Use {
  readonly value: Located<string>;
  readonly means:
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
}

/** What is named by a bare id. */
export type NamedKind = 'message' | 'app' | 'broker' | 'tenant' | 'link' | 'spread' | 'parameter';

/** A declaration and what it names; one declaration is one object for as long as its text stays. */
export interface Naming {
  readonly owner: object;
  readonly uses: readonly Use[];
}

/** Declarations that belong together: what they are, and one object that stays as long as all of them do. */
export interface Part {
  readonly id: string;
  readonly whole: object;
  /** @param known declarations that need not be told */
  readonly namings: (known?: (owner: object) => boolean) => Iterable<Naming>;
}

/** @returns all uses, in order of declaration. */
export function* usesIn(declared: DocumentDecl): Generator<Use> {
  for (const { uses } of namingsIn(declared)) yield* uses;
}

/** @returns every declaration that names something, in order */
export function* namingsIn(declared: DocumentDecl): Generator<Naming> {
  for (const { namings } of partsIn(declared)) yield* namings();
}

/**
 * @param appsBy the apps in groups, where each is to be a part
 * @returns every declaration that names something, part by part
 */
export function* partsIn(
  declared: DocumentDecl,
  appsBy: ReadonlyMap<string, Items<AppDecl>> = new Map(declared.apps ? [['', declared.apps]] : []),
): Generator<Part> {
  const { tenant, messages, brokers, links, spreads, environments, access, samples, expectations } = declared;
  const { watch, taps } = declared;
  if (tenant)
    yield {
      id: 'tenant',
      whole: tenant,
      namings: () => [{ owner: tenant, uses: id(tenant, 'tenant') }],
    };
  if (messages) yield part('messages', messages, () => valuesOf(messages), usesOfType);
  for (const [group, apps] of appsBy) yield part(`apps ${group}`, apps, () => valuesOf(apps), usesOfApp);
  for (const { name, value } of brokers?.values() ?? [])
    yield { id: `broker ${name}`, whole: value, namings: (known) => namingsOn(name, value, known) };
  if (links)
    yield part(
      'links',
      links,
      () => valuesOf(links),
      (link) => [
        ...address(link.from, QUEUES),
        ...address(link.to, ENTRIES),
        ...address(link.receives?.from, QUEUES),
      ],
    );
  if (spreads)
    yield part(
      'spreads',
      spreads,
      () => valuesOf(spreads),
      (spread) => (spread.members?.items ?? []).flatMap((each) => address(each, QUEUES)),
    );
  if (environments)
    yield part(
      'environments',
      environments,
      () => valuesOf(environments),
      (environment) =>
        [...(environment.values ?? [])].flatMap(([name, { key }]) =>
          id({ value: name, place: key }, 'parameter'),
        ),
    );
  if (access)
    yield part(
      'access',
      access,
      () => access.items,
      ({ who, on, when }) => [
        ...wide(who),
        ...wide(on),
        ...wide(one(when?.source)),
        ...id(when?.tenant, 'tenant'),
      ],
    );
  if (samples)
    yield part(
      'samples',
      samples,
      () => samples.items,
      ({ message, from }) => [...id(message, 'message'), ...id(from, 'app')],
    );
  if (expectations)
    yield part(
      'expectations',
      expectations,
      () => expectations.items,
      ({ given, reaches, leadsTo, never }) => [
        ...id(given?.message, 'message'),
        ...wide(one(given?.from)),
        ...wide(reaches),
        ...wide(leadsTo),
        ...wide(never),
      ],
    );
  if (watch)
    yield part(
      'watch',
      watch,
      () => watch.items,
      ({ on }) => wide(on),
    );
  if (taps)
    yield part(
      'taps',
      taps,
      () => taps.items,
      ({ on }) => wide(on),
    );
}

const valuesOf = <T>(items: Items<T>): T[] => [...items.values()].map(({ value }) => value);

function part<T extends object>(
  of: string,
  whole: object,
  owners: () => readonly T[],
  usesOf: (owner: T) => readonly Use[],
): Part {
  return {
    id: of,
    whole,
    *namings() {
      for (const owner of owners()) yield { owner, uses: usesOf(owner) };
    },
  };
}

function* namingsOn(
  home: string,
  broker: BrokerDecl,
  known: (owner: object) => boolean = () => false,
): Generator<Naming> {
  const kind = kindOf(broker);
  if (broker.tenant) yield { owner: broker, uses: id(broker.tenant, 'tenant') };
  for (const { value: queue } of broker.queues?.values() ?? []) {
    if (known(queue)) continue;
    const app = 'perInstanceOf' in queue ? queue.perInstanceOf : undefined;
    yield {
      owner: queue,
      uses: [
        ...address(queue.deadLetter?.to, kind.deadLetters, home),
        ...id(app, 'app'),
        ...id(queue.tenant, 'tenant'),
      ],
    };
  }
  for (const { value: alias } of broker.aliases?.values() ?? [])
    yield { owner: alias, uses: [...address(alias.to, ENTRIES, home), ...id(alias.over, 'link')] };
  for (const { owner, addresses, ids = [], stays } of kind.names(broker, known))
    yield {
      owner,
      uses: [
        ...addresses.flatMap(([value, kinds]) => address(value, kinds, home, stays)),
        ...ids.flatMap(([value, of]) => id(value, of)),
      ],
    };
}

const usesOfType = (type: MessageTypeDecl): Use[] =>
  (type.extends?.items ?? []).flatMap((parent) => id(parent, 'message'));

function usesOfApp(app: AppDecl): Use[] {
  const uses = [...id(app.tenant, 'tenant'), ...id(app.home, 'broker')];
  for (const { message, via, to, because } of app.publishes?.items ?? []) {
    uses.push(...ids(message, because));
    uses.push(...(via?.value === 'mqtt' ? id(to, 'broker') : address(to, ENTRIES)));
  }
  for (const { via, from, expects } of app.consumes?.items ?? []) {
    uses.push(...(via?.value === 'mqtt' ? id(from, 'broker') : address(from, STORES)));
    uses.push(...ids(undefined, expects));
  }
  for (const { to, because } of app.hands?.items ?? [])
    uses.push(...id(to, 'app'), ...ids(undefined, because));
  return uses;
}

const ids = (first: Located<string> | undefined, more: AppNames): Use[] =>
  [first, ...(more?.items ?? [])].flatMap((each) => id(each, 'message'));

type AppNames = { readonly items: readonly Located<string>[] } | undefined;

function address(
  value: Located<string> | undefined,
  kinds: readonly ThingKind[],
  home?: string,
  stays?: true,
): Use[] {
  if (!value) return [];
  const on = home === undefined ? {} : { home };
  return [{ value, means: { by: 'address', kinds, ...on, ...(stays ? { stays } : {}) } }];
}

function id(value: Located<string> | undefined, kind: NamedKind): Use[] {
  return value ? [{ value, means: { by: 'id', kind } }] : [];
}

function wide(list: { readonly items: readonly Located<string>[] } | undefined): Use[] {
  return (list?.items ?? []).map((value) => ({ value, means: { by: 'wide' } }));
}

const one = (value: Located<string> | undefined) => (value ? { items: [value] } : undefined);

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
