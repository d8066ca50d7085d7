/** A rollout of ten thousand bindings, against a bare client that makes the same, and how long it takes to read them. */
import { execFileSync } from 'node:child_process';
import { chmodSync, mkdtempSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import { connect } from 'amqplib';
import { Client } from 'pg';
import { freePort } from '../server/testing/free-port.ts';
import { allowedAddresses } from '../server/targets/allowed.ts';
import { AmqpBroker } from '../server/targets/amqp/broker.ts';
import { readInventory } from '../server/targets/amqp/inventory.ts';
import { Measured, MEASURED_PASSWORD } from './server-process.ts';

const QUEUES = 100;
const BINDINGS = 10_000;

const text = `environments: { trial: {} }
brokers:
  m:
    kind: amqp
    access: open
    exchanges: { in: { type: topic } }
    queues: { ${Array.from({ length: QUEUES }, (_, i) => `q${i}: {}`).join(', ')} }
    bindings:
${Array.from({ length: BINDINGS }, (_, i) => `      - { from: in, to: q${i % QUEUES}, key: k.${i} }`).join('\n')}
`;

/** Makes the same one after the other, each awaited. @returns milliseconds */
async function bare(address: string): Promise<number> {
  const connection = await connect(address);
  const channel = await connection.createChannel();
  const began = performance.now();
  await channel.assertExchange('in', 'topic');
  for (let i = 0; i < QUEUES; i++) await channel.assertQueue(`q${i}`);
  for (let i = 0; i < BINDINGS; i++) await channel.bindQueue(`q${i % QUEUES}`, 'in', `k.${i}`);
  const took = performance.now() - began;
  await connection.close();
  return took;
}

/** @returns when the last step of a rollout was noted as done: then it is carried out, and is read back; in milliseconds */
async function lastStepOf(database: string, id: number): Promise<number> {
  const client = new Client({ connectionString: database });
  await client.connect();
  try {
    const { rows } = await client.query<{ at: Date }>(
      'select max(finished_at) as at from rollout_steps where rollout_id = $1',
      [id],
    );
    return rows[0]!.at.getTime();
  } finally {
    await client.end();
  }
}

/** Prints both times and their ratio, and how long reading the broker takes. */
export async function rollout(): Promise<void> {
  const home = mkdtempSync('/var/tmp/vondle-bench-');
  chmodSync(home, 0o755);
  const service = (what: string) =>
    execFileSync(process.execPath, [join(process.cwd(), 'tools/setup/service.mjs'), what, home], {
      encoding: 'utf8',
    });
  let server: Measured | undefined;
  try {
    const services = JSON.parse(service('start')) as {
      database: string;
      broker: { amqp: string; http: string };
    };
    server = await Measured.start(await freePort(), services.database);
    let cookie = '';
    const ask = async (method: string, path: string, body?: unknown) => {
      const response = await fetch(`http://127.0.0.1:${server!.port}/api${path}`, {
        method,
        headers: { cookie, 'content-type': 'application/json' },
        ...(body === undefined ? {} : { body: JSON.stringify(body) }),
      });
      cookie ||= response.headers.getSetCookie()[0]?.split(';')[0] ?? '';
      const said = await response.text();
      // eslint-disable-next-line @typescript-eslint/no-explicit-any -- answers of every shape
      return (said ? JSON.parse(said) : undefined) as any;
    };
    await ask('POST', '/session', { handle: 'mara', password: MEASURED_PASSWORD });
    const T = '/topologies/auklet-ferries';
    const { draft } = await ask('GET', T);
    const documents = [{ name: 'a.yaml', text }];
    const { version } = await ask('PUT', `${T}/draft`, { version: draft.version, documents });
    const { number } = await ask('POST', `${T}/revisions`, { version, words: 'many' });
    const at = async (name: string) => {
      const amqp = `${services.broker.amqp}/${name}`;
      const reached = new AmqpBroker({ amqp, http: services.broker.http }, allowedAddresses('loopback'));
      await reached.ask(reached.path('vhosts'), { method: 'PUT', body: {} });
      const user = decodeURIComponent(new URL(amqp).username);
      const all = { configure: '.*', write: '.*', read: '.*' };
      await reached.ask(reached.path('permissions', user), { method: 'PUT', body: all });
      return { amqp, reached };
    };
    const ratios: number[] = [];
    const reads: number[] = [];
    for (let round = 0; round < 3; round++) {
      const loop = await bare((await at(`bare-${round}`)).amqp);
      const { amqp, reached } = await at(`ours-${round}`);
      const addresses = { amqp, http: services.broker.http };
      const { id: target } = await ask('PUT', `${T}/targets`, {
        environment: 'trial',
        broker: 'm',
        kind: 'amqp',
        addresses,
      });
      const { id } = await ask('POST', `${T}/rollouts`, { target, revision: number });
      const began = Date.now();
      await ask('POST', `${T}/rollouts/${id}/apply`);
      // asked for seldom: who asks takes time from what is measured
      while ((await ask('GET', `${T}/rollouts/${id}`)).state === 'applying') await pause(2000);
      ratios.push(((await lastStepOf(services.database, id)) - began) / loop);
      const reading = performance.now();
      const { bindings } = await readInventory(reached);
      reads.push(performance.now() - reading);
      if (bindings.length !== BINDINGS) throw new Error(`${bindings.length} bindings are there`);
    }
    const middle = (all: number[]) => all.sort((a, b) => a - b)[1]!;
    console.log(`\n${BINDINGS.toLocaleString('en')} bindings on the live broker, medians of 3`);
    console.log(`  rolled out, against a bare client loop  × ${middle(ratios).toFixed(2)}`);
    console.log(`  read back                               ${(middle(reads) / 1000).toFixed(2)} s`);
  } finally {
    server?.end();
    service('stop');
    rmSync(home, { recursive: true, force: true });
  }
}
