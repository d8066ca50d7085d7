/** Findings about what a broker refuses, held against a real broker: what is found is refused, what is not is made. */
import { buildGraph } from '@vondle/core/routing';
import { checkAll, wantedState } from '@vondle/core/analysis';
import { readTopology } from '@vondle/core/topology';
import type { ChannelModel } from 'amqplib';
import fc from 'fast-check';
import type { AmqpBroker } from './broker.ts';
import { readInventory } from './inventory.ts';
import { planOn } from '../../testing/plan-on.ts';
import { emptyVirtualHost } from '../../testing/virtual-host.ts';

const VHOST = 'refused';
let broker: AmqpBroker;
let connection: ChannelModel;

beforeAll(async () => {
  broker = await emptyVirtualHost(VHOST);
  connection = await broker.connect();
});
afterAll(() => connection?.close());

const found = (text: string) => {
  const topology = readTopology([{ name: 'a.yaml', text }]);
  expect(topology.findings).toEqual([]);
  const findings = checkAll(buildGraph(topology)).findings.filter(({ check }) => check.startsWith('broker/'));
  return { topology, findings };
};

// not made: dead letters, limits by bytes, names; the cases of core/analysis/checks have what the first two add, and names follow
const settings = fc.record(
  {
    maxDeliveries: fc.constantFrom(1, 3),
    maxPriority: fc.constantFrom(0, 1, 5, 255),
    durable: fc.boolean(),
    autoDelete: fc.boolean(),
    ttl: fc.constantFrom('0s', '1ms', '1h', '3650d', '3651d'),
    expires: fc.constantFrom('0s', '1ms', '1h', '3650d', '4000d'),
    maxLength: fc.constantFrom(0, 1, 1000),
    overflow: fc.constantFrom('refuse-new', 'drop-oldest'),
  },
  { requiredKeys: [] },
);

test('queues of any settings: refused where a finding says so, and made where none does', async () => {
  let n = 0;
  await fc.assert(
    fc.asyncProperty(settings, async (of) => {
      const { topology, findings } = found(
        `brokers:\n  m: { kind: amqp, queues: { q${n++}: ${JSON.stringify(of)} } }\n`,
      );
      const [queue] = wantedState(topology, 'm').queues;
      const channel = await connection.createChannel();
      channel.on('error', () => {});
      const made = await channel
        .assertQueue(queue!.name, {
          durable: queue!.durable,
          autoDelete: queue!.autoDelete,
          arguments: queue!.arguments,
        })
        .then(
          () => true,
          () => false,
        );
      if (made) {
        await channel.deleteQueue(queue!.name);
        await channel.close();
      }
      expect([of, made]).toEqual([of, findings.length === 0]);
    }),
    { numRuns: 120 * Number(process.env['FUZZ'] ?? 1) },
  );
});

const value = fc.oneof(
  fc.constantFrom<string | number | boolean | null>(
    '.inf',
    'undefined',
    '',
    null,
    true,
    0,
    -1,
    0.1,
    1e300,
    2 ** 53 - 1,
    2 ** 53,
    2 ** 63,
    'Möwe 🚢',
  ),
  fc.integer(),
  fc.double({ noNaN: true, noDefaultInfinity: true }),
  fc.string({ maxLength: 20 }).filter((text) => !text.includes('\u0000')),
);

test('header values: what no finding speaks of is read back as it was declared, so that nothing is left to do', async () => {
  let n = 0;
  await fc.assert(
    fc.asyncProperty(value, async (header) => {
      const written = header === '.inf' ? '.inf' : JSON.stringify(header);
      const name = `h${n++}`;
      const { topology, findings } = found(
        `brokers:\n  m: { kind: amqp, exchanges: { ${name}: { type: headers } }, queues: { q${name}: {} }, bindings: [{ from: ${name}, to: q${name}, headers: { values: { v: ${written} } } }] }\n`,
      );
      if (findings.length) return;
      await planOn(connection, topology, await readInventory(broker), 'carry out');
      expect([header, await planOn(connection, topology, await readInventory(broker), 'only look')]).toEqual([
        header,
        [],
      ]);
    }),
    { numRuns: 60 * Number(process.env['FUZZ'] ?? 1) },
  );
});
