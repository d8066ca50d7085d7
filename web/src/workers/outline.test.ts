import { buildGraph } from '@vondle/core/routing';
import { TopologyReader } from '@vondle/core/topology';
import type { TextDocument } from '@vondle/core/base';
import { Outline } from './outline.ts';
import type { Troubles } from './views.ts';

const TEXT = `messages: { sailing: {} }
apps:
  console: { publishes: [{ message: sailing, to: m/in }] }
brokers:
  m:
    kind: amqp
    exchanges: { in: { type: topic } }
    queues: { boards: {}, archive: {} }
    bindings: [{ from: in, to: boards, key: "#" }]
  s:
    kind: pubsub
    topics: { notices: {} }
    subscriptions: { screens: { topic: notices } }
`;

/** One outline of one text after the other. */
function along() {
  const reader = new TopologyReader();
  const outline = new Outline();
  let graph = buildGraph(reader.read([]));
  return (text: string, troubles: Record<string, Troubles> = {}) => {
    const documents: TextDocument[] = [{ name: 'a.yaml', text }];
    graph = buildGraph(reader.read(documents), graph);
    return outline.of(graph, new Map(Object.entries(troubles)));
  };
}

test('lists everything by broker and kind, in order of declaration', () => {
  const groups = along()(TEXT);
  expect(groups.map(({ title, items }) => [title, items.map(({ id }) => id)])).toEqual([
    ['m', ['exchange:m/in', 'queue:m/boards', 'queue:m/archive']],
    ['s', ['topic:s/notices', 'subscription:s/screens']],
    ['messages', ['message:sailing']],
    ['apps', ['app:console']],
  ]);
});

describe('after an edit', () => {
  const stays = (before: readonly unknown[], after: readonly unknown[]) =>
    after.map((group) => before.includes(group));

  test('that names nothing otherwise, every group is the one it was', () => {
    const outline = along();
    const before = outline(TEXT);
    expect(stays(before, outline(TEXT.replace('"#"', '"a.#"')))).toEqual([true, true, true, true]);
  });

  test.each([
    ['a name', TEXT.replace('archive: {}', 'archives: {}'), 'archives'],
    ['a thing more', TEXT.replace('archive: {}', 'archive: {}, freight: {}'), 'freight'],
  ])('of %s, the group it is in is new', (_, text, name) => {
    const outline = along();
    const before = outline(TEXT);
    const after = outline(text);
    expect(stays(before, after)).toEqual([false, true, true, true]);
    expect(after[0]!.items.at(-1)!.name).toBe(name);
  });

  test('of the order, the group it is in is new', () => {
    const outline = along();
    const before = outline(TEXT);
    const after = outline(TEXT.replace('boards: {}, archive: {}', 'archive: {}, boards: {}'));
    expect(stays(before, after)).toEqual([false, true, true, true]);
    expect(after[0]!.items.map(({ name }) => name)).toEqual(['in', 'archive', 'boards']);
  });

  test('that takes a broker away, its group is gone', () => {
    const outline = along();
    const before = outline(TEXT);
    const after = outline(TEXT.slice(0, TEXT.indexOf('  s:')));
    expect(after.map(({ title }) => title)).toEqual(['m', 'messages', 'apps']);
    expect(stays(before, after)).toEqual([true, true, true]);
  });

  test.each([
    ['a queue', 'queue:m/boards', [false, true, true, true]],
    ['an app', 'app:console', [true, true, true, false]],
    ['a message type', 'message:sailing', [true, true, false, true]],
  ])('with which something is wrong with %s, its group says so', (_, id, expected) => {
    const outline = along();
    const before = outline(TEXT);
    const wrong = outline(TEXT, { [id]: { worst: 'error', findings: 2 } });
    expect(stays(before, wrong)).toEqual(expected);
    expect(wrong.flatMap(({ items }) => items).find((item) => item.id === id)).toMatchObject({
      worst: 'error',
      findings: 2,
    });
    // as long as it is the same trouble, nothing is told again
    expect(stays(wrong, outline(TEXT, { [id]: { worst: 'error', findings: 2 } }))).toEqual([
      true,
      true,
      true,
      true,
    ]);
    expect(stays(wrong, outline(TEXT, { [id]: { worst: 'error', findings: 3 } }))).toEqual(expected);
  });
});
