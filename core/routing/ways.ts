/** Every way from one node to another, as edges by the nodes they begin and end at. */
import type { DeclaredWay, Edge, GraphNode } from '../brokers/terms.ts';
import { type BrokerDecl, itemsOn, kindOf } from '../brokers/kinds.ts';
import type { ExchangeType, Finder } from '../brokers/kind.ts';
import { directKey, topicKey } from '../conditions/amqp.ts';
import { ALWAYS, type Predicate } from '../conditions/predicate.ts';
import { Layered, orderOf } from '../incremental/layered.ts';
import { Question, remembered, sameItems, settled } from '../incremental/memory.ts';
import type { AppDecl } from '../language/app.ts';
import type { Items } from '../language/shape.ts';
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

/** A broker is two parts: its settings change more often than its routes. */
const RESOURCES = 'resources ';
const ROUTES = 'routes ';
/** The apps of one document are two parts. */
const PUBLISHES = 'publishes ';
const TAKES = 'takes ';

const ALL = questionsOf('ways');
const BY_APPS = { [PUBLISHES]: questionsOf('publishes'), [TAKES]: questionsOf('takes') };
const OF_APPS = { [PUBLISHES]: new Question<Ways>(PUBLISHES), [TAKES]: new Question<Ways>(TAKES) };
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
  const types = memory.each(TYPES, new Map(decls.map(([id, decl]) => [id, itemsOn(decl)])), (id) =>
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
  const around: Around = { topology, nodes, types, apps, idle, isIdle: new Set(idle.split('\n')) };
  const ofApps = (kind: typeof PUBLISHES | typeof TAKES): Ways => {
    const ground = [mqtt, names.spreads, stores, idle];
    return memory.latest(OF_APPS[kind], [apps, names, ...ground], () => {
      const on = new Map([...apps].map(([doc, own]) => [`${kind}${doc}`, [own, ...ground]]));
      return together(topology, BY_APPS[kind], partsOf(around, BY_APPS[kind], on));
    });
  };
  const on = new Map<string, readonly unknown[]>([
    ...decls.flatMap(([id, decl]) => [
      [`${RESOURCES}${id}`, [...itemsOn(decl), links]] as const,
      [`${ROUTES}${id}`, [...kindOf(decl).routes(decl), types, idle]] as const,
    ]),
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
    holds: ({ looked }) => [...looked].every(([id, then]) => names.brokers.get(id) === then),
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
  /** The apps that have no instances, as one text and as a set. */
  readonly idle: string;
  readonly isIdle: ReadonlySet<string>;
}

function partOf(around: Around, part: string, before?: Part): Part {
  const { topology, nodes } = around;
  const { names } = topology;
  const looked = new Set<string>();
  const broker = part.startsWith(ROUTES) ? part.slice(ROUTES.length) : undefined;
  const home = broker === undefined ? undefined : `:${broker}/`;
  const made = madeIn(topology);
  const ground = broker === undefined ? [] : groundOf(around, broker);
  const ways: (DeclaredWay | MadeEdge)[] = [];
  for (const declared of declaredIn(around, part, looked)) {
    const way = isMade(declared) ? declared : thatIsThere(around, declared as DeclaredWay);
    if (isMade(way) || (nodes.has(way.from) && nodes.has(way.to))) ways.push(way);
  }
  const edgeAmong = (way: DeclaredWay | MadeEdge, others: readonly Edge[]): Edge => {
    if (isMade(way)) return way.among(others);
    const edge = edgeOf(way.of, way, others);
    if (home && isOn(home, way.from) && isOn(home, way.to)) made.set(way.of, { edge, ground });
    return edge;
  };
  const lists = (before && patched(before, ways, edgeAmong)) ?? listed(ways, edgeAmong);
  return { ...lists, looked: new Map([...looked].map((id) => [id, names.brokers.get(id)])) };
}

/** Names an edge of a way among those before it that end where it does. */
type EdgeAmong = (way: DeclaredWay | MadeEdge, others: readonly Edge[]) => Edge;

function listed(ways: readonly (DeclaredWay | MadeEdge)[], edgeAmong: EdgeAmong): Ways {
  const out = new Map<string, Edge[]>();
  const into = new Map<string, Edge[]>();
  const edges = ways.map((way) => {
    const edge = edgeAmong(way, into.get(way.to) ?? NO_EDGES);
    push(into, way.to, edge);
    push(out, way.from, edge);
    return edge;
  });
  return { edges: () => edges, out, into };
}

/** More changed ways than this, and all lists are made again. */
const MOST_PATCHED = 20;

/** @returns the lists before, with those anew in which something changed; undefined where ways came or went, or many did */
function patched(
  before: Part,
  ways: readonly (DeclaredWay | MadeEdge)[],
  edgeAmong: EdgeAmong,
): (Ways & Pick<Part, 'patched'>) | undefined {
  const edges = before.edges();
  if (edges.length !== ways.length) return undefined;
  const [from, to] = [new Set<string>(), new Set<string>()];
  let changed = 0;
  for (let i = 0; i < ways.length; i++) {
    if (ways[i] === edges[i]) continue;
    if (++changed > MOST_PATCHED) return undefined;
    for (const end of [ways[i]!, edges[i]!]) {
      from.add(end.from);
      to.add(end.to);
    }
  }
  const [out, into] = [new Map<string, Edge[]>(), new Map<string, Edge[]>()];
  const now = ways.map((way, i) => {
    let edge = edges[i]!;
    if (to.has(way.to)) {
      // each is named by those before it that begin where it does, which are looked at too
      edge = edgeAmong(way, into.get(way.to) ?? NO_EDGES);
      push(into, way.to, edge);
    }
    return edge;
  });
  for (const edge of now) if (from.has(edge.from)) push(out, edge.from, edge);
  return {
    edges: () => now,
    out: withLists(before.out, from, out),
    into: withLists(before.into, to, into),
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

const isMade = (way: DeclaredWay | Edge | MadeEdge): way is MadeEdge => !('of' in way);

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

/** The edges of declarations whose ends are both on their own broker, and what else they follow from. */
type Made = WeakMap<object, { readonly edge: MadeEdge; readonly ground: readonly unknown[] }>;

const MADE = new Question<Made>('edges on brokers');
const madeIn = ({ memory }: Topology): Made => memory.own(MADE, () => new WeakMap());

/** What the edges of a broker's declarations follow from besides those. */
const groundOf = ({ topology, types, idle }: Around, broker: string): readonly unknown[] => [
  topology.names.brokers.get(broker),
  types.get(broker),
  idle,
];

const isOn = (home: string, node: string): boolean => node.startsWith(home, node.indexOf(':'));

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
function* declaredIn(around: Around, part: string, looked: Set<string>): Generator<DeclaredWay | Edge> {
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
  } else if (part.startsWith(ROUTES)) yield* routesOn(around, part.slice(ROUTES.length), looked);
  else yield* declaredOn(topology, part.slice(RESOURCES.length), looked);
}

/** What every kind of broker declares: dead letters and aliases. */
function* declaredOn(topology: Topology, broker: string, looked: Set<string>): Generator<DeclaredWay> {
  const { declared } = topology;
  const decl = declared.brokers!.get(broker)!.value;
  const find = finderIn(topology, broker, looked);
  const kind = kindOf(decl);
  for (const [of, items] of kind.resources(decl))
    for (const [name, { value }] of items ?? []) {
      const { deadLetter } = value;
      if (!deadLetter) continue;
      // what hands to a queue keeps nothing that it could give up
      if ('to' in value && value.to) continue;
      yield {
        kind: 'deadLetter',
        from: thing(of, name, broker).id,
        to: find.id(deadLetter.to, DEAD_LETTER_ENTRIES),
        of: deadLetter,
        more: () => ({ place: deadLetter.place, label: 'dead letters', deadLetter }),
      };
    }
  for (const [name, { value: alias }] of decl.aliases ?? []) {
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

/** What a broker's kind adds. */
function* routesOn(around: Around, broker: string, looked: Set<string>): Generator<DeclaredWay | Edge> {
  const { topology } = around;
  const decl = topology.declared.brokers!.get(broker)!.value;
  const edges = madeIn(topology);
  const ground = groundOf(around, broker);
  yield* kindOf(decl).ways(broker, decl, {
    ...finderIn(topology, broker, looked),
    known: (of) => {
      const made = edges.get(of);
      return made && sameItems(made.ground, ground) ? made.edge : undefined;
    },
  });
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
