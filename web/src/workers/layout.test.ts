import { linePath, platePath } from '../parts/graph-lines.ts';
import { layOut } from './layout.ts';
import type { EdgeView, Layout, NodeView } from './views.ts';

const spot = { doc: 'a', start: 0, end: 0, line: 1, column: 1 };
const node = (id: string): NodeView => {
  const [role, rest] = id.split(':') as [NodeView['role'], string];
  const [broker, name] = rest.includes('/') ? rest.split('/') : ['', rest];
  return { id, role, broker: broker!, name: name!, address: rest, note: '', spot };
};
const edge = (kind: EdgeView['kind'], from: string, to: string, label = ''): EdgeView => ({
  id: `${kind} ${from} → ${to} ${label}`,
  kind,
  from,
  to,
  label,
  spot,
});

const NODES = [
  'publisher:bridge',
  'publisher:officer',
  'exchange:m/in',
  'exchange:m/all',
  'exchange:m/rest',
  'queue:m/boards',
  'queue:m/archive',
  'queue:m/out',
  'queue:m/lonely',
  'topic:s/notices',
  'subscription:s/kiosks',
  'queue:s/parked',
  'taker:boards',
  'taker:archive',
].map(node);
const EDGES = [
  edge('publish', 'publisher:bridge', 'exchange:m/in'),
  edge('publish', 'publisher:officer', 'exchange:m/in'),
  edge('publish', 'publisher:officer', 'topic:s/notices'),
  edge('binding', 'exchange:m/in', 'queue:m/boards', 'sailing.#'),
  edge('binding', 'exchange:m/in', 'exchange:m/all', '#'),
  edge('binding', 'exchange:m/all', 'queue:m/archive'),
  edge('binding', 'exchange:m/all', 'exchange:m/in', 'round'),
  edge('binding', 'exchange:m/in', 'queue:m/out', 'a label much too long for the room there is on its line'),
  edge('unrouted', 'exchange:m/in', 'exchange:m/rest'),
  edge('deadLetter', 'queue:m/boards', 'exchange:m/rest'),
  edge('deadLetter', 'subscription:s/kiosks', 'queue:s/parked'),
  edge('subscription', 'topic:s/notices', 'subscription:s/kiosks', 'severity >= 3'),
  edge('link', 'queue:m/out', 'topic:s/notices', 'down'),
  edge('take', 'queue:m/boards', 'taker:boards'),
  edge('take', 'queue:m/archive', 'taker:archive'),
  edge('take', 'subscription:s/kiosks', 'taker:boards'),
];
const BROKERS = new Map([
  ['m', 'AMQP'],
  ['s', 'hosted'],
]);

let layout: Layout;
beforeAll(async () => {
  layout = await layOut(NODES, EDGES, BROKERS);
});
const at = (id: string) => layout.nodes.find((each) => each.id === id)!;

test('every node and every edge has its place', () => {
  expect(layout.nodes.map(({ id }) => id).sort()).toEqual(NODES.map(({ id }) => id).sort());
  expect(layout.edges.map(({ id }) => id).sort()).toEqual(EDGES.map(({ id }) => id).sort());
  for (const { points } of layout.edges)
    for (const { x, y } of points) expect(Number.isFinite(x + y)).toBe(true);
});

test('lanes go from left to right, all bands in the same columns', () => {
  const columns = [
    'publisher:bridge',
    'exchange:m/in',
    'exchange:m/rest',
    'queue:m/boards',
    'taker:boards',
  ].map((id) => at(id).x);
  expect(columns).toEqual([...columns].sort((a, b) => a - b));
  expect(new Set(columns).size).toBe(5);
  expect(at('topic:s/notices').x).toBe(at('exchange:m/in').x);
  expect(at('subscription:s/kiosks').x).toBe(at('queue:m/boards').x);
  expect(layout.lanes.map(({ title }) => title)).toEqual([
    'publish',
    'enter at',
    'routed through',
    'rest in',
    'taken by',
  ]);
});

test('no plate lies on another, and each lies in its broker’s band', () => {
  const { width, height } = layout.plate;
  layout.nodes.forEach((a, i) => {
    for (const b of layout.nodes.slice(i + 1)) {
      expect(Math.abs(a.x - b.x) >= width || Math.abs(a.y - b.y) >= height).toBe(true);
    }
  });
  for (const { id, broker } of NODES.filter((each) => each.broker)) {
    const band = layout.bands.find((each) => each.broker === broker)!;
    const place = at(id);
    expect(place.x).toBeGreaterThanOrEqual(band.x);
    expect(place.x + width).toBeLessThanOrEqual(band.x + band.width);
    expect(place.y).toBeGreaterThanOrEqual(band.y);
    expect(place.y + height).toBeLessThanOrEqual(band.y + band.height);
  }
  const [first, second] = layout.bands;
  expect(first!.y + first!.height).toBeLessThan(second!.y);
});

test('lines begin and end at their plates, and run over no other', () => {
  const { width, height } = layout.plate;
  for (const { id, points } of layout.edges) {
    const { from, to } = EDGES.find((each) => each.id === id)!;
    const on = (place: { x: number; y: number }, point: { x: number; y: number }) =>
      point.x >= place.x - 1 &&
      point.x <= place.x + width + 1 &&
      point.y >= place.y - 1 &&
      point.y <= place.y + height + 1;
    expect(on(at(from), points[0]!)).toBe(true);
    expect(on(at(to), points.at(-1)!)).toBe(true);
    for (const plate of layout.nodes) {
      if (plate.id === from || plate.id === to) continue;
      for (let i = 1; i < points.length; i++) {
        const [a, b] = [points[i - 1]!, points[i]!];
        // level stretches are drawn as they are; the curves between them stay in the gaps between columns
        if (Math.abs(a.y - b.y) > 0.5) continue;
        const crosses =
          a.y > plate.y &&
          a.y < plate.y + height &&
          Math.min(a.x, b.x) < plate.x + width &&
          Math.max(a.x, b.x) > plate.x;
        expect({ id, plate: plate.id, crosses }).toEqual({ id, plate: plate.id, crosses: false });
      }
    }
  }
});

test('labels stand where there is room, shortened or left out', () => {
  const labels = layout.edges.flatMap(({ label }) => label ?? []);
  expect(labels.map(({ text }) => text)).toEqual(expect.arrayContaining(['down', 'sailing.#']));
  for (const { x, y, text } of labels) {
    const width = [...text].length * 6.7;
    for (const plate of layout.nodes) {
      const meets =
        x - width / 2 < plate.x + layout.plate.width &&
        x + width / 2 > plate.x &&
        y > plate.y &&
        y - 11 < plate.y + layout.plate.height;
      expect({ text, plate: plate.id, meets }).toEqual({ text, plate: plate.id, meets: false });
    }
  }
  const long = layout.edges.find(({ id }) => id.includes('much too long'))!.label;
  if (long) expect(long.text).toMatch(/…$/);
});

test('the same graph is laid out the same, and a small change moves little', async () => {
  expect(await layOut(NODES, EDGES, BROKERS)).toEqual(layout);
  const more = await layOut([...NODES, node('queue:s/extra')], EDGES, BROKERS);
  for (const { id, x } of layout.nodes) expect(more.nodes.find((each) => each.id === id)!.x).toBe(x);
});

test('nothing, and things that lead nowhere, are laid out too', async () => {
  expect(await layOut([], [], new Map())).toMatchObject({ nodes: [], edges: [], bands: [] });
  const alone = await layOut([node('publisher:a'), node('queue:m/q')], [], new Map([['m', 'AMQP']]));
  expect(alone.nodes).toHaveLength(2);
});

test('lines are drawn as curves between levels and with round corners in corridors', () => {
  expect(linePath([])).toBe('');
  expect(
    linePath([
      { x: 0, y: 5 },
      { x: 9, y: 5 },
    ]),
  ).toBe('M0 5L9 5');
  expect(
    linePath([
      { x: 0, y: 0 },
      { x: 10, y: 20 },
    ]),
  ).toBe('M0 0C5 0 5 20 10 20');
  expect(
    linePath([
      { x: 0, y: 0 },
      { x: 30, y: 0 },
      { x: 30, y: 40 },
    ]),
  ).toBe('M0 0L20 0Q30 0 30 10L30 40');
  const shapes = ['publisher', 'taker', 'queue', 'exchange'].map((role) =>
    platePath(role as NodeView['role'], layout.plate),
  );
  expect(new Set(shapes).size).toBe(4);
});
