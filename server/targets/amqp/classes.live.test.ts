/**
 * The classes of all messages, held against a real broker: the witness of each class is published, and its copies come
 * to rest where its class says. `TRUTH_CASES=3000 npm test -- live` tries more.
 *
 * What the cases cannot make: dead letters (their ways are tried by truth.live.test.ts), links and permissions, of
 * which a virtual host of one user has none.
 */
import { type PublishClasses, classesOf, planRollout, publishesOf, wantedState } from '@vondle/core/analysis';
import { buildGraph } from '@vondle/core/routing';
import { readTopology } from '@vondle/core/topology';
import type { ChannelModel, ConfirmChannel } from 'amqplib';
import { emptyVirtualHost } from '../../testing/virtual-host.ts';
import type { AmqpBroker } from './broker.ts';
import { carryOut } from './step.ts';
import { Random, type TruthCase, truthCase } from './truth-cases.ts';

const CASES = Number(process.env['TRUTH_CASES'] ?? 200);
const SEED = Number(process.env['TRUTH_SEED'] ?? 1);
/** On a broker that has none of it nothing is replaced. */
type Plain = Parameters<typeof carryOut>[1];

let broker: AmqpBroker;
let connection: ChannelModel;
beforeAll(async () => {
  broker = await emptyVirtualHost('classes');
  connection = await broker.connect();
});
afterAll(() => connection?.close());

/** A topology of exchanges, queues and bindings, and apps that publish two types to every exchange. */
function topologyOf(seed: number, { exchanges, queues, bindings }: TruthCase) {
  const random = new Random(seed + 999);
  const type = () => ({
    key: random.pick([
      'sailing.{h}',
      '{h}',
      '{h}.{h}.late',
      'north.{a}',
      '',
      '{rest...}',
      'sailing.{x}.late',
    ]),
    headers: {
      h: {
        enum: random.pick([
          ['sailing', 'north', 'late'],
          ['north', 'sailing.late'],
          ['late', ''],
        ]),
      },
      a: { enum: [1, 2, '1', 'x', ''] },
      b: random.pick([
        { type: 'boolean' },
        { enum: ['', 1.5, false] },
        { type: 'integer', minimum: 0, maximum: 3 },
      ]),
    },
    required: ['h', ...(random.chance(50) ? ['a'] : []), ...(random.chance(50) ? ['b'] : [])],
  });
  const entries = Object.keys(exchanges).filter((name) => !exchanges[name]!.internal);
  const publishes = entries.flatMap((name) =>
    ['one', 'two'].map((message) => ({ message, to: `b/exchange:${name}`, mandatory: random.chance(50) })),
  );
  const plain = Object.fromEntries(Object.keys(queues).map((name) => [name, {}]));
  return readTopology([
    {
      name: 'case.json',
      text: JSON.stringify({
        vondle: 1,
        messages: { one: type(), two: type() },
        apps: { app: { publishes } },
        brokers: { b: { kind: 'amqp', access: 'open', exchanges, queues: plain, bindings } },
      }),
    },
  ]);
}

/** What became of messages: copies by queue, and whether each came back. */
async function send(
  channel: ConfirmChannel,
  exchange: string,
  of: PublishClasses,
  queues: readonly string[],
): Promise<{ stores: Record<string, number>; back: boolean }[]> {
  const returned = new Set<string>();
  channel.on('return', (message) => returned.add(String(message.properties.messageId)));
  await Promise.all(
    of.classes.map(
      ({ witness: { key, headers } }, i) =>
        new Promise<void>((done) => {
          const options = { headers, mandatory: true, messageId: String(i) };
          channel.publish(exchange, key, Buffer.from(String(i)), options, () => done());
        }),
    ),
  );
  const found = of.classes.map((_, i) => ({
    stores: {} as Record<string, number>,
    back: returned.has(`${i}`),
  }));
  for (const queue of queues)
    for (
      let got = await channel.get(queue, { noAck: true });
      got;
      got = await channel.get(queue, { noAck: true })
    ) {
      const { stores } = found[Number(got.content.toString())]!;
      stores[`b/${queue}`] = (stores[`b/${queue}`] ?? 0) + 1;
    }
  return found;
}

const signed = (stores: Record<string, number>, back: boolean) =>
  JSON.stringify([Object.entries(stores).sort(([a], [b]) => (a < b ? -1 : 1)), back]);

test(
  `the witness of every class does on the broker what its class says, on ${CASES} random topologies`,
  async () => {
    let [classes, several] = [0, 0];
    for (let seed = SEED; seed < SEED + CASES; seed++) {
      const of = truthCase(seed);
      const topology = topologyOf(seed, of);
      const graph = buildGraph(topology);
      const wanted = wantedState(topology, 'b');
      const { steps } = planRollout(wanted, { exchanges: [], queues: [], bindings: [] });
      const channel = await connection.createConfirmChannel();
      for (const step of steps) await carryOut(channel, step as Plain);
      for (const way of publishesOf(graph)) {
        const told = classesOf(graph, way);
        const sender = await connection.createConfirmChannel();
        const observed = await send(sender, told.to.replace('b/exchange:', ''), told, Object.keys(of.queues));
        await sender.close();
        const predicted = told.classes.map(({ outcome }) =>
          signed(
            Object.fromEntries(outcome.stores.map(({ at, copies }) => [at.replace('queue:', ''), copies])),
            outcome.stores.length === 0,
          ),
        );
        const when = told.classes.map(({ when: which, witness }) => [which, witness.key, witness.headers]);
        expect({
          seed,
          to: told.to,
          when,
          told: observed.map(({ stores, back }) => signed(stores, back)),
        }).toEqual({
          seed,
          to: told.to,
          when,
          told: predicted,
        });
        classes += told.classes.length;
        if (told.classes.length > 1) several++;
      }
      await Promise.all(wanted.queues.map(({ name }) => channel.deleteQueue(name)));
      await Promise.all(
        wanted.exchanges
          .filter(({ name }) => !name.startsWith('amq.'))
          .map(({ name }) => channel.deleteExchange(name)),
      );
      await channel.close();
    }
    expect(classes).toBeGreaterThan(CASES * 4);
    expect(several).toBeGreaterThan(CASES);
  },
  CASES * 2000 + 60_000,
);
