import type { LookSeen } from '../../api.ts';
import { countsById, flowsOn, inFewWords, linesIn, onlyWays, tagsIn, widthOf } from './in-picture.ts';

const store = (id: string | null, more: object) => ({
  broker: 'm',
  name: 'x',
  id,
  waiting: 0,
  inHand: 0,
  delayed: 0,
  takers: [],
  comes: null,
  goes: null,
  oldestAt: null,
  node: null,
  ...more,
});
const look = (more: object): LookSeen =>
  ({
    at: '',
    brokers: [],
    stores: [],
    entries: [],
    links: [],
    said: [],
    more: 0,
    drift: null,
    ...more,
  }) as LookSeen;

test('the queues of instances count together; what nothing declares is not drawn', () => {
  const counts = countsById(
    look({
      stores: [
        store('queue:m/own', { waiting: 3, delayed: 1, comes: 2 }),
        store('queue:m/own', { inHand: 4, comes: 0.5, goes: 1 }),
        store(null, { waiting: 9 }),
      ],
      entries: [{ broker: 'm', name: 'in', id: 'exchange:m/in', comes: 7, goes: 7 }],
      said: [
        { kind: 'grows', about: 'queue:m/own' },
        { kind: 'stalls', about: 'queue:m/own' },
        { kind: 'grows', about: 'queue:m/own' },
      ],
    }),
  );
  expect([...counts.keys()]).toEqual(['queue:m/own', 'exchange:m/in']);
  expect(counts.get('queue:m/own')).toEqual({
    waiting: 4,
    inHand: 4,
    takers: 0,
    comes: 2.5,
    goes: 1,
    tone: 'error',
  });
  expect([...counts.values()].map(inFewWords)).toEqual(['4 wait · 4 in hand · 2.5/s', '7.0/s']);
});

test('nothing is said where nothing is', () => {
  expect(inFewWords({ waiting: 0, inHand: 0, takers: 2, comes: 0.01, goes: 0, tone: '' })).toBe('');
  expect(inFewWords({ waiting: 1200, inHand: 0, takers: 2, comes: 1234, goes: 0, tone: '' })).toBe(
    '1,200 wait · 1,234/s',
  );
});

test('flow is drawn only on lines of which it is known', () => {
  const edge = (id: string, from: string, to: string, kind = 'binding') => ({ id, from, to, kind });
  const counted = { waiting: 0, inHand: 0, takers: 1, comes: 5, goes: 3, tone: '' as const };
  const flows = flowsOn(
    onlyWays([
      edge('a', 'e', 'one'),
      edge('b', 'e', 'two'),
      edge('c', 'f', 'two'),
      edge('g', 'g', 'two'),
      edge('t', 'one', 'app', 'take'),
      edge('d', 'one', 'dead', 'deadLetter'),
      edge('u', 'two', 'app', 'take'),
      edge('v', 'two', 'other', 'take'),
    ]),
    new Map([
      ['one', counted],
      ['two', counted],
    ]),
  );
  expect([...flows]).toEqual([
    ['a', 5],
    ['t', 3],
  ]);
  expect([widthOf(0), widthOf(9), widthOf(1e9)]).toEqual([1.5, 3, 6]);
});

const counted = (more: object) => ({
  waiting: 3,
  inHand: 0,
  takers: 0,
  comes: 0,
  goes: 0,
  tone: '' as const,
  ...more,
});
const plate = { width: 100, height: 40 };

test('counts are written where they can be read, in the part that is shown and a little around it', () => {
  const nodes = [
    { id: 'here', x: 0, y: 0 },
    { id: 'near', x: 1400, y: 0 },
    { id: 'far', x: 1700, y: 0 },
    { id: 'below', x: 0, y: 5000 },
    { id: 'nothing', x: 10, y: 10 },
    { id: 'unknown', x: 10, y: 10 },
  ];
  const counts = new Map([
    ...['here', 'near', 'far', 'below'].map((id) => [id, counted({})] as const),
    ['nothing', counted({ waiting: 0 })] as const,
  ]);
  const view = { x: 0, y: 0, width: 1000, height: 800, k: 0.5 };
  expect(tagsIn(nodes, counts, view, plate).map(({ id, words }) => [id, words])).toEqual([
    ['here', '3 wait'],
    ['near', '3 wait'],
  ]);
});

test('shown too small to be read, only what something is said of is marked, the gravest first, and not too many', () => {
  const nodes = Array.from({ length: 3000 }, (_, i) => ({ id: `q${i}`, x: 0, y: 0 }));
  const counts = new Map(
    nodes.map(({ id }, i) => [id, counted({ tone: (['', 'warning', 'error'] as const)[i % 3]! })] as const),
  );
  const view = { x: 0, y: 0, width: 20_000, height: 20_000, k: 0.05 };
  const tags = tagsIn(nodes, counts, view, plate);
  expect(tags).toHaveLength(400);
  expect(new Set(tags.map(({ words, tone }) => `${words}${tone}`))).toEqual(new Set(['error']));
});

test('flow is drawn on the lines that are shown; where they cannot be told apart, on the strongest', () => {
  const line = (id: string, x: number) => ({
    id,
    points: [
      { x, y: 0 },
      { x: x + 100, y: 20 },
    ],
  });
  const view = { x: 0, y: 0, width: 1000, height: 800, k: 1 };
  const flows = new Map([
    ['here', 1],
    ['far', 2],
  ]);
  const lines = [line('here', 0), line('far', 5000), line('still', 0)];
  expect(linesIn(lines, flows, view).map((each) => [each.line.id, each.aSecond])).toEqual([['here', 1]]);
  const many = Array.from({ length: 1000 }, (_, i) => line(`l${i}`, 0));
  const all = new Map(many.map(({ id }, i) => [id, i]));
  const strongest = linesIn(many, all, { ...view, k: 0.1 });
  expect([strongest.length, strongest[0]!.aSecond, strongest.at(-1)!.aSecond]).toEqual([300, 999, 700]);
  expect(linesIn(many, all, view)).toHaveLength(1000);
});

test('an alert that went off marks its place', () => {
  const counts = countsById(
    look({
      stores: [store('queue:m/box', { waiting: 1 })],
      alerts: [
        { rule: 'a', about: 'queue:m/box', off: true },
        { rule: 'b', about: 'queue:m/far', off: false },
      ],
    }),
  );
  expect(counts.get('queue:m/box')!.tone).toBe('error');
});
