/** A queue made anew with what waits in it, its connection cut at any moment: nothing is lost, whoever goes on. */
import type { Step } from '@vondle/core/analysis';
import type { ChannelModel, ConfirmChannel } from 'amqplib';
import { emptyVirtualHost } from '../../testing/virtual-host.ts';
import type { AmqpBroker } from './broker.ts';
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

const replace = (ttl: number): Step => ({
  do: 'replace queue',
  queue: {
    name: 'full',
    durable: true,
    autoDelete: false,
    exclusive: false,
    arguments: { 'x-message-ttl': ttl },
  },
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

test('cut off at any moment, none is lost, and the next to come ends it', async () => {
  let cuts = 0;
  for (const after of [1, 30, 80, 150, 300]) {
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
    await second.close();
    await first.close();
    const found = await takeAll();
    // what was on its way when it was cut may come twice, and nothing is missing
    expect([...new Set(found)].sort((a, b) => a - b)).toEqual(Array.from({ length: COUNT }, (_, i) => i));
    expect(found.length).toBeLessThanOrEqual(COUNT + 2 * 500);
    expect((await readInventory(broker)).passing).toEqual([]);
    await channel.deleteQueue('full');
  }
  expect(cuts).toBeGreaterThan(1);
}, 120_000);
