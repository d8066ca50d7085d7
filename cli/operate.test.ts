/** What stands in an environment, from a terminal, against a server that answers what a server does. */
import { execFile } from 'node:child_process';
import { once } from 'node:events';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import { openapi } from '@vondle/api';

const BIN = join(__dirname, 'bin/vondle.mjs');
let server: Server;
let address: string;
/** What the server was asked, and what it answers, by method and path. */
const asked: { what: string; body: unknown }[] = [];
let answers: Record<string, unknown> = {};

const store = {
  broker: 'm',
  name: 'box',
  id: null,
  waiting: 7,
  inHand: 2,
  delayed: 0,
  takers: [],
  comes: 1.25,
  goes: null,
  oldestAt: null,
  node: null,
};
const look = {
  at: '2026-01-01T00:00:00.000Z',
  brokers: [],
  stores: [store],
  entries: [],
  links: [],
  said: [],
  alerts: [],
  moreAlerts: 0,
  more: 0,
  drift: null,
};
const message = {
  place: 1,
  key: 'a.b',
  exchange: 'in',
  headers: { level: 3, 'x-death': [] },
  properties: { contentType: 'application/json' },
  size: 8,
  tries: null,
  arrivedAt: null,
  inHand: false,
  deaths: [{ why: 'rejected', at: 'other', count: 1, when: null }],
  body: { as: 'json', value: { a: 1 }, cut: false, hidden: '' },
  types: [{ type: 'note', remarks: [], labels: [] }],
};
const operation = {
  id: 4,
  what: 'move',
  broker: 'm',
  store: 'box',
  to: '',
  toBroker: '',
  where: '',
  agreed: 5,
  done: 5,
  looked: 6,
  state: 'done',
  error: null,
  by: 'M',
  at: look.at,
  finishedAt: look.at,
};

beforeAll(async () => {
  server = createServer((request, response) => {
    let body = '';
    request.on('data', (part: Buffer) => (body += part.toString()));
    request.on('end', () => {
      const what = `${request.method} ${request.url!.replace('/api/topologies/', '').replace(/\?.*/, '')}`;
      asked.push({
        what: `${request.method} ${request.url!.replace('/api/topologies/', '')}`,
        body: body ? JSON.parse(body) : undefined,
      });
      const answer = answers[what];
      response.writeHead(answer === undefined ? 404 : 200, { 'content-type': 'application/json' });
      response.end(JSON.stringify(answer ?? { detail: 'no such thing' }));
    });
  });
  server.listen(0, '127.0.0.1');
  await once(server, 'listening');
  address = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
});
afterAll(() => server.close());
beforeEach(() => {
  asked.length = 0;
  answers = {
    'GET f/watch/live': look,
    'GET f/messages/live': { messages: [message], waiting: 9, said: 'None was taken.' },
    'POST f/messages/live/send': { returned: false, refused: null, remarks: [], predicted: ['m/box'] },
    'GET f/messages/live/operations': [operation],
    'POST f/messages/live/operations': { id: 4 },
    'POST f/watch/live/drift': { at: look.at, away: [], differences: [], more: 0 },
  };
});

const vondle = (...args: string[]) =>
  new Promise<{ code: number; out: string; err: string }>((done) => {
    const env = { ...process.env, VONDLE_SERVER: address, VONDLE_TOKEN: 'vondle_x' };
    const child = execFile(process.execPath, [BIN, ...args], { env }, (_, out, err) =>
      done({ code: child.exitCode ?? 0, out, err }),
    );
  });

test('what is answered here is what a server answers', () => {
  const { schemas } = openapi('0').components as unknown as {
    schemas: Record<string, { required?: string[]; properties: object }>;
  };
  const examples = { Look: look, StoreNow: store, MessageSeen: message, Operation: operation };
  for (const [name, example] of Object.entries(examples)) {
    const { required = [], properties } = schemas[name]!;
    expect(Object.keys(example)).toEqual(expect.arrayContaining(required));
    expect(Object.keys(properties)).toEqual(expect.arrayContaining(Object.keys(example)));
  }
});

test('how an environment stands, once; exit 1 where something contradicts the topology', async () => {
  const well = await vondle('watch', 'f', '-e', 'live', '--once');
  expect(well).toMatchObject({ code: 0, out: expect.stringMatching(/m\/box +7 +2 +0 +0 +1\.3/) });
  answers['GET f/watch/live'] = {
    ...look,
    said: [
      { kind: 'stalls', about: '', id: 'x', words: 'box stalls', app: null, store: null, since: look.at },
    ],
  };
  expect(await vondle('watch', 'f', '-e', 'live', '--once')).toMatchObject({
    code: 1,
    out: expect.stringContaining('stalls: box stalls'),
  });
  const json = await vondle('watch', 'f', '-e', 'live', '--once', '-f', 'json');
  expect(JSON.parse(json.out)).toMatchObject({ stores: [{ name: 'box' }] });
}, 30_000);

test('drift: exit 1 where something would have to be put back, 2 where a broker could not be read', async () => {
  expect(await vondle('drift', 'f', '-e', 'live')).toMatchObject({
    code: 0,
    out: 'All is as it was applied.\n',
  });
  const extra = {
    broker: 'm',
    kind: 'extra',
    what: 'queue x',
    putBack: null,
    of: 'queue',
    there: {},
    applied: null,
  };
  answers['POST f/watch/live/drift'] = { at: look.at, away: [], differences: [extra], more: 0 };
  expect(await vondle('drift', 'f', '-e', 'live')).toMatchObject({
    code: 0,
    out: 'm: extra: queue x (stays)\n',
  });
  answers['POST f/watch/live/drift'] = {
    at: look.at,
    away: [],
    differences: [{ ...extra, kind: 'missing', putBack: 'declare it' }],
    more: 0,
  };
  expect(await vondle('drift', 'f', '-e', 'live')).toMatchObject({ code: 1 });
  answers['POST f/watch/live/drift'] = {
    at: look.at,
    away: [{ broker: 'm', why: 'gone' }],
    differences: [],
    more: 0,
  };
  expect(await vondle('drift', 'f', '-e', 'live')).toMatchObject({
    code: 2,
    err: expect.stringContaining('m could not be read: gone'),
  });
}, 30_000);

test('messages are printed with what they came with, where they died and what is in them', async () => {
  const { out, err, code } = await vondle('browse', 'f', 'm/box', '-e', 'live', '-m', '3');
  expect([code, err]).toEqual([0, '1 of 9. None was taken.\n']);
  expect(out).toBe(
    '1. note, key a.b\n   given up in other: rejected\n   contentType: application/json\n   level: 3\n   {"a":1}\n',
  );
  expect(asked[0]!.what).toBe('GET f/messages/live?broker=m&store=box&most=3');
  expect(await vondle('browse', 'f', 'box', '-e', 'live')).toMatchObject({
    code: 2,
    err: expect.stringContaining('write it as broker/name'),
  });
}, 30_000);

test('a message is sent with its headers and body; exit 1 where nobody wanted it', async () => {
  const how = [
    'send',
    'f',
    '-e',
    'live',
    '-a',
    'desk',
    '-m',
    'note',
    '-t',
    'm/in',
    '-H',
    'level=3',
    '-H',
    'place=north',
    '-b',
    '{"a":1}',
  ];
  expect(await vondle(...how)).toMatchObject({ code: 0, out: expect.stringContaining('comes to m/box') });
  expect(asked[0]!.body).toEqual({
    app: 'desk',
    message: 'note',
    to: 'm/in',
    via: 'amqp',
    sample: { headers: { level: 3, place: 'north' }, body: { a: 1 } },
  });
  answers['POST f/messages/live/send'] = { returned: true, refused: null, remarks: ['odd'], predicted: [] };
  expect(await vondle(...how)).toMatchObject({ code: 1, err: 'odd\n' });
}, 30_000);

test('nothing is moved or destroyed before its number is agreed to', async () => {
  const unsaid = await vondle('empty', 'f', 'm/box', '-e', 'live');
  expect(unsaid).toMatchObject({
    code: 2,
    err: expect.stringContaining('7 wait in m/box now; say how many may be destroyed with --agreed'),
  });
  expect(asked.some(({ what }) => what.startsWith('POST'))).toBe(false);
  const moved = await vondle(
    'move',
    'f',
    'm/box',
    'm/other',
    '-e',
    'live',
    '--agreed',
    '5',
    '-w',
    'level > 2',
  );
  expect(moved).toMatchObject({ code: 0, out: '5 moved, of 6 looked at.\n' });
  expect(asked.find(({ what }) => what.startsWith('POST'))!.body).toEqual({
    what: 'move',
    broker: 'm',
    store: 'box',
    agreed: 5,
    to: 'other',
    where: 'level > 2',
  });
  answers['GET f/messages/live/operations'] = [{ ...operation, state: 'failed', error: 'the broker went' }];
  expect(await vondle('move', 'f', 'm/box', '-e', 'live', '--agreed', '5', '--copy')).toMatchObject({
    code: 1,
    out: expect.stringContaining('the broker went'),
  });
  expect(asked.filter(({ what }) => what.startsWith('POST')).at(-1)!.body).toEqual({
    what: 'copy',
    broker: 'm',
    store: 'box',
    agreed: 5,
  });
}, 30_000);

test('messages go to another broker where what is named begins with one', async () => {
  answers['GET f/watch/live'] = {
    ...look,
    brokers: ['m', 'n'].map((broker) => ({ broker, revision: 1, away: null })),
  };
  const goalOf = async (to: string) => {
    await vondle('move', 'f', 'm/box', to, '-e', 'live', '--agreed', '5');
    const { to: store, toBroker } = asked.filter(({ what }) => what.startsWith('POST')).at(-1)!.body as {
      to: string;
      toBroker?: string;
    };
    return [toBroker, store];
  };
  expect(await goalOf('n/far/away')).toEqual(['n', 'far/away']);
  // a queue may have a stroke in its name
  expect(await goalOf('m/a/b')).toEqual([undefined, 'a/b']);
  expect(await goalOf('x/b')).toEqual([undefined, 'x/b']);
}, 30_000);
