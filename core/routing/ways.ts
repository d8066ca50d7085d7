/** Every way from one node to another, as edges by the nodes they begin and end at. */
import type { DeclaredWay, Edge, GraphNode } from '../brokers/terms.ts';
import { type BrokerDecl, kindOf } from '../brokers/kinds.ts';
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
import { type Names, type OnBroker, lookUp, namedOnce } from '../topology/address.ts';
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

type Joined = { readonly parts: ReadonlyMap<string, Ways>; readonly whole: Lists };

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

/** The apps of one document are two parts. */
const PUBLISHES = 'publishes ';
const TAKES = 'takes ';

const ALL = questionsOf('ways');
const BY_APPS = { [PUBLISHES]: questionsOf('publishes'), [TAKES]: questionsOf('takes') };
const OF_APPS = { [PUBLISHES]: new Question<Ways>(PUBLISHES), [TAKES]: new Question<Ways>(TAKES) };
const STORES_HELD = new Question<string>('stores of subscriptions');
const ON_BROKERS = new Question<ReadonlyMap<string, BrokerWays>>('ways on brokers');
const ELSEWHERE = new Question<ReadonlyMap<string, Part>>('links and spreads');
const NO_BROKERS: Items<BrokerDecl> = new Map();
const IDLE_IN = new Question<ReadonlyMap<string, string>>('apps without instances by document');
const IDLE = new Question<string>('apps without instances');
const BROKEN = new Question<ReadonlyMap<string, readonly BrokenLink[]>>('links that lead nowhere');

/** @returns all ways of a topology */
export function waysOf(topology: Topology, nodes: ReadonlyMap<string, GraphNode>): Ways {
  const { declared, names, memory } = topology;
  const { brokers, links, spreads } = declared;
  const decls = [...(brokers ?? [])].map(([id, { value }]) => [id, value] as const);
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
  const around: Around = { topology, nodes, idle, isIdle: new Set(idle.split('\n')) };
  const ofApps = (kind: typeof PUBLISHES | typeof TAKES): Ways => {
    const ground = [mqtt, names.spreads, stores, idle];
    return memory.latest(OF_APPS[kind], [apps, names, ...ground], () =>
      together(
        topology,
        BY_APPS[kind],
        memory.each(
          BY_APPS[kind].parts,
          apps,
          (own, _, before) =>
            settledPart(
              partOf(around, (find) => (kind === TAKES ? takesOf : publishesOf)(around, own, find)),
              before,
            ),
          { ground, ...holding(names) },
        ),
      ),
    );
  };
  const onBrokers = memory.each(
    ON_BROKERS,
    brokers ?? NO_BROKERS,
    ({ value }, id, before) => brokerWays(around, id, value, before),
    {
      ground: [links, idle],
      holds: ({ parts }) => [...parts.values()].every(({ part }) => namesHold(names, part)),
      steady: names.brokers,
    },
  );
  const elsewhere = memory.each(
    ELSEWHERE,
    new Map<string, readonly unknown[]>([
      ['links', [links, names.spreads]],
      ['spreads', [spreads]],
    ]),
    (_, of, before) =>
      settledPart(
        partOf(around, (find) => (of === 'links' ? linksOf : membersOf)(topology, find)),
        before,
      ),
    { same: sameItems, ...holding(names) },
  );
  const parts = new Map<string, Ways>([
    [PUBLISHES, ofApps(PUBLISHES)],
    ...[...onBrokers].flatMap(([id, on]) =>
      Array.from(on.parts, ([of, { part }]) => [`${of} ${id}`, part] as const),
    ),
    ...elsewhere,
    [TAKES, ofApps(TAKES)],
  ]);
  return together(topology, ALL, parts);
}

/** What is known of some ways holds as long as what was looked up for them is where it was. */
const holding = (names: Names) => ({
  holds: (part: Part) => namesHold(names, part),
  steady: names.brokers,
});

/** @returns a part with the lists of the one before it where they say the same */
const settledPart = (made: Part, before: Part | undefined): Part =>
  !before || made.patched
    ? made
    : {
        ...made,
        out: settled(made.out, before.out, sameItems),
        into: settled(made.into, before.into, sameItems),
      };

/** The ways that are declared on one broker, by what declares them. */
interface BrokerWays {
  readonly deadLetters: ReadonlyMap<ThingKind, DeadLetters>;
  readonly parts: ReadonlyMap<string, { readonly on: readonly unknown[]; readonly part: Part }>;
}

function brokerWays(
  around: Around,
  id: string,
  decl: BrokerDecl,
  before: BrokerWays | undefined,
): BrokerWays {
  const { topology, idle } = around;
  const { links } = topology.declared;
  const kind = kindOf(decl);
  const parts = new Map<string, { readonly on: readonly unknown[]; readonly part: Part }>();
  const part = (of: string, on: readonly unknown[], make: (before: Part | undefined) => Part) => {
    const known = before?.parts.get(of);
    const holds = known && sameItems(known.on, on) && namesHold(topology.names, known.part);
    parts.set(of, holds ? known : { on, part: settledPart(make(known?.part), known?.part) });
  };
  const deadLetters = new Map<ThingKind, DeadLetters>();
  for (const [of, items] of kind.resources(decl)) {
    const dead = remade(before?.deadLetters.get(of), items, (name) => name, deadLetterOf);
    deadLetters.set(of, dead);
    part(`dead letters of ${of}`, [dead.made], () =>
      partOf(around, (find) => deadLetterWays(id, of, dead, find), id),
    );
  }
  part('aliases', [decl.aliases, links], () =>
    partOf(around, (find) => aliasWays(topology, id, decl, find), id),
  );
  // the conditions of bindings hang on what their exchange is
  const types = typesOn(decl);
  // without instances of some app, what leads to its queues hangs on those too
  const queues = idle === '' ? undefined : decl.queues;
  for (const routes of kind.routes(decl))
    part(`routes of ${routes.sort}`, [routes.owners, types, idle, queues], (known) =>
      routed(around, { ...routes, broker: id, types }, known),
    );
  return { deadLetters, parts };
}

/** Whether what was looked up for a part is where it was. */
const namesHold = ({ brokers }: Names, { looked }: Part): boolean =>
  [...looked].every(([id, then]) => brokers.get(id) === then);

function together(
  { memory }: Topology,
  { edges, out, into }: Questions,
  parts: ReadonlyMap<string, Ways>,
): Ways {
  const join = (all: readonly (readonly Edge[])[]) => (all.length === 1 ? all[0]! : all.flat());
  // a list that one part has by itself is that part's own
  const joining = { same: sameItems, alone: Object.is };
  const all = [...parts.values()];
  return {
    edges: () => memory.latest(edges, all, () => all.flatMap((part) => part.edges())),
    out: memory.joined(out, parts, (part) => part.out, join, joining),
    into: memory.joined(into, parts, (part) => part.into, join, joining),
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
  /** The apps that have no instances, as one text and as a set. */
  readonly idle: string;
  readonly isIdle: ReadonlySet<string>;
}

/** @param declared gives what is declared, in the order of the text; told to look addresses up from `home` */
function partOf(around: Around, declared: (find: Finder) => Iterable<DeclaredWay>, home?: string): Part {
  const { topology, nodes } = around;
  const looked = new Set<string>();
  const find = finderIn(topology, home, looked);
  const ways = Array.from(declared(find), (way) => thatIsThere(around, way));
  const { made: _, ...lists } = listed(ways.filter(({ from, to }) => nodes.has(from) && nodes.has(to)));
  return { ...lists, looked: lookedAt(topology.names, looked) };
}

const lookedAt = ({ brokers }: Names, looked: ReadonlySet<string>): Part['looked'] =>
  new Map([...looked].map((id) => [id, brokers.get(id)]));

/** @param edgeFor gives the edge of a way, by its place among them and those before it that end where it does */
function listed(
  ways: readonly (DeclaredWay | undefined)[],
  edgeFor: EdgeFor = (way, _, others) => edgeOf(way.of, way, others),
): Ways & { readonly made: Routed['edges'] } {
  const out = new Map<string, Edge[]>();
  const into = new Map<string, Edge[]>();
  const made = ways.map((way, i) => {
    if (!way) return undefined;
    const edge = edgeFor(way, i, into.get(way.to) ?? NO_EDGES);
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

type EdgeFor = (way: DeclaredWay, place: number, others: readonly Edge[]) => MadeEdge;

/** @returns the edges of declarations: those before where they would be made again */
function edgesFor(known: Routed | undefined, owners: readonly object[]): EdgeFor {
  const before = new Map(known?.owners.map((owner, i) => [owner, known.edges[i]]));
  return (way, place, others) => {
    const edge = before.get(owners[place]!);
    return edge?.is(way, others) ? edge : new MadeEdge(way, others);
  };
}

/** More changed declarations than this, and all lists are made again. */
const MOST_PATCHED = 40;

/** The ways of declarations of one sort on a broker: as before, but where something is otherwise. */
function routed(
  around: Around,
  { broker, types, owners = [], way }: Routes & { readonly broker: string; readonly types: string },
  before: Part | undefined,
): Part {
  const { topology, nodes, idle } = around;
  const looked = new Set(before?.looked.keys());
  const find = finderIn(topology, broker, looked);
  const wayOf = (of: object): DeclaredWay | undefined => {
    const declared = way(broker, of as never, find);
    if (!declared || !nodes.has(declared.from) || !nodes.has(declared.to)) return undefined;
    return thatIsThere(around, declared);
  };
  const all = isMap(owners) ? [...owners.values()] : owners;
  const ground = [topology.names.brokers.get(broker), types, idle];
  const routedOf = (edges: Routed['edges']) => ({
    routed: { owners: all, edges, ground },
    looked: lookedAt(topology.names, looked),
  });
  const known = before?.routed;
  if (known && idle === '' && sameItems(known.ground, ground) && namesHold(topology.names, before)) {
    const stretch = stretchOf(known.owners, all);
    if (stretch.before - stretch.from + (stretch.now - stretch.from) <= MOST_PATCHED) {
      const come = all.slice(stretch.from, stretch.now).map(wayOf);
      const { made, ...lists } =
        rewritten(before, known.edges, stretch, come) ?? patched(before, known.edges, stretch, come);
      return { ...lists, patched: true, ...routedOf(made) };
    }
  }
  const { made, ...lists } = listed(all.map(wayOf), edgesFor(known, all));
  return { ...lists, ...routedOf(made) };
}

/**
 * What is written about ways that still lead from where to where they led, as while somebody types a key: only the
 * lists of their ends are gone through.
 * @returns undefined where some lead elsewhere, came or went
 */
function rewritten(
  before: Part,
  edges: Routed['edges'],
  { from: first, before: end }: Stretch,
  come: readonly (DeclaredWay | undefined)[],
): ReturnType<typeof listed> | undefined {
  if (end - first !== come.length) return undefined;
  const ways = new Map<MadeEdge, DeclaredWay>();
  for (const [i, way] of come.entries()) {
    const edge = edges[first + i];
    if (edge?.from !== way?.from || edge?.to !== way?.to) return undefined;
    if (edge && way) ways.set(edge, way);
  }
  const made = [...edges];
  const replaced = new Map<Edge, MadeEdge>();
  const into = new Map<string, readonly Edge[]>();
  for (const { to } of ways.values()) {
    if (into.has(to)) continue;
    const list: MadeEdge[] = [];
    for (const edge of before.into.get(to)! as readonly MadeEdge[]) {
      const way = ways.get(edge);
      const now = way ? new MadeEdge(way, list) : edge.among(list);
      list.push(now);
      if (now === edge) continue;
      replaced.set(edge, now);
      // of those called alike one more or less changes what the later ones are called
      made[way ? edges.indexOf(edge, first) : edges.indexOf(edge)] = now;
    }
    into.set(to, list);
  }
  const out = new Map<string, readonly Edge[]>();
  for (const { from } of ways.values())
    out.set(from, out.get(from) ?? before.out.get(from)!.map((edge) => replaced.get(edge) ?? edge));
  return {
    ...edgesOf(made),
    out: Layered.on(before.out).with(out),
    into: Layered.on(before.into).with(into),
    made,
  };
}

/** @returns the lists before, with those anew in which something changed */
function patched(
  before: Part,
  edges: Routed['edges'],
  { from: first, before: end }: Stretch,
  come: readonly (DeclaredWay | undefined)[],
): ReturnType<typeof listed> {
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
    if (way) edge = new MadeEdge(way, into.get(way.to) ?? NO_EDGES);
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

function* publishesOf({ topology }: Around, apps: Items<AppDecl>, find: Finder): Generator<DeclaredWay> {
  for (const { name, value } of apps.values())
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
}

function* takesOf({ topology, isIdle }: Around, apps: Items<AppDecl>, find: Finder): Generator<DeclaredWay> {
  for (const { name, value } of apps.values()) {
    if (isIdle.has(name)) continue;
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
}

function* linksOf({ declared }: Topology, find: Finder): Generator<DeclaredWay> {
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
}

function* membersOf({ declared, names }: Topology, find: Finder): Generator<DeclaredWay> {
  for (const { name, value } of declared.spreads?.values() ?? [])
    for (const member of value.members?.items ?? [])
      yield {
        kind: 'member',
        from: names.spreads.get(name)!.id,
        to: find.id(member, QUEUES),
        of: member,
        more: () => ({ place: member.place }),
      };
}

/** Where the resources of one kind on a broker send dead letters, by their names. */
type DeadLetters = Remade<string, Item<ResourceDecl>, DeadLetterDecl>;

/** What a subscription hands over it does not keep until it is dead. */
const deadLetterOf = ({ value }: Item<ResourceDecl>): DeadLetterDecl | undefined =>
  'to' in value && value.to ? undefined : value.deadLetter;

function* deadLetterWays(
  broker: string,
  kind: ThingKind,
  { made }: DeadLetters,
  find: Finder,
): Generator<DeclaredWay> {
  for (const [name, deadLetter] of made)
    yield {
      kind: 'deadLetter',
      from: thing(kind, name, broker).id,
      to: find.id(deadLetter.to, DEAD_LETTER_ENTRIES),
      of: deadLetter,
      more: () => ({ place: deadLetter.place, label: 'dead letters', deadLetter }),
    };
}

function* aliasWays(
  { declared }: Topology,
  broker: string,
  { aliases }: BrokerDecl,
  find: Finder,
): Generator<DeclaredWay> {
  for (const [name, { value: alias }] of aliases ?? []) {
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

function finderIn(topology: Topology, home: string | undefined, looked: Set<string>): Finder {
  const { names, declared } = topology;
  return {
    id: (address: Located<string> | undefined, kinds) => {
      if (!address) return '';
      const on = names.brokers.get(home ?? '');
      // most name what is on their own broker, or say on which it is
      if (on) {
        looked.add(home!);
        const known = namedOnce(on, address.value, kinds);
        if (known) return known.id;
      } else if (home === undefined) {
        const slash = address.value.indexOf('/');
        const broker = address.value.slice(0, Math.max(slash, 0));
        looked.add(broker);
        const elsewhere = names.brokers.get(broker);
        const known = elsewhere && namedOnce(elsewhere, address.value.slice(slash + 1), kinds);
        if (known) return known.id;
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
