/** A revision on all brokers of an environment, one after the other. */
import { connect, type ChannelModel, type ConfirmChannel } from 'amqplib';
import { eq } from 'drizzle-orm';
import { rollouts } from '../db/schema.ts';
import type { AmqpBroker } from '../targets/amqp/broker.ts';
import { readInventory } from '../targets/amqp/inventory.ts';
import { harness, type Ask, type Harness } from '../testing/harness.ts';
import { emptyVirtualHost } from '../testing/virtual-host.ts';

const at = (vhost: string) => ({
  amqp: `${process.env['TEST_BROKER_AMQP']}/${vhost}`,
  http: String(process.env['TEST_BROKER_HTTP']),
});
let h: Harness;
let mara: Ask;
const there: Record<string, AmqpBroker> = {};
let connection: ChannelModel;
let channel: ConfirmChannel;

beforeAll(async () => {
  h = await harness();
  await h.topology('quay', { mara: 'owner', odo: 'owner' });
  mara = await h.as('mara');
  for (const broker of ['one', 'two']) {
    there[broker] = await emptyVirtualHost(`together-${broker}`);
  }
  await save(brokers('a', 'b'));
  for (const broker of ['one', 'two'])
    await mara('PUT', '/topologies/quay/targets', {
      environment: 'trial',
      broker,
      kind: 'amqp',
      addresses: at(`together-${broker}`),
    });
  connection = await connect(at('together-two').amqp);
  connection.on('error', () => {});
  channel = await connection.createConfirmChannel();
  channel.on('error', () => {});
});
afterAll(async () => {
  // its virtual host is gone by then
  await connection?.close().catch(() => {});
  await h?.rollouts.close();
  await h?.close();
});

/** Two brokers with a queue each; without a name, one is not declared. */
const brokers = (one: string, two?: string) =>
  `environments: { trial: {}, other: {} }\nbrokers:\n  one: { kind: amqp, access: open, queues: { ${one}: {} } }\n${
    two === undefined ? '' : `  two: { kind: amqp, access: open, queues: { ${two}: {} } }\n`
  }`;

async function save(text: string): Promise<number> {
  const { draft } = (await mara('GET', '/topologies/quay')).data;
  const documents = [{ name: 'a.yaml', text }];
  const { version } = (await mara('PUT', '/topologies/quay/draft', { version: draft.version, documents }))
    .data;
  const { data } = await mara('POST', '/topologies/quay/revisions', { version, words: 'next' });
  return data.number ?? draft.base;
}
async function plan(text: string) {
  const revision = await save(text);
  const { status, data } = await mara('POST', '/topologies/quay/rollouts', {
    environment: 'trial',
    revision,
  });
  expect([status, data]).toEqual([201, data]);
  return get(data.id);
}
const get = async (id: number) => (await mara('GET', `/topologies/quay/rollouts/${id}`)).data;
const apply = (id: number, agreed = {}) => mara('POST', `/topologies/quay/rollouts/${id}/apply`, agreed);
const group = async (id: number) =>
  (await get(id)).group.map(({ broker, state, verified, waits }: Record<string, unknown>) => [
    broker,
    state,
    verified,
    waits,
  ]);
const queuesOn = async (broker: string) =>
  (await readInventory(there[broker]!)).queues.map(({ name }) => name);

test('each follows once the one before is carried out and read back', async () => {
  const first = await plan(brokers('a', 'b'));
  expect(first.broker).toBe('one');
  expect(await group(first.id)).toEqual([
    ['one', 'planned', null, false],
    ['two', 'planned', null, false],
  ]);
  expect((await apply(first.id)).status).toBe(202);
  await h.rollouts.idle();
  expect(await group(first.id)).toEqual([
    ['one', 'applied', true, false],
    ['two', 'applied', true, false],
  ]);
  expect([await queuesOn('one'), await queuesOn('two')]).toEqual([['a'], ['b']]);
});

test('what is destroyed is agreed to for all of them at once', async () => {
  channel.sendToQueue('b', Buffer.from('1'));
  await channel.waitForConfirms();
  const first = await plan(brokers('a2', 'b2'));
  expect(await apply(first.id)).toMatchObject({
    status: 409,
    data: { title: 'Destroys messages', destroys: 1 },
  });
  expect((await apply(first.id, { destroys: 1 })).status).toBe(202);
  await h.rollouts.idle();
  expect([await queuesOn('one'), await queuesOn('two')]).toEqual([['a2'], ['b2']]);
});

test('where one is not carried out whole, those after it are not begun, and say why', async () => {
  const first = await plan(brokers('a3', 'b3'));
  expect((await apply(first.id)).status).toBe(202);
  await h.rollouts.idle();
  const next = await plan(brokers('a4', 'b4'));
  const [, second] = next.group;
  // as if the first had been stopped on its way
  await h.db.update(rollouts).set({ startsAfter: next.id, startedBy: 1 }).where(eq(rollouts.id, second.id));
  await h.db.update(rollouts).set({ state: 'stopped' }).where(eq(rollouts.id, next.id));
  h.rollouts.start();
  while ((await get(second.id)).startsAfter !== null) await new Promise((done) => setTimeout(done, 20));
  expect(await get(second.id)).toMatchObject({
    state: 'planned',
    error: 'Not begun: one, which comes before, was not carried out whole.',
  });
  expect(await queuesOn('two')).toEqual(['b3']);
  // it can still be carried out by itself
  expect((await apply(second.id)).status).toBe(202);
  await h.rollouts.idle();
  expect(await queuesOn('two')).toEqual(['b4']);
});

test('a process that died between two of them leaves the next to whoever looks', async () => {
  const next = await plan(brokers('a5', 'b5'));
  const [, second] = next.group;
  await h.db.update(rollouts).set({ startsAfter: next.id, startedBy: 1 }).where(eq(rollouts.id, second.id));
  await h.db.update(rollouts).set({ state: 'applied', verified: true }).where(eq(rollouts.id, next.id));
  while ((await get(second.id)).state !== 'applied') await new Promise((done) => setTimeout(done, 20));
  expect(await queuesOn('two')).toEqual(['b5']);
});

test('from a broker that is not declared any more, all is taken away; a tear-down does so with all', async () => {
  const first = await plan(brokers('a6'));
  const [, second] = first.group;
  expect(await get(second.id)).toMatchObject({ broker: 'two', tearsDown: true });
  expect((await apply(first.id)).status).toBe(202);
  await h.rollouts.idle();
  expect(await queuesOn('one')).toContain('a6');
  expect(await queuesOn('two')).toEqual([]);
  const { data } = await mara('POST', '/topologies/quay/rollouts', { environment: 'trial', tearDown: true });
  // of the other nothing stands
  expect(await group(data.id)).toEqual([['one', 'planned', null, false]]);
  expect((await apply(data.id)).status).toBe(202);
  await h.rollouts.idle();
  expect(await queuesOn('one')).not.toContain('a6');
});

test('where one cannot be planned none is, and what names neither or both is refused', async () => {
  const revision = await save(brokers('a7', 'b7'));
  const count = async () => (await mara('GET', '/topologies/quay/rollouts')).data.length;
  const before = await count();
  await there['two']!.ask(there['two']!.path('vhosts'), { method: 'DELETE' });
  const planned = await mara('POST', '/topologies/quay/rollouts', { environment: 'trial', revision });
  expect(planned).toMatchObject({ status: 502, data: { detail: expect.stringContaining('two in trial') } });
  expect(await count()).toBe(before);
  for (const wrong of [{}, { environment: 'trial', target: 1 }])
    expect((await mara('POST', '/topologies/quay/rollouts', { ...wrong, revision })).status).toBe(422);
  expect(await mara('POST', '/topologies/quay/rollouts', { environment: 'other', revision })).toMatchObject({
    status: 409,
    data: { title: 'Nothing connected' },
  });
});
