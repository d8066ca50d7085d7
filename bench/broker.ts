/** Messages a second: predicted by one process of ours, and routed by the real broker, with the same topology in the same run. */
import { execFileSync } from 'node:child_process';
import { chmodSync, mkdtempSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { planRollout, wantedState } from '@vondle/core/analysis';
import { buildGraph, trace } from '@vondle/core/routing';
import { readTopology } from '@vondle/core/topology';
import { connect, type ConfirmChannel } from 'amqplib';
import { median } from './measure.ts';
import { teams } from './topologies.ts';
import { type Send, sendsOf } from './tracing.ts';
import { carryOut } from '../server/targets/amqp/step.ts';

const COUNT = 20_000;
const ROUNDS = 5;
const BROKER = 'hub-0';

/** How many are predicted a second. */
function predicted(graph: Parameters<typeof trace>[0], sends: readonly Send[]): number {
  const began = performance.now();
  for (let i = 0; i < COUNT; i++) {
    const { message, ...send } = sends[i % sends.length]!;
    trace(graph, message, send);
  }
  return (COUNT / (performance.now() - began)) * 1000;
}

/** How many the broker has routed a second, sent as fast as it takes them, the last one confirmed. */
async function routed(channel: ConfirmChannel, sends: readonly Send[]): Promise<number> {
  const began = performance.now();
  for (let i = 0; i < COUNT; i++) {
    const { message, to } = sends[i % sends.length]!;
    const free = channel.publish(to.slice(BROKER.length + 1), message.key, Buffer.from('x'), {
      headers: message.headers,
      persistent: false,
    });
    if (!free) await new Promise((drained) => channel.once('drain', drained));
  }
  await channel.waitForConfirms();
  return (COUNT / (performance.now() - began)) * 1000;
}

/** Prints both rates and their ratio. */
export async function broker(): Promise<void> {
  const home = mkdtempSync('/var/tmp/vondle-bench-');
  chmodSync(home, 0o755);
  const service = (what: string) =>
    execFileSync(process.execPath, [join(process.cwd(), 'tools/setup/service.mjs'), what, home], {
      encoding: 'utf8',
    });
  try {
    const { broker: addresses } = JSON.parse(service('start')) as { broker: { amqp: string } };
    const connection = await connect(addresses.amqp);
    const topology = readTopology(teams(1));
    const setting = await connection.createChannel();
    for (const step of planRollout(wantedState(topology, BROKER), { exchanges: [], queues: [], bindings: [] })
      .steps)
      await carryOut(setting, step as Parameters<typeof carryOut>[1]);
    const channel = await connection.createConfirmChannel();
    const graph = buildGraph(topology);
    const sends = sendsOf(graph);
    const [ours, its]: [number[], number[]] = [[], []];
    // the first round of each only warms up
    for (let round = 0; round <= ROUNDS; round++) {
      const rates = [predicted(graph, sends), await routed(channel, sends)] as const;
      if (round === 0) continue;
      ours.push(rates[0]);
      its.push(rates[1]);
    }
    const told = (rates: readonly number[]) => Math.round(median(rates)).toLocaleString('en');
    console.log(
      `\nmessages a second through 10 exchanges, 160 queues and 400 bindings, medians of ${ROUNDS}`,
    );
    console.log(`  predicted by one process     ${told(ours)}`);
    console.log(`  routed by the broker         ${told(its)}   × ${(median(ours) / median(its)).toFixed(2)}`);
    await connection.close();
  } finally {
    service('stop');
    rmSync(home, { recursive: true, force: true });
  }
}
