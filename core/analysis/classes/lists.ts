/** What holds of each message, as lists of items: one function for many things asked at once. */
import { type Diagram, type Operation, TooManyClasses } from '../../base/diagram.ts';
import type { Space } from './space.ts';

/** One thing that holds of a message, and how many times. */
export type Item = readonly [id: string, times: number];

/** So many different lists, of some messages of a publish or of some part of its ways, are held at most. */
const MOST_LISTS = 100_000;

/** A list as it is held: ids by number, rising, each followed by its times. */
type Held = readonly number[];

/** Makes functions from messages to lists of items. */
export class Lists {
  private readonly ids: string[] = [];
  private readonly numbers = new Map<string, number>();
  private readonly seen = new Set<Diagram>();
  private readonly nothing: Diagram;

  constructor(private readonly space: Space) {
    this.nothing = this.list([]);
  }

  /**
   * @param times a function from messages to numbers, or to whether; of nothing and of no there is no item
   * @returns an item of each other message
   */
  of(id: string, times: Diagram, number: (times: number) => number = (own) => own): Diagram {
    let at = this.numbers.get(id);
    if (at === undefined) {
      this.numbers.set(id, (at = this.ids.length));
      this.ids.push(id);
    }
    const own = at;
    return this.space.diagrams.map(times, ({ value }) =>
      value === 0 || value === false ? this.nothing : this.list([own, number(Number(value))]),
    );
  }

  /** @returns of each message all the items there are, those of one id added up */
  together(each: readonly Diagram[]): Diagram {
    return this.space.diagrams.all(this.joining, each, this.nothing);
  }

  /** @returns the items of a value of such a function, in the order of their ids */
  itemsOf(value: unknown): Item[] {
    const held = value as Held;
    const items: Item[] = [];
    for (let i = 0; i < held.length; i += 2) items.push([this.ids[held[i]!]!, held[i + 1]!]);
    return items.sort(([a], [b]) => (a < b ? -1 : a > b ? 1 : 0));
  }

  private readonly joining: Operation = {
    early: (a, b) => (a === this.nothing ? b : b === this.nothing ? a : undefined),
    values: (a, b) => this.list(joined(a.value as Held, b.value as Held)),
    either: true,
  };

  private list(held: Held): Diagram {
    const leaf = this.space.diagrams.leaf(held, `list ${held.join()}`);
    if (this.seen.add(leaf).size > MOST_LISTS)
      throw new TooManyClasses(`more than ${MOST_LISTS.toLocaleString('en')} different outcomes`);
    return leaf;
  }
}

/** Two lists in order as one, the times of one id added up. */
function joined(a: Held, b: Held): Held {
  const all: number[] = [];
  for (let i = 0, j = 0; i < a.length || j < b.length;) {
    const [x, y] = [a[i] ?? Infinity, b[j] ?? Infinity];
    if (x === y) {
      all.push(x, a[i + 1]! + b[j + 1]!);
      i += 2;
      j += 2;
    } else if (x < y) {
      all.push(x, a[i + 1]!);
      i += 2;
    } else {
      all.push(y, b[j + 1]!);
      j += 2;
    }
  }
  return all;
}
