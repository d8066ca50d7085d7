import fc from 'fast-check';
import { type Connection, type Placeable, arrange } from './arrange.ts';

const spacing = { plate: 38, between: 14, beside: 10, lines: 12 };
const line = (from: string, to: string): Connection => ({ id: `${from}-${to}`, from, to });

describe('an arrangement', () => {
  test('uncrosses what need not cross', () => {
    const nodes = ['a', 'b', 'c'].flatMap((id, i) => [
      { id, rank: 0 },
      { id: `${id}${i}`, rank: 1 },
    ]);
    const { crossings, heights } = arrange(
      nodes,
      [line('a', 'c2'), line('b', 'b1'), line('c', 'a0')],
      spacing,
    );
    expect(crossings).toBe(0);
    expect(heights.get('a')).toBe(heights.get('c2'));
    expect(heights.get('c')).toBe(heights.get('a0'));
  });

  test('a line that passes a lane has a place there, beside the plates, and runs level', () => {
    const nodes = [
      { id: 'a', rank: 0 },
      { id: 'm', rank: 1 },
      { id: 'z', rank: 2 },
    ];
    const { passes, heights } = arrange(nodes, [line('a', 'm'), line('m', 'z'), line('a', 'z')], spacing);
    const [pass] = passes.get('a-z')!;
    expect(pass!.rank).toBe(1);
    expect(Math.abs(pass!.height - heights.get('m')!)).toBeGreaterThanOrEqual(38 / 2 + 10);
  });

  test('keeps an earlier order where it is no worse, and puts what is new where it was declared', () => {
    const nodes = ['a', 'b', 'c'].map((id) => ({ id, rank: 0 }));
    const first = arrange(
      nodes,
      [],
      spacing,
      new Map([
        ['c', 1],
        ['b', 2],
        ['a', 3],
      ]),
    );
    const sorted = (heights: ReadonlyMap<string, number>) =>
      [...heights].sort((x, y) => x[1] - y[1]).map(([id]) => id);
    expect(sorted(first.heights)).toEqual(['c', 'b', 'a']);
    const more = [...nodes.slice(0, 1), { id: 'new', rank: 0 }, ...nodes.slice(1)];
    expect(sorted(arrange(more, [], spacing, first.heights).heights)).toEqual(['c', 'b', 'a', 'new']);
  });

  test('of nothing has no height', () => {
    expect(arrange([], [], spacing)).toMatchObject({ height: 0, crossings: 0 });
  });
});

const graphs = fc
  .record({
    ranks: fc.array(fc.integer({ min: 0, max: 5 }), { minLength: 1, maxLength: 30 }),
    pairs: fc.array(fc.tuple(fc.nat(29), fc.nat(29)), { maxLength: 60 }),
  })
  .map(({ ranks, pairs }) => {
    const nodes: Placeable[] = ranks.map((rank, i) => ({ id: `n${i}`, rank }));
    const connections = pairs.flatMap(([a, b], i): Connection[] => {
      const [from, to] = [nodes[a % nodes.length]!, nodes[b % nodes.length]!];
      return [{ id: `e${i}`, from: from.id, to: to.id }];
    });
    return { nodes, connections };
  });

/** Crossings counted the plain way, from the heights. */
function crossingsIn({ nodes, connections }: { nodes: Placeable[]; connections: Connection[] }): number {
  const { heights, passes } = arrange(nodes, connections, spacing);
  const rankOf = new Map(nodes.map(({ id, rank }) => [id, rank]));
  const pieces = connections.flatMap(({ id, from, to }) => {
    if (rankOf.get(from)! >= rankOf.get(to)!) return [];
    const ys = [
      { rank: rankOf.get(from)!, height: heights.get(from)! },
      ...(passes.get(id) ?? []),
      { rank: rankOf.get(to)!, height: heights.get(to)! },
    ];
    return ys.slice(1).map((end, i) => ({ lane: ys[i]!.rank, from: ys[i]!.height, to: end.height }));
  });
  let count = 0;
  for (const [i, a] of pieces.entries())
    for (const b of pieces.slice(i + 1))
      if (a.lane === b.lane && (a.from - b.from) * (a.to - b.to) < -1e-9) count++;
  return count;
}

test('nothing overlaps, all is in view, and the crossings told are those drawn', () => {
  fc.assert(
    fc.property(graphs, (graph) => {
      const found = arrange(graph.nodes, graph.connections, spacing);
      const byRank = new Map<number, number[]>();
      for (const { id, rank } of graph.nodes) {
        const y = found.heights.get(id)!;
        expect(y).toBeGreaterThanOrEqual(19 - 1e-6);
        expect(y).toBeLessThanOrEqual(found.height - 19 + 1e-6);
        byRank.set(rank, [...(byRank.get(rank) ?? []), y]);
      }
      for (const ys of byRank.values()) {
        const sorted = ys.sort((a, b) => a - b);
        for (let i = 1; i < sorted.length; i++)
          expect(sorted[i]! - sorted[i - 1]!).toBeGreaterThanOrEqual(38 + 14 - 1e-6);
      }
      expect(found.crossings).toBe(crossingsIn(graph));
      expect(arrange(graph.nodes, graph.connections, spacing)).toEqual(found);
    }),
    { numRuns: 200 },
  );
});
