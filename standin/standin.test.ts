/** The stand-in as its clients meet it: over real connections, on the real PostgreSQL. */
import type { Decoded } from './messages/encoding.ts';
import { DIED } from './messages/sections.ts';
import { type Harness, standin, TestClient, textOf, until } from './testing/harness.ts';

let h: Harness;
beforeAll(async () => {
  h = await standin();
});
afterAll(() => h.close());

let count = 0;
/** A space of its own for each test, in which everybody may do everything where nothing else is said. */
async function space(access: 'open' | 'controlled' = 'open'): Promise<string> {
  const name = `space-${++count}`;
  await h.must('PUT', `/spaces/${name}`, { tenant: 'auklet', access });
  return name;
}
const put = (at: string, kind: string, name: string, settings: object = {}) =>
  h.must('PUT', `/spaces/${at}/${kind}/${encodeURIComponent(name)}`, settings);
const storeIn = async (at: string, name: string) => {
  const setup = await h.must('GET', `/spaces/${at}`);
  return [...setup.queues, ...setup.subscriptions].find((each) => each.name === name).stands;
};
const browse = async (at: string, name: string) =>
  (await h.must('GET', `/spaces/${at}/stores/${name}/messages`)).messages;
const text = (body: string, more: Decoded = {}): Decoded => ({ body, ...more });

test('a topic gives each subscription that admits it a copy, as it was sent, byte for byte', async () => {
  const at = await space();
  await put(at, 'topics', 'notices');
  await put(at, 'queues', 'texting-in');
  await put(at, 'subscriptions', 'texting', {
    topic: 'notices',
    to: 'texting-in',
    filter: { selector: 'severity >= 3' },
  });
  await put(at, 'subscriptions', 'kiosks', { topic: 'notices', filter: { prefix: { subject: 'closure.' } } });
  await put(at, 'subscriptions', 'wrapped', { topic: 'notices', wrap: true });
  const client = await h.client(at, 'console');
  const send = await client.sender('notices');
  await send(
    text('storm', {
      subject: 'closure.north',
      application_properties: { severity: 3 },
      message_id: 'one',
      durable: true,
    }),
  );
  await send(text('calm', { subject: 'opening', application_properties: { severity: 2 } }));
  const texting = await client.receiver('texting-in', 5);
  const { message, delivery } = await texting.next();
  expect(message).toMatchObject({
    body: 'storm',
    subject: 'closure.north',
    message_id: 'one',
    durable: true,
    delivery_count: 0,
    application_properties: { severity: 3 },
  });
  delivery.accept();
  const kiosks = await client.receiver('kiosks', 5);
  expect((await kiosks.next()).message.body).toBe('storm');
  const wrapped = await client.receiver('wrapped', 5);
  expect(JSON.parse(textOf((await wrapped.next()).message))).toEqual({
    topic: 'notices',
    subscription: 'wrapped',
    headers: { severity: 3 },
    properties: expect.objectContaining({ subject: 'closure.north', messageId: 'one' }),
    body: 'storm',
  });
  await until(async () => (await browse(at, 'texting-in')).length === 0);
  expect(texting.ahead).toBe(0);
});

test('accepted is gone; released comes again untried; failed comes again as tried; rejected is a dead letter', async () => {
  const at = await space();
  await put(at, 'queues', 'parked');
  await put(at, 'queues', 'fares', { deadLetter: { to: 'parked' } });
  const client = await h.client(at, 'office');
  const send = await client.sender('fares');
  const taker = await client.receiver('fares', 1);
  const once = async () => {
    const got = await taker.next();
    taker.link.add_credit(1);
    return got;
  };
  await send(text('a'));
  const first = await once();
  expect(first.message.delivery_count).toBe(0);
  first.delivery.release();
  const second = await once();
  expect(second.message.delivery_count).toBe(0);
  second.delivery.modified({ delivery_failed: true, undeliverable_here: false });
  const third = await once();
  expect(third.message.delivery_count).toBe(1);
  third.delivery.reject();
  await until(async () => (await storeIn(at, 'parked')).waiting === 1);
  const parked = await client.receiver('parked', 1);
  const dead = await parked.next();
  expect(dead.message.message_annotations).toMatchObject({
    [DIED.because]: 'rejected',
    [DIED.at]: 'fares',
    [DIED.tries]: 2,
  });
  expect(dead.message.body).toBe('a');
  dead.delivery.accept();
  await until(async () => (await storeIn(at, 'parked')).inHand === 0);
  expect(await storeIn(at, 'fares')).toMatchObject({ waiting: 0, inHand: 0, takers: 1 });
});

test('who sent a message is known of its copies, in envelopes, as dead letters and where they are moved', async () => {
  const at = await space();
  await put(at, 'topics', 'notices');
  await put(at, 'queues', 'parked');
  await put(at, 'subscriptions', 'plain', { topic: 'notices', deadLetter: { to: 'parked' } });
  await put(at, 'subscriptions', 'wrapped', { topic: 'notices', wrap: true });
  const client = await h.client(at, 'console', { actsAs: 'app:the-console' });
  await (
    await client.sender('notices')
  )(text('a'));
  const senders = async (name: string) =>
    (await browse(at, name)).map(({ sentBy }: { sentBy: string }) => sentBy);
  for (const each of ['plain', 'wrapped']) expect(await senders(each)).toEqual(['app:the-console']);
  const { delivery } = await (await client.receiver('plain', 1)).next();
  delivery.reject();
  await until(async () => (await storeIn(at, 'parked')).waiting === 1);
  expect(await senders('parked')).toEqual(['app:the-console']);
  const [{ id }] = await browse(at, 'parked');
  await h.must('POST', `/spaces/${at}/stores/parked/messages/move`, { to: 'plain', ids: [id] });
  expect(await senders('plain')).toEqual(['app:the-console']);
  // it is no part of the message
  const again = await (await client.receiver('plain', 1)).next();
  expect(JSON.stringify(again.message)).not.toContain('the-console');
});

test('a lease that lapses gives the message to another, and what the first says then counts for nothing', async () => {
  const at = await space();
  await put(at, 'queues', 'slow', { leaseMs: 400 });
  const [one, two] = [await h.client(at, 'one'), await h.client(at, 'two')];
  const send = await one.sender('slow');
  const first = await one.receiver('slow', 1);
  await send(text('late'));
  const late = await first.next();
  expect(await storeIn(at, 'slow')).toMatchObject({ waiting: 0, inHand: 1 });
  const second = await two.receiver('slow', 1);
  const again = await second.next();
  expect(again.message.delivery_count).toBe(1);
  late.delivery.accept();
  again.delivery.modified({ delivery_failed: true });
  await until(async () => (await browse(at, 'slow')).length === 1);
});

test('credit is kept to: nobody is given more than was asked for', async () => {
  const at = await space();
  await put(at, 'queues', 'many');
  const client = await h.client(at, 'one');
  const send = await client.sender('many');
  await Promise.all(Array.from({ length: 20 }, (_, i) => send(text(String(i)))));
  const taker = await client.receiver('many', 3);
  const got = [await taker.next(), await taker.next(), await taker.next()];
  expect(got.map(({ message }) => message.body)).toEqual(['0', '1', '2']);
  await until(async () => (await storeIn(at, 'many')).inHand === 3);
  expect(taker.ahead).toBe(0);
  // a drain that finds less than it asks for gives the rest of the credit back
  taker.link.add_credit(30);
  (taker.link as unknown as { drain_credit(): void }).drain_credit();
  await new Promise((done) => taker.link.on('receiver_drained', done));
  expect(taker.ahead).toBe(17);
});

test('of one group one at a time, in order, whatever is released; other groups go on', async () => {
  const at = await space();
  await put(at, 'queues', 'sailings', { order: 'fifo' });
  const client = await h.client(at, 'one');
  const send = await client.sender('sailings');
  for (const [body, group_id] of [
    ['a1', 'a'],
    ['a2', 'a'],
    ['b1', 'b'],
    ['a3', 'a'],
    ['x', undefined],
  ] as const)
    await send(text(body, group_id ? { group_id } : {}));
  const taker = await client.receiver('sailings', 10);
  const seen: string[] = [];
  const failedOnce = new Set(['a1', 'b1']);
  while (seen.length < 5) {
    const { message, delivery } = await taker.next();
    if (failedOnce.delete(String(message.body))) {
      delivery.modified({ delivery_failed: true });
      taker.link.add_credit(1);
      continue;
    }
    seen.push(String(message.body));
    delivery.accept();
  }
  expect(seen.filter((body) => body.startsWith('a'))).toEqual(['a1', 'a2', 'a3']);
  expect(seen.toSorted()).toEqual(['a1', 'a2', 'a3', 'b1', 'x']);
});

test('repeats are recognised for their time; a delay hides; what is tried too often or too old is given up', async () => {
  const at = await space();
  await put(at, 'topics', 'news', { dedupeMs: 600 });
  await put(at, 'queues', 'dead');
  await put(at, 'subscriptions', 'all', { topic: 'news', maxDeliveries: 2, deadLetter: { to: 'dead' } });
  await put(at, 'queues', 'later', { delayMs: 500 });
  await put(at, 'queues', 'brief', { ttlMs: 100, deadLetter: { to: 'dead' } });
  const client = await h.client(at, 'one');
  const news = await client.sender('news');
  await Promise.all([
    news(text('n', { message_id: 'm1' })),
    news(text('n', { message_id: 'm1' })),
    news(text('n', { message_id: 'm2' })),
  ]);
  expect(await storeIn(at, 'all')).toMatchObject({ waiting: 2 });
  await until(async () => {
    await news(text('n', { message_id: 'm1' }));
    return (await storeIn(at, 'all')).waiting === 3;
  });
  await (
    await client.sender('later')
  )(text('hidden'));
  expect(await storeIn(at, 'later')).toMatchObject({ waiting: 0, delayed: 1 });
  expect((await (await client.receiver('later', 1)).next()).message.body).toBe('hidden');
  const taker = await client.receiver('all', 1);
  for (let i = 0; i < 6; i++) {
    (await taker.next()).delivery.modified({ delivery_failed: true });
    taker.link.add_credit(1);
  }
  // nobody takes from this one: time alone gives it up
  await (
    await client.sender('brief')
  )(text('old'));
  const dead = await until(async () => {
    const all = await browse(at, 'dead');
    return all.length === 4 && all;
  });
  expect(dead.map((each: { died: object }) => each.died)).toEqual(
    expect.arrayContaining([
      { because: 'too many deliveries', at: 'all', tries: 2 },
      { because: 'expired', at: 'brief', tries: 0 },
    ]),
  );
});

test('statements hold at every hop, and as soon as they change', async () => {
  const at = await space('controlled');
  await put(at, 'topics', 'notices');
  await put(at, 'queues', 'texting-in');
  await put(at, 'subscriptions', 'texting', { topic: 'notices', to: 'texting-in' });
  const [console, texting] = [await h.client(at, 'console'), await h.client(at, 'texting')];
  await expect(console.sender('notices')).rejects.toThrow(
    'amqp:unauthorized-access: no statement lets app:console publish into notices',
  );
  await put(at, 'statements', 'console', { allow: ['publish'], who: ['app:console'], on: ['notices'] });
  const send = await console.sender('notices');
  await send(text('lost'));
  // the topic was never let write into the queue
  expect(await storeIn(at, 'texting-in')).toMatchObject({ waiting: 0 });
  await put(at, 'statements', 'hand', {
    allow: ['publish'],
    who: ['topic:notices'],
    on: ['texting-in'],
    when: { source: 'notices' },
  });
  await send(text('arrives'));
  expect(await storeIn(at, 'texting-in')).toMatchObject({ waiting: 1 });
  await expect(texting.receiver('texting-in', 1)).rejects.toThrow(
    'no statement lets app:texting consume from',
  );
  await put(at, 'statements', 'reads', { allow: ['consume'], who: ['tenant:auklet'], on: ['texting-*'] });
  const taker = await texting.receiver('texting-in', 1);
  (await taker.next()).delivery.accept();
  await put(at, 'statements', 'no more', { deny: ['consume'], who: ['app:texting'], on: ['*'] });
  taker.link.add_credit(1);
  expect(await taker.closed).toBe('“no more” denies it');
  await h.must('DELETE', `/spaces/${at}/statements/console`);
  await expect(send(text('not any more'))).rejects.toThrow('amqp:unauthorized-access');
});

test('two processes serve one space, and what one had in hand when it fell comes back by itself', async () => {
  const at = await space();
  await put(at, 'queues', 'work', { leaseMs: 800 });
  const { secret } = await h.must('PUT', `/spaces/${at}/users/worker`, {
    tenant: 'auklet',
    actsAs: 'app:worker',
  });
  const other = await h.another();
  const there = await TestClient.connect(other.amqpPort, `${at}/worker`, secret);
  const here = await TestClient.connect(h.running.amqpPort, `${at}/worker`, secret);
  const taker = await here.receiver('work', 10);
  const send = await there.sender('work');
  await send(text('across'));
  (await taker.next()).delivery.accept();
  const fallen = await there.receiver('work', 10);
  taker.link.close();
  await send(text('in hand'));
  await fallen.next();
  await other.close();
  const again = await here.receiver('work', 10);
  const { message, delivery } = await again.next();
  expect(message).toMatchObject({ body: 'in hand', delivery_count: 1 });
  delivery.accept();
  await until(async () => (await browse(at, 'work')).length === 0);
  here.close();
});

test('who is nobody, or no more, is not let in', async () => {
  const at = await space();
  await put(at, 'queues', 'q');
  await expect(TestClient.connect(h.running.amqpPort, `${at}/nobody`, 'x')).rejects.toThrow();
  const client = await h.client(at, 'leaver');
  await expect(TestClient.connect(h.running.amqpPort, `${at}/leaver`, 'wrong')).rejects.toThrow();
  await expect(client.sender('nothing')).rejects.toThrow(
    'amqp:not-found: there is no topic or queue nothing',
  );
  await expect(client.receiver('nothing', 1)).rejects.toThrow('amqp:not-found');
  const taker = await client.receiver('q', 1);
  await h.must('DELETE', `/spaces/${at}/users/leaver`);
  await new Promise((done) => client.connection.on('connection_close', done));
  expect(taker.ahead).toBe(0);
});
