/**
 * Decision diagrams (Bryant 1986) over variables of many values: functions of all of them at once, held so that what
 * is the same is one node. The values of a variable are numbered cells; a node tells its next by runs of cells, so
 * that a test of one cell among ten thousand costs three runs, and a test of half of them two.
 */

/** A function of the variables from its own on. Two of one `Diagrams` are the same function where they are the same node. */
export interface Diagram {
  /** One for each function of a `Diagrams`. */
  readonly id: number;
  /** The first variable it hangs on; `Infinity` where it hangs on none. */
  readonly variable: number;
  /** Where each run of cells begins: the first at 0. */
  readonly starts: readonly number[];
  /** What is left to be decided in each run, never the same in two that follow each other. */
  readonly next: readonly Diagram[];
  /** What it is where it hangs on no variable. */
  readonly value: unknown;
}

/** Cells that follow each other: from the first to before the last. */
export type Run = readonly [from: number, to: number];

/** There is no room for what was asked. */
export class TooManyClasses extends Error {}

/** An operation on two functions, value by value. */
export interface Operation {
  /** @returns what both come to, where it is plain before every variable is decided */
  readonly early?: (a: Diagram, b: Diagram) => Diagram | undefined;
  /** @returns what two values come to */
  readonly values: (a: Diagram, b: Diagram) => Diagram;
  /** The order of its operands does not matter. */
  readonly either?: boolean;
}

const NONE: readonly never[] = [];
const LAST = Infinity;

/** So many different functions are held before it is said that there are too many. */
const MOST = 4_000_000;

/** Makes diagrams, and holds each once. */
export class Diagrams {
  private readonly leaves = new Map<unknown, Diagram>();
  private readonly nodes = new Map<number, Diagram | Diagram[]>();
  private made = 0;
  private readonly known = new Map<Operation, Map<number, Diagram>>();

  readonly no: Diagram;
  readonly yes: Diagram;
  readonly and: Operation;
  readonly or: Operation;
  readonly without: Operation;

  /** @param most how many different functions it holds at most */
  constructor(private readonly most = MOST) {
    this.no = this.leaf(false);
    this.yes = this.leaf(true);
    const { no, yes } = this;
    this.and = {
      early: (a, b) => (a === no || b === no ? no : a === yes ? b : b === yes || a === b ? a : undefined),
      values: (a, b) => (a === yes && b === yes ? yes : no),
      either: true,
    };
    this.or = {
      early: (a, b) => (a === yes || b === yes ? yes : a === no ? b : b === no || a === b ? a : undefined),
      values: (a, b) => (a === yes || b === yes ? yes : no),
      either: true,
    };
    this.without = {
      early: (a, b) => (a === no || b === yes || a === b ? no : b === no ? a : undefined),
      values: (a, b) => (a === yes && b === no ? yes : no),
    };
  }

  /** How many functions it holds. */
  get size(): number {
    return this.made;
  }

  private count(): number {
    if (this.made >= this.most) throw new TooManyClasses(`more than ${this.most} different sets of messages`);
    return this.made++;
  }

  /**
   * @param key what tells the value from others, where it is not one by itself
   * @returns the function that is one value everywhere
   */
  leaf(value: unknown, key: unknown = value): Diagram {
    let leaf = this.leaves.get(key);
    if (!leaf) {
      leaf = { id: this.count(), variable: LAST, starts: NONE, next: NONE, value };
      this.leaves.set(key, leaf);
    }
    return leaf;
  }

  /**
   * @param starts where each run of cells begins, rising from 0
   * @param next what each run leads to; of variables after this one
   * @returns the function that tells by the cell of one variable
   */
  node(variable: number, starts: readonly number[], next: readonly Diagram[]): Diagram {
    const from: number[] = [];
    const to: Diagram[] = [];
    for (let i = 0; i < starts.length; i++) {
      if (i > 0 && to.at(-1) === next[i]) continue;
      from.push(starts[i]!);
      to.push(next[i]!);
    }
    if (to.length === 1) return to[0]!;
    let hash = variable + 1;
    for (let i = 0; i < from.length; i++) hash = (Math.imul(hash, 31) + from[i]! * 7 + to[i]!.id * 131) | 0;
    const there = this.nodes.get(hash);
    const same = (each: Diagram) =>
      each.variable === variable &&
      each.next.length === to.length &&
      each.next.every((child, i) => child === to[i] && each.starts[i] === from[i]);
    const found = Array.isArray(there) ? there.find(same) : there && same(there) ? there : undefined;
    if (found) return found;
    const made = { id: this.count(), variable, starts: from, next: to, value: undefined };
    if (Array.isArray(there)) there.push(made);
    else this.nodes.set(hash, there ? [there, made] : made);
    return made;
  }

  /**
   * @param runs runs of cells of a variable, rising, each from the first to before the last
   * @param of how many cells it has
   * @returns whether the variable is in one of them
   */
  oneOf(variable: number, runs: readonly Run[], of: number): Diagram {
    const inside = runs.map(([from, to]) => [from, to, this.yes] as const);
    return this.byRuns(variable, inside, of, this.no);
  }

  /** @returns what some runs of cells lead to, and all the others of a variable */
  byRuns(
    variable: number,
    runs: readonly (readonly [from: number, to: number, next: Diagram])[],
    of: number,
    others: Diagram,
  ): Diagram {
    const starts: number[] = [];
    const next: Diagram[] = [];
    let at = 0;
    for (const [from, to, own] of runs) {
      if (from > at) {
        starts.push(at);
        next.push(others);
      }
      starts.push(from);
      next.push(own);
      at = to;
    }
    if (at < of) {
      starts.push(at);
      next.push(others);
    }
    return starts.length === 0 ? others : this.node(variable, starts, next);
  }

  /** @returns the operation on two functions, everywhere */
  apply(operation: Operation, a: Diagram, b: Diagram): Diagram {
    const early = operation.early?.(a, b);
    if (early) return early;
    if (a.variable === LAST && b.variable === LAST) return operation.values(a, b);
    let known = this.known.get(operation);
    if (!known) this.known.set(operation, (known = new Map()));
    const [first, second] = operation.either && a.id > b.id ? [b.id, a.id] : [a.id, b.id];
    const key = first * 0x4000000 + second;
    const before = known.get(key);
    if (before) return before;
    const variable = Math.min(a.variable, b.variable);
    const starts: number[] = [];
    const next: Diagram[] = [];
    if (a.variable < b.variable)
      for (let i = 0; i < a.next.length; i++) {
        starts.push(a.starts[i]!);
        next.push(this.apply(operation, a.next[i]!, b));
      }
    else if (b.variable < a.variable)
      for (let i = 0; i < b.next.length; i++) {
        starts.push(b.starts[i]!);
        next.push(this.apply(operation, a, b.next[i]!));
      }
    else
      for (let i = 0, j = 0; i < a.next.length || j < b.next.length;) {
        // both lists of runs gone through side by side
        const [x, y] = [a.starts[i] ?? LAST, b.starts[j] ?? LAST];
        starts.push(Math.min(x, y));
        if (x <= y) i++;
        if (y <= x) j++;
        next.push(this.apply(operation, a.next[i - 1]!, b.next[j - 1]!));
      }
    const made = this.node(variable, starts, next);
    known.set(key, made);
    return made;
  }

  /** @returns the operation on all of them, pair by pair and pairs of pairs, so that none becomes large before it must */
  all(operation: Operation, diagrams: readonly Diagram[], none: Diagram): Diagram {
    let round = [...diagrams];
    if (round.length === 0) return none;
    while (round.length > 1) {
      const half: Diagram[] = [];
      for (let i = 0; i < round.length; i += 2)
        half.push(i + 1 < round.length ? this.apply(operation, round[i]!, round[i + 1]!) : round[i]!);
      round = half;
    }
    return round[0]!;
  }

  /** @returns another function of the values of a function */
  map(diagram: Diagram, to: (leaf: Diagram) => Diagram): Diagram {
    const known = new Map<Diagram, Diagram>();
    const walk = (at: Diagram): Diagram => {
      let made = known.get(at);
      if (!made) {
        made = at.variable === LAST ? to(at) : this.node(at.variable, at.starts, at.next.map(walk));
        known.set(at, made);
      }
      return made;
    };
    return walk(diagram);
  }

  /** @returns what a function is not: where it is no, yes */
  not(diagram: Diagram): Diagram {
    return this.apply(this.without, this.yes, diagram);
  }

  /** @returns the values that a function takes, each once */
  leavesOf(diagram: Diagram): Diagram[] {
    const [seen, leaves] = [new Set<Diagram>(), [] as Diagram[]];
    const open = [diagram];
    for (let at = open.pop(); at; at = open.pop()) {
      if (seen.has(at)) continue;
      seen.add(at);
      if (at.variable === LAST) leaves.push(at);
      for (let i = at.next.length - 1; i >= 0; i--) open.push(at.next[i]!);
    }
    return leaves;
  }
}
