import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { buildGraph } from '@vondle/core/routing';
import { readTopology } from '@vondle/core/topology';
import { draw } from './drawing.ts';
import type { Drawing, Layout, Showing } from './views.ts';

const folder = join(__dirname, '../../../demo/draft');
const documents = readdirSync(folder)
  .sort()
  .map((name) => ({ name, text: readFileSync(join(folder, name), 'utf8') }));
const graphOf = (change: (text: string) => string = (text) => text) =>
  buildGraph(readTopology(documents.map(({ name, text }) => ({ name, text: change(text) }))));
const ALL: Showing = {
  ...{ folded: [], near: '', depth: 2, only: [], room: 0 },
  ...{ compared: false, unchanged: false, way: [] },
};
const show = (showing: Partial<Showing> = {}, before?: Layout, graph = graphOf()): Drawing =>
  draw(graph, undefined, new Map(), { ...ALL, ...showing }, before);

const placeOf = ({ layout }: Drawing) => new Map(layout.nodes.map(({ id, x, y }) => [id, { x, y }]));

describe('room', () => {
  const width = (room: number) => show({ room }).layout;

  test('plates grow with their names as far as the window lets them, and the drawing stays within it', () => {
    const [narrow, usual, wide] = [width(700), width(1150), width(1800)];
    expect(narrow.plate.width).toBe(112);
    expect(usual.plate.width).toBeGreaterThan(narrow.plate.width);
    expect(wide.plate.width).toBeGreaterThan(usual.plate.width);
    expect(usual.width).toBeLessThanOrEqual(1150);
    expect(wide.width).toBeLessThanOrEqual(1800);
    // the longest name of the demo has room then
    const longest = Math.max(...show().nodes.map(({ name }) => name.length));
    expect(wide.plate.width).toBeGreaterThanOrEqual(longest * 7.6);
    expect(width(20_000).plate.width).toBeLessThanOrEqual(236);
  });

  test('only what is followed and what is next to it is drawn, where that is asked for', () => {
    const few = show({ only: ['queue:mainland/boards'] });
    expect(few.nodes.length).toBeLessThan(show().nodes.length / 3);
    expect(few.nodes.map(({ id }) => id)).toContain('taker:departure-board');
    expect(few.nodes.map(({ id }) => id)).toContain('exchange:mainland/sailings');
  });

  test('a folded broker says what it holds', () => {
    const broker = show({ folded: ['islet'] }).nodes.find(({ id }) => id === 'broker:islet');
    expect(broker!.note).toBe('2 exchanges, 3 queues');
  });

  test('words on lines meet no plate, no other words and no other line', () => {
    const { layout } = show({ room: 1500 });
    const labels = layout.edges.flatMap(({ id, label, points }) =>
      label
        ? [
            {
              id,
              points,
              x: label.x - label.text.length * 3.35,
              y: label.y - 11,
              width: label.text.length * 6.7,
              height: 13,
            },
          ]
        : [],
    );
    expect(labels.length).toBeGreaterThan(8);
    for (const box of labels)
      for (const { id, points } of layout.edges) {
        if (id === box.id) continue;
        for (const [i, to] of points.entries()) {
          const from = points[i - 1];
          if (!from || from.x !== to.x) continue;
          const [top, bottom] = [Math.min(from.y, to.y), Math.max(from.y, to.y)];
          const meets =
            to.x > box.x && to.x < box.x + box.width && bottom > box.y && top < box.y + box.height;
          expect([box.id, id, meets]).toEqual([box.id, id, false]);
        }
      }
  });
});

describe('the drawn demo', () => {
  const drawn = show();
  const { layout } = drawn;

  test('puts no plate over another, and every one of a broker inside its band', () => {
    const { plate, nodes, bands } = layout;
    for (const [i, a] of nodes.entries()) {
      for (const b of nodes.slice(i + 1)) {
        const apart = Math.abs(a.x - b.x) >= plate.width || Math.abs(a.y - b.y) >= plate.height;
        expect([a.id, b.id, apart]).toEqual([a.id, b.id, true]);
      }
    }
    const views = new Map(drawn.nodes.map((node) => [node.id, node]));
    for (const { id, y } of nodes) {
      const band = bands.find(({ broker }) => broker === views.get(id)!.broker);
      if (!band) continue;
      expect(y).toBeGreaterThanOrEqual(band.y);
      expect(y + plate.height).toBeLessThanOrEqual(band.y + band.height);
    }
  });

  test('leads from left to right: publishers, entries, stores, takers, each in its lane', () => {
    const at = placeOf(drawn);
    const lane = (title: string) => layout.lanes.find((each) => each.title === title)!.x;
    expect(at.get('publisher:bridge-console')!.x).toBe(lane('publish'));
    expect(at.get('exchange:mainland/sailings')!.x).toBe(lane('enter at'));
    expect(at.get('exchange:mainland/everything')!.x).toBe(lane('routed through'));
    expect(at.get('queue:mainland/boards')!.x).toBe(lane('rest in'));
    expect(at.get('taker:departure-board')!.x).toBe(lane('taken by'));
    expect(layout.lanes.map(({ x }) => x)).toEqual(layout.lanes.map(({ x }) => x).sort((a, b) => a - b));
  });

  test('every line begins at the plate it leaves and ends at the one it enters', () => {
    const at = placeOf(drawn);
    const { plate } = layout;
    for (const { id, points } of layout.edges) {
      const edge = drawn.edges.find((each) => each.id === id)!;
      const [from, to] = [at.get(edge.from)!, at.get(edge.to)!];
      const [first, last] = [points[0]!, points.at(-1)!];
      expect(first.x).toBe(from.x + plate.width);
      expect(first.y).toBeGreaterThanOrEqual(from.y);
      expect(first.y).toBeLessThanOrEqual(from.y + plate.height);
      expect(last.y).toBeGreaterThanOrEqual(to.y);
      expect(last.y).toBeLessThanOrEqual(to.y + plate.height);
    }
    expect(layout.edges).toHaveLength(drawn.edges.length);
  });

  test('words on lines meet no plate and no other words', () => {
    const boxes = layout.edges.flatMap(({ label }) =>
      label
        ? [{ left: label.x - label.text.length * 3.3, right: label.x + label.text.length * 3.3, y: label.y }]
        : [],
    );
    expect(boxes.length).toBeGreaterThan(8);
    for (const [i, a] of boxes.entries())
      for (const b of boxes.slice(i + 1))
        expect(a.right <= b.left || b.right <= a.left || Math.abs(a.y - b.y) >= 11).toBe(true);
  });

  test('a small edit moves little', () => {
    const more = graphOf((text) =>
      text.replace('      customs: {}\n', '      customs: {}\n      customs-copy: {}\n'),
    );
    const before = placeOf(drawn);
    const after = placeOf(show({}, layout, more));
    expect(after.has('queue:mainland/customs-copy')).toBe(true);
    const order = (places: typeof before) =>
      [...places]
        .filter(([id]) => before.has(id))
        .sort((a, b) => a[1].y - b[1].y || a[1].x - b[1].x)
        .map(([id]) => id);
    const moved = [...before].filter(([id, { x }]) => after.get(id)!.x !== x);
    expect(moved).toEqual([]);
    const stores = (ids: string[]) => ids.filter((id) => id.startsWith('queue:mainland/'));
    // a better order may exchange neighbours, no more
    const [was, is] = [stores(order(before)), stores(order(after))];
    expect(was.length).toBeGreaterThan(10);
    expect(was.filter((id, i) => is[i] !== id).length).toBeLessThanOrEqual(3);
  });
});

test('a band that was not there before is put in order as if it were drawn first', () => {
  const folded = show({ folded: ['mainland'] });
  const opened = placeOf(show({}, folded.layout));
  const first = placeOf(show());
  const band = (places: typeof first) => {
    const own = [...places].filter(([id]) => id.includes(':mainland/'));
    const top = Math.min(...own.map(([, { y }]) => y));
    return own.map(([id, { x, y }]) => [id, x, Math.round(y - top)]);
  };
  expect(band(opened)).toEqual(band(first));
});

test('a folded broker is one plate, and ways that fall together are one line with their number', () => {
  const whole = show();
  const folded = show({ folded: ['mainland'] });
  expect(folded.nodes.find(({ id }) => id === 'broker:mainland')!.members).toBeGreaterThan(20);
  expect(folded.nodes.some(({ broker, role }) => broker === 'mainland' && role !== 'broker')).toBe(false);
  expect(folded.edges.length).toBeLessThan(whole.edges.length / 2);
  expect(folded.edges.some(({ count }) => (count ?? 1) > 1)).toBe(true);
  expect(folded.whole).toBe(whole.nodes.length);
});

test('of two that are compared, what changed stands alone, and all else is folded', () => {
  const now = graphOf();
  const then = graphOf((text) => text.replace('ttl: 30s', 'ttl: 31s'));
  const compared = (showing: Partial<Showing> = {}) =>
    draw(now, then, new Map(), { ...ALL, compared: true, ...showing });
  const alone = compared();
  const changed = alone.nodes.filter(({ change }) => change);
  expect(changed.length).toBeGreaterThan(0);
  expect(alone.nodes.length).toBeLessThan(show().nodes.length / 2);
  const plate = alone.nodes.find(({ id }) => id === `broker:${changed[0]!.broker}`)!;
  expect(plate).toMatchObject({ name: 'unchanged', broker: changed[0]!.broker });
  // what a followed message passes stays
  const way = ['exchange:mainland/sailings', 'queue:mainland/boards'];
  const passed = compared({ way }).nodes.map(({ id }) => id);
  expect(way.filter((id) => passed.includes(id))).toEqual(way);
  expect(alone.nodes.some(({ id }) => way.includes(id))).toBe(false);
  // nothing is lost: what is not drawn is in a plate
  const inPlates = alone.nodes.reduce((sum, { members }) => sum + (members ?? 1), 0);
  expect(inPlates).toBe(show().nodes.length);
  expect(compared({ unchanged: true }).nodes).toHaveLength(show().nodes.length);
  expect(compared({ folded: [`-${plate.broker}`] }).nodes.some(({ id }) => id === plate.id)).toBe(false);
  // where nothing changed, nothing is folded
  expect(draw(now, now, new Map(), { ...ALL, compared: true }).nodes).toHaveLength(show().nodes.length);
});

test('the neighbourhood holds what is so many ways off, and no more', () => {
  const near = show({ near: 'queue:shore/texting-in', depth: 1 });
  expect(near.nodes.map(({ id }) => id).sort()).toEqual([
    'queue:shore/parked',
    'queue:shore/texting-in',
    'taker:passenger-texting',
    'topic:shore/notices',
  ]);
});

test('lanes that nothing stands in have no heading: it would run into the next one', () => {
  const titles = (text: string) =>
    show({}, undefined, buildGraph(readTopology([{ name: 'a.yaml', text }]))).layout.lanes.map(
      ({ title }) => title,
    );
  const topics = 'brokers: { s: { kind: pubsub, topics: { t: {} }, subscriptions: { a: { topic: t } } } }\n';
  expect(titles(topics)).toEqual(['enter at', 'rest in']);
  expect(titles('vondle: 1\n')).toEqual([]);
});
