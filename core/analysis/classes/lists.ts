/** What holds of each message, as lists of items: one function for many things asked at once. */
import { type Diagram, type Operation, TooManyClasses } from '../../base/diagram.ts';
import type { Space } from './space.ts';

/** One thing that holds of a message, and how many times. */
export type Item = readonly [id: string, times: number];

/** So many different lists, of some messages of a publish or of some part of its ways, are held at most. */
const MOST_LISTS = 100_000;

/** Makes functions from messages to lists of items. */
export class Lists {
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
    return this.space.diagrams.map(times, ({ value }) =>
      value === 0 || value === false ? this.nothing : this.list([[id, number(Number(value))]]),
    );
  }

  /** @returns of each message all the items there are, those of one id added up */
  together(each: readonly Diagram[]): Diagram {
    return this.space.diagrams.all(this.joining, each, this.nothing);
  }

  private readonly joining: Operation = {
    early: (a, b) => (a === this.nothing ? b : b === this.nothing ? a : undefined),
    values: (a, b) => this.list(joined(a.value as Item[], b.value as Item[])),
    either: true,
  };

  private list(items: readonly Item[]): Diagram {
    const leaf = this.space.diagrams.leaf(items, `list ${JSON.stringify(items)}`);
    if (this.seen.add(leaf).size > MOST_LISTS)
      throw new TooManyClasses(`more than ${MOST_LISTS.toLocaleString('en')} different outcomes`);
    return leaf;
  }
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
