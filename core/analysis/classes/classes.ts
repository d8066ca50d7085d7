/**
 * The classes of a publish's messages: all that end alike are one, every message is in exactly one, and each class has
 * one of its messages to show, the share it is of all, and whether that much is proved.
 */
import { type Diagram, type Operation, TooManyClasses } from '../../base/diagram.ts';
import type { Edge } from '../../brokers/terms.ts';
import { ABSENT, type Cell } from '../../conditions/cells.ts';
import type { Message } from '../../conditions/message.ts';
import type { Predicate } from '../../conditions/predicate.ts';
import { topicKey } from '../../conditions/amqp.ts';
import type { MessageType } from '../../topology/messages.ts';
import type { RoutingGraph } from '../../routing/graph.ts';
import type { DeadLetterReason, Outcome } from '../../routing/hop.ts';
import { asksOf } from '../../routing/onward.ts';
import { type Fate, Following, publisherOf } from './follow.ts';
import { type Ground, groundOf } from './ground.ts';
import { Space } from './space.ts';

/** What becomes of every message of a class. */
export interface ClassOutcome {
  /** Where its copies rest, by address; of a spread's members one, which one not being known. */
  readonly stores: readonly { readonly at: string; readonly copies: number; readonly oneOf?: string }[];
  readonly ends: readonly { readonly outcome: Outcome; readonly at: string; readonly oneOf?: string }[];
}

export interface MessageClass {
  readonly outcome: ClassOutcome;
  /** Which messages it has, in words. */
  readonly when: string;
  readonly witness: Message;
  /** How many messages it has; undefined where they cannot be counted. */
  readonly messages: bigint | undefined;
  /** Why it is not proved; undefined where it is. */
  readonly unless?: string;
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
}

const STAYS: ReadonlySet<Outcome> = new Set(['held', 'taken', 'waiting']);

/** @returns every publish of declared messages, in the order of the text */
export function publishesOf(graph: RoutingGraph): Edge[] {
  const { declared, messages } = graph.topology;
  return [...(declared.apps?.keys() ?? [])].flatMap((app) =>
    (graph.out.get(`publisher:${app}`) ?? []).filter(
      ({ kind, publish }) => kind === 'publish' && messages.has(publish?.message?.value ?? ''),
    ),
  );
}

/** @returns all that messages may meet from a publish on: the conditions of ways, and the keys that permissions are narrowed to */
function conditionsBehind(around: Ground, way: Edge, given: boolean): Set<Predicate> {
  const conditions = new Set<Predicate>();
  const keys = new Set<string>();
  const seen = new Set([way.to]);
  const permissions = (edge: Edge) => {
    for (const ask of asksOf(around, edge)) {
      const { allowed, denied } = around.may(ask);
      for (const key of [...allowed, ...denied]) keys.add(key);
    }
  };
  permissions(way);
  for (const id of seen)
    for (const edge of around.out(id)) {
      // what stores give up is a round of its own
      if (edge.kind === 'deadLetter' && !given) continue;
      if (edge.condition.op !== 'always') conditions.add(edge.condition);
      permissions(edge);
      seen.add(edge.to);
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
  const { space, template } = spaceOf(
    way,
    type,
    conditionsBehind(around, way, givenUp !== undefined),
    most,
  );
  const outcomes = outcomesOf(space, new Following(around, space, template, givenUp).publish(way));
  const classes = told(space, outcomes).map(({ value, ...about }) => ({
    ...about,
    outcome: outcomeOf(value as Item[]),
  }));
  return { edge: way, ...titleOf(way), total: space.total, classes };
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
  const { space, template } = spaceOf(
    way,
    type,
    conditionsBehind(around, way, givenUp !== undefined),
    most,
  );
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

function spaceOf(
  { publish }: Edge,
  type: MessageType,
  conditions: Iterable<Predicate>,
  most?: number,
): { readonly space: Space; readonly template: string } {
  const key = type.key?.value ?? '';
  const template = publish!.via?.value === 'mqtt' ? key.replaceAll('/', '.') : key;
  return { space: new Space(type, template, conditions, most), template };
}

/** Messages of a publish whose outcome is another than before. */
export interface RouteChange
  extends Pick<PublishClasses, 'from' | 'type' | 'to' | 'via' | 'total'>, Omit<MessageClass, 'outcome'> {
  /** null where nothing was published so. */
  readonly before: ClassOutcome | null;
  readonly after: ClassOutcome | null;
}

/**
 * The messages that go elsewhere in one graph than in another, exactly; of a type whose declaration differs those
 * that it has after.
 * @param most how many different sets are held at most
 * @returns for each publish, in the order of the text after and then before, what differs, by before and after
 * @throws TooManyClasses where there is no room to tell them apart
 */
export function differenceOf(before: RoutingGraph, after: RoutingGraph, most?: number): RouteChange[] {
  const nameOf = (way: Edge) => JSON.stringify(titleOf(way));
  const byName = (graph: RoutingGraph) => new Map(publishesOf(graph).map((way) => [nameOf(way), way]));
  const [then, now] = [byName(before), byName(after)];
  return [...new Set([...now.keys(), ...then.keys()])].flatMap((name): RouteChange[] => {
    const [old, own] = [then.get(name), now.get(name)];
    const way = (own ?? old)!;
    const conditions = [
      ...(old ? conditionsBehind(groundOf(before), old, false) : []),
      ...(own ? conditionsBehind(groundOf(after), own, false) : []),
    ];
    const type = (own ? after : before).topology.messages.get(labelOf(way))!;
    const { space, template } = spaceOf(way, type, conditions, most);
    const { diagrams } = space;
    const follow = (graph: RoutingGraph, of: Edge | undefined) =>
      of
        ? outcomesOf(space, new Following(groundOf(graph), space, template).publish(of))
        : diagrams.leaf(null);
    const pair: Operation = {
      values: (a, b) =>
        diagrams.leaf(a === b ? SAME : [a.value, b.value], a === b ? SAME : `pair ${a.id} ${b.id}`),
    };
    const both = diagrams.apply(pair, follow(before, old), follow(after, own));
    return told(space, both).flatMap(({ value, ...about }) => {
      if (value === SAME) return [];
      const [first, second] = (value as (Item[] | null)[]).map((items) => items && outcomeOf(items));
      return [{ ...titleOf(way), total: space.total, ...about, before: first!, after: second! }];
    });
  });
}

/** The value where before and after are one. */
const SAME = 'the same';

/** One thing that becomes of a message: how it ends where, and of copies at rest how many. */
type Item = readonly [id: string, copies: number];

/** So many different outcomes, of some messages of a publish or of some part of its ways, are held at most. */
const MOST_OUTCOMES = 100_000;

/** What becomes of each message: lists of items, as one function. */
function outcomesOf(space: Space, fates: readonly Fate[]): Diagram {
  const { diagrams } = space;
  const seen = new Set<Diagram>();
  const listed = (items: readonly Item[]) => {
    const leaf = diagrams.leaf(items, `outcome ${JSON.stringify(items)}`);
    if (seen.add(leaf).size > MOST_OUTCOMES)
      throw new TooManyClasses(`more than ${MOST_OUTCOMES.toLocaleString('en')} different outcomes`);
    return leaf;
  };
  const nothing = listed([]);
  const together: Operation = {
    early: (a, b) => (a === nothing ? b : b === nothing ? a : undefined),
    values: (a, b) => listed(joined(a.value as Item[], b.value as Item[])),
    either: true,
  };
  const each = fates.flatMap(({ at, outcome, copies, dealt }) => {
    const item = (id: string, number: (copies: number) => number) =>
      diagrams.map(copies, ({ value }) =>
        value === 0 ? nothing : listed([[id, number(value as number)] as const]),
      );
    const ends = item(`e ${JSON.stringify([outcome, at, ...(dealt === undefined ? [] : [dealt])])}`, () => 0);
    if (!STAYS.has(outcome)) return [ends];
    return [item(`s ${JSON.stringify(dealt === undefined ? [at] : [at, dealt])}`, (own) => own), ends];
  });
  return diagrams.all(together, each, nothing);
}

/** Two lists in order as one, copies of one store added up. */
function joined(a: readonly Item[], b: readonly Item[]): Item[] {
  const all: Item[] = [];
  for (let i = 0, j = 0; i < a.length || j < b.length;) {
    const [x, y] = [a[i], b[j]];
    if (x && y && x[0] === y[0]) {
      all.push([x[0], x[1] + y[1]]);
      i++;
      j++;
    } else if (!y || (x && x[0] < y[0])) {
      all.push(x!);
      i++;
    } else {
      all.push(y);
      j++;
    }
  }
  return all;
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

/** A node with the ways that lead to it. */
interface Visited {
  /** How many messages come to it. */
  messages: bigint;
  unless: string | undefined;
  /** Whether some come by a question that nobody can answer, so that they cannot be counted. */
  asked: boolean;
  readonly from: { readonly parent: Diagram; readonly run: number }[];
}

/** Every function value of the whole as a class: all of them in one walk from the top. */
function told(space: Space, outcomes: Diagram): (Omit<MessageClass, 'outcome'> & { value: unknown })[] {
  const { variables, total } = space;
  const reached = new Map<Diagram, Visited>([
    [outcomes, { messages: space.between(-1, outcomes.variable), unless: undefined, asked: false, from: [] }],
  ]);
  // each node after all that lead to it: by variable, and within one none leads to another
  const byVariable = new Map<number, Diagram[]>();
  const list = (node: Diagram) => {
    const all = byVariable.get(node.variable);
    if (all) all.push(node);
    else byVariable.set(node.variable, [node]);
  };
  list(outcomes);
  for (let variable = 0; variable < variables.length; variable++) {
    const { cells } = variables[variable]!.cells;
    // how many values the cells before each have
    const sizes = [0n];
    for (const { size } of byVariable.has(variable) ? cells : []) sizes.push(sizes.at(-1)! + (size ?? 0n));
    for (const node of byVariable.get(variable) ?? []) {
      const here = reached.get(node)!;
      const unless = here.unless ?? space.looseAt(variable);
      node.next.forEach((next, run) => {
        const size = sizes[node.starts[run + 1] ?? cells.length]! - sizes[node.starts[run]!]!;
        let there = reached.get(next);
        if (!there) {
          reached.set(next, (there = { messages: 0n, unless: undefined, asked: false, from: [] }));
          list(next);
        }
        there.messages += here.messages * size * space.between(variable, next.variable);
        there.unless ??= unless;
        there.asked ||= here.asked || variables[variable]!.place === 'unknown';
        there.from.push({ parent: node, run });
      });
    }
  }
  const classes = [...reached].flatMap(([node, { messages, unless, asked }]) => {
    if (node.variable !== Infinity) return [];
    const [path = new Map<number, Cells>(), ...others] = pathsTo(space, reached, node);
    const chosen = new Map([...path].map(([variable, [first]]) => [variable, first!]));
    return [
      {
        value: node.value,
        when: inWords(space, [path, ...others]),
        witness: space.messageOf(chosen),
        messages: total === undefined || asked ? undefined : messages,
        ...(unless === undefined ? {} : { unless }),
      },
    ];
  });
  return classes.sort((a, b) =>
    a.messages === undefined || b.messages === undefined
      ? 0
      : a.messages === b.messages
        ? 0
        : a.messages > b.messages
          ? -1
          : 1,
  );
}

/** Cells of a variable that lead on alike. */
type Cells = readonly number[];
type Path = ReadonlyMap<number, Cells>;

/** So many ways to be in a class are told. */
const MOST_PATHS = 4;

/** @returns some of the ways from the top to a class, as the cells that each variable has there; those with the least to say first */
function pathsTo(space: Space, reached: ReadonlyMap<Diagram, Visited>, leaf: Diagram): Path[] {
  const paths: Path[] = [];
  const open: { node: Diagram; path: Path }[] = [{ node: leaf, path: new Map() }];
  for (const { node, path } of open) {
    const { from } = reached.get(node)!;
    if (from.length === 0) {
      paths.push(path);
      continue;
    }
    // several runs of one parent are one condition
    const byParent = new Map<Diagram, number[]>();
    for (const { parent, run } of from) {
      if (byParent.size > MOST_PATHS && !byParent.has(parent)) break;
      const to = parent.starts[run + 1] ?? space.variables[parent.variable]!.cells.cells.length;
      const cells = byParent.get(parent) ?? [];
      for (let cell = parent.starts[run]!; cell < to; cell++) cells.push(cell);
      byParent.set(parent, cells);
    }
    for (const [parent, cells] of byParent) {
      open.push({ node: parent, path: new Map([[parent.variable, cells], ...path]) });
      // where there are many ways already, one of each is enough
      if (open.length > MOST_PATHS * 8) break;
    }
  }
  return paths.sort((a, b) => a.size - b.size);
}

/** @returns in words which messages go by some paths */
function inWords(space: Space, paths: readonly Path[]): string {
  const parts = paths.slice(0, MOST_PATHS).map((path) => {
    const tests = [...path].map(([variable, cells]) => testIn(space, variable, cells));
    return tests.length ? tests.join(' and ') : 'always';
  });
  const more = paths.length > MOST_PATHS ? '; or otherwise' : '';
  return parts.join('; or ') + more;
}

/** So many values are named. */
const MOST_NAMED = 5;

function testIn({ variables }: Space, variable: number, cells: readonly number[]): string {
  const { name, place, cells: all } = variables[variable]!;
  if (place === 'unknown') return `“${name}” is ${['true', 'false', 'unknown'][cells[0]!]}`;
  const called = place === 'word' || place === 'words' ? `{${name}}` : name;
  const firm = (list: readonly number[]) => list.every((i) => !all.cells[i]!.other);
  // what is shorter to say: what it is, or what it is not; and “any other” says nothing without the others
  if (cells.length > all.cells.length / 2 || !firm(cells)) {
    const within = new Set(cells);
    const others = all.cells.flatMap((_, i) => (within.has(i) ? [] : [i]));
    const isNot = namesOf(all.cells, others);
    if (
      others.length > 0 &&
      firm(others) &&
      (!firm(cells) || isNot.length < namesOf(all.cells, cells).length)
    )
      return `${called} is not ${named(isNot)}`;
  }
  return `${called} is ${named(namesOf(all.cells, cells))}`;
}

/** Cells as one names them, numbers that follow each other as ranges. */
function namesOf(all: readonly Cell[], cells: readonly number[]): string[] {
  const names: string[] = [];
  for (let i = 0; i < cells.length; i++) {
    const cell = all[cells[i]!]!;
    let last = i;
    // numbers that follow each other are one range
    while (
      typeof all[cells[last]!]!.value === 'number' &&
      cells[last + 1] === cells[last]! + 1 &&
      typeof all[cells[last + 1]!]?.value === 'number'
    )
      last++;
    names.push(last > i || cell.between ? range(cell, all[cells[last]!]!) : valueName(cell));
    i = last;
  }
  return names;
}

function named(names: readonly string[]): string {
  const shown =
    names.length > MOST_NAMED
      ? [...names.slice(0, MOST_NAMED - 1), `${names.length - MOST_NAMED + 1} more`]
      : names;
  return shown.length < 2 ? shown.join('') : `${shown.slice(0, -1).join(', ')} or ${shown.at(-1)}`;
}

function range(first: Cell, last: Cell): string {
  const [from, above] = first.between ?? [first.value as number, undefined];
  const [under, to] = last.between ?? [undefined, last.value as number];
  if (above === undefined && under === undefined) return `${from} to ${to}`;
  const low = first.between ? (from === -Infinity ? '' : `over ${from}`) : `${from} or more`;
  const high = last.between ? (to === Infinity ? '' : `under ${to}`) : `${to} or less`;
  return [low, high].filter(Boolean).join(' and ') || 'any number';
}

function valueName({ value, other }: Cell): string {
  if (value === ABSENT) return 'missing';
  if (other)
    return value === '' || /^(.)\1*$/u.test(String(value)) ? 'any other' : `such as “${String(value)}”`;
  if (Array.isArray(value)) return value.length ? `such as “${value.join('.')}”` : 'no words';
  return typeof value === 'string' ? value || 'empty' : JSON.stringify(value);
}
