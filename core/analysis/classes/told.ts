/** What a function of messages says, told for people: which messages it says each of its values of. */
import type { Diagram } from '../../base/diagram.ts';
import { ABSENT, type Cell } from '../../conditions/cells.ts';
import type { Message } from '../../conditions/message.ts';
import type { TextPattern } from '../../conditions/texts.ts';
import type { Space } from './space.ts';

/** A node with the ways that lead to it. */
interface Visited {
  /** How many messages come to it. */
  messages: bigint;
  unless: string | undefined;
  /** Whether some come by a question that nobody can answer, so that they cannot be counted. */
  asked: boolean;
  readonly from: { readonly parent: Diagram; readonly run: number }[];
}

/** Messages of which a function says the same. */
export interface Told {
  readonly value: unknown;
  /** Which messages these are, in words. */
  readonly when: string;
  readonly witness: Message;
  /** How many they are; undefined where they cannot be counted. */
  readonly messages: bigint | undefined;
  /** Why that is not proved; undefined where it is. */
  readonly unless?: string;
}

/** @returns every value that a function has, with the messages that have it, the most first: all in one walk from the top */
export function told(space: Space, outcomes: Diagram): Told[] {
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

/** In what two lots of messages differ. */
export interface Differing {
  /** Whether this alone tells any message of the one from any of the other. */
  readonly alone: boolean;
  /** What it is in the one and in the other, in words. */
  readonly first: string;
  readonly second: string;
}

/**
 * @param outcomes a function of messages
 * @param first one of its values, as a function that is this value everywhere
 * @param second another one
 * @returns in what those that have the one differ from those that have the other: what tells them apart by itself first
 */
export function differing(space: Space, outcomes: Diagram, first: Diagram, second: Diagram): Differing[] {
  const [a, b] = [first, second].map((leaf) => cellsAmong(space, outcomes, leaf)) as [CellsOf, CellsOf];
  return space.variables
    .flatMap(({ cells: { cells } }, variable) => {
      const all = cells.map((_, i) => i);
      const [own, other] = [a, b].map((of) => all.filter((i) => of.has(variable, i))) as [number[], number[]];
      if (own.length === other.length && own.every((cell, i) => cell === other[i])) return [];
      return [
        {
          alone: own.every((cell) => !other.includes(cell)),
          first: own.length === all.length ? 'anything' : testIn(space, variable, own),
          second: other.length === all.length ? 'anything' : testIn(space, variable, other),
        },
      ];
    })
    .sort((x, y) => Number(y.alone) - Number(x.alone));
}

/** Which cells variables have among some messages. */
interface CellsOf {
  has(variable: number, cell: number): boolean;
}

function cellsAmong(space: Space, outcomes: Diagram, leaf: Diagram): CellsOf {
  const leads = new Map<Diagram, boolean>();
  const leadsThere = (at: Diagram): boolean => {
    let known = leads.get(at);
    if (known === undefined) {
      known = at === leaf || at.next.filter(leadsThere).length > 0;
      leads.set(at, known);
    }
    return known;
  };
  leadsThere(outcomes);
  const cells = new Map<number, Set<number>>();
  const any = new Set<number>();
  /** What is not asked between two questions may be anything. */
  const skip = (from: number, to: number) => {
    for (let i = from + 1; i < Math.min(to, space.variables.length); i++) any.add(i);
  };
  skip(-1, outcomes.variable);
  for (const [node, there] of leads) {
    if (!there || node.variable === Infinity) continue;
    const own = cells.get(node.variable) ?? new Set();
    cells.set(node.variable, own);
    node.next.forEach((next, run) => {
      if (!leads.get(next)) return;
      const to = node.starts[run + 1] ?? space.variables[node.variable]!.cells.cells.length;
      for (let cell = node.starts[run]!; cell < to; cell++) own.add(cell);
      skip(node.variable, next.variable);
    });
  }
  return { has: (variable, cell) => any.has(variable) || (cells.get(variable)?.has(cell) ?? false) };
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
  const pattern = patternIn(called, all.cells, cells);
  if (pattern) return pattern;
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

/** What a pattern asks of texts, and what texts do that are not as it asks. */
function patternWords(pattern: TextPattern): readonly [holds: string, fails: string] {
  const [first, second] = pattern;
  const many = (part: TextPattern[number] | undefined) => typeof part === 'object' && part.any === 'many';
  if (pattern.length === 2 && typeof first === 'string' && many(second))
    return [`begins with ${first}`, `does not begin with ${first}`];
  if (pattern.length === 2 && typeof second === 'string' && many(first))
    return [`ends with ${second}`, `does not end with ${second}`];
  const shown = pattern
    .map((part) => (typeof part === 'string' ? part : part.any === 'one' ? '_' : '%'))
    .join('');
  return [`is like “${shown}”`, `is not like “${shown}”`];
}

/** Cells of texts as those that one pattern asks for, or as all others; undefined where no pattern says it. */
function patternIn(called: string, all: readonly Cell[], cells: readonly number[]): string | undefined {
  const patterns = new Set(all.flatMap(({ meets }) => meets ?? []));
  const chosen = new Set(cells);
  const missing = cells.some((i) => all[i]!.value === ABSENT);
  for (const pattern of patterns) {
    const [holds, fails] = patternWords(pattern);
    const meeting = all.flatMap(({ meets }, i) => (meets?.includes(pattern) ? [i] : []));
    if (meeting.length === chosen.size && meeting.every((i) => chosen.has(i))) return `${called} ${holds}`;
    const others = all.flatMap(({ value, meets }, i) =>
      meets?.includes(pattern) || (value === ABSENT && !missing) ? [] : [i],
    );
    if (others.length === chosen.size && others.every((i) => chosen.has(i)))
      return `${called} ${missing ? 'is missing or ' : ''}${fails}`;
  }
  return undefined;
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

/** Numbers from the first cell to the last, in words. */
function range(first: Cell, last: Cell): string {
  const [from, above] = first.between ?? [first.value as number, undefined];
  const [under, to] = last.between ?? [undefined, last.value as number];
  const [least, most] = [
    wholeIn(first)?.[0] ?? (above === undefined ? from : undefined),
    wholeIn(last)?.[1] ?? (under === undefined ? to : undefined),
  ];
  if (least !== undefined && most !== undefined) return least === most ? `${least}` : `${least} to ${most}`;
  const low = least === undefined ? (from === -Infinity ? '' : `over ${from}`) : `${least} or more`;
  const high = most === undefined ? (to === Infinity ? '' : `under ${to}`) : `${most} or less`;
  return [low, high].filter(Boolean).join(' and ') || 'any number';
}

/** The first and the last number of a cell that has whole numbers, and all there are between its ends. */
function wholeIn({ between, size }: Cell): readonly [least: number, most: number] | undefined {
  if (!between || size === undefined || !between.every(Number.isInteger)) return undefined;
  if (BigInt(between[1] - between[0] - 1) !== size) return undefined;
  return [between[0] + 1, between[1] - 1];
}

function valueName({ value, other, meets }: Cell): string {
  if (value === ABSENT) return 'missing';
  if (other) return meets?.length ? `such as “${String(value)}”` : 'any other';
  if (Array.isArray(value)) return value.length ? `such as “${value.join('.')}”` : 'no words';
  return typeof value === 'string' ? value || 'empty' : JSON.stringify(value);
}
