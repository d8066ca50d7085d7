import { Batch } from '../analysis/trace/batch.ts';
import { batchCsv, batchNdjson, csvLine } from './csv/batch.ts';
import { readLine, readMessages, understand } from './messages.ts';
import { buildGraph } from '../routing/graph.ts';
import { readTopology } from '../topology/read.ts';

const graph = buildGraph(
  readTopology([
    {
      name: 'a',
      text: `messages:
  left: { key: "sailing.{route}", properties: { type: { const: line.left } }, headers: { route: { enum: [north] } } }
apps: { bridge: {} }
brokers:
  m:
    kind: amqp
    access: open
    queues: { one: {}, two: {} }
    exchanges: { in: { type: topic } }
    bindings: [{ from: in, to: one, key: "#" }]
  n: { kind: amqp, access: open, queues: { one: {} } }
spreads: { work: { members: [m/two, n/one], choose: rotate } }
`,
    },
  ]),
);

describe('a file of messages', () => {
  test('is one object, a list, or one object a line; a broken line is told with its number', () => {
    expect(readMessages('{"to":"m/in"}')).toEqual([{ line: 1, data: { to: 'm/in' } }]);
    expect(readMessages('[{"a":1},\n{"b":2}]').map((each) => 'data' in each && each.data)).toEqual([
      { a: 1 },
      { b: 2 },
    ]);
    expect(readMessages('{"a":1}\n\n{"b":\n{"c":3}\r\n')).toEqual([
      { line: 1, data: { a: 1 } },
      { line: 3, error: expect.stringContaining('not JSON') },
      { line: 4, data: { c: 3 } },
    ]);
    expect(readMessages(' \n')).toEqual([]);
  });

  test('a message need not say where it is sent', () => {
    expect(understand(graph, { type: 'left', headers: { route: 'north' } })).toEqual({
      remarks: [],
      message: {
        type: 'left',
        key: 'sailing.north',
        headers: { route: 'north' },
        properties: { type: 'line.left' },
      },
    });
    expect(understand(graph, { to: 'm/in', from: 'bridge', key: 'k' })).toMatchObject({
      sending: { to: 'm/in', from: 'app:bridge' },
    });
  });

  test.each([
    [3, 'a message is a JSON object'],
    [{ too: 1 }, 'unknown: too'],
    [{ via: 'smoke' }, '`via` is'],
    [{ key: 1 }, '`key` must be a text'],
    [{ headers: [] }, '`headers` must be a map'],
    [{ mandatory: 1 }, '`mandatory` is'],
    [{ from: 'gone' }, 'no app `gone`'],
    [{ type: 'gone' }, 'no message type `gone`'],
  ])('%j is refused in words', (data, words) => {
    expect(understand(graph, data)).toEqual({ error: expect.stringContaining(words) });
  });

  test('a CloudEvent gives its attributes as properties, its extensions as headers', () => {
    const event = {
      specversion: '1.0',
      id: '7',
      source: '/quay',
      type: 'line.left',
      subject: 's',
      route: 'north',
      data: { ship: 'auk' },
    };
    expect(understand(graph, event)).toEqual({
      remarks: [],
      message: {
        type: 'left',
        key: 'sailing.north',
        headers: { route: 'north' },
        properties: { type: 'line.left', messageId: '7', source: '/quay', subject: 's' },
        body: { ship: 'auk' },
      },
    });
    expect(understand(graph, { ...event, type: 'other' })).toMatchObject({ message: { key: '' } });
  });
});

describe('a batch', () => {
  const batch = new Batch(graph);
  const message = { type: 'left', key: 'sailing.north', headers: { route: '=1,"2"' }, properties: {} };
  for (let i = 0; i < 5; i++) batch.add(message, [{ to: 'm/in' }, { to: 'spread:work' }]);
  batch.add({ ...message, key: 'x' }, [{ to: 'm/gone' }]);

  test('counts stores, outcomes and what spreads chose, each message going on where the last left off', () => {
    const { messages, copies, stores, outcomes, spreads, types } = batch.totals;
    expect([messages, copies]).toEqual([6, 10]);
    expect(Object.fromEntries(stores)).toEqual({
      'm/one': { messages: 5, copies: 5 },
      'm/two': { messages: 3, copies: 3 },
      'n/one': { messages: 2, copies: 2 },
    });
    expect([...outcomes]).toEqual([['unresolved', 1]]);
    expect([...spreads.values()].map((members) => Object.fromEntries(members))).toEqual([
      { 'm/two': 3, 'n/one': 2 },
    ]);
    expect([...types]).toEqual([['left', 6]]);
  });

  test('messages that fare alike share their result', () => {
    expect(new Set(batch.rows.map(({ result }) => result)).size).toBe(3);
  });

  test('is written as CSV, which no spreadsheet runs, and as NDJSON', () => {
    const lines = [...batchCsv(batch.rows)];
    expect(lines[1]).toBe('1,left,sailing.north,"{""route"":""=1,\\""2\\""""}",2,m/one; m/two,,0\r\n');
    expect(lines.at(-1)).toContain('unresolved at m/gone');
    expect(csvLine(['=1+1', -1, 'a\nb', undefined])).toBe(`"'=1+1",-1,"a\nb",\r\n`);
    const rows = [...batchNdjson(batch.rows)].map((line) => JSON.parse(line) as Record<string, unknown>);
    expect(rows[1]).toMatchObject({
      number: 2,
      message,
      rests: [{ store: 'm/one' }, { store: 'n/one', copies: 1 }],
    });
  });
});

test('a CloudEvent may say where it is sent; what is published over MQTT has a topic without wildcards', () => {
  const event = { specversion: '1.0', id: '1', source: 's', type: 'line.left', route: 'north', to: 'm/in' };
  expect(understand(graph, event)).toMatchObject({
    sending: { to: 'm/in' },
    message: { headers: { route: 'north' } },
  });
  expect(understand(graph, { ...event, to: 3 })).toEqual({ error: '`to` must be a text' });
  for (const topic of ['', 'a/+', '#'])
    expect(understand(graph, { to: 'm', via: 'mqtt', topic })).toEqual({
      error: expect.stringContaining('MQTT'),
    });
});

test('integers of a line are exact', () => {
  expect(readLine('{"n": 9007199254740993, "m": 12, "d": 1.5}')).toEqual({
    n: 9007199254740993n,
    m: 12,
    d: 1.5,
  });
  expect(() => readLine('{"n": 9007199254740993')).toThrow();
  expect(Object.hasOwn(readLine('{"__proto__": 1}') as object, '__proto__')).toBe(true);
});
