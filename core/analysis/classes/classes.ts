/**
 * The classes of a publish's messages: all that end alike are one, every message is in exactly one, and each class has
 * one of its messages to show, the share it is of all, and whether that much is proved.
 */
import type { Diagram, Operation } from '../../base/diagram.ts';
import type { Edge } from '../../brokers/terms.ts';
import type { Message } from '../../conditions/message.ts';
import type { Predicate } from '../../conditions/predicate.ts';
import { topicKey } from '../../conditions/amqp.ts';
import type { MessageType } from '../../topology/messages.ts';
import type { RoutingGraph } from '../../routing/graph.ts';
import type { DeadLetterReason, Outcome } from '../../routing/hop.ts';
import { type Domain, asksOf, entered, onward } from '../../routing/onward.ts';
import { ARRIVALS } from './arrivals.ts';
import { type Fate, Following, publisherOf } from './follow.ts';
import { type Ground, groundOf } from './ground.ts';
import { type Item, Lists } from './lists.ts';
import { Space } from './space.ts';
import type { Arrival } from './variety.ts';
import { arrivalOf } from './verdicts.ts';
import { type Differing, type Told, differing, told } from './told.ts';

/** What becomes of every message of a class. */
export interface ClassOutcome {
  /** Where its copies rest, by address; of a spread's members one, which one not being known. */
  readonly stores: readonly { readonly at: string; readonly copies: number; readonly oneOf?: string }[];
  readonly ends: readonly { readonly outcome: Outcome; readonly at: string; readonly oneOf?: string }[];
}

export interface MessageClass extends Omit<Told, 'value'> {
  readonly outcome: ClassOutcome;
}

export interface PublishClasses {
  readonly edge: Edge;
  /** The app that publishes. */
  readonly from: string;
  readonly type: string;
  /** The address it publishes to. */
  readonly to: string;
  readonly via?: 'mqtt';
  /** How many messages it can send; undefined where they are without number. */
  readonly total: bigint | undefined;
  /** The larger first, as far as they can be counted. */
  readonly classes: readonly MessageClass[];
  /** The stores that links take some of them from, as node ids: nothing rests there. */
  readonly through: readonly string[];
}

/** Outcomes of copies that rest in a store. */
export const STAYS: ReadonlySet<Outcome> = new Set(['held', 'taken', 'waiting']);

/** @returns every publish of declared messages, in the order of the text */
export function publishesOf(graph: RoutingGraph): Edge[] {
  const { declared, messages } = graph.topology;
  return [...(declared.apps?.keys() ?? [])].flatMap((app) =>
    (graph.out.get(`publisher:${app}`) ?? []).filter(
      ({ kind, publish }) => kind === 'publish' && messages.has(publish?.message?.value ?? ''),
    ),
  );
}

/** Types of messages on their way, an exchange's bindings being those that let some of them through already. */
const MET: Domain<Arrival> = { ...ARRIVALS, candidates: (_, __, out) => out };

/**
 * @param type the type it publishes
 * @param given whether stores may give up what rests in them
 * @returns all that its messages may meet: the conditions of ways, and the keys that permissions are narrowed to
 */
export function conditionsBehind(
  around: Ground,
  way: Edge,
  type: MessageType,
  given = false,
): Set<Predicate> {
  const conditions = new Set<Predicate>();
  const keys = new Set<string>();
  const permissions = (edge: Edge) => {
    for (const ask of asksOf(around, edge)) {
      const { allowed, denied } = around.may(ask);
      for (const key of [...allowed, ...denied]) keys.add(key);
    }
  };
  permissions(way);
  const seen = new Map<string, Set<Arrival>>();
  const work: { id: string; arrival: Arrival }[] = [];
  const enter = (id: string, arrival: Arrival, enters: boolean) => {
    const node = around.node(id);
    if (!node) return;
    const form = enters ? entered(node, arrival, MET) : arrival;
    let here = seen.get(id);
    if (!here) seen.set(id, (here = new Set()));
    if (here.has(form)) return;
    here.add(form);
    work.push({ id, arrival: form });
  };
  enter(way.to, arrivalOf(type, templateOf(way, type), false), true);
  for (let at = work.pop(); at; at = work.pop()) {
    const { id, arrival } = at;
    for (const { edge, messages, sender, enters } of onward(
      around.meeting(arrival),
      around.node(id)!,
      arrival,
      MET,
    )) {
      // what stores give up is a round of its own
      if (!messages || (edge.kind === 'deadLetter' && !given)) continue;
      if (edge.condition.op !== 'always') conditions.add(edge.condition);
      permissions(edge);
      enter(edge.to, messages, sender !== undefined || enters === true);
    }
  }
  for (const key of keys) conditions.add(topicKey(key));
  return conditions;
}

/** How classes are told. */
export interface Telling {
  /** How many different sets are held at most. */
  readonly most?: number;
  /** What every store gives up for, once, that copies come to rest in; without it they rest there. */
  readonly givenUp?: DeadLetterReason;
}

/**
 * @param way a publish of a declared message type
 * @returns the classes of its messages
 * @throws TooManyClasses where there is no room to tell them apart
 */
export const classesOf = (graph: RoutingGraph, way: Edge, telling: Telling = {}): PublishClasses =>
  classesOn(groundOf(graph), way, telling);

/** The same by what can be asked of a graph. */
export function classesOn(around: Ground, way: Edge, { most, givenUp }: Telling = {}): PublishClasses {
  const type = around.type(labelOf(way))!;
  const template = templateOf(way, type);
  const space = new Space(type, template, conditionsBehind(around, way, type, givenUp !== undefined), most);
  const following = new Following(around, space, template, givenUp);
  const lists = new Lists(space);
  const outcomes = outcomesOf(lists, following.publish(way));
  const classes = told(space, outcomes).map(({ value, ...about }) => ({
    ...about,
    outcome: outcomeOf(lists.itemsOf(value)),
  }));
  return { edge: way, ...titleOf(way), total: space.total, classes, through: [...following.through] };
}

/**
 * @param first where one class stands among those that are told of the publish
 * @param second where another one does
 * @returns in what the messages of the two differ, what tells them apart by itself first; undefined where there are none such
 * @throws TooManyClasses where there is no room to tell classes apart
 */
export function distinctionOf(
  graph: RoutingGraph,
  way: Edge,
  first: number,
  second: number,
): Differing[] | undefined {
  const around = groundOf(graph);
  const type = around.type(labelOf(way))!;
  const template = templateOf(way, type);
  const space = new Space(type, template, conditionsBehind(around, way, type));
  const outcomes = outcomesOf(new Lists(space), new Following(around, space, template).publish(way));
  const all = told(space, outcomes);
  const leaves = space.diagrams.leavesOf(outcomes);
  const [one, other] = [first, second].map((i) => leaves.find(({ value }) => value === all[i]?.value));
  return one && other && differing(space, outcomes, one, other);
}

/** Messages of a publish that come to a store. */
export type Coming = Pick<PublishClasses, 'from' | 'type' | 'to' | 'via' | 'total'> & Omit<Told, 'value'>;

/**
 * @param store an address
 * @returns all the messages of a publish of which copies come to rest in a store, as one; undefined where none do
 * @throws TooManyClasses where there is no room for that set
 */
export function comingTo(graph: RoutingGraph, way: Edge, store: string): Coming | undefined {
  const around = groundOf(graph);
  const type = around.type(labelOf(way))!;
  const template = templateOf(way, type);
  const space = new Space(type, template, conditionsBehind(around, way, type));
  const { diagrams } = space;
  const sets = new Following(around, space, template)
    .publish(way)
    .filter(({ at, outcome }) => at === store && STAYS.has(outcome))
    .map(({ copies }) => diagrams.map(copies, ({ value }) => (value === 0 ? diagrams.no : diagrams.yes)));
  const found = told(space, diagrams.all(diagrams.or, sets, diagrams.no)).find(({ value }) => value === true);
  if (!found) return undefined;
  const { when, witness, messages, unless } = found;
  return {
    ...titleOf(way),
    total: space.total,
    when,
    witness,
    messages,
    ...(unless === undefined ? {} : { unless }),
  };
}

/** Where messages of a publish can end. */
export interface Reached {
  readonly at: string;
  readonly outcome: Outcome;
  /** One that does; what is not proved may have none. */
  readonly witness: Message;
  readonly unless?: string;
}

/**
 * Every end that some message of a publish comes to, exactly, each asked by itself: an answer even where classes are
 * too many to tell apart.
 * @throws TooManyClasses where there is no room for the sets of a single end
 */
export const reachOf = (graph: RoutingGraph, way: Edge, telling: Telling = {}): Reached[] =>
  reachOn(groundOf(graph), way, telling);

/** The same by what can be asked of a graph. */
export function reachOn(around: Ground, way: Edge, { most, givenUp }: Telling = {}): Reached[] {
  const type = around.type(labelOf(way))!;
  const template = templateOf(way, type);
  const space = new Space(type, template, conditionsBehind(around, way, type, givenUp !== undefined), most);
  const { diagrams } = space;
  return new Following(around, space, template, givenUp).publish(way).flatMap(({ at, outcome, copies }) => {
    const some = diagrams.map(copies, ({ value }) => (value === 0 ? diagrams.no : diagrams.yes));
    return told(space, some)
      .filter(({ value }) => value === true)
      .map(({ witness, unless }) => ({ at, outcome, witness, ...(unless === undefined ? {} : { unless }) }));
  });
}

/** The type it publishes. */
const labelOf = ({ publish }: Edge): string => publish!.message!.value;

/** What tells a publish from others. */
function titleOf(way: Edge): Pick<PublishClasses, 'from' | 'type' | 'to' | 'via'> {
  const { publish } = way;
  return {
    from: publisherOf(way).name,
    type: publish!.message!.value,
    to: publish!.to?.value ?? '',
    ...(publish!.via?.value === 'mqtt' ? { via: 'mqtt' as const } : {}),
  };
}

/** @returns what the keys of a publish are made by */
export function templateOf({ publish }: Edge, type: MessageType): string {
  const key = type.key?.value ?? '';
  return publish!.via?.value === 'mqtt' ? key.replaceAll('/', '.') : key;
}

/** Messages of a publish whose outcome is another than before. */
export interface RouteChange
  extends Pick<PublishClasses, 'from' | 'type' | 'to' | 'via' | 'total'>, Omit<MessageClass, 'outcome'> {
  /** null where nothing was published so. */
  readonly before: ClassOutcome | null;
  readonly after: ClassOutcome | null;
}

/** A publish in two graphs: in at least one of them. */
export interface PublishPair {
  /** What tells it from others. */
  readonly id: string;
  readonly before: Edge | undefined;
  readonly after: Edge | undefined;
}

/** @returns the publishes of two graphs, those of one app, type, entry and protocol together, in the order of the text after and then before */
export function publishPairs(before: RoutingGraph, after: RoutingGraph): PublishPair[] {
  const byName = (graph: RoutingGraph) =>
    new Map(publishesOf(graph).map((way) => [JSON.stringify(titleOf(way)), way]));
  const [then, now] = [byName(before), byName(after)];
  return [...new Set([...now.keys(), ...then.keys()])].map((id) => ({
    id,
    before: then.get(id),
    after: now.get(id),
  }));
}

/**
 * The messages that go elsewhere in one graph than in another, exactly; of a type whose declaration differs those
 * that it has after.
 * @param most how many different sets are held at most
 * @returns for each publish, in the order of the text after and then before, what differs, by before and after
 * @throws TooManyClasses where there is no room to tell them apart
 */
export const differenceOf = (before: RoutingGraph, after: RoutingGraph, most?: number): RouteChange[] =>
  publishPairs(before, after).flatMap((pair) => changesOf(before, after, pair, most));

/** The same for one publish. */
export function changesOf(
  before: RoutingGraph,
  after: RoutingGraph,
  pair: PublishPair,
  most?: number,
): RouteChange[] {
  const { way, space, both, outcomesIn } = pairedOf(before, after, pair, most);
  return told(space, both).flatMap(({ value, ...about }) => {
    if (value === SAME) return [];
    const [first, second] = outcomesIn(value);
    return [{ ...titleOf(way), total: space.total, ...about, before: first, after: second }];
  });
}

/** Messages of a publish of which one thing is otherwise than before. */
export interface ChangeTold
  extends Pick<PublishClasses, 'from' | 'type' | 'to' | 'via' | 'total'>, Omit<MessageClass, 'outcome'> {
  /** What, in words. */
  readonly what: string;
}

/**
 * The same by what is otherwise, whatever else becomes of them.
 * @param say what it is that differs, in words
 */
export function changesInWords(
  before: RoutingGraph,
  after: RoutingGraph,
  pair: PublishPair,
  say: (before: ClassOutcome | null, after: ClassOutcome | null) => string,
): ChangeTold[] {
  const { way, space, both, outcomesIn } = pairedOf(before, after, pair);
  const { diagrams } = space;
  const said = diagrams.map(both, (leaf) =>
    leaf.value === SAME ? leaf : diagrams.leaf(say(...outcomesIn(leaf.value))),
  );
  return told(space, said).flatMap(({ value, ...about }) =>
    value === SAME ? [] : [{ ...titleOf(way), total: space.total, ...about, what: value as string }],
  );
}

/** What becomes of each message before and after, as one function. */
function pairedOf(
  before: RoutingGraph,
  after: RoutingGraph,
  { before: old, after: own }: PublishPair,
  most?: number,
): {
  readonly way: Edge;
  readonly space: Space;
  readonly both: Diagram;
  /** @returns what a value of the function says; null where it was not, or is not, published */
  readonly outcomesIn: (pair: unknown) => [before: ClassOutcome | null, after: ClassOutcome | null];
} {
  const way = (own ?? old)!;
  const type = (own ? after : before).topology.messages.get(labelOf(way))!;
  const conditions = [
    ...(old ? conditionsBehind(groundOf(before), old, type) : []),
    ...(own ? conditionsBehind(groundOf(after), own, type) : []),
  ];
  const template = templateOf(way, type);
  const space = new Space(type, template, conditions, most);
  const { diagrams } = space;
  const lists = new Lists(space);
  const follow = (graph: RoutingGraph, of: Edge | undefined) =>
    of ? outcomesOf(lists, new Following(groundOf(graph), space, template).publish(of)) : diagrams.leaf(null);
  const pairing: Operation = {
    values: (a, b) =>
      diagrams.leaf(a === b ? SAME : [a.value, b.value], a === b ? SAME : `pair ${a.id} ${b.id}`),
  };
  const outcome = (held: unknown) => (held === null ? null : outcomeOf(lists.itemsOf(held)));
  return {
    way,
    space,
    both: diagrams.apply(pairing, follow(before, old), follow(after, own)),
    outcomesIn: (pair) => {
      const [then, now] = pair as readonly [unknown, unknown];
      return [outcome(then), outcome(now)];
    },
  };
}

/** The value where before and after are one. */
const SAME = 'the same';

/** What becomes of each message: lists of items, as one function. */
function outcomesOf(lists: Lists, fates: readonly Fate[]): Diagram {
  const each = fates.flatMap(({ at, outcome, copies, dealt }) => {
    const ends = lists.of(
      `e ${JSON.stringify([outcome, at, ...(dealt === undefined ? [] : [dealt])])}`,
      copies,
      () => 0,
    );
    if (!STAYS.has(outcome)) return [ends];
    return [lists.of(`s ${JSON.stringify(dealt === undefined ? [at] : [at, dealt])}`, copies), ends];
  });
  return lists.together(each);
}

function outcomeOf(items: readonly Item[]): ClassOutcome {
  const [stores, ends]: [ClassOutcome['stores'][number][], ClassOutcome['ends'][number][]] = [[], []];
  for (const [id, copies] of items) {
    const parts = JSON.parse(id.slice(2)) as string[];
    const dealt = parts[id.startsWith('s') ? 1 : 2];
    const oneOf = dealt === undefined ? {} : { oneOf: `spread:${dealt}` };
    if (id.startsWith('s')) stores.push({ at: parts[0]!, copies, ...oneOf });
    else ends.push({ outcome: parts[0] as Outcome, at: parts[1]!, ...oneOf });
  }
  return { stores, ends };
}
