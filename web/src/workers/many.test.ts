import { buildGraph } from '@vondle/core/routing';
import { readTopology } from '@vondle/core/topology';
import { Many } from './many.ts';
import type { ManyView, Sending } from './views.ts';

const graphOf = (key: string) =>
  buildGraph(
    readTopology([
      {
        name: 'a',
        text: `messages:
  left: { key: "sailing.{route}", headers: { route: { enum: [north, south] } }, required: [route] }
apps:
  bridge: { publishes: [{ message: left, to: m/in }] }
  tower: { publishes: [{ message: left, to: m/in }] }
brokers:
  m:
    kind: amqp
    access: open
    exchanges: { in: { type: topic } }
    queues: { north: {}, all: {} }
    bindings: [{ from: in, to: north, key: "${key}" }, { from: in, to: all, key: "#" }]
`,
      },
    ]),
  );
let graph = graphOf('sailing.north');
const many = () => new Many(() => graph);
const message = { type: 'left', key: 'sailing.north', headers: { route: 'north' }, properties: {} };
const sendings: Sending[] = [{ message, to: 'm/in', via: '', from: 'bridge' }];
const quiet = () => {};

test('one message is repeated, or varied over all that its type may be', async () => {
  const same = await many().repeat(sendings, 10, false, quiet);
  expect(same).toMatchObject({ state: 'done', all: 10, messages: 10, copies: 20, outcomes: [], spreads: [] });
  const varied = await many().repeat(sendings, 10, true, quiet);
  expect(varied.stores).toEqual([
    { store: 'm/all', messages: 10, copies: 10 },
    { store: 'm/north', messages: 5, copies: 5 },
  ]);
});

test('a file goes where it says, or where its type is published; the rest is told by line', async () => {
  const one = many();
  const file = one.take(
    [
      '{"type":"left","headers":{"route":"south"}}',
      '{"to":"m/in","key":"sailing.north"}',
      '{',
      '{"key":"x"}',
    ].join('\n'),
  );
  expect(file).toEqual({
    remarks: 0,
    messages: 2,
    problems: [
      { line: 3, text: expect.stringContaining('not JSON') },
      { line: 4, text: expect.stringContaining('neither `to` nor a type') },
    ],
    more: 0,
  });
  expect(await one.fromFile(quiet)).toMatchObject({ state: 'done', messages: 2, copies: 3 });
  const rows = one.rows(0, 10);
  expect(rows.map(({ key, stores, headers }) => [key, stores, headers])).toEqual([
    ['sailing.south', ['m/all'], 'route south'],
    ['sailing.north', ['m/north', 'm/all'], ''],
  ]);
  expect((await (await one.as('csv')).text()).split('\r\n')).toHaveLength(4);
  expect((await (await one.as('ndjson')).text()).trim().split('\n')).toHaveLength(2);
});

test('more problems than anybody reads are counted', () => {
  const file = many().take(Array.from({ length: 50 }, () => '{').join('\n'));
  expect(file.problems).toHaveLength(20);
  expect(file.more).toBe(30);
});

test('it tells how far it is, and is stopped', async () => {
  const one = many();
  const told: ManyView[] = [];
  const result = await one.repeat(sendings, 2_000_000, false, (so) => {
    told.push(so);
    one.stop();
  });
  expect(told[0]).toMatchObject({ state: 'running', all: 2_000_000 });
  expect(result.state).toBe('stopped');
  expect(result.messages).toBeLessThan(2_000_000);
  expect(result.copies).toBe(2 * result.messages);
});

test('it ends when the topology changes under it, and says so', async () => {
  const one = many();
  const before = graph;
  const running = one.repeat(sendings, 2_000_000, false, () => {
    graph = graphOf('other');
  });
  expect((await running).state).toBe('outrun');
  graph = before;
});
