/**
 * Random rollouts, operation by operation on a real broker, with every message sent in every state: what comes where is
 * what the windows say. `STEPS_CASES=200 npm test -- live` runs more.
 */
import fc from 'fast-check';
import { inventoryOf, planRollout, safeOrder, wantedState, type Operation } from '@vondle/core/analysis';
import { buildGraph } from '@vondle/core/routing';
import { readTopology } from '@vondle/core/topology';
import { stepsData } from '@vondle/core/formats';
import {
  entryOf,
  messagesOf,
  pair,
  textOf,
  wrongIn,
  type Made,
} from '../../../core/testing/random-rollout.ts';
import type { ChannelModel, ConfirmChannel } from 'amqplib';
import { emptyVirtualHost } from '../../testing/virtual-host.ts';
import { carryOut } from './step.ts';

const CASES = Number(process.env['STEPS_CASES'] ?? 20);
const NOTHING = { exchanges: [], queues: [], bindings: [] };

let connection: ChannelModel;
let channel: ConfirmChannel;

beforeAll(async () => {
  const broker = await emptyVirtualHost('steps');
  connection = await broker.connect();
});
afterAll(() => connection?.close());

function stepsBetween(from: Made | undefined, to: Made) {
  const read = (made: Made) => readTopology([{ name: 'a', text: textOf(made) }]);
  const before = from && read(from);
  const after = read(to);
  const earlier = before ? [wantedState(before, 'm')] : [];
  const has = earlier[0] ? inventoryOf(earlier[0]) : NOTHING;
  const { steps } = planRollout(wantedState(after, 'm'), has, earlier);
  return stepsData(
    safeOrder(has, steps, { before: before && buildGraph(before), after: buildGraph(after), broker: 'm' }),
    'm',
  );
}

/** Does one thing, on a channel that is opened again where it was closed. */
async function take(operation: Operation): Promise<void> {
  if (operation.do === 'delete queue') await channel.deleteQueue(operation.queue.name);
  else await carryOut(channel, { ...operation, title: '', risk: 'none' });
}

/** @returns the queues that each message comes to now */
async function sendAll(made: readonly Made[], queues: readonly string[]): Promise<Set<string>[]> {
  const sent = made.flatMap((each) =>
    each.sends.flatMap((send) =>
      messagesOf(send.message, each.key).map((message) => ({ entry: entryOf(send, each), message })),
    ),
  );
  const found = sent.map(() => new Set<string>());
  for (const [i, { entry, message }] of sent.entries()) {
    const options = { headers: message.headers, messageId: String(i) };
    // a publish to what is not there, or is internal, closes its channel
    const own = await connection.createConfirmChannel();
    own.on('error', () => {});
    if (entry.kind === 'queue') own.sendToQueue(entry.name, Buffer.from(''), options);
    else own.publish(entry.name, message.key, Buffer.from(''), options);
    await own.waitForConfirms().catch(() => {});
    await own.close().catch(() => {});
  }
  for (const queue of queues)
    for (
      let got = await channel.get(queue, { noAck: true });
      got;
      got = await channel.get(queue, { noAck: true })
    )
      found[Number(got.properties.messageId)]!.add(queue);
  return found;
}

test('between any two steps, every message comes where the windows say', async () => {
  const pairs = fc.sample(pair, { numRuns: CASES, seed: Number(process.env['SEED'] ?? 2026) });
  let messages = 0;
  for (const [before, after] of pairs) {
    channel = await connection.createConfirmChannel();
    // where one is redeclared by mistake the broker says so
    const there = new Set<string>();
    const run = async (operation: Operation) => {
      await take(operation);
      if (operation.do === 'declare queue') there.add(operation.queue.name);
      if (operation.do === 'delete queue') there.delete(operation.queue.name);
    };
    for (const step of stepsBetween(undefined, before).steps) await run(step);
    const { steps, windows } = stepsBetween(before, after);
    const states = [await sendAll([before, after], [...there])];
    for (const step of steps) {
      await run(step);
      states.push(await sendAll([before, after], [...there]));
    }
    const types = [before, after].flatMap(({ sends, key }) =>
      sends.flatMap(({ message }) => messagesOf(message, key).map(() => message)),
    );
    const met = new Set<string>();
    for (const [i, type] of types.entries())
      for (const [k, state] of states.entries())
        for (const wrong of wrongIn(states[0]![i]!, state[i]!, states.at(-1)![i]!))
          met.add(`${k} ${wrong} ${type}`);
    const named = new Set(
      windows.flatMap(({ from, until, kind, store, message }) =>
        Array.from(
          { length: until - from + 1 },
          (_, i) => `${from + i} ${kind} ${store.slice(2)} ${message}`,
        ),
      ),
    );
    expect([...named].sort()).toEqual([...met].sort());
    messages += types.length * states.length;
    // back to nothing
    for (const name of there) await channel.deleteQueue(name);
    for (const name of new Set([...Object.keys(before.exchanges), ...Object.keys(after.exchanges)]))
      await channel.deleteExchange(name);
    await channel.close();
  }
  expect(messages).toBeGreaterThan(CASES * 5);
}, 300_000);
