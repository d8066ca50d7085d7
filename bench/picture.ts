/** Laying out a large graph of known lanes: order and align, beside ELK's layered layout. */
import { arrange, type Connection, type Placeable } from '@vondle/core/analysis';
import ELK, { type ElkNode } from 'elkjs/lib/elk.bundled.js';
import { print } from './measure.ts';
import { sequence } from './topologies.ts';

const PLATE = { width: 138, height: 38 };
const SPACING = { plate: PLATE.height, between: 14, beside: 10, lines: 12 };

interface Picture {
  readonly nodes: readonly Placeable[];
  readonly edges: readonly Connection[];
}

/** Publishers, entries, inner routing, stores and takers, wired as topologies are: mostly near each other. */
function pictureOf(nodes: number, edges: number): Picture {
  const upTo = sequence(7);
  const next = () => upTo(1_000_000) / 1_000_000;
  const shares = [0.15, 0.1, 0.05, 0.5, 0.2];
  const lanes = shares.map((share, rank) =>
    Array.from({ length: Math.round(nodes * share) }, (_, i) => ({ id: `n${rank}-${i}`, rank })),
  );
  const pick = (rank: number, near: number) => {
    const lane = lanes[rank]!;
    const at = Math.floor((near + (next() - 0.5) * 0.06) * lane.length);
    return lane[Math.min(lane.length - 1, Math.max(0, at))]!.id;
  };
  const ways = [
    [0, 1, 0.2],
    [1, 2, 0.07],
    [1, 3, 0.35],
    [2, 3, 0.1],
    [3, 4, 0.25],
    [0, 3, 0.03],
  ] as const;
  const made = ways.flatMap(([from, to, share]) =>
    Array.from({ length: Math.round(edges * share) }, () => {
      const near = next();
      return { from: pick(from, near), to: pick(to, near) };
    }),
  );
  // in no order: the order is what is to be found
  const shuffled = <T>(items: T[]) =>
    items
      .map((item) => ({ item, at: next() }))
      .sort((a, b) => a.at - b.at)
      .map(({ item }) => item);
  return {
    nodes: shuffled(lanes.flat()),
    edges: shuffled(made.map((edge, i) => ({ id: `e${i}`, ...edge }))),
  };
}

type Point = { readonly x: number; readonly y: number };
type Drawn = readonly (readonly Point[])[];

function arranged({ nodes, edges }: Picture): Drawn {
  const { heights, passes } = arrange(nodes, edges, SPACING);
  const rank = new Map(nodes.map((node) => [node.id, node.rank]));
  const x = (of: number) => of * 240;
  return edges.map(({ id, from, to }) => [
    { x: x(rank.get(from)!) + PLATE.width, y: heights.get(from)! },
    ...(passes.get(id) ?? []).flatMap((pass) => [
      { x: x(pass.rank), y: pass.height },
      { x: x(pass.rank) + PLATE.width, y: pass.height },
    ]),
    { x: x(rank.get(to)!), y: heights.get(to)! },
  ]);
}

async function byElk({ nodes, edges }: Picture, options: Record<string, string>): Promise<Drawn> {
  const result: ElkNode = await new ELK().layout({
    id: 'all',
    layoutOptions: {
      'elk.algorithm': 'layered',
      'elk.direction': 'RIGHT',
      'elk.separateConnectedComponents': 'false',
      'elk.layered.layering.strategy': 'INTERACTIVE',
      'elk.layered.cycleBreaking.strategy': 'INTERACTIVE',
      'elk.edgeRouting': 'POLYLINE',
      ...options,
    },
    children: nodes.map(({ id, rank }, i) => ({ id, ...PLATE, x: rank * 400, y: i * 60 })),
    edges: edges.map(({ id, from, to }) => ({ id, sources: [from], targets: [to] })),
  });
  return (result.edges ?? []).flatMap(({ sections }) =>
    (sections ?? []).map(({ startPoint, bendPoints, endPoint }) => [
      startPoint,
      ...(bendPoints ?? []),
      endPoint,
    ]),
  );
}

/** How often lines cross in what is drawn; lines that begin or end together there do not. */
function crossings(lines: Drawn): number {
  const pieces = lines
    .flatMap((line) => line.slice(1).map((to, i) => ({ from: line[i]!, to })))
    .map(({ from, to }) => (from.x <= to.x ? { from, to } : { from: to, to: from }))
    .sort((a, b) => a.from.x - b.from.x);
  let count = 0;
  for (const [i, a] of pieces.entries()) {
    for (let j = i + 1; j < pieces.length && pieces[j]!.from.x < a.to.x; j++) {
      const b = pieces[j]!;
      const left = Math.max(a.from.x, b.from.x);
      const right = Math.min(a.to.x, b.to.x);
      if (right <= left) continue;
      const at = ({ from, to }: typeof a, x: number) =>
        from.y + ((to.y - from.y) * (x - from.x)) / (to.x - from.x);
      if ((at(a, left) - at(b, left)) * (at(a, right) - at(b, right)) < -1e-6) count++;
    }
  }
  return count;
}

export async function picture(): Promise<void> {
  for (const [nodes, edges] of [
    [500, 750],
    [2_000, 3_000],
  ] as const) {
    const of = pictureOf(nodes, edges);
    const ways: Record<string, () => Drawn | Promise<Drawn>> = {
      'vondle: order and align': () => arranged(of),
      'elkjs layered, as it comes': () => byElk(of, {}),
      'elkjs layered, at its cheapest': () =>
        byElk(of, {
          'elk.layered.thoroughness': '1',
          'elk.layered.nodePlacement.strategy': 'SIMPLE',
          'elk.layered.crossingMinimization.greedySwitch.type': 'OFF',
        }),
    };
    const measured = [];
    for (const [name, draw] of Object.entries(ways)) {
      const began = performance.now();
      const drawn = await draw();
      const ms = performance.now() - began;
      measured.push({ name: `${name} (${crossings(drawn).toLocaleString('en')} crossings)`, ms });
    }
    print(`laying out ${nodes.toLocaleString('en')} nodes and ${edges.toLocaleString('en')} lines`, measured);
  }
}
