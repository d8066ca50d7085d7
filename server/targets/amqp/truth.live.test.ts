/**
 * The differential test: random topologies are made on a real broker, messages published, every copy
 * and return collected, and compared with the trace. `TRUTH_CASES=3000 npm test -- live` runs more;
 * `TRUTH_SEED=7` begins elsewhere. A disagreement is shrunk and printed.
 */
import {
  buildGraph,
  trace,
  type DeadLetterReason,
  type RoutingGraph,
  type StoreNode,
} from '@vondle/core/routing';
import { message as makeMessage } from '@vondle/core/conditions';
import { planRollout, settle, wantedState } from '@vondle/core/analysis';
import { readTopology } from '@vondle/core/topology';
import type { ChannelModel, ConfirmChannel } from 'amqplib';
import { connectAsync, type MqttClient } from 'mqtt';
import { emptyVirtualHost } from '../../testing/virtual-host.ts';
import type { AmqpBroker } from './broker.ts';
import { readInventory } from './inventory.ts';
import { carryOut } from './step.ts';
import { smaller, truthCase, type TruthCase } from './truth-cases.ts';

const CASES = Number(process.env['TRUTH_CASES'] ?? 300);
const SEED = Number(process.env['TRUTH_SEED'] ?? 1);
const VHOST = 'truth';

/** On a broker that has none of it nothing is replaced. */
type Plain = Parameters<typeof carryOut>[1];
let broker: AmqpBroker;
let connection: ChannelModel;
let mqtt: MqttClient;

beforeAll(async () => {
  broker = await emptyVirtualHost(VHOST);
  connection = await broker.connect();
  const { username, password, host } = new URL(String(process.env['TEST_BROKER_MQTT']));
  mqtt = await connectAsync(`mqtt://${host}`, {
    username: `${VHOST}:${username}`,
    password,
    protocolVersion: 4,
  });
});
afterAll(async () => {
  await mqtt?.endAsync(true);
  await connection?.close();
});

/** What became of each message: copies by queue, and whether it came back or was refused. */
type Outcome = {
  queues: Record<string, number>;
  fate: 'routed' | 'returned' | 'refused';
  /** Its dead letters go round without end. */
  endless?: true;
};

const topologyOf = ({ exchanges, queues, bindings }: TruthCase) =>
  readTopology([
    {
      name: 'case.json',
      text: JSON.stringify({
        vondle: 1,
        brokers: {
          b: {
            kind: 'amqp',
            access: 'open',
            mqtt: { exchange: 'exchange:amq.topic' },
            exchanges,
            queues,
            bindings,
          },
        },
      }),
    },
  ]);

/** Of a queue that gives everything up at once. */
function automatic(store: StoreNode): DeadLetterReason | undefined {
  if (!('maxLength' in store.decl) && !store.decl.ttl) return undefined;
  if (store.decl.ttl?.value === 0) return 'expired';
  return 'maxLength' in store.decl && store.decl.maxLength?.value === 0 ? 'overflow' : undefined;
}

function predict(of: TruthCase, graph: RoutingGraph): Outcome[] {
  return of.messages.map(({ to, key, headers }) => {
    const sent = makeMessage({ key, headers });
    const { trace: found } =
      to === 'mqtt'
        ? trace(graph, sent, { to: 'b', via: 'mqtt' })
        : trace(graph, sent, { to: to.replace(':', ':b/'), mandatory: true });
    const [first] = found.ends;
    if (first?.end.outcome === 'refused') return { queues: {}, fate: 'refused' };
    const queues: Record<string, number> = {};
    // what comes to rest in the rejecting queue is rejected once by hand, and left to itself from then on
    const { rests, endless } = settle(graph, found, (store, _, deaths) => {
      const byHand =
        store.id === `queue:b/${of.rejecting}` && deaths.every(({ reason }) => reason !== 'rejected');
      return automatic(store) ?? (byHand ? 'rejected' : undefined);
    });
    for (const [node, copies] of rests) queues[node.replace('queue:b/', '')] = copies;
    const fate = first?.end.outcome === 'sent back' ? 'returned' : 'routed';
    return { queues, fate, ...(endless ? { endless } : {}) };
  });
}

async function observe(of: TruthCase, graph: RoutingGraph, expected: readonly Outcome[]): Promise<Outcome[]> {
  const channel = await connection.createConfirmChannel();
  const returned = new Set<string>();
  channel.on('return', (message) => returned.add(String(message.properties.messageId)));
  let refusal: Error | undefined;
  const broken = new Promise<never>((_, fail) => {
    channel.on('error', (error: Error) => {
      refusal = error;
      fail(error);
    });
  });
  // heard where it is raced; a channel that is closed on purpose raises nothing
  broken.catch(() => {});
  const wanted = wantedState(graph.topology, 'b');
  const { steps } = planRollout(wanted, { exchanges: [], queues: [], bindings: [] });
  try {
    await Promise.all(steps.map((step) => carryOut(channel, step as Plain))).catch((error: unknown) => {
      throw refusal ?? error;
    });
    const refused = new Set<number>();
    const confirmed: Promise<void>[] = [];
    for (const [index, { to, key, headers }] of of.messages.entries()) {
      if (to === 'mqtt') await mqtt.publishAsync(key, `m${index}`, { qos: 1 });
      else if (to.startsWith('exchange:') && of.exchanges[to.slice(9)]!.internal) {
        if (await isRefused(to.slice(9), key)) refused.add(index);
      } else {
        const [exchange, routingKey] = to.startsWith('queue:') ? ['', to.slice(6)] : [to.slice(9), key];
        const options = { headers, mandatory: true, messageId: `m${index}` };
        // a nack is an answer like an ack: a queue that refuses new messages gives one
        confirmed.push(
          new Promise((done) =>
            channel.publish(exchange, routingKey, Buffer.from(`m${index}`), options, () => done()),
          ),
        );
      }
    }
    await Promise.race([Promise.all(confirmed), broken]);
    const total = expected.reduce(
      (sum, { queues }) => sum + Object.values(queues).reduce((a, b) => a + b, 0),
      0,
    );
    const found: Outcome[] = of.messages.map((_, index) => ({
      queues: {},
      fate: refused.has(index) ? 'refused' : returned.has(`m${index}`) ? 'returned' : 'routed',
    }));
    let seen = 0;
    const rejecting = of.rejecting;
    if (rejecting !== undefined) await calm(channel, of);
    if (rejecting !== undefined) {
      const here = [];
      for (let got = await channel.get(rejecting); got; got = await channel.get(rejecting)) here.push(got);
      for (const got of here) channel.nack(got, false, false);
    }
    // copies on their way through dead letters arrive a little later: look until all are there, and once more
    for (let quiet = 0; quiet < 2;) {
      let more = 0;
      for (const queue of Object.keys(of.queues)) {
        for (
          let got = await channel.get(queue, { noAck: true });
          got;
          got = await channel.get(queue, { noAck: true })
        ) {
          const { queues } = found[Number(got.content.toString().slice(1))]!;
          queues[queue] = (queues[queue] ?? 0) + 1;
          more++;
        }
      }
      seen += more;
      const settledQuickly = !hasDeadLetters(of);
      if (more === 0 && (seen >= total || quiet > 0)) quiet++;
      else if (more > 0) quiet = 0;
      else {
        // fewer than expected: give the broker time before calling it a disagreement
        await new Promise((done) => setTimeout(done, 150));
        quiet = 1;
      }
      if (settledQuickly && seen >= total) break;
      if (quiet === 1) await new Promise((done) => setTimeout(done, 15));
    }
    return found;
  } finally {
    const rest = await connection.createChannel();
    await Promise.all([
      ...wanted.queues.map((queue) => rest.deleteQueue(queue.name)),
      ...wanted.exchanges
        .filter(({ name }) => !name.startsWith('amq.'))
        .map((exchange) => rest.deleteExchange(exchange.name)),
    ]);
    await rest.close();
    await channel.close().catch(() => {});
  }
}

const hasDeadLetters = (of: TruthCase) => Object.values(of.queues).some((queue) => queue.deadLetter);

/** Waits until the counts of all queues stay the same. */
async function calm(channel: ConfirmChannel, of: TruthCase): Promise<void> {
  const counts = async () =>
    JSON.stringify(
      await Promise.all(
        Object.keys(of.queues).map(async (queue) => (await channel.checkQueue(queue)).messageCount),
      ),
    );
  let before = await counts();
  for (let same = 0; same < 2;) {
    await new Promise((done) => setTimeout(done, 15));
    const now = await counts();
    same = now === before ? same + 1 : 0;
    before = now;
  }
}

/** Whether the broker refuses a publish by closing the channel (403, AMQP 0-9-1 §1.2 access-refused). */
async function isRefused(exchange: string, key: string): Promise<boolean> {
  const channel = await connection.createConfirmChannel();
  const closed = new Promise<boolean>((done) => {
    channel.on('error', (error: { code?: number }) => done(error.code === 403));
    channel.publish(exchange, key, Buffer.from('x'), {}, () => done(false));
  });
  const result = await closed;
  if (!result) await channel.close();
  return result;
}

/** @returns what differs between trace and broker, or undefined. */
async function disagreement(
  of: TruthCase,
): Promise<{ predicted: Outcome[]; observed: Outcome[] } | undefined> {
  const graph = buildGraph(topologyOf(of));
  const predicted = predict(of, graph);
  // predicted to multiply without end: a broker that is given it is killed for want of memory
  if (predicted.some(({ endless }) => endless)) return undefined;
  const observed = await observe(of, graph, predicted);
  const plain = (outcomes: Outcome[]) =>
    JSON.stringify(
      outcomes.map(({ queues, fate }) => [fate, Object.entries(queues).sort(([a], [b]) => (a < b ? -1 : 1))]),
    );
  return plain(predicted) === plain(observed) ? undefined : { predicted, observed };
}

function told(seed: number, of: TruthCase, error: unknown): never {
  throw new Error(`seed ${seed}: ${String(error)}\n${JSON.stringify(of)}`, { cause: error });
}

async function shrink(of: TruthCase): Promise<TruthCase> {
  for (const candidate of smaller(of)) {
    if (candidate.messages.length && (await disagreement(candidate))) return shrink(candidate);
  }
  return of;
}

test(
  `the trace equals the broker on ${CASES} random topologies`,
  async () => {
    for (let i = 0; i < CASES; i++) {
      const seed = SEED + i;
      const of = truthCase(seed);
      if (!(await disagreement(of).catch((error: unknown) => told(seed, of, error)))) continue;
      const small = await shrink(of);
      const found = await disagreement(small);
      throw new Error(`seed ${seed}:\n${JSON.stringify(small, null, 1)}\n${JSON.stringify(found, null, 1)}`);
    }
  },
  CASES * 2000 + 60_000,
);

test('the cases reach what they are for', () => {
  const outcomes = new Set<string>();
  const kinds = new Set<string>();
  for (let seed = 1; seed <= 300; seed++) {
    const of = truthCase(seed);
    const topology = topologyOf(of);
    expect(topology.findings.filter(({ check }) => check !== 'language/unknown-reference')).toEqual([]);
    for (const { fate, queues } of predict(of, buildGraph(topology))) {
      outcomes.add(fate);
      if (Object.values(queues).some((copies) => copies > 1)) outcomes.add('several copies in one queue');
    }
    if (of.messages.some(({ to }) => to === 'mqtt')) kinds.add('mqtt');
    if (Object.keys(of.queues).some((name) => name in of.exchanges)) kinds.add('same name');
    if (of.rejecting && of.queues[of.rejecting]!.deadLetter) kinds.add('rejection');
    for (const { ttl, overflow } of Object.values(of.queues)) {
      if (ttl) kinds.add('expiry');
      if (overflow) kinds.add(overflow);
    }
    if (of.bindings.some(({ from, to }) => to.startsWith('exchange:') && from === to)) kinds.add('cycle');
  }
  expect([...outcomes].sort()).toEqual(['refused', 'returned', 'routed', 'several copies in one queue']);
  expect([...kinds].sort()).toEqual([
    'cycle',
    'drop-oldest',
    'expiry',
    'mqtt',
    'refuse-new',
    'rejection',
    'same name',
  ]);
});

test('a rollout is read back as nothing left to do', async () => {
  const channel = await connection.createChannel();
  const topology = topologyOf(truthCase(5));
  const wanted = wantedState(topology, 'b');
  const before = planRollout(wanted, await readInventory(broker));
  for (const step of before.steps) await carryOut(channel, step as Plain);
  expect(planRollout(wanted, await readInventory(broker)).steps).toEqual([]);
  for (const { name } of wanted.queues) await channel.deleteQueue(name);
  for (const { name } of wanted.exchanges) if (!name.startsWith('amq.')) await channel.deleteExchange(name);
  await channel.close();
});
