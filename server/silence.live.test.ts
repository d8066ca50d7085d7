/**
 * Two built server processes on a database that falls silent while they are busy, or have been idle: every request ends,
 * and fifteen seconds after the silence all is well. `SILENCE=120` tries a silence of so many seconds besides.
 */
import { randomBytes } from 'node:crypto';
import { setTimeout as pause } from 'node:timers/promises';
import { Client } from 'pg';
import { freePort } from './testing/free-port.ts';
import { ServerProcess, until } from './testing/server-process.ts';
import { silentProxy } from './testing/silent-proxy.ts';

jest.setTimeout(400_000);
const PASSWORD = 'a password for the silence';
/** Milliseconds after which all is well again. */
const WELL_MS = 15_000;
/** Milliseconds no request may take: those for a connection, and those that find out that it is dead. */
const LONGEST_MS = 20_000;

interface Outcome {
  readonly status: number;
  readonly ms: number;
}

const worlds: { end(): Promise<void> }[] = [];
afterAll(() => Promise.all(worlds.map((each) => each.end())));

async function inDatabase<R extends object>(url: string, query: string): Promise<R[]> {
  const client = new Client({ connectionString: url });
  await client.connect();
  try {
    return (await client.query<R>(query)).rows;
  } finally {
    await client.end();
  }
}

/** Two servers behind a way to a database of their own that can fall silent. */
async function world() {
  const admin = process.env['TEST_DATABASE_URL']!;
  const name = `silence_${randomBytes(6).toString('hex')}`;
  await inDatabase(admin, `create database ${name}`);
  const direct = new URL(admin);
  direct.pathname = `/${name}`;
  const proxy = await silentProxy(Number(direct.port));
  const through = new URL(direct);
  through.port = String(proxy.port);
  const environment = () => ({
    DATABASE_URL: through.href,
    VONDLE_SECRET: 'a secret for these tests alone',
    VONDLE_DEMO_PASSWORD: PASSWORD,
  });
  const servers = [
    new ServerProcess(await freePort(), environment),
    new ServerProcess(await freePort(), environment),
  ];
  worlds.push({
    async end() {
      await Promise.all(servers.map((each) => each.kill()));
      proxy.close();
    },
  });
  await Promise.all(servers.map((each) => each.start()));
  const signedIn = await fetch(`${servers[0]!.address}/api/session`, {
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify({ handle: 'mara', password: PASSWORD }),
  });
  const cookie = signedIn.headers.getSetCookie()[0]!.split(';')[0]!;
  const ask = async (server: ServerProcess): Promise<Outcome> => {
    const began = performance.now();
    const response = await fetch(`${server.address}/api/topologies`, {
      headers: { cookie },
      signal: AbortSignal.timeout(60_000),
    }).catch((error: unknown) => {
      throw new Error(`no answer from a server that said: ${server.said}`, { cause: error });
    });
    await response.arrayBuffer();
    return { status: response.status, ms: performance.now() - began };
  };
  return { proxy, servers, ask, direct: direct.href };
}

const CASES: [number, 'warm' | 'cold'][] = [
  [4, 'warm'],
  [4, 'cold'],
  [30, 'warm'],
];
const more = Number(process.env['SILENCE'] ?? 0);
if (more > 0) CASES.push([more, 'warm'], [more, 'cold']);

test.concurrent.each(CASES)('a silence of %s seconds, the pool %s', async (seconds, pool) => {
  const { proxy, servers, ask, direct } = await world();
  const outcomes: Outcome[] = [];
  let over = false;
  const client = async (server: ServerProcess, everyMs: number) => {
    while (!over) {
      outcomes.push(await ask(server));
      await pause(everyMs);
    }
  };
  // idle connections of a pool are closed after ten seconds
  if (pool === 'cold') await pause(11_000);
  const clients =
    pool === 'cold' ? [] : servers.flatMap((server) => Array.from({ length: 4 }, () => client(server, 50)));
  if (pool === 'warm') await until('requests', async () => outcomes.length > 50);
  proxy.silence();
  if (pool === 'cold')
    clients.push(...servers.flatMap((server) => Array.from({ length: 4 }, () => client(server, 500))));
  await pause(seconds * 1000);
  const [{ now: spoke }] = (await inDatabase<{ now: string }>(direct, 'select now()::text as now')) as [
    { now: string },
  ];
  proxy.speak();
  await pause(WELL_MS);
  over = true;
  await Promise.all(clients);
  // none failed in another way than by saying that the database is away, and each was answered
  expect(outcomes.filter(({ status }) => status !== 200 && status !== 503)).toEqual([]);
  expect(Math.max(...outcomes.map(({ ms }) => ms))).toBeLessThan(LONGEST_MS);
  for (const server of servers) {
    expect(await (await fetch(`${server.address}/api/ready`)).json()).toEqual({ ready: true, stuck: [] });
    const answers = await Promise.all(Array.from({ length: 40 }, () => ask(server)));
    expect(answers.filter(({ status }) => status !== 200)).toEqual([]);
    expect(server.isUp).toBe(true);
  }
  // both listen for changes again, over sessions younger than the silence
  const [listening] = await inDatabase<{ count: number }>(
    direct,
    `select count(*)::int as count from pg_stat_activity where application_name = 'vondle live'
     and datname = current_database() and backend_start > '${spoke}'`,
  );
  expect(listening).toEqual({ count: 2 });
});
