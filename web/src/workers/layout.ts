/**
 * Places the graph: lanes from left to right (publishers, entries, inner routing, stores, takers),
 * brokers as bands below each other. Within a band the order and the ways of lines come from ELK's
 * layered layout; the columns of all bands are then brought to the same x, each band's x being
 * stretched piece by piece, so that no line leaves the corridor ELK gave it. What crosses bands
 * runs in the corridors between columns and bands, where there are no plates.
 */
import ELK, { type ElkExtendedEdge, type ElkNode } from 'elkjs/lib/elk.bundled.js';
import type { Band, EdgeView, Layout, NodeView, PlacedEdge } from './views.ts';

const PLATE = { width: 138, height: 38 };
const ROW_GAP = 14;
/** Room between the columns: narrow beside apps, wide where bindings carry words. */
const GAP = { narrow: 44, wide: 86 };
const BAND_PAD = { top: 30, bottom: 14, side: 14 };
const GUTTER = 26;
const TOP = 34;
const LABEL = { character: 6.7, height: 13 };
/** Chains of exchanges longer than this share their last column. */
const MOST_INNER = 6;
const LANES = ['publish', 'enter at', 'routed through', 'rest in', 'taken by'];

type Point = { x: number; y: number };

/** A node's place across: its lane, and within inner routing how many exchanges stand before it. */
interface Slot {
  readonly lane: number;
  readonly sub: number;
}

const INNER: ReadonlySet<EdgeView['kind']> = new Set(['binding', 'unrouted', 'alias', 'member']);

/** Puts every node in its slot, from its role and what leads to it. */
function slotsOf(nodes: readonly NodeView[], edges: readonly EdgeView[]): Map<string, Slot> {
  const roles = new Map(nodes.map((node) => [node.id, node.role]));
  const isStore = (id: string) => roles.get(id) === 'queue' || roles.get(id) === 'subscription';
  const inner = edges.filter((edge) => INNER.has(edge.kind) && !isStore(edge.to));
  const before = new Map<string, string[]>();
  for (const { from, to } of inner) before.set(to, [...(before.get(to) ?? []), from]);
  const depths = new Map<string, number>();
  const depth = (id: string, open: ReadonlySet<string>): number => {
    const known = depths.get(id);
    if (known !== undefined) return known;
    const inside = new Set(open).add(id);
    const found = (before.get(id) ?? [])
      .filter((each) => !inside.has(each))
      .map((each) => depth(each, inside) + 1);
    const result = Math.min(MOST_INNER, Math.max(0, ...found));
    depths.set(id, result);
    return result;
  };
  // what publishers address is asked last: in a circle of exchanges it is then the one that comes first
  const published = new Set(edges.filter((edge) => edge.kind === 'publish').map((edge) => edge.to));
  for (const { id } of nodes) if (!published.has(id)) depth(id, new Set());
  return new Map(
    nodes.map(({ id, role }) => {
      if (role === 'broker') return [id, { lane: 2, sub: 0 }];
      if (role === 'publisher') return [id, { lane: 0, sub: 0 }];
      if (role === 'taker') return [id, { lane: 4, sub: 0 }];
      if (isStore(id)) return [id, { lane: 3, sub: 0 }];
      const steps = depth(id, new Set());
      return [id, steps === 0 ? { lane: 1, sub: 0 } : { lane: 2, sub: steps - 1 }];
    }),
  );
}

const rank = ({ lane, sub }: Slot) => (lane === 2 ? 2 + sub : lane < 2 ? lane : lane + MOST_INNER);

export async function layOut(
  nodes: readonly NodeView[],
  edges: readonly EdgeView[],
  brokers: ReadonlyMap<string, string>,
): Promise<Layout> {
  const byId = new Map(nodes.map((node) => [node.id, node]));
  const slots = slotsOf(nodes, edges);
  const bandOf = homes(nodes, edges, byId);
  const sizes = new Map<string, number>();
  for (const band of bandOf.values()) sizes.set(band, (sizes.get(band) ?? 0) + 1);
  // the broker where most happens comes first
  const bandNames = [...sizes].sort((a, b) => b[1] - a[1]).map(([name]) => name);

  const elk = new ELK();
  const arranged = await Promise.all(
    bandNames.map(async (name) => {
      const own = nodes.filter((node) => bandOf.get(node.id) === name);
      const within = edges.filter(
        (edge) =>
          bandOf.get(edge.from) === name &&
          bandOf.get(edge.to) === name &&
          rank(slots.get(edge.from)!) < rank(slots.get(edge.to)!),
      );
      return { name, own, result: await elk.layout(elkGraph(own, within, slots)) };
    }),
  );

  // the columns: a lane may hold several, where exchanges follow each other
  const columns = arranged.map(({ own, result }) => columnsOf(own, result, slots));
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
    lines.set(edge.id, crossBands(edge, from, to, slots, bands, left, crossing++));
  }

  label(lines, edges, placed);

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
  slots: ReadonlyMap<string, Slot>,
): ElkNode {
  return {
    id: 'band',
    layoutOptions: {
      'elk.algorithm': 'layered',
      'elk.direction': 'RIGHT',
      // components on their own would have columns of their own
      'elk.separateConnectedComponents': 'false',
      // the lanes are known: layers come from the x given to each node
      'elk.layered.layering.strategy': 'INTERACTIVE',
      'elk.layered.cycleBreaking.strategy': 'INTERACTIVE',
      'elk.edgeRouting': 'POLYLINE',
      'elk.padding': '[top=0,left=0,bottom=0,right=0]',
      'elk.spacing.nodeNode': String(ROW_GAP),
      'elk.spacing.edgeNode': '14',
      'elk.spacing.edgeEdge': '16',
      'elk.layered.spacing.nodeNodeBetweenLayers': '34',
      'elk.layered.spacing.edgeNodeBetweenLayers': '10',
      'elk.layered.considerModelOrder.strategy': 'PREFER_EDGES',
      'elk.layered.nodePlacement.strategy': 'NETWORK_SIMPLEX',
    },
    children: nodes.map((node, index) => ({
      id: node.id,
      ...PLATE,
      x: rank(slots.get(node.id)!) * 400,
      y: index * 60,
    })),
    edges: edges.map(({ id, from, to }) => ({ id, sources: [from], targets: [to] })),
  };
}

interface Column {
  lane: number;
  /** Which of its lane's columns it is. */
  sub: number;
  x: number;
  ids: Set<string>;
}

function columnsOf(own: readonly NodeView[], result: ElkNode, slots: ReadonlyMap<string, Slot>): Column[] {
  const columns = new Map<number, Column>();
  const at = new Map((result.children ?? []).map((child) => [child.id, child.x ?? 0]));
  for (const { id } of own) {
    const slot = slots.get(id)!;
    const column = columns.get(rank(slot)) ?? { ...slot, x: at.get(id)!, ids: new Set<string>() };
    column.ids.add(id);
    columns.set(rank(slot), column);
  }
  return [...columns.values()].sort((a, b) => a.x - b.x);
}

/** Global columns, wide enough for every band's own. */
function shareColumns(bands: readonly (readonly Column[])[]) {
  const keys = new Map<string, { lane: number; sub: number; x: number }>();
  for (const lane of LANES.keys()) if (lane !== 2) keys.set(`${lane}.0`, { lane, sub: 0, x: 0 });
  for (const { lane, sub } of bands.flat()) keys.set(`${lane}.${sub}`, { lane, sub, x: 0 });
  const ordered = [...keys.values()].sort((a, b) => a.lane - b.lane || a.sub - b.sub);
  const index = new Map(ordered.map((key, i) => [`${key.lane}.${key.sub}`, i]));
  ordered.forEach((key, i) => {
    const before = ordered[i - 1];
    const gap = key.lane === 1 || key.lane === 4 ? GAP.narrow : GAP.wide;
    key.x = before ? before.x + PLATE.width + gap : 14;
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
  const points = [section.startPoint, ...(section.bendPoints ?? []), section.endPoint];
  return { id: edge.id, points: points.map(({ x, y }) => ({ x: stretch(x), y: top + y })) };
}

interface Box {
  x: number;
  y: number;
  width: number;
  height: number;
}

const overlap = (a: Box, b: Box) =>
  a.x < b.x + b.width && b.x < a.x + a.width && a.y < b.y + b.height && b.y < a.y + a.height;

/**
 * Puts words on lines where there is room: on the longest level stretch, else where the line comes
 * in at its target. A label that would meet a plate or another label is left out; it is still told
 * when the line is pointed at.
 */
function label(
  lines: Map<string, PlacedEdge>,
  edges: readonly EdgeView[],
  placed: ReadonlyMap<string, Point>,
): void {
  const taken: Box[] = [...placed.values()].map(({ x, y }) => ({ x, y, ...PLATE }));
  // in a crowd every label would meet some line; there the halo behind the words must do
  const courses = edges.length > 300 ? [] : [...lines.values()].map(({ points }) => course(points));
  const crossed = (box: Box) =>
    courses.some((at) => at.some((point) => overlap(box, { ...point, width: 0, height: 0 })));
  for (const { id, label: words } of edges) {
    const line = lines.get(id);
    if (!line || !words || line.label) continue;
    const { points } = line;
    const last = points.at(-1)!;
    const level = points
      .slice(1)
      .map((to, i) => ({ from: points[i]!, to }))
      .filter(({ from, to }) => Math.abs(from.y - to.y) < 1 && to.x - from.x > 40)
      .sort((a, b) => b.to.x - b.from.x - (a.to.x - a.from.x));
    const rooms = [
      ...level.map(({ from, to }) => ({ x: from.x + 8, right: to.x - 8, y: from.y })),
      { x: last.x - GAP.wide + 14, right: last.x - 6, y: last.y },
    ];
    for (const room of rooms) {
      const text = clip(words, Math.floor((room.right - room.x) / LABEL.character));
      const width = [...text].length * LABEL.character;
      const x = (room.x + room.right) / 2;
      const box = { x: x - width / 2, y: room.y - LABEL.height - 2, width, height: LABEL.height };
      if (text.length < 4 && text !== words) continue;
      if (taken.some((other) => overlap(box, other)) || crossed(box)) continue;
      taken.push(box);
      lines.set(id, { ...line, label: { x, y: room.y - 4, text } });
      break;
    }
  }
}

/** Points along a line as it is drawn: level to level in a curve. */
function course(points: readonly Point[]): Point[] {
  return points.slice(1).flatMap((to, i) => {
    const from = points[i]!;
    const steps = Math.max(2, Math.ceil((Math.abs(to.x - from.x) + Math.abs(to.y - from.y)) / 8));
    return Array.from({ length: steps + 1 }, (_, step) => {
      const t = step / steps;
      const rise = to.x === from.x ? t : t * t * (3 - 2 * t);
      return { x: from.x + (to.x - from.x) * t, y: from.y + (to.y - from.y) * rise };
    });
  });
}

function clip(text: string, most: number): string {
  const characters = [...text];
  return characters.length > most ? `${characters.slice(0, most - 1).join('')}…` : text;
}

/**
 * A line outside the layered order: between bands, or back to the left. Out to the corridor behind
 * its plate, along a gutter, in from the corridor before its target.
 */
function crossBands(
  edge: EdgeView,
  from: Point,
  to: Point,
  slots: ReadonlyMap<string, Slot>,
  bands: readonly Band[],
  left: number,
  count: number,
): PlacedEdge {
  const start = { x: from.x + PLATE.width, y: from.y + PLATE.height / 2 };
  const end = { x: to.x, y: to.y + PLATE.height / 2 };
  const shift = (count % 4) * 4;
  const out = start.x + 10 + shift;
  // one store to another: round the right of both
  if (from.x === to.x) {
    const back = { x: to.x + PLATE.width, y: end.y + 6 };
    return { id: edge.id, points: [start, { x: out, y: start.y }, { x: out, y: back.y }, back] };
  }
  // neighbouring columns see each other through the corridor between them
  if (end.x > start.x && end.x - start.x < PLATE.width) return { id: edge.id, points: [start, end] };
  const into = slots.get(edge.to)!.lane === 1 ? left - 10 - shift : end.x - 14 - shift;
  const home = bands.find((each) => start.y >= each.y && start.y <= each.y + each.height);
  const down = end.y > start.y || (home !== undefined && end.y >= home.y);
  const gutter = home
    ? (down ? home.y + home.height + GUTTER / 2 : home.y - GUTTER / 2) + (count % 3) * 5 - 5
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
