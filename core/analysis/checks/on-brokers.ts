/** What checks may ask about brokers and what is declared on them; of a broker that changed, only what did is looked at. */
import type { BrokerKind, ResourceDecl, Unsayable } from '../../brokers/kind.ts';
import { type BrokerDecl, feedItemsOn, kindOf } from '../../brokers/kinds.ts';
import { type Found, type Remade, foundIn, remade } from '../../incremental/changed.ts';
import { differing } from '../../incremental/layered.ts';
import { Question, sameItems } from '../../incremental/memory.ts';
import type { Item, Items } from '../../language/shape.ts';
import { type ThingKind, thing } from '../../language/thing.ts';
import type { Located } from '../../syntax/place.ts';
import type { Topology } from '../../topology/topology.ts';

/** What is said of a broker as a whole. */
export interface BrokerTraits {
  readonly kind: BrokerKind<BrokerDecl>;
  readonly open: boolean;
  readonly transit: 'encrypted' | 'plain';
  readonly rest: 'encrypted' | 'plain';
  readonly clears: ReadonlySet<string>;
  readonly tenant: string | undefined;
  /** Whether MQTT clients meet an exchange of it. */
  readonly mqtt: boolean;
}

const BROKERS = new Question<ReadonlyMap<string, BrokerTraits>>('traits of brokers');
const OWNERS = new Question<{
  readonly parts: ReadonlyMap<string, ReadonlyMap<string, string>>;
  readonly whole: ReadonlyMap<string, string>;
}>('owners');
const FANOUTS = new Question<ReadonlyMap<string, readonly string[]>>('fanout exchanges on brokers');
const OWNED = new Question<ReadonlyMap<string, Remade<string, Item<ResourceDecl>, string>>>(
  'owners on brokers',
);
const WIRE_NAMED = new Question<ReadonlyMap<string, Remade<string, Item<ResourceDecl>, object>>>(
  'wire names',
);
const UNSTATED = new Question<ReadonlyMap<string, Unstated>>('settings that queues leave to their defaults');
const UNSAYABLE = new Question<ReadonlyMap<string, Found<Unsayable>>>('what cannot be told to brokers');

type Facts = Readonly<
  Record<
    'broker' | 'owner' | 'fanouts' | 'unsayable' | 'wireNamed' | 'unstated',
    ReadonlyMap<string, unknown>
  >
>;

/** @returns what each broker is like, who owns what is on it, and what of it some checks count, as tables by id */
export function factsOfBrokers(topology: Topology): Facts {
  const { declared, memory } = topology;
  const { brokers = new Map<string, Item<BrokerDecl>>() } = declared;
  const declOf = (id: string) => brokers.get(id)!.value;
  const on = (what: (decl: BrokerDecl) => readonly unknown[]) =>
    new Map(Array.from(brokers, ([id, { value }]) => [id, what(value)]));
  const resources = resourcesIn(brokers);
  const items = new Map(Array.from(resources, ([part, each]) => [part, [each.items]]));
  const owned = memory.each(OWNED, items, (part, before) => {
    const { kind, broker, items } = resources.get(part)!;
    const idOf = (name: string) => thing(kind, name, broker).id;
    return remade(before, items, idOf, ({ value }) => value.tenant?.value);
  });
  const owners = new Map(Array.from(owned, ([part, { made }]) => [part, made]));
  const named = memory.each(WIRE_NAMED, items, (part, before) =>
    remade(before, resources.get(part)!.items, asItIs, ({ value }) => value.wireName),
  );
  const wireNamed = new Map<string, true>();
  for (const [part, { made }] of named) if (made.size > 0) wireNamed.set(resources.get(part)!.broker, true);
  return {
    broker: memory.each(
      BROKERS,
      on((decl) => [decl, declared.tenant?.value]),
      (id) => traitsOf(topology, declOf(id)),
      { settle: (made, before) => (signOf(made) === signOf(before) ? before : made) },
    ),
    owner: memory.joined(OWNERS, owners, (tenants) => tenants[0]!),
    fanouts: memory.each(FANOUTS, on(feedItemsOn), (id) => fanoutsOf(declOf(id)), {
      settle: (made, before) => (sameItems(made, before) ? before : made),
    }),
    unsayable: memory.each(
      UNSAYABLE,
      on((decl) => [kindOf(decl).unnamed(decl)]),
      (id, before) => {
        const kind = kindOf(declOf(id));
        return foundIn(before, kind.unnamed(declOf(id)), (each) => kind.unsayableOf(each));
      },
    ),
    wireNamed,
    unstated: memory.each(
      UNSTATED,
      on(({ queues }) => [queues]),
      (id, before) => unstatedOn(declOf(id), before),
    ),
  };
}

const asItIs = (name: string): string => name;

/** The resources of one kind on a broker. */
interface ResourcesOn {
  readonly broker: string;
  readonly kind: ThingKind;
  readonly items: Items<ResourceDecl> | undefined;
}

const resourcesIn = (brokers: Items<BrokerDecl> | undefined): ReadonlyMap<string, ResourcesOn> =>
  new Map(
    [...(brokers ?? [])].flatMap(([broker, { value }]) =>
      kindOf(value)
        .resources(value)
        .map(([kind, items]): [string, ResourcesOn] => [`${kind} ${broker}`, { broker, kind, items }]),
    ),
  );

/** Settings that a queue may leave to the default, though its neighbours state them. */
export const SETTINGS = ['ttl', 'lease', 'maxLength', 'maxDeliveries', 'order', 'overflow'] as const;

/** @returns a setting of a queue, where it is stated */
export const statedIn = (
  decl: object,
  setting: (typeof SETTINGS)[number],
): Located<string | number> | undefined =>
  (decl as Partial<Record<string, Located<string | number>>>)[setting];

/** A broker's queues, and how many of them leave each of the settings to its default. */
export interface Unstated {
  readonly of: Items<object> | undefined;
  readonly counts: readonly number[];
}

function unstatedOn({ queues }: BrokerDecl, before: Unstated | undefined): Unstated {
  const of = queues as Items<object> | undefined;
  const counts = before ? [...before.counts] : SETTINGS.map(() => 0);
  const count = (queue: Item<object> | undefined, step: number) => {
    if (queue)
      SETTINGS.forEach((setting, i) => {
        if (!statedIn(queue.value, setting)) counts[i]! += step;
      });
  };
  for (const name of differing(before?.of, of)) {
    count(before?.of?.get(name), -1);
    count(of?.get(name), 1);
  }
  return { of, counts };
}

function traitsOf(topology: Topology, decl: BrokerDecl): BrokerTraits {
  return {
    kind: kindOf(decl),
    open: decl.access?.value === 'open',
    transit: decl.transit?.value ?? 'encrypted',
    rest: decl.rest?.value ?? 'encrypted',
    clears: new Set(decl.clears?.items.map((label) => label.value)),
    tenant: (decl.tenant ?? topology.declared.tenant)?.value,
    mqtt: kindOf(decl).mqttExchange(decl) !== undefined,
  };
}

const signOf = ({ kind, clears, ...traits }: BrokerTraits): string =>
  JSON.stringify([kind.title, [...clears], traits]);

const fanoutsOf = (decl: BrokerDecl): readonly string[] =>
  kindOf(decl)
    .feeds(decl)
    .flatMap(({ name, type }) => (type === 'fanout' ? [name] : []));
