/** Every way from one node to another, as edges by the nodes they begin and end at. */
import type { DeclaredWay, Edge, GraphNode } from '../brokers/terms.ts';
import { type BrokerDecl, feedItemsOn, kindOf } from '../brokers/kinds.ts';
import type { ExchangeType, Finder, ResourceDecl, Routes } from '../brokers/kind.ts';
import { directKey, topicKey } from '../conditions/amqp.ts';
import { ALWAYS, type Predicate } from '../conditions/predicate.ts';
import { type Remade, type Stretch, remade, stretchOf } from '../incremental/changed.ts';
import { Layered, isMap, orderOf } from '../incremental/layered.ts';
import { Question, remembered, sameItems, settled } from '../incremental/memory.ts';
import type { AppDecl } from '../language/app.ts';
import type { DeadLetterDecl } from '../language/dead-letter.ts';
import type { Item, Items } from '../language/shape.ts';
import type { LinkDecl } from '../language/link.ts';
import { ENTRIES, QUEUES, STORES, type Thing, type ThingKind, thing } from '../language/thing.ts';
import type { Located, Place } from '../syntax/place.ts';
import { appsByDocument, ofEachDocument } from '../topology/apps.ts';
import { type Names, type OnBroker, lookUp, thingsNamed } from '../topology/address.ts';
import type { Topology } from '../topology/topology.ts';
import { type Session, mqttEntry, publisherId, sessionOf, takerId } from './nodes.ts';

type Lists = ReadonlyMap<string, readonly Edge[]>;

/** Edges, and those of each node that begin at it and that end at it, in the order of the text. */
interface Ways {
  /** Few ask for all of them. */
  readonly edges: () => readonly Edge[];
  readonly out: Lists;
  readonly into: Lists;
}

/** The ways of declarations that belong together. */
interface Part extends Ways {
  /** Where addresses were looked up: as long as these are what they were, they name what they named. */
  readonly looked: ReadonlyMap<string, OnBroker | undefined>;
  /** Whether it was made of the one before it, whose lists it has where nothing changed. */
  readonly patched?: true;
  /** What it was made of, of routes on a broker. */
  readonly routed?: Routed;
}

/** Declarations on a broker and the edge that each makes, if it makes one. */
interface Routed {
  readonly owners: readonly object[];
  readonly edges: readonly (MadeEdge | undefined)[];
  /** What else they follow from. */
  readonly ground: readonly unknown[];
}

type Joined = { readonly parts: ReadonlyMap<string, Lists>; readonly whole: Lists };

/** What is remembered of some parts and of what they come to. */
interface Questions {
  readonly parts: Question<ReadonlyMap<string, Part>>;
  readonly edges: Question<readonly Edge[]>;
  readonly out: Question<Joined>;
  readonly into: Question<Joined>;
}

const questionsOf = (of: string): Questions => ({
  parts: new Question(`${of} by part`),
  edges: new Question(of),
  out: new Question(`${of} from`),
  into: new Question(`${of} to`),
});

/** What a broker declares by itself: where dead letters of one kind of its resources go, aliases, and routes of one sort. */
const DEAD_LETTERS = 'dead letters ';
const ALIASES = 'aliases ';
const deadLetterPart = (kind: ThingKind, broker: string): string => `${DEAD_LETTERS}${kind} ${broker}`;
const routesPart = (sort: string, broker: string): string => `routes of ${sort} ${broker}`;
/** The apps of one document are two parts. */
const PUBLISHES = 'publishes ';
const TAKES = 'takes ';

const ALL = questionsOf('ways');
const BY_APPS = { [PUBLISHES]: questionsOf('publishes'), [TAKES]: questionsOf('takes') };
const OF_APPS = { [PUBLISHES]: new Question<Ways>(PUBLISHES), [TAKES]: new Question<Ways>(TAKES) };
const DEAD_LETTERS_ON = new Question<ReadonlyMap<string, DeadLettersOn>>('dead letters on brokers');
const STORES_HELD = new Question<string>('stores of subscriptions');
const TYPES = new Question<ReadonlyMap<string, string>>('types of exchanges');
const IDLE_IN = new Question<ReadonlyMap<string, string>>('apps without instances by document');
const IDLE = new Question<string>('apps without instances');
const BROKEN = new Question<ReadonlyMap<string, readonly BrokenLink[]>>('links that lead nowhere');

/** @returns all ways of a topology */
export function waysOf(topology: Topology, nodes: ReadonlyMap<string, GraphNode>): Ways {
  const { declared, names, memory } = topology;
  const { brokers, links, spreads } = declared;
  const decls = [...(brokers ?? [])].map(([id, { value }]) => [id, value] as const);
  // the conditions of bindings hang on what their exchange is
  const types = memory.each(TYPES, new Map(decls.map(([id, decl]) => [id, feedItemsOn(decl)])), (id) =>
    typesOn(brokers!.get(id)!.value),
  );
  const { exchangeType } = finderIn(topology, undefined, new Set());
  const mqtt = decls
    .map(([id]) => mqttEntry(topology, id))
    .map((entry) => (entry ? `${entry} ${exchangeType(entry)}` : ''))
    .join('\n');
  const apps = appsByDocument(declared, memory);
  // what MQTT takers subscribe to comes and goes with no name of its own, and so does what a subscription holds
  const stores = memory.latest(STORES_HELD, [orderOf(nodes)], () =>
    [...nodes.values()].flatMap(({ role, id }) => (role === 'subscription' ? [id] : [])).join('\n'),
  );
  // what runs nowhere takes nothing, and a queue for each instance of it is not there
  const idleIn = ofEachDocument(memory, IDLE_IN, apps, (own) =>
    [...own.values()].flatMap(({ name, value }) => (value.instances?.value === 0 ? [name] : [])).join('\n'),
  );
  const idle = memory.latest(IDLE, [idleIn], () => [...idleIn.values()].filter(Boolean).join('\n'));
  const routes = new Map(
    decls.flatMap(([broker, decl]) =>
      kindOf(decl)
        .routes(decl)
        .map((each) => [routesPart(each.sort, broker), { broker, ...each }] as const),
    ),
  );
  const deadLetters = deadLettersIn(topology, decls);
  const isIdle = new Set(idle.split('\n'));
  const around: Around = { topology, nodes, types, apps, routes, deadLetters, idle, isIdle };
  const ofApps = (kind: typeof PUBLISHES | typeof TAKES): Ways => {
    const ground = [mqtt, names.spreads, stores, idle];
    return memory.latest(OF_APPS[kind], [apps, names, ...ground], () => {
      const on = new Map([...apps].map(([doc, own]) => [`${kind}${doc}`, [own, ...ground]]));
      return together(topology, BY_APPS[kind], partsOf(around, BY_APPS[kind], on));
    });
  };
  const onBroker = (id: string, decl: BrokerDecl): (readonly [string, readonly unknown[]])[] => [
    ...kindOf(decl)
      .resources(decl)
      .map(([kind]) => deadLetterPart(kind, id))
      .map((part) => [part, [deadLetters.get(part)!.made]] as const),
    [`${ALIASES}${id}`, [decl.aliases, links]],
    ...kindOf(decl)
      .routes(decl)
      .map(({ sort, owners }) => [routesPart(sort, id), [owners, types.get(id), idle]] as const),
  ];
  const on = new Map<string, readonly unknown[]>([
    ...decls.flatMap(([id, decl]) => onBroker(id, decl)),
    ['links', [links, names.spreads]],
    ['spreads', [spreads]],
  ]);
  const parts = new Map<string, Ways>([
    [PUBLISHES, ofApps(PUBLISHES)],
    ...partsOf(around, ALL, on),
    [TAKES, ofApps(TAKES)],
  ]);
  return together(topology, ALL, parts);
}

/** @param on what each part follows from, besides where it looks addresses up */
function partsOf(
  around: Around,
  { parts }: Questions,
  on: ReadonlyMap<string, readonly unknown[]>,
): ReadonlyMap<string, Part> {
  const { names, memory } = around.topology;
  return memory.each(parts, on, (part, before) => partOf(around, part, before), {
    holds: (known) => namesHold(names, known),
    settle: (made, before) =>
      made.patched
        ? made
        : {
            ...made,
            out: settled(made.out, before.out, sameItems),
            into: settled(made.into, before.into, sameItems),
          },
  });
}

/** Whether what was looked up for a part is where it was. */
const namesHold = ({ brokers }: Names, { looked }: Part): boolean =>
  [...looked].every(([id, then]) => brokers.get(id) === then);

function together(
  { memory }: Topology,
  { edges, out, into }: Questions,
  parts: ReadonlyMap<string, Ways>,
): Ways {
  const lists = (end: 'out' | 'into') => new Map([...parts].map(([id, part]) => [id, part[end]]));
  const join = (all: readonly (readonly Edge[])[]) => (all.length === 1 ? all[0]! : all.flat());
  const all = [...parts.values()];
  return {
    edges: () => memory.latest(edges, all, () => all.flatMap((part) => part.edges())),
    out: memory.joined(out, lists('out'), join, { same: sameItems }),
    into: memory.joined(into, lists('into'), join, { same: sameItems }),
  };
}

/** The types of a broker's exchanges, as one text. */
function typesOn(decl: BrokerDecl): string {
  const kind = kindOf(decl);
  return kind
    .feeds(decl)
    .map(({ name, type }) => `${name} ${type}`)
    .join('\n');
}

/** What ways are made in. */
interface Around {
  readonly topology: Topology;
  readonly nodes: ReadonlyMap<string, GraphNode>;
  /** Each broker's exchanges and their types, as one text. */
  readonly types: ReadonlyMap<string, string>;
  readonly apps: ReadonlyMap<string, Items<AppDecl>>;
  /** By the names of their parts. */
  readonly routes: ReadonlyMap<string, Routes & { readonly broker: string }>;
  readonly deadLetters: ReadonlyMap<string, DeadLettersOn>;
  /** The apps that have no instances, as one text and as a set. */
  readonly idle: string;
  readonly isIdle: ReadonlySet<string>;
}

function partOf(around: Around, part: string, before?: Part): Part {
  const { topology, nodes, routes } = around;
  const { brokers } = topology.names;
  const route = routes.get(part);
  const looked = new Set(route ? before?.looked.keys() : []);
  const lists = route
    ? routed(around, route, looked, before)
    : listed(
        Array.from(declaredIn(around, part, looked), (way) => thatIsThere(around, way)).filter(
          ({ from, to }) => nodes.has(from) && nodes.has(to),
        ),
      );
  return { ...lists, looked: new Map([...looked].map((id) => [id, brokers.get(id)])) };
}

function listed(ways: readonly (DeclaredWay | undefined)[]): Ways & { readonly made: Routed['edges'] } {
  const out = new Map<string, Edge[]>();
  const into = new Map<string, Edge[]>();
  const made = ways.map((way) => {
    if (!way) return undefined;
    const edge = edgeOf(way.of, way, into.get(way.to) ?? NO_EDGES);
    push(into, way.to, edge);
    push(out, way.from, edge);
    return edge;
  });
  return { ...edgesOf(made), out, into, made };
}

function edgesOf(made: Routed['edges']): Pick<Ways, 'edges'> {
  let all: readonly Edge[] | undefined;
  return { edges: () => (all ??= made.filter((edge) => edge !== undefined)) };
}

/** More changed declarations than this, and all lists are made again. */
const MOST_PATCHED = 40;

/** The ways of declarations of one sort on a broker: as before, but where something is otherwise. */
function routed(
  around: Around,
  { broker, owners = [], way }: Routes & { readonly broker: string },
  looked: Set<string>,
  before: Part | undefined,
): Omit<Part, 'looked'> {
  const { topology, nodes, types, idle } = around;
  const find = finderIn(topology, broker, looked);
  const wayOf = (of: object): DeclaredWay | undefined => {
    const declared = way(broker, of as never, find);
    if (!declared || !nodes.has(declared.from) || !nodes.has(declared.to)) return undefined;
    return thatIsThere(around, declared);
  };
  const all = isMap(owners) ? [...owners.values()] : owners;
  const ground = [topology.names.brokers.get(broker), types.get(broker), idle];
  const known = before?.routed;
  // without instances of some app, what leads to its queues hangs on those too
  if (known && idle === '' && sameItems(known.ground, ground) && namesHold(topology.names, before)) {
    const stretch = stretchOf(known.owners, all);
    if (stretch.before - stretch.from + (stretch.now - stretch.from) <= MOST_PATCHED) {
      const come = all.slice(stretch.from, stretch.now).map(wayOf);
      const { made, ...lists } = patched(before, known.edges, stretch, come);
      return { ...lists, routed: { owners: all, edges: made, ground } };
    }
  }
  const { made, ...lists } = listed(all.map(wayOf));
  return { ...lists, routed: { owners: all, edges: made, ground } };
}

/** @returns the lists before, with those anew in which something changed */
function patched(
  before: Part,
  edges: Routed['edges'],
  { from: first, before: end }: Stretch,
  come: readonly (DeclaredWay | undefined)[],
): ReturnType<typeof listed> & Pick<Part, 'patched'> {
  const [from, to] = [new Set<string>(), new Set<string>()];
  for (const each of [...edges.slice(first, end), ...come]) {
    if (!each) continue;
    from.add(each.from);
    to.add(each.to);
  }
  const [out, into] = [new Map<string, Edge[]>(), new Map<string, Edge[]>()];
  const made = [...edges.slice(0, first), ...come.map(() => undefined), ...edges.slice(end)];
  for (let i = 0; i < made.length; i++) {
    const way = i >= first ? come[i - first] : undefined;
    let edge = made[i];
    // each is named by those before it that begin where it does, which are looked at too
    if (way) edge = edgeOf(way.of, way, into.get(way.to) ?? NO_EDGES);
    else if (!edge) continue;
    else if (to.has(edge.to)) edge = edge.among(into.get(edge.to) ?? NO_EDGES);
    made[i] = edge;
    if (to.has(edge.to)) push(into, edge.to, edge);
    if (from.has(edge.from)) push(out, edge.from, edge);
  }
  return {
    ...edgesOf(made),
    out: withLists(before.out, from, out),
    into: withLists(before.into, to, into),
    made,
    patched: true,
  };
}

/** Lists of some nodes put for those before; one that says the same stays the same object. */
function withLists(before: Lists, of: ReadonlySet<string>, now: ReadonlyMap<string, readonly Edge[]>): Lists {
  const changes = new Map<string, readonly Edge[] | undefined>();
  for (const id of of) {
    const [list, was] = [now.get(id), before.get(id)];
    changes.set(id, list && was && sameItems(list, was) ? was : list);
  }
  return Layered.on(before).with(changes);
}

const NO_EDGES: readonly Edge[] = [];

/** A way into a queue of which there is one for each instance of an app: without any, nothing goes it. */
function thatIsThere({ nodes, idle, isIdle }: Around, way: DeclaredWay): DeclaredWay {
  if (idle === '' || way.kind !== 'binding') return way;
  const decl = nodes.get(way.to)?.decl;
  const app = decl && 'perInstanceOf' in decl ? decl.perInstanceOf?.value : undefined;
  if (app === undefined || !isIdle.has(app)) return way;
  const why = `${app} has no instances, so no such queue exists`;
  return {
    ...way,
    with: why,
    more: () => ({ ...way.more(way), condition: { op: 'never', why, place: way.more(way).place } }),
  };
}

function push<K, V>(map: Map<K, V[]>, key: K, value: V): void {
  const list = map.get(key);
  if (list) list.push(value);
  else map.set(key, [value]);
}

/** An edge as it is made of a declared way. */
class MadeEdge {
  readonly kind: Edge['kind'];
  readonly from: string;
  readonly to: string;
  readonly condition: Predicate = ALWAYS;
  readonly label: string = '';
  declare readonly place: Edge['place'];
  /** Made when first asked for: most ways are never named. */
  private name: string | undefined = undefined;
  private readonly with: unknown;
  /** Which it is of those that are called alike. */
  private readonly number: number;

  /** @param others those before it that end where it does */
  constructor(way: DeclaredWay, others: readonly Edge[]) {
    this.kind = way.kind;
    this.from = way.from;
    this.to = way.to;
    this.with = way.with;
    Object.assign(this, way.more(way));
    this.number = this.numberAmong(others);
  }

  private numberAmong(others: readonly Edge[]): number {
    let number = 1;
    for (const other of others)
      if (other.from === this.from && other.kind === this.kind && other.label === this.label) number++;
    return number;
  }

  get id(): string {
    const { kind, from, to, label } = this;
    const alike = this.number > 1 ? ` #${this.number}` : '';
    return (this.name ??= `${kind} ${from} → ${to}${label ? ` ${label}` : ''}${alike}`);
  }

  /** @returns the same edge as it is called among those before it that end where it does */
  among(others: readonly Edge[]): MadeEdge {
    const number = this.numberAmong(others);
    if (number === this.number) return this;
    const own: Partial<MadeEdge> = { ...this, number, name: undefined };
    return Object.assign(Object.create(MadeEdge.prototype) as MadeEdge, own);
  }

  /** Whether it would be made of a way again. */
  is(way: DeclaredWay, others: readonly Edge[]): boolean {
    return (
      this.kind === way.kind &&
      this.from === way.from &&
      this.to === way.to &&
      this.with === way.with &&
      this.number === this.numberAmong(others)
    );
  }
}

/** The edge of a way: one object for as long as its declaration, and what it means, stay. */
const edgeOf = remembered(
  (_: object, way: DeclaredWay, others: readonly Edge[]) => new MadeEdge(way, others),
  (edge, _, way, others) => edge.is(way, others),
);

/** What a part declares, in the order of the text. */
function* declaredIn(around: Around, part: string, looked: Set<string>): Generator<DeclaredWay> {
  const { topology } = around;
  const { declared, names } = topology;
  const find = finderIn(topology, undefined, looked);
  if (part.startsWith(PUBLISHES)) {
    for (const { name, value } of around.apps.get(part.slice(PUBLISHES.length))!.values())
      for (const publish of value.publishes?.items ?? []) {
        const { via, to, message, place } = publish;
        yield {
          kind: 'publish',
          from: publisherId(name),
          to: via?.value === 'mqtt' ? mqttEntry(topology, to?.value ?? '') : find.id(to, ENTRIES),
          of: publish,
          more: () => ({ place, label: message?.value ?? '', publish }),
        };
      }
  } else if (part === 'links') {
    for (const { name, key, value } of declared.links?.values() ?? [])
      yield {
        kind: 'link',
        from: find.id(value.from, QUEUES),
        to: find.id(value.to, ENTRIES),
        of: value,
        with: key,
        more: () => ({
          place: key,
          condition: linkCondition(value),
          label: name,
          link: { thing: thing('link', name), decl: value },
        }),
      };
  } else if (part === 'spreads') {
    for (const { name, value } of declared.spreads?.values() ?? [])
      for (const member of value.members?.items ?? [])
        yield {
          kind: 'member',
          from: names.spreads.get(name)!.id,
          to: find.id(member, QUEUES),
          of: member,
          more: () => ({ place: member.place }),
        };
  } else if (part.startsWith(TAKES)) {
    for (const { name, value } of around.apps.get(part.slice(TAKES.length))!.values()) {
      if (around.isIdle.has(name)) continue;
      for (const consume of value.consumes?.items ?? []) {
        const { place, via, from, topic } = consume;
        const taken = (store: string): DeclaredWay => ({
          kind: 'take',
          from: store,
          to: takerId(name),
          of: consume,
          more: () => ({ place, consume }),
        });
        if (via?.value !== 'mqtt') {
          yield taken(find.id(from, STORES));
          continue;
        }
        const session = sessionOf(topology, name, consume);
        if (!session) continue;
        const { entry, store, filter } = session;
        const type = find.exchangeType(entry);
        yield {
          kind: 'binding',
          from: entry,
          to: store.id,
          of: topic!,
          with: type,
          more: () => ({
            place,
            condition: { ...filteredBy(type, filter), place: topic!.place },
            label: topic!.value,
            key: filter.key,
          }),
        };
        yield taken(store.id);
      }
    }
  } else if (part.startsWith(DEAD_LETTERS))
    yield* deadLettersOf(topology, around.deadLetters.get(part)!, looked);
  else yield* aliasesOn(topology, part.slice(ALIASES.length), looked);
}

/** What every kind of broker declares: dead letters and aliases. */
/** Where the resources of one kind on a broker send dead letters, by their names. */
interface DeadLettersOn extends Remade<string, Item<ResourceDecl>, DeadLetterDecl> {
  readonly broker: string;
  readonly kind: ThingKind;
}

/** @returns by the name of the part that has their ways: the same ones for as long as none of them changes */
function deadLettersIn(
  { memory }: Topology,
  decls: readonly (readonly [string, BrokerDecl])[],
): ReadonlyMap<string, DeadLettersOn> {
  const all = decls.flatMap(([broker, decl]) =>
    kindOf(decl)
      .resources(decl)
      .map(([kind, items]) => [deadLetterPart(kind, broker), { broker, kind, items }] as const),
  );
  const parts = new Map(all);
  return memory.each(
    DEAD_LETTERS_ON,
    new Map(all.map(([part, { items }]) => [part, [items]])),
    (part, before) => {
      const { items, ...own } = parts.get(part)!;
      // what a subscription hands over it does not keep until it is dead
      const deadLetter = ({ value }: Item<ResourceDecl>) =>
        'to' in value && value.to ? undefined : value.deadLetter;
      return { ...own, ...remade(before, items, (name) => name, deadLetter) };
    },
  );
}

function* deadLettersOf(
  topology: Topology,
  { broker, kind, made }: DeadLettersOn,
  looked: Set<string>,
): Generator<DeclaredWay> {
  const find = finderIn(topology, broker, looked);
  for (const [name, deadLetter] of made)
    yield {
      kind: 'deadLetter',
      from: thing(kind, name, broker).id,
      to: find.id(deadLetter.to, DEAD_LETTER_ENTRIES),
      of: deadLetter,
      more: () => ({ place: deadLetter.place, label: 'dead letters', deadLetter }),
    };
}

function* aliasesOn(topology: Topology, broker: string, looked: Set<string>): Generator<DeclaredWay> {
  const { declared } = topology;
  const find = finderIn(topology, broker, looked);
  for (const [name, { value: alias }] of declared.brokers!.get(broker)!.value.aliases ?? []) {
    const over = alias.over && declared.links?.get(alias.over.value);
    yield {
      kind: 'alias',
      from: thing('alias', name, broker).id,
      to: find.id(alias.to, ENTRIES),
      of: alias,
      with: over?.value,
      more: () => ({
        place: alias.place,
        label: alias.over ? `over ${alias.over.value}` : '',
        ...(over ? { link: { thing: thing('link', over.name), decl: over.value } } : {}),
      }),
    };
  }
}

const DEAD_LETTER_ENTRIES: readonly ThingKind[] = ['exchange', 'topic', 'queue'];

/** What an address means on its own broker, if anything. */
const namedAtHome = remembered(
  ({ value }: Located<string>, on: OnBroker, kinds: readonly ThingKind[]) => {
    const found = thingsNamed(on, value, kinds);
    return { on, kinds, id: found.length === 1 ? found[0]!.id : undefined };
  },
  (known, _, on, kinds) => known.on === on && known.kinds === kinds,
);

/** The same for an address with its broker. */
const namedElsewhere = remembered(
  ({ value }: Located<string>, { brokers }: Names, kinds: readonly ThingKind[]) => {
    const slash = value.indexOf('/');
    const broker = value.slice(0, Math.max(slash, 0));
    const on = brokers.get(broker);
    const found = on && slash > 0 ? thingsNamed(on, value.slice(slash + 1), kinds) : [];
    return { broker, on, kinds, id: found.length === 1 ? found[0]!.id : undefined };
  },
  ({ broker, on, kinds: as }, _, { brokers }, kinds) => brokers.get(broker) === on && as === kinds,
);

function finderIn(topology: Topology, home: string | undefined, looked: Set<string>): Finder {
  const { names, declared } = topology;
  return {
    id: (address: Located<string> | undefined, kinds) => {
      if (!address) return '';
      const on = names.brokers.get(home ?? '');
      // most name what is on their own broker
      if (on) {
        looked.add(home!);
        const known = namedAtHome(address, on, kinds);
        if (known.id !== undefined) return known.id;
      } else if (home === undefined) {
        const known = namedElsewhere(address, names, kinds);
        looked.add(known.broker);
        if (known.id !== undefined) return known.id;
      }
      const found = lookUp(names, address.value, kinds, home, looked);
      return found.ok ? found.thing.id : '';
    },
    exchangeType: (id) => {
      const slash = id.indexOf('/');
      const broker = declared.brokers?.get(id.slice('exchange:'.length, slash))?.value;
      const type = broker && kindOf(broker).typeOf(broker, id.slice(slash + 1));
      return type ?? 'direct';
    },
  };
}

/** What a topic filter asks for at an exchange: it is a binding key there, which only a topic exchange reads as a filter. */
function filteredBy(type: ExchangeType, { predicate, key }: Session['filter']): Predicate {
  if (type === 'topic') return predicate;
  return type === 'direct' ? directKey(key) : ALWAYS;
}

/** A link whose far end is not there. */
export interface BrokenLink {
  readonly thing: Thing;
  readonly place: Place;
}

/** @returns the links that lead nowhere, by the queue they take from */
export function brokenLinks({
  declared,
  names,
  memory,
}: Topology): ReadonlyMap<string, readonly BrokenLink[]> {
  return memory.latest(BROKEN, [declared.links, names], () => {
    const found = new Map<string, BrokenLink[]>();
    for (const { name, value } of declared.links?.values() ?? []) {
      const from = value.from && lookUp(names, value.from.value, QUEUES);
      if (!from?.ok || (value.to && lookUp(names, value.to.value, ENTRIES).ok)) continue;
      push(found, from.thing.id, { thing: thing('link', name), place: value.to?.place ?? value.place });
    }
    return found;
  });
}

function linkCondition(link: LinkDecl): Predicate {
  if (link.unread?.includes('keys')) return { op: 'never', why: 'its keys could not be read', unread: true };
  if (!link.keys?.items.length) return ALWAYS;
  const of = link.keys.items.map((key) => ({ ...topicKey(key.value), place: key.place }));
  return of.length === 1 ? of[0]! : { op: 'any', of, place: link.keys.place };
}
