/** Who means ill: of the administration and of the protocol. Each is refused, and everybody else goes on. */
import { connect, type Socket } from 'node:net';
import { FrameGuard, LARGEST_MESSAGE } from './amqp/guard.ts';
import { inRuns } from './amqp/dispositions.ts';
import type { TestClient } from './testing/harness.ts';
import { type Harness, SECRET, standin, until } from './testing/harness.ts';

let h: Harness;
let client: TestClient;
beforeAll(async () => {
  h = await standin({ mostInStore: 10 });
  await h.must('PUT', '/spaces/isles', { tenant: 'auklet', access: 'open' });
  await h.must('PUT', '/spaces/isles/queues/q', {});
  client = await h.client('isles', 'one');
});
afterAll(() => h.close());

/** Sends bytes and waits for the end. @returns what came */
const throwAt = (...chunks: Buffer[]): Promise<Buffer> =>
  new Promise((done) => {
    const got: Buffer[] = [];
    const socket: Socket = connect(h.running.amqpPort, '127.0.0.1', () => {
      for (const chunk of chunks) socket.write(chunk);
    });
    socket.on('data', (part) => got.push(part));
    socket.on('error', () => {});
    socket.on('close', () => done(Buffer.concat(got)));
  });
const SASL = Buffer.from('AMQP\x03\x01\x00\x00', 'latin1');
const frame = (type: number, body: Buffer) => {
  const head = Buffer.alloc(8);
  head.writeUInt32BE(8 + body.length);
  head[4] = 2;
  head[5] = type;
  return Buffer.concat([head, body]);
};
const alive = async () => {
  const send = await client.sender('q');
  await send({ body: 'still here' });
  const taker = await client.receiver('q', 1);
  (await taker.next()).delivery.accept();
  await until(async () => (await h.must('GET', '/spaces/isles')).queues[0].stands.inHand === 0);
  taker.link.close();
};

test.each([
  ['a frame of four gigabytes', [SASL, Buffer.from('ffffffff02010000', 'hex')]],
  ['a frame of nothing', [SASL, Buffer.alloc(8)]],
  ['no protocol at all', [Buffer.from('GET / HTTP/1.1\r\nHost: x\r\n\r\n')]],
  ['the protocol without signing in', [Buffer.from('AMQP\x00\x01\x00\x00', 'latin1')]],
  // sasl-init whose mechanism is an array of four billion items of no width
  [
    'an array of more items than bytes',
    [
      SASL,
      frame(
        1,
        Buffer.from('005341d0000000120000000' + '1f0000000090000000ffffffff40'.padEnd(28, '0'), 'hex'),
      ),
    ],
  ],
  ['noise', [SASL, frame(1, Buffer.from('0053'.repeat(40), 'hex'))]],
])('%s ends its connection, and no other', async (_what, chunks) => {
  await throwAt(...chunks);
  await alive();
});

test('frames are told apart wherever they are cut', () => {
  const whole = Buffer.concat([
    SASL,
    frame(1, Buffer.alloc(30)),
    Buffer.from('AMQP\x00\x01\x00\x00', 'latin1'),
    frame(0, Buffer.alloc(5)),
  ]);
  for (let size = 1; size < 12; size++) {
    const guard = new FrameGuard();
    for (let at = 0; at < whole.length; at += size)
      expect(guard.within(whole.subarray(at, at + size))).toBe(true);
    expect(guard.within(Buffer.from('00000004', 'hex'))).toBe(false);
  }
});

test('what is said of deliveries is said in one breath only where it is the same', () => {
  const of = (value: number) => ({ descriptor: { value } });
  const said = [
    { id: 1, settled: true, state: of(0x24) },
    { id: 2, settled: true, state: of(0x25) },
    { id: 3, settled: true, state: of(0x24) },
    { id: 4, settled: true, state: of(0x24) },
    { id: 6, settled: true, state: of(0x24) },
    { id: 7, settled: true },
    { id: 8, settled: true },
  ];
  expect(inRuns(said).map((run) => run.map(({ id }) => id))).toEqual([[1], [2], [3, 4], [6], [7, 8]]);
});

test('a message that is too large ends its connection before it is whole', async () => {
  const other = await h.client('isles', 'two');
  const send = await other.sender('q');
  const gone = new Promise((done) => other.connection.on('disconnected', done));
  void send({ body: 'x'.repeat(LARGEST_MESSAGE + 1) }).catch(() => {});
  await gone;
  await alive();
});

test('a full store takes no more, and says so; what was taken makes room', async () => {
  await h.must('PUT', '/spaces/isles/queues/full', {});
  const send = await client.sender('full');
  await Promise.all(Array.from({ length: 10 }, () => send({ body: 'x' })));
  await expect(send({ body: 'one more' })).rejects.toThrow(
    'amqp:resource-limit-exceeded: full holds 10 messages',
  );
  const taker = await client.receiver('full', 1);
  (await taker.next()).delivery.accept();
  await until(async () =>
    send({ body: 'fits' }).then(
      () => true,
      () => false,
    ),
  );
});

test('who administers sees what is theirs, and is told what is wrong', async () => {
  const { secret } = await h.must('PUT', '/tenants/northquay');
  const theirs = `northquay:${secret}`;
  expect((await h.ask('GET', '/spaces/isles', undefined, theirs)).status).toBe(404);
  expect((await h.ask('PUT', '/spaces/isles/queues/q', {}, theirs)).status).toBe(404);
  expect((await h.ask('PUT', '/spaces/isles', { tenant: 'northquay', access: 'open' }, theirs)).status).toBe(
    404,
  );
  expect((await h.ask('PUT', '/spaces/quay', { tenant: 'auklet', access: 'open' }, theirs)).status).toBe(404);
  expect((await h.ask('PUT', '/spaces/quay', { tenant: 'northquay', access: 'open' }, theirs)).status).toBe(
    204,
  );
  expect(
    (await h.ask('GET', '/spaces', undefined, theirs)).data.spaces.map((each: { name: string }) => each.name),
  ).toEqual(['quay']);
  for (const as of ['northquay:wrong', 'operator:', `operator:${SECRET}x`, 'nobody:x', ''])
    expect((await h.ask('GET', '/spaces', undefined, as)).status).toBe(401);
  expect(
    await h.ask('PUT', '/spaces/isles/subscriptions/s', { topic: 'none', filter: { selector: 'a >' } }),
  ).toMatchObject({
    status: 422,
    data: { errors: [{ path: 'topic' }, { path: 'filter' }] },
  });
  expect((await h.ask('PUT', '/spaces/isles/topics/q', {})).data.detail).toBe(
    'q is a queue of this space; messages are addressed by name.',
  );
  expect((await h.ask('PUT', '/spaces/isles/queues/x', { lease: '30s' })).status).toBe(422);
  // the answer may be there before all of the body is sent
  const large = await h
    .ask('PUT', '/spaces/isles/queues/x', { tenant: 'x'.repeat(300_000) })
    .catch(() => undefined);
  expect(large?.status ?? 413).toBe(413);
  expect((await h.ask('PUT', `/spaces/isles/queues/${'x'.repeat(256)}`, {})).status).toBe(422);
  expect((await h.ask('GET', '/nothing')).status).toBe(404);
});

test('nothing is destroyed that was not agreed to by its number, nor what is still used', async () => {
  const send = await client.sender('full');
  await until(
    async () =>
      (await h.must('GET', '/spaces/isles')).queues.find((each: { name: string }) => each.name === 'full')
        .stands.waiting >= 9,
  );
  const { status, data } = await h.ask('DELETE', '/spaces/isles/queues/full');
  expect({ status, detail: data.detail }).toEqual({
    status: 409,
    detail: expect.stringMatching(/^full holds \d+ messages. To destroy them, say their number/),
  });
  await h.must('PUT', '/spaces/isles/topics/t', {});
  await h.must('PUT', '/spaces/isles/subscriptions/hands', {
    topic: 't',
    to: 'full',
    deadLetter: { to: 'q' },
  });
  expect((await h.ask('DELETE', '/spaces/isles/queues/full?destroys=100')).data.detail).toBe(
    'subscription hands needs full. Remove that first.',
  );
  expect((await h.ask('DELETE', '/spaces/isles/topics/t')).status).toBe(409);
  await h.must('DELETE', '/spaces/isles/subscriptions/hands');
  expect((await h.ask('DELETE', '/spaces/isles?destroys=1')).status).toBe(409);
  await h.must('DELETE', '/spaces/isles/queues/full?destroys=100');
  await expect(send({ body: 'nowhere' })).rejects.toThrow('amqp:not-found');
});

test('its description is whole: every reference leads somewhere', async () => {
  const { data } = await h.ask('GET', '/openapi.json');
  expect(data.openapi).toBe('3.1.1');
  const text = JSON.stringify(data);
  for (const [, name] of text.matchAll(/#\/components\/schemas\/(\w+)/g))
    expect(data.components.schemas).toHaveProperty([name!]);
  const ids = Object.values(data.paths as Record<string, Record<string, { operationId: string }>>).flatMap(
    (path) => Object.values(path).map(({ operationId }) => operationId),
  );
  expect(new Set(ids).size).toBe(ids.length);
  expect(ids.length).toBeGreaterThan(15);
});
