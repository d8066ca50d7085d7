/** A queue made anew with what waits in it, its connection cut at any moment: nothing is lost and nothing doubled, whoever goes on. */
import type { Step } from '@vondle/core/analysis';
import type { ChannelModel, ConfirmChannel, GetMessage } from 'amqplib';
import { emptyVirtualHost } from '../../testing/virtual-host.ts';
import type { AmqpBroker } from './broker.ts';
import { keptFor, roomFor } from './carry.ts';
import { readInventory } from './inventory.ts';
import { StepRunner } from './step.ts';

const COUNT = 3000;
let broker: AmqpBroker;
let connection: ChannelModel;
let channel: ConfirmChannel;

beforeAll(async () => {
  broker = await emptyVirtualHost('carry');
  connection = await broker.connect();
  channel = await connection.createConfirmChannel();
});
afterAll(() => connection?.close());

const queueOf = (ttl: number) => ({
  name: 'full',
  durable: true,
  autoDelete: false,
  exclusive: false,
  arguments: { 'x-message-ttl': ttl },
});

const replace = (ttl: number): Step => ({
  do: 'replace queue',
  queue: queueOf(ttl),
  bindings: [],
  title: 'replace queue full',
  risk: 'loses',
});

async function fill(): Promise<void> {
  await channel.assertQueue('full', { durable: true });
  for (let i = 0; i < COUNT; i++) channel.sendToQueue('full', Buffer.from(String(i)), { persistent: true });
  await channel.waitForConfirms();
}

async function takeAll(): Promise<number[]> {
  const found: number[] = [];
  for (
    let got = await channel.get('full', { noAck: true });
    got;
    got = await channel.get('full', { noAck: true })
  )
    found.push(Number(got.content.toString()));
  return found;
}

test('all of them are there after, in their order, when nothing goes wrong', async () => {
  await fill();
  const runner = await StepRunner.open(broker, 3000);
  expect(await runner.run(replace(3_600_000))).toContain(`${COUNT} messages were carried over`);
  // done again, nothing is left to do
  expect(await runner.run(replace(3_600_000))).toBeNull();
  await runner.close();
  expect(await takeAll()).toEqual(Array.from({ length: COUNT }, (_, i) => i));
  expect((await readInventory(broker)).passing).toEqual([]);
  await channel.deleteQueue('full');
});

test('of large messages few are on their way at once, and all of them are there after', async () => {
  const size = 12 * 1024 * 1024;
  await channel.assertQueue('full', { durable: true });
  for (let i = 0; i < 12; i++) channel.sendToQueue('full', Buffer.alloc(size, i), { persistent: true });
  await channel.waitForConfirms();
  const asked = jest.spyOn(Object.getPrototypeOf(channel) as ConfirmChannel, 'prefetch');
  const runner = await StepRunner.open(broker, 10_000);
  expect(await runner.run(replace(3_600_000))).toContain('12 messages were carried over');
  await runner.close();
  const counts = asked.mock.calls.map(([count]) => count);
  asked.mockRestore();
  // two of them are 24 MiB, three are 36; more at once only before the first was seen, there and back
  expect(counts.filter((count) => count > 2).length).toBeLessThanOrEqual(2);
  for (let i = 0; i < 12; i++) {
    const got = await channel.get('full', { noAck: true });
    expect(got && [got.content.byteLength, got.content[0], got.content.at(-1)]).toEqual([size, i, i]);
  }
  await channel.deleteQueue('full');
});

test('the size of messages says how many are on their way', () => {
  expect([0, 1, 1024, 1024 * 1024, 12 * 1024 * 1024, 10 ** 9].map(roomFor)).toEqual([
    500, 500, 500, 32, 2, 1,
  ]);
});

test('what a taker has in hand goes where that was agreed to, and nothing that waits goes with it', async () => {
  await fill();
  const own = await connection.createChannel();
  await own.prefetch(1);
  const inHand = new Promise<number>((done) => {
    void own.consume('full', (message) => message && done(Number(message.content.toString())));
  });
  expect(await inHand).toBe(0);
  const runner = await StepRunner.open(broker);
  await runner.run(replace(3_600_000), 1);
  await runner.close();
  // the taker was cut off with what it had
  expect((await takeAll()).filter((each) => each !== 0)).toEqual(
    Array.from({ length: COUNT - 1 }, (_, i) => i + 1),
  );
  await own.close().catch(() => {});
  await channel.deleteQueue('full');
});

const numbers = Array.from({ length: COUNT }, (_, i) => i);

test('cut off at any moment, none is lost and none comes twice, and the next to come ends it', async () => {
  let cuts = 0;
  for (const after of [1, 20, 40, 60, 80, 120, 160, 200, 300, 400]) {
    await fill();
    const first = await StepRunner.open(broker, 3000);
    const running = first.run(replace(3_600_000)).then(
      () => 'done',
      () => 'cut',
    );
    // at another point of the way each time; where is not what is tested
    const timer = setTimeout(() => first.abort(), after);
    if ((await running) === 'cut') cuts++;
    clearTimeout(timer);
    const second = await StepRunner.open(broker, 3000);
    await second.run(replace(3_600_000));
    await second.tidy();
    await second.close();
    await first.close();
    expect(await takeAll()).toEqual(numbers);
    expect((await readInventory(broker)).passing).toEqual([]);
    await channel.deleteQueue('full');
  }
  expect(cuts).toBeGreaterThan(1);
}, 240_000);

/** Cuts a runner off when the broker has come to something. */
async function cutOff(when: () => Promise<boolean>): Promise<void> {
  const runner = await StepRunner.open(broker, 5000);
  const running = runner.run(replace(3_600_000)).catch(() => {});
  for (const until = Date.now() + 20_000; Date.now() < until && !(await when()););
  runner.abort();
  await running;
  await runner.close();
}
/** @returns how many messages a queue has, counted as they come; undefined where there is none */
async function countOf(queue: string): Promise<number | undefined> {
  const own = await connection.createChannel();
  own.on('error', () => {});
  const found = await own.checkQueue(queue).catch(() => undefined);
  if (found) await own.close();
  return found?.messageCount;
}

test('cut off while they are kept, and the change given up: the queue has them once', async () => {
  await fill();
  await cutOff(async () => ((await countOf(keptFor('full'))) ?? 0) > 10);
  const runner = await StepRunner.open(broker, 5000);
  expect(await runner.run({ ...replace(0), queue: { ...queueOf(0), arguments: {} } } as Step)).toBeNull();
  await runner.close();
  expect(await takeAll()).toEqual(numbers);
  expect((await readInventory(broker)).passing).toEqual([]);
  await channel.deleteQueue('full');
});

test('cut off while they are given back, and changed again: the queue has them once', async () => {
  await fill();
  await cutOff(
    async () => ((await countOf('full')) ?? 0) > 0 && (await countOf(`${keptFor('full')}.tally`))! > 10,
  );
  const runner = await StepRunner.open(broker, 5000);
  await runner.run(replace(7_200_000));
  await runner.close();
  expect((await takeAll()).sort((a, b) => a - b)).toEqual(numbers);
  expect((await readInventory(broker)).passing).toEqual([]);
  await channel.deleteQueue('full');
});

test('a queue that goes while it is given back gets all of them again', async () => {
  await fill();
  await cutOff(async () => ((await countOf(`${keptFor('full')}.tally`)) ?? 0) > 10);
  await channel.deleteQueue('full');
  const runner = await StepRunner.open(broker, 5000);
  await runner.run(replace(3_600_000));
  await runner.close();
  expect(await takeAll()).toEqual(numbers);
  await channel.deleteQueue('full');
});

test('a broker that fell while they were given back may have tallied more than it kept: none is lost', async () => {
  await fill();
  const kept = keptFor('full');
  await cutOff(async () => ((await countOf(`${kept}.tally`)) ?? 0) > 600);
  // as it is after such a fall: what no broker keeps is gone, and the last that were on their way are not in the queue
  await channel.deleteQueue(`${kept}.up`);
  const given = (await countOf('full'))!;
  const left: number[] = [];
  for (let i = 0; i < given; i++) {
    const got = await channel.get('full', { noAck: true });
    if (got) left.push(Number(got.content.toString()));
  }
  const had = left.slice(0, Math.max(0, given - 300));
  const runner = await StepRunner.open(broker, 5000);
  await runner.run(replace(3_600_000));
  await runner.close();
  const found = [...had, ...(await takeAll())];
  expect([...new Set(found)].sort((a, b) => a - b)).toEqual(numbers);
  expect(found.length).toBeLessThanOrEqual(COUNT + 500);
  expect((await readInventory(broker)).passing).toEqual([]);
  await channel.deleteQueue('full');
});

test.each([
  ['most of them', 300],
  ['all of them', 0],
])('a broker that fell while they were given back has %s: each comes once', async (_, missing) => {
  await fill();
  const kept = keptFor('full');
  await cutOff(async () => ((await countOf(`${kept}.tally`)) ?? 0) > 600);
  await channel.deleteQueue(`${kept}.up`);
  // as it is after such a fall, with nobody who takes: the last that were on their way are not in the queue
  await channel.unbindQueue(`${kept}.tally`, `${kept}.back`, '');
  const had: GetMessage[] = [];
  for (let got = await channel.get('full'); got; got = await channel.get('full')) had.push(got);
  for (const each of had.slice(0, Math.max(1, had.length - missing)))
    channel.publish(`${kept}.back`, each.fields.routingKey, each.content, { persistent: true });
  for (const each of had) channel.ack(each);
  await channel.waitForConfirms();
  await channel.bindQueue(`${kept}.tally`, `${kept}.back`, '');
  // others send meanwhile
  channel.sendToQueue('full', Buffer.from(String(COUNT)));
  await channel.waitForConfirms();
  const runner = await StepRunner.open(broker, 5000);
  await runner.run(replace(3_600_000));
  await runner.close();
  expect((await takeAll()).sort((a, b) => a - b)).toEqual([...numbers, COUNT]);
  expect((await readInventory(broker)).passing).toEqual([]);
  await channel.deleteQueue('full');
});

test('the time a message has to live does not run while it is kept, and none that lapses is counted wrong', async () => {
  await channel.assertQueue('full', { durable: true });
  for (let i = 0; i < COUNT; i++)
    channel.sendToQueue('full', Buffer.from(String(i)), {
      persistent: true,
      ...(i % 2 ? { headers: { own: i } } : { expiration: '900000' }),
    });
  await channel.waitForConfirms();
  await cutOff(async () => ((await countOf(`${keptFor('full')}.tally`)) ?? 0) > 10);
  const runner = await StepRunner.open(broker, 5000);
  await runner.run(replace(3_600_000));
  await runner.close();
  const one = await channel.get('full', { noAck: true });
  const two = await channel.get('full', { noAck: true });
  expect(one).toMatchObject({ properties: { expiration: '900000' } });
  expect(two).toMatchObject({ properties: { expiration: undefined, headers: { own: 1 } } });
  expect(Object.keys((one && one.properties.headers) ?? {})).toEqual([]);
  expect(await takeAll()).toEqual(numbers.slice(2));
  await channel.deleteQueue('full');
});

test('a queue that refuses more than it holds leaves the others kept, and takes them when there is room', async () => {
  await fill();
  const small = {
    ...replace(0),
    queue: { ...queueOf(0), arguments: { 'x-max-length': 1000, 'x-overflow': 'reject-publish' } },
  } as Step;
  const runner = await StepRunner.open(broker, 5000);
  await expect(runner.run(small)).rejects.toThrow('did not take a message');
  const found = await takeAll();
  await runner.run(replace(3_600_000));
  await runner.close();
  found.push(...(await takeAll()));
  expect(found.sort((a, b) => a - b)).toEqual(numbers);
  expect((await readInventory(broker)).passing).toEqual([]);
  await channel.deleteQueue('full');
});
