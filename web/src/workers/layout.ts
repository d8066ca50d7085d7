/**
 * Places the graph: lanes from left to right (publishers, entries, inner routing, stores, takers),
 * brokers as bands below each other. Within a band core's arrangement gives the order and the heights;
 * all bands share their columns. What crosses bands runs in the corridors between columns and bands,
 * where there are no plates.
 */
import { arrange, type Arrangement } from '@vondle/core/analysis';
import type { Band, EdgeView, Layout, NodeView, PlacedEdge } from './views.ts';

/** A plate grows with the longest name on it as far as there is room, and shrinks a little where there is none. */
const PLATE = { least: 112, usual: 138, most: 236, height: 38, letter: 7.6, round: 38 };
/** Between plates, beside a passing line, between passing lines; the first leaves room for words over lines. */
const SPACING = { plate: PLATE.height, between: 14, beside: 14, lines: 16 };
const MARGIN = 14;
/** Room between the columns: narrow beside apps, wide where bindings carry words. */
const GAP = { narrow: 44, wide: 86 };
/** The same where there is little room. */
const TIGHT = { narrow: 30, wide: 60 };
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
    const result = Math.min(
      MOST_INNER,
      found.reduce((most, each) => Math.max(most, each), 0),
    );
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

/**
 * @param brokers the kind of each broker, in words
 * @param before where everything stood, so that a small edit moves little
 * @param room how wide the drawing may be without being made smaller; 0 where that is not known
 */
export function layOut(
  nodes: readonly NodeView[],
  edges: readonly EdgeView[],
  brokers: ReadonlyMap<string, string>,
  before?: Layout,
  room = 0,
): Layout {
  const byId = new Map(nodes.map((node) => [node.id, node]));
  const slots = slotsOf(nodes, edges);
  const bandOf = homes(nodes, edges, byId);
  const members = new Map<string, NodeView[]>();
  for (const node of nodes) {
    const band = bandOf.get(node.id)!;
    const own = members.get(band);
    if (own) own.push(node);
    else members.set(band, [node]);
  }
  const inside = new Map<string, EdgeView[]>();
  for (const edge of edges) {
    const band = bandOf.get(edge.from);
    if (band === undefined || band !== bandOf.get(edge.to)) continue;
    if (rank(slots.get(edge.from)!) >= rank(slots.get(edge.to)!)) continue;
    const own = inside.get(band);
    if (own) own.push(edge);
    else inside.set(band, [edge]);
  }
  const earlier = before && new Map(before.nodes.map(({ id, y }) => [id, y]));
  // a band that is mostly new is put in order anew
  const isKnown = (own: readonly NodeView[]) =>
    earlier !== undefined && own.filter(({ id }) => earlier.has(id)).length >= 0.7 * own.length;
  const columns = columnsOf(slots.values(), nodes, room);
  const plate = { width: columns.width, height: PLATE.height };

  const placed = new Map<string, Point>();
  const lines = new Map<string, PlacedEdge>();
  const bands: Band[] = [];
  let y = TOP;
  // the broker where most happens comes first
  for (const [broker, own] of [...members].sort((a, b) => b[1].length - a[1].length)) {
    const arranged = arrange(
      own.map(({ id }) => ({ id, rank: rank(slots.get(id)!) })),
      inside.get(broker) ?? [],
      SPACING,
      isKnown(own) ? earlier : undefined,
    );
    const top = y + BAND_PAD.top;
    for (const [id, middle] of arranged.heights)
      placed.set(id, { x: columns.at(rank(slots.get(id)!)), y: top + middle - PLATE.height / 2 });
    for (const line of linesOf(inside.get(broker) ?? [], arranged, top, placed, columns.at, plate))
      lines.set(line.id, line);
    const height = BAND_PAD.top + arranged.height + BAND_PAD.bottom;
    bands.push({ broker, kind: brokers.get(broker) ?? '', x: 0, y, width: 0, height });
    y += height + GUTTER;
  }

  const left = columns.laneLeft(1) - BAND_PAD.side;
  const right = columns.laneLeft(3) + plate.width + BAND_PAD.side;
  for (const band of bands) Object.assign(band, { x: left, width: right - left });

  let crossing = 0;
  for (const edge of edges) {
    if (lines.has(edge.id)) continue;
    const [from, to] = [placed.get(edge.from), placed.get(edge.to)];
    if (!from || !to) continue;
    lines.set(edge.id, crossBands(edge, from, to, slots, bands, left, crossing++, plate));
  }

  label(lines, edges, placed, plate, columns.gap);

  const used = new Set([...slots.values()].map(({ lane }) => lane));
  return {
    // a line from one taker to another runs round the right of both
    width: columns.laneLeft(4) + plate.width + (edges.some(({ kind }) => kind === 'hands') ? 2 : 1) * MARGIN,
    height: y,
    plate,
    bands: bands.filter((band) => brokers.has(band.broker)),
    // over a lane that nothing stands in its words would run into the next one's
    lanes: LANES.flatMap((title, index) => (used.has(index) ? [{ title, x: columns.laneLeft(index) }] : [])),
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

/** The columns that all bands share, wide enough apart for the words on lines. */
function columnsOf(slots: Iterable<Slot>, nodes: readonly NodeView[], room: number) {
  const keys = new Map<number, { lane: number; sub: number; x: number }>();
  for (const lane of LANES.keys()) if (lane !== 2) keys.set(rank({ lane, sub: 0 }), { lane, sub: 0, x: 0 });
  for (const slot of slots) keys.set(rank(slot), { ...slot, x: 0 });
  const ordered = [...keys.values()].sort((a, b) => rank(a) - rank(b));
  const isNarrow = ({ lane }: Slot) => lane === 1 || lane === 4;
  const gapsAs = ({ narrow, wide }: typeof GAP) =>
    ordered.slice(1).reduce((sum, key) => sum + (isNarrow(key) ? narrow : wide), 0);
  const usual = gapsAs(GAP) + ordered.length * PLATE.usual + 2 * MARGIN;
  const gap = room > 0 && room < usual ? TIGHT : GAP;
  const gaps = gapsAs(gap);
  const longest = nodes.reduce((most, { name }) => Math.max(most, [...name].length), 0);
  const wanted = Math.min(PLATE.most, Math.max(PLATE.usual, longest * PLATE.letter + PLATE.round));
  const fits = room > 0 ? Math.floor((room - gaps - 2 * MARGIN) / ordered.length) : PLATE.usual;
  const width = Math.round(Math.min(wanted, Math.max(PLATE.least, fits)));
  ordered.forEach((key, i) => {
    const before = ordered[i - 1];
    key.x = before ? before.x + width + (isNarrow(key) ? gap.narrow : gap.wide) : MARGIN;
  });
  return {
    width,
    gap,
    at: (of: number) => keys.get(of)!.x,
    laneLeft: (lane: number) => (ordered.find((key) => key.lane >= lane) ?? ordered.at(-1)!).x,
  };
}

type Size = Layout['plate'];

/** The lines of a band: from plate to plate, level where they pass a column, side by side at their plates. */
function linesOf(
  edges: readonly EdgeView[],
  { passes }: Arrangement,
  top: number,
  placed: ReadonlyMap<string, Point>,
  xAt: (rank: number) => number,
  plate: Size,
): PlacedEdge[] {
  const middle = (id: string) => placed.get(id)!.y + plate.height / 2;
  const starts = sideBySide(edges, 'from', (edge) => {
    const [first] = passes.get(edge.id) ?? [];
    return first ? top + first.height : middle(edge.to);
  });
  const ends = sideBySide(edges, 'to', (edge) => {
    const last = passes.get(edge.id)?.at(-1);
    return last ? top + last.height : middle(edge.from);
  });
  return edges.map((edge) => ({
    id: edge.id,
    points: [
      { x: placed.get(edge.from)!.x + plate.width, y: middle(edge.from) + starts.get(edge.id)! },
      ...(passes.get(edge.id) ?? []).flatMap((pass) => [
        { x: xAt(pass.rank), y: top + pass.height },
        { x: xAt(pass.rank) + plate.width, y: top + pass.height },
      ]),
      { x: placed.get(edge.to)!.x, y: middle(edge.to) + ends.get(edge.id)! },
    ],
  }));
}

/** How far from the middle of its plate each line ends, in the order of where the lines go. */
function sideBySide(
  edges: readonly EdgeView[],
  side: 'from' | 'to',
  other: (edge: EdgeView) => number,
): Map<string, number> {
  const at = new Map<string, EdgeView[]>();
  for (const edge of edges) {
    const known = at.get(edge[side]);
    if (known) known.push(edge);
    else at.set(edge[side], [edge]);
  }
  const found = new Map<string, number>();
  for (const own of at.values()) {
    const step = Math.min(7, (PLATE.height - 14) / own.length);
    own
      .map((edge) => ({ id: edge.id, y: other(edge) }))
      .sort((a, b) => a.y - b.y)
      .forEach(({ id }, i) => found.set(id, (i - (own.length - 1) / 2) * step));
  }
  return found;
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
 * Puts words on lines where there is room: along a level stretch, the longest first, else where the line
 * comes in at its target. Words that would meet a plate, other words or another line are left out; they are
 * still told when the line is pointed at.
 */
function label(
  lines: Map<string, PlacedEdge>,
  edges: readonly EdgeView[],
  placed: ReadonlyMap<string, Point>,
  plate: Size,
  gap: typeof GAP,
): void {
  const taken: Box[] = [...placed.values()].map(({ x, y }) => ({ x, y, ...plate }));
  // in a crowd every label would meet some line; there the halo behind the words must do
  const courses =
    edges.length > 300 ? [] : [...lines.values()].map(({ id, points }) => ({ id, at: course(points) }));
  const crossed = (box: Box, own: string) =>
    courses.some(
      ({ id, at }) => id !== own && at.some((point) => overlap(box, { ...point, width: 0, height: 0 })),
    );
  for (const { id, label: words } of edges) {
    const line = lines.get(id);
    if (!line || !words) continue;
    const { points } = line;
    const last = points.at(-1)!;
    const level = points
      .slice(1)
      .map((to, i) => ({
        left: Math.min(points[i]!.x, to.x),
        right: Math.max(points[i]!.x, to.x),
        from: points[i]!,
        to,
      }))
      .filter(({ from, to, left, right }) => Math.abs(from.y - to.y) < 1 && right - left > 40)
      .sort((a, b) => b.right - b.left - (a.right - a.left));
    const rooms = [
      ...level.map(({ left, right, from }) => ({ left: left + 8, right: right - 8, y: from.y })),
      { left: last.x - gap.wide + 14, right: last.x - 6, y: last.y },
    ];
    const found = rooms
      .flatMap((room) => [...placesIn(room, words)])
      .find(({ box }) => !taken.some((other) => overlap(box, other)) && !crossed(box, id));
    if (!found) continue;
    taken.push(found.box);
    lines.set(id, { ...line, label: found.label });
  }
}

/** Where along a level stretch words could stand: in its middle first, then to either side. */
function* placesIn(room: { left: number; right: number; y: number }, words: string) {
  const text = clip(words, Math.floor((room.right - room.left) / LABEL.character));
  if (text.length < 4 && text !== words) return;
  const width = [...text].length * LABEL.character;
  const slack = room.right - room.left - width;
  for (const part of slack > 20 ? [0.5, 0.25, 0.75, 0.1, 0.9] : [0.5]) {
    const x = room.left + width / 2 + slack * part;
    const box = { x: x - width / 2, y: room.y - LABEL.height - 2, width, height: LABEL.height };
    yield { label: { x, y: room.y - 4, text }, box };
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
  plate: Size,
): PlacedEdge {
  const start = { x: from.x + plate.width, y: from.y + plate.height / 2 };
  const end = { x: to.x, y: to.y + plate.height / 2 };
  const shift = (count % 4) * 4;
  const out = start.x + 10 + shift;
  // one store to another: round the right of both
  if (from.x === to.x) {
    const back = { x: to.x + plate.width, y: end.y + 6 };
    return { id: edge.id, points: [start, { x: out, y: start.y }, { x: out, y: back.y }, back] };
  }
  // neighbouring columns see each other through the corridor between them
  if (end.x > start.x && end.x - start.x < plate.width) return { id: edge.id, points: [start, end] };
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
  return { id: edge.id, points };
}
