/**
 * Rollouts on a live broker that somebody else built: queues and exchanges of every kind and argument that it takes, at
 * random, with messages in them. Whatever is imported and rolled out, and whatever the next revision asks, what is not
 * understood is there afterwards as it was, with its messages.
 */
import { connect, type ChannelModel } from 'amqplib';
import fc from 'fast-check';
import { adopt, type Inventory } from '@vondle/core/analysis';
import { readInventory } from '../targets/amqp/inventory.ts';
import { harness, type Ask, type Harness } from '../testing/harness.ts';
import { addressesOf, emptyVirtualHost } from '../testing/virtual-host.ts';

jest.setTimeout(180_000);
const VHOST = 'strangers';
const T = '/topologies/quay';
const MESSAGES = 3;
let h: Harness;
let mara: Ask;
let connection: ChannelModel;

beforeAll(async () => {
  h = await harness();
  await h.topology('quay', { mara: 'owner' });
  mara = await h.as('mara');
});
afterAll(async () => {
  await connection?.close();
  await h?.close();
});

const maybe = <T>(value: fc.Arbitrary<T>) => fc.option(value, { nil: undefined });
const some = <T extends object>(all: T) =>
  Object.fromEntries(Object.entries(all).filter(([, value]) => value !== undefined)) as Partial<T>;
const classic = fc
  .record({
    'x-message-ttl': maybe(fc.constant(3_600_000)),
    'x-expires': maybe(fc.constant(3_600_000)),
    'x-max-length': maybe(fc.constant(100)),
    'x-overflow': maybe(fc.constantFrom('drop-head', 'reject-publish', 'reject-publish-dlx')),
    'x-max-priority': maybe(fc.constant(5)),
    'x-queue-mode': maybe(fc.constantFrom('lazy', 'default')),
    'x-single-active-consumer': maybe(fc.constant(true)),
    'x-dead-letter-exchange': maybe(fc.constantFrom('dead', 'not-there')),
    'x-queue-type': maybe(fc.constant('classic')),
    'x-made-up': maybe(fc.constantFrom('x', 7)),
  })
  .map(some)
  .chain((terms) => fc.record({ arguments: fc.constant(terms), durable: fc.boolean() }));
const quorum = fc
  .record({
    'x-delivery-limit': maybe(fc.constant(4)),
    'x-max-length': maybe(fc.constant(100)),
    'x-single-active-consumer': maybe(fc.constant(true)),
    'x-quorum-initial-group-size': maybe(fc.constant(1)),
  })
  .map((terms) => ({ durable: true, arguments: { 'x-queue-type': 'quorum', ...some(terms) } }));
const stream = fc
  .record({ 'x-max-age': maybe(fc.constant('7D')), 'x-max-length-bytes': maybe(fc.constant(5_000_000)) })
  .map((terms) => ({ durable: true, arguments: { 'x-queue-type': 'stream', ...some(terms) } }));
const queues = fc.array(fc.oneof({ weight: 3, arbitrary: classic }, quorum, stream), {
  minLength: 8,
  maxLength: 8,
});

/** Makes a broker as somebody else would. */
async function build(list: readonly { durable: boolean; arguments: object }[]) {
  await connection?.close();
  const broker = await emptyVirtualHost(VHOST);
  await broker.ask(broker.path('policies', 'limits'), {
    method: 'PUT',
    body: { pattern: '^q[01]$', definition: { 'max-length': 1000 }, 'apply-to': 'queues' },
  });
  await broker.ask(broker.path('policies', 'odd'), {
    method: 'PUT',
    body: { pattern: '^q2$', definition: { 'queue-mode': 'lazy' }, 'apply-to': 'queues' },
  });
  connection = await connect(addressesOf(VHOST).amqp);
  const channel = await connection.createConfirmChannel();
  await channel.assertExchange('dead', 'fanout');
  await channel.assertExchange('in', 'topic', { alternateExchange: 'dead' });
  for (const [i, { durable, arguments: terms }] of list.entries()) {
    await channel.assertQueue(`q${i}`, { durable, arguments: terms });
    await channel.bindQueue(`q${i}`, 'in', `k${i}.#`);
    for (let n = 0; n < MESSAGES; n++)
      channel.publish('in', `k${i}.x`, Buffer.from(`${n}`), { persistent: true });
  }
  await channel.waitForConfirms();
  return { broker, channel };
}
const settingsOf = ({ queues: all, exchanges, bindings }: Inventory) => ({
  queues: all
    .map(({ messages: _m, ready: _r, takers: _t, ...rest }) => rest)
    .sort((a, b) => (a.name < b.name ? -1 : 1)),
  exchanges,
  bindings: bindings.map((each) => JSON.stringify(each)).sort(),
});

async function save(documents: readonly object[]): Promise<number> {
  const { draft } = (await mara('GET', T)).data;
  const put = await mara('PUT', `${T}/draft`, { version: draft.version, documents });
  expect(put.status).toBe(200);
  return (await mara('POST', `${T}/revisions`, { version: put.data.version, words: 'next' })).data.number;
}
/** Plans and applies whatever is planned, agreeing to all of it. @returns the titles of its steps, and what was left */
async function rollOut(revision: number) {
  const planned = await mara('POST', `${T}/rollouts`, { environment: 'live', revision });
  expect(planned.status).toBe(201);
  const at = `${T}/rollouts/${planned.data.id}`;
  const { data } = await mara('GET', at);
  const { data: steps } = await mara('GET', `${at}/steps`);
  const agreed = data.destroys.reduce((sum: number, each: { messages: number }) => sum + each.messages, 0);
  expect((await mara('POST', `${at}/apply`, { destroys: agreed })).status).toBe(202);
  await h.rollouts.idle();
  const { state, error, verified } = (await mara('GET', at)).data;
  expect([state, error, verified]).toEqual(['applied', null, true]);
  const list = (Array.isArray(steps) ? steps : steps.steps) as { title: string }[];
  return {
    steps: list.map(({ title }) => title),
    left: (data.leftToOthers as { why: string }[]).map(({ why }) => why),
  };
}

test('what is not understood is left as it is, with its messages, by every rollout of an imported topology', async () => {
  const runs = fc.sample(queues, 3);
  for (const list of runs) {
    const { broker, channel } = await build(list);
    const there = await readInventory(broker);
    const { documents } = adopt(there, 'm');
    const environments = { name: 'environments.yaml', text: 'environments: { live: {} }\n' };
    const revision = await save([...documents, environments]);
    await mara('PUT', `${T}/targets`, {
      environment: 'live',
      broker: 'm',
      kind: 'amqp',
      addresses: addressesOf(VHOST),
    });
    const asFound = await rollOut(revision);
    expect(asFound.steps).toEqual([]);
    expect(settingsOf(await readInventory(broker))).toEqual(settingsOf(there));
    // the next revision gives every queue another limit: only what is all understood changes
    const changed = `environments: { live: {} }
brokers:
  m:
    kind: amqp
    access: open
    exchanges: { dead: { type: fanout }, in: { type: topic, unroutedTo: dead } }
    queues: { ${list.map((_, i) => `q${i}: { maxLength: 50 }`).join(', ')} }
`;
    const { steps, left } = await rollOut(await save([{ name: 'a.yaml', text: changed }]));
    const after = await readInventory(broker);
    for (const [i, { arguments: terms, durable }] of list.entries()) {
      const name = `q${i}`;
      const isLeft = left.some((why) => why.startsWith(`the queue ${name} is left alone`));
      const now = after.queues.find((each) => each.name === name)!;
      const kind = (terms as Record<string, unknown>)['x-queue-type'];
      if (kind === 'stream' || name === 'q2') expect(isLeft).toBe(true);
      if (isLeft) {
        expect(now.arguments).toEqual(terms);
        expect(now.durable).toBe(durable);
        expect(steps.filter((title) => title.startsWith(`replace queue ${name}:`))).toEqual([]);
      }
      // a queue that is made anew has its messages again; a stream is not counted so
      if (kind !== 'stream') expect((await channel.checkQueue(name)).messageCount).toBe(MESSAGES);
    }
    // and one that drops them all removes only those
    await rollOut(
      await save([
        {
          name: 'a.yaml',
          text: 'environments: { live: {} }\nbrokers: { m: { kind: amqp, access: open } }\n',
        },
      ]),
    );
    const last = new Set((await readInventory(broker)).queues.map(({ name }) => name));
    for (const why of left) {
      const name = /^the queue (q\d) is left alone: (?!no document)/.exec(why)?.[1];
      if (name) expect(last).toContain(name);
    }
  }
});
