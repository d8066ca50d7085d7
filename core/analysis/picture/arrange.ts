/**
 * Order and align: the layout of a graph whose lanes are known beforehand. Every node has its lane
 * (its rank from left to right); what is worked out is the order within each lane, so that few lines
 * cross, and the height of everything, so that lines run level where they can.
 *
 * A line that passes lanes takes a place in each of them, like a node without a plate. Orders are
 * improved by sweeps to and fro (each node goes to the middle of its neighbours), then by exchanging
 * neighbours; the best order met is kept. Heights are those nearest to the neighbours' heights that
 * keep the order and the gaps: least squares under an order, solved exactly by pooling what collides.
 */

export interface Placeable {
  readonly id: string;
  /** The lane, from left to right; gaps between used ranks are of no matter. */
  readonly rank: number;
}

export interface Connection {
  readonly id: string;
  readonly from: string;
  /** In a lane further right than `from`; others are left out of the arrangement. */
  readonly to: string;
}

export interface Spacing {
  /** The height of a node's plate. */
  readonly plate: number;
  /** Room between two plates, between a plate and a passing line, and between two passing lines. */
  readonly between: number;
  readonly beside: number;
  readonly lines: number;
}

export interface Arrangement {
  /** The middle of each node, from the top of the arrangement. */
  readonly heights: ReadonlyMap<string, number>;
  /** For each connection that passes lanes: the height at which it passes each, by rank. */
  readonly passes: ReadonlyMap<string, readonly { readonly rank: number; readonly height: number }[]>;
  readonly height: number;
  /** How often lines cross between neighbouring lanes. */
  readonly crossings: number;
}

/** A place in a lane: a node, or a line passing. */
interface Slot {
  readonly node: boolean;
  readonly lane: number;
  /** Its position in its lane, from 0. */
  at: number;
  y: number;
  readonly left: Slot[];
  readonly right: Slot[];
}

const SWEEPS = 16;
const ALIGNMENTS = 6;

/**
 * @param before the order of an earlier arrangement, by height; only neighbours are exchanged in it
 * @returns where everything stands; the same at every run
 */
export function arrange(
  nodes: readonly Placeable[],
  connections: readonly Connection[],
  spacing: Spacing,
  before?: ReadonlyMap<string, number>,
): Arrangement {
  const ranks = [...new Set(nodes.map(({ rank }) => rank))].sort((a, b) => a - b);
  const laneOf = new Map(ranks.map((rank, lane) => [rank, lane]));
  const lanes: Slot[][] = ranks.map(() => []);
  const spots = new Map<string, Slot>();
  const place = (lane: number, node: boolean): Slot => {
    const spot: Slot = { node, lane, at: lanes[lane]!.length, y: 0, left: [], right: [] };
    lanes[lane]!.push(spot);
    return spot;
  };
  for (const { id, rank } of nodes) spots.set(id, place(laneOf.get(rank)!, true));

  const passing = new Map<string, Slot[]>();
  for (const { id, from, to } of connections) {
    const [start, end] = [spots.get(from), spots.get(to)];
    if (!start || !end || start.lane >= end.lane) continue;
    const way: Slot[] = [];
    let last = start;
    for (let lane = start.lane + 1; lane <= end.lane; lane++) {
      const next: Slot = lane === end.lane ? end : place(lane, false);
      last.right.push(next);
      next.left.push(last);
      if (next !== end) way.push(next);
      last = next;
    }
    if (way.length) passing.set(id, way);
  }

  if (before) asBefore(lanes, spots, passing, before);
  const crossings = before ? keepOrder(lanes) : order(lanes);
  const height = align(lanes, spacing);
  return {
    heights: new Map([...spots].map(([id, { y }]) => [id, y])),
    passes: new Map(
      [...passing].map(([id, way]) => [id, way.map(({ lane, y }) => ({ rank: ranks[lane]!, height: y }))]),
    ),
    height,
    crossings,
  };
}

/**
 * Puts every lane in the order that it had. What is new goes to the middle of its neighbours, a passing
 * line to the middle of its ends; what has none stays behind what it was declared after.
 */
function asBefore(
  lanes: readonly Slot[][],
  spots: ReadonlyMap<string, Slot>,
  passing: ReadonlyMap<string, readonly Slot[]>,
  before: ReadonlyMap<string, number>,
): void {
  const keys = new Map<Slot, number>();
  for (const [id, spot] of spots) if (before.has(id)) keys.set(spot, before.get(id)!);
  const known = new Set(keys.keys());
  const endsOf = (spot: Slot, side: 'left' | 'right'): Slot[] =>
    spot[side].flatMap((each) => (each.node ? [each] : endsOf(each, side)));
  let last = -Infinity;
  for (const spot of [...spots.values(), ...[...passing.values()].flat()]) {
    if (!keys.has(spot)) {
      const near = [...endsOf(spot, 'left'), ...endsOf(spot, 'right')].filter((each) => known.has(each));
      const middle = near.reduce((sum, each) => sum + keys.get(each)!, 0) / near.length;
      keys.set(spot, near.length ? middle : last);
    }
    last = keys.get(spot)!;
  }
  for (const lane of lanes)
    put(
      lane,
      [...lane].sort((a, b) => keys.get(a)! - keys.get(b)! || a.at - b.at),
    );
}

/**
 * An order to begin with that lets what hangs together come together: each part of the graph in
 * breadth from one of its far ends, fewest lines first (the order of Cuthill and McKee, ACM 1969).
 */
function byBreadth(lanes: readonly Slot[][]): Slot[][] {
  const sorted: Slot[][] = lanes.map(() => []);
  const met = new Set<Slot>();
  for (const spot of lanes.flat()) {
    if (met.has(spot)) continue;
    // the last one met from anywhere is a far end, or near one
    const end = breadth(breadth(spot).at(-1)!).at(-1)!;
    for (const each of breadth(end)) {
      met.add(each);
      sorted[each.lane]!.push(each);
    }
  }
  return sorted;
}

function breadth(start: Slot): Slot[] {
  const found = [start];
  const met = new Set(found);
  for (const spot of found) {
    const next = [...spot.left, ...spot.right].filter((each) => !met.has(each));
    next.sort((a, b) => degree(a) - degree(b) || a.at - b.at);
    for (const each of next) {
      if (met.has(each)) continue;
      met.add(each);
      found.push(each);
    }
  }
  return found;
}

const degree = ({ left, right }: Slot) => left.length + right.length;

function put(lane: Slot[], sorted: readonly Slot[]): void {
  sorted.forEach((spot, at) => {
    lane[at] = spot;
    spot.at = at;
  });
}

/** Exchanges neighbours at most: a picture that is looked at is not turned over. @returns the crossings left */
function keepOrder(lanes: readonly Slot[][]): number {
  exchange(lanes);
  return crossingsOf(lanes);
}

/** Tries the order of declaration, and another start. @returns the crossings left */
function order(lanes: readonly Slot[][]): number {
  const first = sweep(lanes);
  let best = first;
  if (first.crossings > 0) {
    byBreadth(lanes).forEach((lane, i) => put(lanes[i]!, lane));
    const other = sweep(lanes);
    if (other.crossings < first.crossings) best = other;
  }
  best.lanes.forEach((lane, i) => put(lanes[i]!, lane));
  return best.crossings;
}

/** Sweeps until it gets no better. @returns the best order met */
function sweep(lanes: readonly Slot[][]): { lanes: Slot[][]; crossings: number } {
  const copy = () => lanes.map((lane) => [...lane]);
  let best = { lanes: copy(), crossings: crossingsOf(lanes) };
  let idle = 0;
  for (let turn = 0; turn < SWEEPS && best.crossings > 0 && idle < 3; turn++) {
    const there = turn % 2 === 0;
    const side = there ? 'left' : 'right';
    for (const lane of there ? lanes : [...lanes].reverse()) {
      const wanted = new Map(lane.map((spot) => [spot, middle(spot[side], spot.at)]));
      put(
        lane,
        [...lane].sort((a, b) => wanted.get(a)! - wanted.get(b)! || a.at - b.at),
      );
    }
    exchange(lanes);
    const crossings = crossingsOf(lanes);
    idle = crossings < best.crossings ? 0 : idle + 1;
    if (crossings < best.crossings) best = { lanes: copy(), crossings };
  }
  return best;
}

/** The mean position of neighbours; without any, one's own. */
function middle(neighbours: readonly Slot[], own: number): number {
  if (neighbours.length === 0) return own;
  let sum = 0;
  for (const { at } of neighbours) sum += at;
  return sum / neighbours.length;
}

/** Exchanges neighbours in a lane where their lines then cross less. */
function exchange(lanes: readonly Slot[][]): void {
  for (let pass = 0; pass < 3; pass++) {
    let better = false;
    for (const lane of lanes) {
      for (let i = 0; i + 1 < lane.length; i++) {
        const [a, b] = [lane[i]!, lane[i + 1]!];
        const now = between(a.left, b.left) + between(a.right, b.right);
        if (now === 0 || between(b.left, a.left) + between(b.right, a.right) >= now) continue;
        [lane[i], lane[i + 1]] = [b, a];
        b.at = i;
        a.at = i + 1;
        better = true;
      }
    }
    if (!better) return;
  }
}

/** How often the lines of an upper node cross those of the one under it. */
function between(upper: readonly Slot[], lower: readonly Slot[]): number {
  let count = 0;
  for (const { at } of upper) for (const other of lower) if (other.at < at) count++;
  return count;
}

function crossingsOf(lanes: readonly Slot[][]): number {
  let count = 0;
  for (const [i, lane] of lanes.entries()) {
    const size = lanes[i + 1]?.length ?? 0;
    if (size === 0) continue;
    // inversions among the right ends, the lines taken from the top: counted with a tree of sums
    const sums = new Int32Array(size + 1);
    let seen = 0;
    for (const spot of lane) {
      const ends = spot.right.map(({ at }) => at).sort((a, b) => a - b);
      for (const end of ends) {
        let notAfter = 0;
        for (let at = end + 1; at > 0; at -= at & -at) notAfter += sums[at]!;
        count += seen - notAfter;
      }
      for (const end of ends) {
        seen++;
        for (let at = end + 1; at <= size; at += at & -at) sums[at]!++;
      }
    }
  }
  return count;
}

/** Gives everything its height. @returns the height of all */
function align(lanes: readonly Slot[][], spacing: Spacing): number {
  const gap = (a: Slot, b: Slot): number => {
    if (a.node && b.node) return spacing.plate + spacing.between;
    return a.node || b.node ? spacing.plate / 2 + spacing.beside : spacing.lines;
  };
  for (const lane of lanes) {
    let y = 0;
    lane.forEach((spot, i) => {
      if (i > 0) y += gap(lane[i - 1]!, spot);
      spot.y = y;
    });
  }
  for (let turn = 0; turn < ALIGNMENTS; turn++) {
    const there = turn % 2 === 0;
    for (const lane of there ? lanes : [...lanes].reverse())
      settleLane(lane, (spot) => wish(spot, there, turn >= ALIGNMENTS - 2), gap);
  }
  const all = lanes.flat();
  const top = Math.min(
    ...lanes.flatMap((lane) => lane.slice(0, 1).map((spot) => spot.y - half(spot, spacing))),
    Infinity,
  );
  const bottom = Math.max(
    ...lanes.flatMap((lane) => lane.slice(-1).map((spot) => spot.y + half(spot, spacing))),
    -Infinity,
  );
  if (all.length === 0) return 0;
  for (const spot of all) spot.y -= top;
  return bottom - top;
}

const half = (spot: Slot, { plate, lines }: Spacing) => (spot.node ? plate : lines) / 2;

/** Where a spot would like to be, and how much it matters: a passing line wants to run level. */
function wish(spot: Slot, there: boolean, both: boolean): { y: number; weight: number } {
  const near = there ? spot.left : spot.right;
  const neighbours = both ? [...spot.left, ...spot.right] : near;
  if (neighbours.length === 0) return { y: spot.y, weight: 0.2 };
  let sum = 0;
  let weight = 0;
  for (const other of neighbours) {
    const each = !spot.node && !other.node ? 8 : spot.node !== other.node ? 2 : 1;
    sum += other.y * each;
    weight += each;
  }
  return { y: sum / weight, weight };
}

/** A run of spots that stand as close as they may. */
interface Pool {
  /** The height of its first, as all in it together would like it. */
  y: number;
  weight: number;
  count: number;
  /** From its first to its last. */
  length: number;
}

/** Least squares under the lane's order: what would collide is pooled and moves as one. */
function settleLane(
  lane: readonly Slot[],
  wishOf: (spot: Slot) => { y: number; weight: number },
  gap: (a: Slot, b: Slot) => number,
): void {
  const pools: Pool[] = [];
  lane.forEach((spot, i) => {
    const wanted = wishOf(spot);
    let pool: Pool = { y: wanted.y, weight: wanted.weight, count: 1, length: 0 };
    let apart = i > 0 ? gap(lane[i - 1]!, spot) : 0;
    for (let above = pools.at(-1); above && above.y + above.length + apart > pool.y; above = pools.at(-1)) {
      const offset = above.length + apart;
      const weight = above.weight + pool.weight;
      const y = (above.y * above.weight + (pool.y - offset) * pool.weight) / weight;
      pools.pop();
      pool = { y, weight, count: above.count + pool.count, length: offset + pool.length };
      const first = i + 1 - pool.count;
      apart = first > 0 ? gap(lane[first - 1]!, lane[first]!) : 0;
    }
    pools.push(pool);
  });
  let i = 0;
  for (const pool of pools) {
    let y = pool.y;
    for (let n = 0; n < pool.count; n++, i++) {
      if (n > 0) y += gap(lane[i - 1]!, lane[i]!);
      lane[i]!.y = y;
    }
  }
}
