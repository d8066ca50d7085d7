/**
 * Places the graph: lanes from left to right (publishers, entries, inner routing, stores, takers),
 * brokers as bands below each other. Within a band the order and the ways of lines come from ELK's
 * layered layout; the columns of all bands are then brought to the same x, each band's x being
 * stretched piece by piece, so that no line leaves the corridor ELK gave it. What crosses bands
 * runs in the corridors between columns and bands, where there are no plates.
 */
import ELK, { type ElkExtendedEdge, type ElkNode } from 'elkjs/lib/elk.bundled.js';
import type { Band, EdgeView, Layout, NodeView, PlacedEdge } from './views.ts';

const PLATE = { width: 148, height: 38 };
const ROW_GAP = 14;
const LEAST_GAP = 44;
const BAND_PAD = { top: 30, bottom: 14, side: 14 };
const GUTTER = 26;
const TOP = 34;
const LABEL = { size: 6.7, height: 15, longest: 19 };
const LANES = ['publish', 'enter at', 'routed through', 'rest in', 'taken by'];

type Point = { x: number; y: number };

/** Which lane a node stands in, from its role and what leads to it. */
function laneOf(node: NodeView, reachedInside: ReadonlySet<string>): number {
  if (node.role === 'publisher') return 0;
  if (node.role === 'taker') return 4;
  if (node.role === 'queue' || node.role === 'subscription') return 3;
  return reachedInside.has(node.id) ? 2 : 1;
}

export async function layOut(
  nodes: readonly NodeView[],
  edges: readonly EdgeView[],
  brokers: ReadonlyMap<string, string>,
): Promise<Layout> {
  const byId = new Map(nodes.map((node) => [node.id, node]));
  const inner = new Set(
    edges
      .filter((edge) => ['binding', 'unrouted', 'alias', 'member'].includes(edge.kind))
      .map((edge) => edge.to),
  );
  const lane = new Map(nodes.map((node) => [node.id, laneOf(node, inner)]));
  const bandOf = homes(nodes, edges, byId);
  const bandNames = [...new Set([...brokers.keys(), ...bandOf.values()])].filter((name) =>
    nodes.some((node) => bandOf.get(node.id) === name),
  );

  const elk = new ELK();
  const arranged = await Promise.all(
    bandNames.map(async (name) => {
      const own = nodes.filter((node) => bandOf.get(node.id) === name);
      const within = edges.filter((edge) => bandOf.get(edge.from) === name && bandOf.get(edge.to) === name);
      return { name, own, result: await elk.layout(elkGraph(own, within, lane)) };
    }),
  );

  // the columns: a lane may hold several, where exchanges follow each other
  const columns = arranged.map(({ own, result }) => columnsOf(own, result, lane));
  const shared = shareColumns(columns);

  const placed = new Map<string, Point>();
  const lines = new Map<string, PlacedEdge>();
  const bands: Band[] = [];
  let y = TOP;
  for (const [index, { name, result }] of arranged.entries()) {
    const stretch = stretcher(columns[index]!, shared);
    const top = y + BAND_PAD.top;
    for (const child of result.children ?? []) {
      const column = columns[index]!.find((each) => each.ids.has(child.id))!;
      placed.set(child.id, { x: shared.at(column), y: top + (child.y ?? 0) });
    }
    for (const edge of result.edges ?? []) {
      const line = lineOf(edge, stretch, top);
      if (line) lines.set(edge.id, line);
    }
    const height = BAND_PAD.top + (result.height ?? 0) + BAND_PAD.bottom;
    bands.push({ broker: name, kind: brokers.get(name) ?? '', x: 0, y, width: 0, height });
    y += height + GUTTER;
  }

  const left = shared.laneLeft(1) - BAND_PAD.side;
  const right = shared.laneLeft(3) + PLATE.width + BAND_PAD.side;
  for (const band of bands) Object.assign(band, { x: left, width: right - left });

  let crossing = 0;
  for (const edge of edges) {
    if (lines.has(edge.id)) continue;
    const [from, to] = [placed.get(edge.from), placed.get(edge.to)];
    if (!from || !to) continue;
    lines.set(edge.id, crossBands(edge, from, to, lane, bands, left, crossing++));
  }

  return {
    width: shared.laneLeft(4) + PLATE.width + 14,
    height: y,
    plate: PLATE,
    bands: bands.filter((band) => brokers.has(band.broker)),
    lanes: LANES.map((title, index) => ({ title, x: shared.laneLeft(index) })),
    nodes: [...placed].map(([id, point]) => ({ id, ...point })),
    edges: [...lines.values()],
  };
}

/** The band each node is drawn in: its broker; for apps and spreads, the one most of their ways lead to. */
function homes(
  nodes: readonly NodeView[],
  edges: readonly EdgeView[],
  byId: ReadonlyMap<string, NodeView>,
): Map<string, string> {
  const counts = new Map<string, Map<string, number>>();
  for (const edge of edges) {
    for (const [of, other] of [
      [edge.from, edge.to],
      [edge.to, edge.from],
    ] as const) {
      const broker = byId.get(other)?.broker;
      if (byId.get(of)?.broker || !broker) continue;
      const count = counts.get(of) ?? new Map<string, number>();
      count.set(broker, (count.get(broker) ?? 0) + 1);
      counts.set(of, count);
    }
  }
  const mostOf = (id: string) => [...(counts.get(id) ?? [])].sort((a, b) => b[1] - a[1])[0]?.[0];
  const fallback = nodes.find((node) => node.broker)?.broker ?? '';
  return new Map(nodes.map((node) => [node.id, node.broker || mostOf(node.id) || fallback]));
}

function elkGraph(
  nodes: readonly NodeView[],
  edges: readonly EdgeView[],
  lane: ReadonlyMap<string, number>,
): ElkNode {
  return {
    id: 'band',
    layoutOptions: {
      'elk.algorithm': 'layered',
      'elk.direction': 'RIGHT',
      'elk.partitioning.activate': 'true',
      'elk.edgeRouting': 'POLYLINE',
      'elk.padding': '[top=0,left=0,bottom=0,right=0]',
      'elk.spacing.nodeNode': String(ROW_GAP),
      'elk.spacing.edgeNode': '10',
      'elk.spacing.edgeEdge': '8',
      'elk.layered.spacing.nodeNodeBetweenLayers': '34',
      'elk.layered.spacing.edgeNodeBetweenLayers': '10',
      'elk.layered.considerModelOrder.strategy': 'PREFER_EDGES',
      'elk.layered.nodePlacement.strategy': 'NETWORK_SIMPLEX',
      'elk.layered.feedbackEdges': 'true',
      'elk.layered.edgeLabels.sideSelection': 'ALWAYS_UP',
      'elk.layered.edgeLabels.centerLabelPlacementStrategy': 'SPACE_EFFICIENT_LAYER',
    },
    children: nodes.map((node) => ({
      id: node.id,
      ...PLATE,
      layoutOptions: { 'elk.partitioning.partition': String(lane.get(node.id)) },
    })),
    edges: edges.map((edge) => ({
      id: edge.id,
      sources: [edge.from],
      targets: [edge.to],
      labels: edge.label
        ? [
            {
              text: clip(edge.label),
              width: Math.min(edge.label.length, LABEL.longest) * LABEL.size + 8,
              height: LABEL.height,
            },
          ]
        : [],
    })),
  };
}

export function clip(text: string): string {
  return text.length > LABEL.longest ? `${text.slice(0, LABEL.longest - 1)}…` : text;
}

interface Column {
  lane: number;
  /** Which of its lane's columns it is. */
  sub: number;
  x: number;
  ids: Set<string>;
}

function columnsOf(own: readonly NodeView[], result: ElkNode, lane: ReadonlyMap<string, number>): Column[] {
  const columns: Column[] = [];
  const children = [...(result.children ?? [])].sort((a, b) => (a.x ?? 0) - (b.x ?? 0));
  for (const child of children) {
    const of = lane.get(child.id)!;
    const last = columns.at(-1);
    if (last && last.lane === of && Math.abs(last.x - (child.x ?? 0)) < PLATE.width / 2)
      last.ids.add(child.id);
    else {
      const sub = columns.filter((column) => column.lane === of).length;
      columns.push({ lane: of, sub, x: child.x ?? 0, ids: new Set([child.id]) });
    }
  }
  return columns;
}

/** Global columns, wide enough for every band's own. */
function shareColumns(bands: readonly (readonly Column[])[]) {
  const keys = new Map<string, { lane: number; sub: number; x: number }>();
  for (const lane of LANES.keys()) if (lane !== 2) keys.set(`${lane}.0`, { lane, sub: 0, x: 0 });
  for (const { lane, sub } of bands.flat()) keys.set(`${lane}.${sub}`, { lane, sub, x: 0 });
  const ordered = [...keys.values()].sort((a, b) => a.lane - b.lane || a.sub - b.sub);
  const index = new Map(ordered.map((key, i) => [`${key.lane}.${key.sub}`, i]));
  ordered.forEach((key, i) => {
    if (i === 0) key.x = 14;
    else key.x = ordered[i - 1]!.x + PLATE.width + LEAST_GAP;
    // every band whose columns end here needs at least the room it has between them
    for (const columns of bands) {
      const at = columns.findIndex((column) => index.get(`${column.lane}.${column.sub}`) === i);
      if (at <= 0) continue;
      const before = columns[at - 1]!;
      const room = columns[at]!.x - before.x;
      key.x = Math.max(key.x, ordered[index.get(`${before.lane}.${before.sub}`)!]!.x + room);
    }
  });
  return {
    at: (column: { lane: number; sub: number }) => ordered[index.get(`${column.lane}.${column.sub}`)!]!.x,
    laneLeft: (lane: number) => (ordered.find((key) => key.lane >= lane) ?? ordered.at(-1)!).x,
  };
}

/** The function that carries a band's own x to the shared one, linear between its columns' edges. */
function stretcher(
  columns: readonly Column[],
  shared: { at: (column: Column) => number },
): (x: number) => number {
  const knots = columns.flatMap((column) => {
    const to = shared.at(column);
    return [
      { from: column.x, to },
      { from: column.x + PLATE.width, to: to + PLATE.width },
    ];
  });
  return (x) => {
    const first = knots[0];
    const last = knots.at(-1);
    if (!first || !last) return x;
    if (x <= first.from) return first.to + (x - first.from);
    if (x >= last.from) return last.to + (x - last.from);
    const i = knots.findIndex((knot) => knot.from >= x);
    const [a, b] = [knots[i - 1]!, knots[i]!];
    return b.from === a.from ? b.to : a.to + ((x - a.from) / (b.from - a.from)) * (b.to - a.to);
  };
}

function lineOf(edge: ElkExtendedEdge, stretch: (x: number) => number, top: number): PlacedEdge | undefined {
  const [section] = edge.sections ?? [];
  if (!section) return undefined;
  const move = ({ x, y }: Point) => ({ x: stretch(x), y: top + y });
  const points = [section.startPoint, ...(section.bendPoints ?? []), section.endPoint].map(move);
  const [label] = edge.labels ?? [];
  if (!label?.text) return { id: edge.id, points };
  const middle = (label.x ?? 0) + (label.width ?? 0) / 2;
  return {
    id: edge.id,
    points,
    label: { x: stretch(middle), y: top + (label.y ?? 0) + (label.height ?? 0) - 4, text: label.text },
  };
}

/** A line between bands: out to the corridor behind its plate, along a gutter, in from the corridor before its target. */
function crossBands(
  edge: EdgeView,
  from: Point,
  to: Point,
  lane: ReadonlyMap<string, number>,
  bands: readonly Band[],
  left: number,
  count: number,
): PlacedEdge {
  const start = { x: from.x + PLATE.width, y: from.y + PLATE.height / 2 };
  const end = { x: to.x, y: to.y + PLATE.height / 2 };
  // neighbouring columns see each other through the corridor between them
  if (lane.get(edge.to)! > lane.get(edge.from)! && end.x - start.x < PLATE.width)
    return { id: edge.id, points: [start, end] };
  const shift = (count % 4) * 5;
  const out = start.x + 12 + shift;
  const into = lane.get(edge.to) === 1 ? left - 12 - shift : end.x - 16 - shift;
  const down = end.y > start.y;
  const band = bands.find((each) => start.y >= each.y && start.y <= each.y + each.height);
  const gutter = band
    ? (down ? band.y + band.height + GUTTER / 2 : band.y - GUTTER / 2) + (count % 3) * 4 - 4
    : start.y;
  const points = [
    start,
    { x: out, y: start.y },
    { x: out, y: gutter },
    { x: into, y: gutter },
    { x: into, y: end.y },
    end,
  ];
  if (!edge.label) return { id: edge.id, points };
  return { id: edge.id, points, label: { x: (out + into) / 2, y: gutter - 4, text: edge.label } };
}
