import { type PictureEdge, type PictureNode, fold, neighbourhood } from './fold.ts';

const node = (id: string, role = 'queue'): PictureNode => {
  const [broker, name] = id.includes('/') ? (id.split('/') as [string, string]) : ['', id];
  return { id, role, broker, name };
};
const edge = (from: string, to: string, kind = 'binding'): PictureEdge => ({
  id: `${from}>${to}`,
  kind,
  from,
  to,
});

const nodes = [
  node('p1', 'publisher'),
  node('p2', 'publisher'),
  node('p3', 'publisher'),
  node('a/e', 'exchange'),
  node('a/q'),
  node('b/q'),
  node('t1', 'taker'),
  node('idle', 'taker'),
];
const edges = [
  edge('p1', 'a/e', 'publish'),
  edge('p2', 'a/e', 'publish'),
  edge('p3', 'a/e', 'publish'),
  edge('p3', 'b/q', 'publish'),
  edge('a/e', 'a/q'),
  edge('a/q', 'b/q', 'link'),
  edge('a/q', 't1', 'take'),
  edge('b/q', 't1', 'take'),
];

test('nothing folded leaves everything as it is', () => {
  const { folds, edges: left } = fold(nodes, edges, new Set());
  expect(folds).toEqual([]);
  expect(left.map(({ id, count }) => [id, count])).toEqual(edges.map(({ id }) => [id, 1]));
});

test('a broker becomes one, and so do apps that meet only it; who meets another stays', () => {
  const { folds, foldOf, edges: left } = fold(nodes, edges, new Set(['a']));
  expect(folds.map(({ id, members }) => [id, members])).toEqual([
    ['publishers:a', ['p1', 'p2']],
    ['broker:a', ['a/e', 'a/q']],
  ]);
  expect(foldOf.has('p3')).toBe(false);
  expect(left.map(({ id, count }) => [id, count])).toEqual([
    ['publish publishers:a → broker:a', 2],
    ['publish p3 → broker:a', 1],
    ['p3>b/q', 1],
    ['link broker:a → b/q', 1],
    ['take broker:a → t1', 1],
    ['b/q>t1', 1],
  ]);
});

test('all but what is kept folds, by brokers; one alone stays', () => {
  const { folds, foldOf, edges: left } = fold(nodes, edges, new Set(), new Set(['b/q']));
  expect(folds.map(({ id, members }) => [id, members])).toEqual([
    ['publishers:a', ['p1', 'p2']],
    ['broker:a', ['a/e', 'a/q']],
  ]);
  expect(['b/q', 'p3', 't1', 'idle'].filter((id) => foldOf.has(id))).toEqual([]);
  expect(left.map(({ id, count }) => [id, count])).toContainEqual(['link broker:a → b/q', 1]);
  // of a broker that is asked to be folded, also the one that is kept, and also one alone
  expect(fold(nodes, edges, new Set(['b']), new Set(['b/q'])).foldOf.get('b/q')).toBe('broker:b');
  const all = fold(nodes, edges, new Set(), new Set());
  expect(all.foldOf.has('b/q')).toBe(false);
  expect(fold(nodes, edges, new Set(), new Set(nodes.map(({ id }) => id))).folds).toEqual([]);
});

test('a thousand apps on two folded brokers are two plates', () => {
  const many = Array.from({ length: 1000 }, (_, i) => node(`app-${i}`, 'taker'));
  const takes = many.map(({ id }, i) => edge(i % 2 ? 'a/q' : 'b/q', id, 'take'));
  const { folds, edges: left } = fold([...nodes.slice(3, 6), ...many], takes, new Set(['a', 'b']));
  expect(folds.filter(({ role }) => role === 'taker').map(({ members }) => members.length)).toEqual([
    500, 500,
  ]);
  expect(left.map(({ count }) => count)).toEqual([500, 500]);
});

test('a neighbourhood goes up and down, never round a corner', () => {
  expect([...neighbourhood(edges, ['a/q'], 1)].sort()).toEqual(['a/e', 'a/q', 'b/q', 't1']);
  expect([...neighbourhood(edges, ['a/q'], 2)].sort()).toEqual(['a/e', 'a/q', 'b/q', 'p1', 'p2', 'p3', 't1']);
  // p3 also sends to b/q, but that is not on a way through p1
  expect([...neighbourhood(edges, ['p1'], 1)].sort()).toEqual(['a/e', 'p1']);
  expect(neighbourhood(edges, ['none'], 3)).toEqual(new Set(['none']));
});
