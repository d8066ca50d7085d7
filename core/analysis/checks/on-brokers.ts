/** What checks may ask about brokers and what is declared on them; of a broker that changed, only what did is looked at. */
import type { BrokerKind, ResourceDecl, Unsayable } from '../../brokers/kind.ts';
import { type BrokerDecl, kindOf } from '../../brokers/kinds.ts';
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

/** What is known of one broker. */
interface OnBroker {
  readonly broker: BrokerTraits;
  /** The owners that its resources state, by their ids, by kind. */
  readonly owners: ReadonlyMap<ThingKind, Remade<string, Item<ResourceDecl>, string>>;
  /** By name, of each kind. */
  readonly wireNames: ReadonlyMap<ThingKind, Remade<string, Item<ResourceDecl>, object>>;
  readonly fanouts: readonly string[];
  readonly unsayable: Found<Unsayable>;
  readonly unstated: Unstated;
}

const BROKERS = new Question<ReadonlyMap<string, OnBroker>>('what is known of brokers');
const OWNERS = new Question<{
  readonly parts: ReadonlyMap<string, ReadonlyMap<string, string>>;
  readonly whole: ReadonlyMap<string, string>;
}>('owners');
const NO_BROKERS: Items<BrokerDecl> = new Map();

type Facts = Readonly<
  Record<
    'broker' | 'owner' | 'fanouts' | 'unsayable' | 'wireNamed' | 'unstated',
    ReadonlyMap<string, unknown>
  >
>;

/** @returns what each broker is like, who owns what is on it, and what of it some checks count, as tables by id */
export function factsOfBrokers({ declared, memory }: Topology): Facts {
  const { brokers = NO_BROKERS, tenant } = declared;
  const known = memory.each(
    BROKERS,
    brokers,
    ({ value }, id, before) => knownOf(id, value, tenant?.value, before),
    { ground: [tenant?.value] },
  );
  const table = <T>(of: (on: OnBroker) => T): ReadonlyMap<string, T> =>
    new Map(Array.from(known, ([id, on]) => [id, of(on)]));
  const owners = [...known].flatMap(([id, on]) =>
    Array.from(on.owners, ([kind, { made }]) => [`${kind} ${id}`, made] as const),
  );
  return {
    broker: table(({ broker }) => broker),
    owner: memory.joined(
      OWNERS,
      new Map(owners),
      (part) => part,
      (tenants) => tenants[0]!,
    ),
    fanouts: table(({ fanouts }) => fanouts),
    unsayable: table(({ unsayable }) => unsayable.all),
    wireNamed: table(({ wireNames }) => [...wireNames.values()].some(({ made }) => made.size > 0)),
    unstated: table(({ unstated }) => unstated.counts),
  };
}

function knownOf(
  id: string,
  decl: BrokerDecl,
  tenant: string | undefined,
  before: OnBroker | undefined,
): OnBroker {
  const kind = kindOf(decl);
  const resources = kind.resources(decl);
  const traits = traitsOf(decl, tenant);
  const fanouts = fanoutsOf(decl);
  const ofKinds = <R>(
    last: ReadonlyMap<ThingKind, Remade<string, Item<ResourceDecl>, R>> | undefined,
    keyOf: (kind: ThingKind, name: string) => string,
    make: (item: Item<ResourceDecl>) => R | undefined,
  ) =>
    new Map(
      resources.map(([of, items]) => [of, remade(last?.get(of), items, (name) => keyOf(of, name), make)]),
    );
  return {
    broker: before && signOf(before.broker) === signOf(traits) ? before.broker : traits,
    owners: ofKinds(
      before?.owners,
      (of, name) => thing(of, name, id).id,
      ({ value }) => value.tenant?.value,
    ),
    wireNames: ofKinds(
      before?.wireNames,
      (_, name) => name,
      ({ value }) => value.wireName,
    ),
    fanouts: before && sameItems(before.fanouts, fanouts) ? before.fanouts : fanouts,
    unsayable: foundIn(before?.unsayable, kind.unnamed(decl), (each) => kind.unsayableOf(each)),
    unstated: unstatedOn(decl, before?.unstated),
  };
}

/** Settings that a queue may leave to the default, though its neighbours state them. */
export const SETTINGS = ['ttl', 'lease', 'maxLength', 'maxDeliveries', 'order', 'overflow'] as const;

/** @returns a setting of a queue, where it is stated */
export const statedIn = (
  decl: object,
  setting: (typeof SETTINGS)[number],
): Located<string | number> | undefined =>
  (decl as Partial<Record<string, Located<string | number>>>)[setting];

/** A broker's queues, and how many of them leave each of the settings to its default. */
interface Unstated {
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

function traitsOf(decl: BrokerDecl, tenant: string | undefined): BrokerTraits {
  return {
    kind: kindOf(decl),
    open: decl.access?.value === 'open',
    transit: decl.transit?.value ?? 'encrypted',
    rest: decl.rest?.value ?? 'encrypted',
    clears: new Set(decl.clears?.items.map((label) => label.value)),
    tenant: decl.tenant?.value ?? tenant,
    mqtt: kindOf(decl).mqttExchange(decl) !== undefined,
  };
}

const signOf = ({ kind, clears, ...traits }: BrokerTraits): string =>
  JSON.stringify([kind.title, [...clears], traits]);

const fanoutsOf = (decl: BrokerDecl): readonly string[] =>
  kindOf(decl)
    .feeds(decl)
    .flatMap(({ name, type }) => (type === 'fanout' ? [name] : []));
