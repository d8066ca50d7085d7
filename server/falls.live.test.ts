/**
 * Two server processes on one database, behind a proxy, carrying out rollouts of three hundred steps,
 * while either of them, the broker and PostgreSQL are ended at many points; restarted one after the other; and all
 * that the database has taken to another cluster.
 */
import { execFile, spawn, type ChildProcess } from 'node:child_process';
import { chmodSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import { promisify } from 'node:util';
import { connect, type ChannelModel } from 'amqplib';
import { once } from 'node:events';
import { connect as connectTcp, createServer, type AddressInfo, type Socket } from 'node:net';
import { Client } from 'pg';
import { allowedAddresses } from './targets/allowed.ts';
import { AmqpBroker } from './targets/amqp/broker.ts';
import { readInventory } from './targets/amqp/inventory.ts';
import { freePort } from './testing/free-port.ts';
import { ServerProcess, until } from './testing/server-process.ts';

jest.setTimeout(240_000);
const ROOT = join(__dirname, '..');
const SECRET = 'a secret for these tests alone';
const PASSWORD = 'a password for the falls';
const STEPS = 300;
const CLAIM_SECONDS = 1;
/** A process is killed every so many steps; `STRIDE=1` kills one at each, which takes minutes. */
const STRIDE = Number(process.env['STRIDE'] ?? 6);
const run = promisify(execFile);

let home: string;
let services: { database: string; broker: { amqp: string; http: string } };
const service = async (...args: string[]) =>
  (await run(process.execPath, [join(ROOT, 'tools/setup/service.mjs'), args[0]!, home, ...args.slice(1)]))
    .stdout;

const environment = (database: () => string) => () => ({
  DATABASE_URL: database(),
  VONDLE_SECRET: SECRET,
  VONDLE_CLAIM_SECONDS: String(CLAIM_SECONDS),
  VONDLE_DEMO_PASSWORD: PASSWORD,
});
const serverProcess = async (database = () => services.database) =>
  new ServerProcess(await freePort(), environment(database));

let processes: [ServerProcess, ServerProcess];
let proxy: ChildProcess;
let address: string;
let cookie = '';

interface Answered {
  readonly status: number;
  // eslint-disable-next-line @typescript-eslint/no-explicit-any -- answers of every shape
  readonly data: any;
}

/** Asks through the proxy, again while nothing can answer: a proxy's 502 and a server's 503. */
async function ask(method: string, path: string, body?: unknown): Promise<Answered> {
  return until(`an answer to ${method} ${path}`, async () => {
    const response = await fetch(`${address}/api${path}`, {
      method,
      headers: { cookie, ...(body === undefined ? {} : { 'content-type': 'application/json' }) },
      ...(body === undefined ? {} : { body: JSON.stringify(body) }),
      signal: AbortSignal.timeout(20_000),
    });
    if ([502, 503, 504].includes(response.status)) return undefined;
    const session = response.headers.getSetCookie().find((each) => each.startsWith('vondle_session='));
    if (session) cookie = session.split(';')[0]!;
    const text = await response.text();
    return { status: response.status, data: text ? JSON.parse(text) : undefined };
  });
}

const T = '/topologies/auklet-ferries';
const text = (queues: number, prefix: string) => `environments: { trial: {} }
brokers:
  m:
    kind: amqp
    access: open
    exchanges: { in: { type: direct } }
    queues:
${Array.from({ length: queues }, (_, i) => `      ${prefix}${i}: {}`).join('\n')}
    bindings:
${Array.from({ length: queues }, (_, i) => `      - { from: in, to: ${prefix}${i}, key: k${i} }`).join('\n')}
`;

async function save(words: string): Promise<number> {
  const { draft } = (await ask('GET', T)).data;
  const put = await ask('PUT', `${T}/draft`, {
    version: draft.version,
    documents: [{ name: 'a.yaml', text: words }],
  });
  expect(put.status).toBe(200);
  return (await ask('POST', `${T}/revisions`, { version: put.data.version, words: 'next' })).data.number;
}

/** A way to a port on which everything takes so long. */
async function slowed(to: number, ms: number): Promise<{ port: number; close(): void }> {
  const sockets = new Set<Socket>();
  const server = createServer((client) => {
    const behind = connectTcp(to, '127.0.0.1');
    for (const each of [client, behind]) sockets.add(each.on('error', () => {}));
    client.on('data', (data) => setTimeout(() => behind.write(data), ms)).on('close', () => behind.destroy());
    behind.on('data', (data) => client.write(data)).on('close', () => client.destroy());
  });
  server.listen(0, '127.0.0.1');
  await once(server, 'listening');
  return {
    port: (server.address() as AddressInfo).port,
    close() {
      for (const each of sockets) each.destroy();
      server.close();
    },
  };
}

let vhosts = 0;
let reached: AmqpBroker;

function through(address: string, port: number): string {
  const url = new URL(address);
  url.port = String(port);
  return url.href;
}

/** Points the target at a virtual host where there is nothing. @returns the target's id */
async function freshTarget(port?: number): Promise<number> {
  const amqp = `${services.broker.amqp}/falls-${vhosts++}`;
  const addresses = { amqp, http: services.broker.http };
  reached = new AmqpBroker(addresses, allowedAddresses('loopback'));
  const user = decodeURIComponent(new URL(amqp).username);
  await reached.ask(reached.path('vhosts'), { method: 'PUT', body: {} });
  await reached.ask(reached.path('permissions', user), {
    method: 'PUT',
    body: { configure: '.*', write: '.*', read: '.*' },
  });
  const put = await ask('PUT', `${T}/targets`, {
    environment: 'trial',
    broker: 'm',
    kind: 'amqp',
    addresses: { ...addresses, amqp: port === undefined ? amqp : through(amqp, port) },
  });
  expect(put.status).toBe(200);
  return put.data.id;
}

async function planned(target: number, revision: number): Promise<number> {
  const made = await ask('POST', `${T}/rollouts`, { target, revision });
  expect(made).toMatchObject({ status: 201 });
  return made.data.id;
}

async function inDatabase<R extends object>(query: string, values: unknown[] = []): Promise<R[]> {
  const client = new Client({ connectionString: services.database });
  client.on('error', () => {});
  await client.connect();
  try {
    return (await client.query<R>(query, values)).rows;
  } finally {
    await client.end();
  }
}

/** Waits until so many steps of a rollout are done, or it is over. */
async function reachedStep(id: number, done: number): Promise<void> {
  const client = new Client({ connectionString: services.database });
  client.on('error', () => {});
  await client.connect();
  try {
    for (;;) {
      const { rows } = await client.query<{ done: number; state: string }>(
        `select count(*) filter (where s.state = 'done')::int as done, max(r.state) as state
         from rollouts r join rollout_steps s on s.rollout_id = r.id where r.id = $1`,
        [id],
      );
      if (rows[0]!.done >= done || rows[0]!.state !== 'applying') return;
      await pause(2);
    }
  } finally {
    await client.end();
  }
}

async function over(id: number) {
  return until(`the end of rollout ${id}`, async () => {
    const { data } = await ask('GET', `${T}/rollouts/${id}`);
    return data.state === 'applying' ? undefined : data;
  });
}

/** Each queue is there once, bound once, and each step is done. */
async function isWhole(id: number, queues: number): Promise<void> {
  const ended = await over(id);
  expect([ended.state, ended.error]).toEqual(['applied', null]);
  expect(ended).toMatchObject({ verified: true });
  const { queues: there, bindings } = await readInventory(reached);
  expect([there.length, bindings.length]).toEqual([queues, queues]);
  const open = await inDatabase(`select 1 from rollout_steps where rollout_id = $1 and state <> 'done'`, [
    id,
  ]);
  expect(open).toEqual([]);
}

/** Which of the processes holds the claim. */
async function holder(id: number): Promise<ServerProcess> {
  return until('a holder', async () => {
    const [row] = await inDatabase<{ claimed_by: string | null }>(
      'select claimed_by from rollouts where id = $1',
      [id],
    );
    const pid = Number(row?.claimed_by?.split(':').at(-2));
    return processes.find((each) => each.pid === pid);
  });
}

const QUEUES = (STEPS - 1) / 2 - 0.5;
let revision: number;

beforeAll(async () => {
  home = mkdtempSync('/var/tmp/vondle-falls-');
  // its services run as users of their own, who have to come through
  chmodSync(home, 0o755);
  services = JSON.parse(await service('start'));
  processes = [await serverProcess(), await serverProcess()];
  await Promise.all(processes.map((each) => each.start()));
  const port = await freePort();
  const config = join(home, 'nginx.conf');
  writeFileSync(
    config,
    `daemon off; pid ${home}/nginx.pid; error_log /dev/null; worker_processes 1;
events { worker_connections 512; }
http {
  access_log off; client_max_body_size 40m;
  client_body_temp_path ${home}/b; proxy_temp_path ${home}/p; fastcgi_temp_path ${home}/f; uwsgi_temp_path ${home}/u; scgi_temp_path ${home}/s;
  upstream vondle { ${processes.map((each) => `server 127.0.0.1:${each.port} max_fails=1 fail_timeout=1s;`).join(' ')} }
  server { listen 127.0.0.1:${port}; location / { proxy_pass http://vondle; proxy_set_header Host $http_host; proxy_set_header X-Forwarded-For $remote_addr; proxy_buffering off; } }
}`,
  );
  proxy = spawn('/usr/sbin/nginx', ['-c', config, '-p', home], { stdio: 'ignore' });
  address = `http://127.0.0.1:${port}`;
  await ask('POST', '/session', { handle: 'mara', password: PASSWORD });
  revision = await save(text(QUEUES, 'q'));
});
afterAll(async () => {
  proxy?.kill();
  await Promise.all((processes ?? []).map((each) => each.kill()));
  if (home) {
    await service('stop');
    rmSync(home, { recursive: true, force: true });
  }
});

describe('whichever process carries it out', () => {
  test.each([0, 150, 298])(
    'is killed after %s steps: the other goes on from what the broker has',
    async (done) => {
      const id = await planned(await freshTarget(), revision);
      expect((await ask('POST', `${T}/rollouts/${id}/apply`)).status).toBe(202);
      await reachedStep(id, done);
      const one = await holder(id);
      await one.kill();
      await isWhole(id, QUEUES);
      await one.start();
    },
  );

  test('is killed again and again in a hundred steps, messages being carried: the end is whole, none is lost and none comes twice', async () => {
    // a slower way to the broker, so that no step is missed
    let connection: ChannelModel | undefined;
    const slow = await slowed(Number(new URL(services.broker.amqp).port), 12);
    try {
      const target = await freshTarget(slow.port);
      const kept = Array.from({ length: 20 }, (_, i) => `kept${i}`);
      const all = (ttl: number, more: number) => `environments: { trial: {} }
brokers:
  m:
    kind: amqp
    access: open
    exchanges: { in: { type: direct } }
    queues:
${kept.map((name) => `      ${name}: { ttl: ${ttl}h }`).join('\n')}
${Array.from({ length: more }, (_, i) => `      new${i}: {}`).join('\n')}
    bindings:
${kept.map((name) => `      - { from: in, to: ${name}, key: ${name} }`).join('\n')}
${Array.from({ length: more }, (_, i) => `      - { from: in, to: new${i}, key: k${i} }`).join('\n')}
`;
      const first = await planned(target, await save(all(1, 0)));
      await ask('POST', `${T}/rollouts/${first}/apply`);
      await over(first);
      connection = await connect(`${services.broker.amqp}/${reached.vhost}`);
      connection.on('error', () => {});
      const channel = await connection.createConfirmChannel();
      for (const name of kept)
        for (let i = 0; i < 30; i++)
          channel.sendToQueue(name, Buffer.from(`${name} ${i}`), { persistent: true });
      await channel.waitForConfirms();
      const id = await planned(target, await save(all(2, 40)));
      const { data } = await ask('GET', `${T}/rollouts/${id}`);
      expect(data.count.all).toBe(100);
      await ask('POST', `${T}/rollouts/${id}/apply`);
      let kills = 0;
      for (let done = 0; ; kills++) {
        await reachedStep(id, done + STRIDE);
        const [row] = await inDatabase<{ state: string; done: number }>(
          `select max(r.state) as state, count(*) filter (where s.state = 'done')::int as done
           from rollouts r join rollout_steps s on s.rollout_id = r.id where r.id = $1`,
          [id],
        );
        if (row!.state !== 'applying') break;
        done = row!.done;
        const one = await holder(id);
        await one.kill();
        // it comes up while the other goes on
        void one.start().catch(() => {});
      }
      const ended = await over(id);
      expect([ended.state, ended.error, ended.verified]).toEqual(['applied', null, true]);
      expect(kills).toBeGreaterThan(STRIDE === 1 ? 20 : 4);
      const open = await inDatabase(`select 1 from rollout_steps where rollout_id = $1 and state <> 'done'`, [
        id,
      ]);
      expect(open).toEqual([]);
      const { queues, bindings, passing } = await readInventory(reached);
      expect([queues.length, bindings.length, passing]).toEqual([60, 60, []]);
      for (const name of kept) {
        const found: string[] = [];
        for (
          let got = await channel.get(name, { noAck: true });
          got;
          got = await channel.get(name, { noAck: true })
        )
          found.push(got.content.toString());
        expect(found).toEqual(Array.from({ length: 30 }, (_, i) => `${name} ${i}`));
      }
      await Promise.all(processes.map((each) => until('both are up', async () => each.isUp)));
    } finally {
      // one that is left open would break with the broker in another test
      await connection?.close().catch(() => {});
      slow.close();
    }
  }, 400_000);

  test('what was done and is not on the broker any more is done again', async () => {
    const id = await planned(await freshTarget(), revision);
    await ask('POST', `${T}/rollouts/${id}/apply`);
    await reachedStep(id, 60);
    const one = await holder(id);
    await one.kill();
    // as a broker does that was killed before it wrote what it had acknowledged
    for (const queue of ['q3', 'q20']) await reached.ask(reached.path('queues', queue), { method: 'DELETE' });
    await isWhole(id, QUEUES);
    await one.start();
  });

  test('another rollout on the same broker is refused meanwhile, also of another target', async () => {
    const target = await freshTarget();
    const [first, second] = [await planned(target, revision), await planned(target, revision)];
    const both = await Promise.all([first, second].map((id) => ask('POST', `${T}/rollouts/${id}/apply`)));
    expect(both.map(({ status }) => status).sort()).toEqual([202, 409]);
    for (const id of [first, second]) await over(id);
    // and a plan that was made before is not carried out after it
    const late = both[0]!.status === 202 ? second : first;
    expect(await ask('POST', `${T}/rollouts/${late}/apply`)).toMatchObject({
      status: 409,
      data: { title: 'Plan is out of date' },
    });
  });

  test('stop works from every process', async () => {
    const id = await planned(await freshTarget(), revision);
    await ask('POST', `${T}/rollouts/${id}/apply`);
    await reachedStep(id, 5);
    const carrying = await holder(id);
    const other = processes.find((each) => each !== carrying)!;
    const response = await fetch(`http://127.0.0.1:${other.port}/api${T}/rollouts/${id}/stop`, {
      method: 'POST',
      headers: { cookie },
    });
    expect([202, 409]).toContain(response.status);
    const ended = await over(id);
    // so quick a rollout may be over before the other process hears of it
    expect(['stopped', 'applied']).toContain(ended.state);
    if (ended.state === 'stopped') expect(ended.error).toContain('plan again');
    // what was noted as begun and was not is noted as it is
    const running = `select 1 from rollout_steps where rollout_id = $1 and state = 'running'`;
    expect(await inDatabase(running, [id])).toEqual([]);
  });

  test('what it does is heard through the proxy, only what changed', async () => {
    const id = await planned(await freshTarget(), revision);
    const listening = fetch(`${address}/api${T}/rollouts/${id}/live?after=0`, { headers: { cookie } });
    await ask('POST', `${T}/rollouts/${id}/apply`);
    const told = await (await listening).text();
    const news = [...told.matchAll(/^data: (\{.*)$/gm)].map(([, json]) => JSON.parse(json!));
    expect(told).toContain('event: over');
    const last = new Map<number, string>();
    let sent = 0;
    for (const { steps } of news)
      for (const { position, state } of steps) {
        last.set(position, state);
        sent++;
      }
    expect(new Set(last.values())).toEqual(new Set(['done']));
    expect(last.size).toBe(2 * QUEUES + 1);
    // each step is told when it changed, not all of them each time
    expect(sent).toBeLessThan(3 * last.size);
    expect(news.at(-1).rollout.state).toBe('applied');
  });
});

describe('PostgreSQL', () => {
  test.each([
    ['SIGINT', 40],
    ['SIGQUIT', 200],
  ])(
    'ends (%s) after %s steps: nothing is lost, both servers stay up, the rollout goes on',
    async (signal, done) => {
      const pids = processes.map(({ pid }) => pid);
      const id = await planned(await freshTarget(), revision);
      await ask('POST', `${T}/rollouts/${id}/apply`);
      await reachedStep(id, done);
      await service('kill', 'postgres', signal);
      await pause(300);
      for (const { port } of processes) {
        expect((await fetch(`http://127.0.0.1:${port}/api/health`)).status).toBe(200);
        const away = await fetch(`http://127.0.0.1:${port}/api${T}`, { headers: { cookie } });
        expect(away.status).toBe(503);
        expect(away.headers.get('retry-after')).toBe('2');
      }
      await service('again', 'postgres');
      await isWhole(id, QUEUES);
      expect(processes.map(({ pid, isUp }) => [pid, isUp])).toEqual(pids.map((pid) => [pid, true]));
    },
  );

  test('is restarted among thirty writers: every acknowledged write is there', async () => {
    const writers = await writersOf(30);
    await pause(500);
    for (const signal of ['SIGINT', 'SIGQUIT']) {
      await service('kill', 'postgres', signal);
      await pause(300);
      await service('again', 'postgres');
      await until('the database', async () => (await fetch(`${address}/api/ready`)).ok);
      await pause(700);
    }
    await writers.areThere();
    expect(processes.map(({ isUp, said }) => [isUp, said])).toEqual(processes.map(() => [true, '']));
  });
});

/** People who write drafts of their own through the proxy, one write after the other, until they are asked to end. */
async function writersOf(count: number) {
  const slugs: string[] = [];
  for (let i = 0; i < count; i++) slugs.push((await ask('POST', '/topologies', { name: `w${i}` })).data.slug);
  let ended = false;
  const acknowledged = slugs.map(() => 0);
  const statuses = new Set<number>();
  const writers = slugs.map(async (slug, i) => {
    let version = 1;
    for (let n = 1; !ended; n++) {
      const documents = [{ name: 'a.yaml', text: `# ${n}\n` }];
      const response = await fetch(`${address}/api/topologies/${slug}/draft`, {
        method: 'PUT',
        headers: { cookie, 'content-type': 'application/json' },
        body: JSON.stringify({ version, documents }),
        signal: AbortSignal.timeout(20_000),
      }).catch(() => undefined);
      if (response) statuses.add(response.status);
      if (response?.status === 200) {
        acknowledged[i] = n;
        version = ((await response.json()) as { version: number }).version;
      } else {
        // its answer was lost, and it may have been written
        if (response?.status === 409)
          version = ((await response.json()) as { theirs: { version: number } }).theirs.version;
        await pause(100);
      }
    }
  });
  return {
    slugs,
    statuses,
    /** Ends them. Every write that was acknowledged is there. */
    async areThere() {
      ended = true;
      await Promise.all(writers);
      for (const [i, slug] of slugs.entries()) {
        const { data } = await ask('GET', `/topologies/${slug}`);
        expect(acknowledged[i]).toBeGreaterThan(0);
        expect(Number(data.draft.documents[0].text.slice(2))).toBeGreaterThanOrEqual(acknowledged[i]!);
      }
    },
  };
}

/** Listens to a topology as a browser does: whenever it is cut off it comes again. */
function listenTo(slug: string, at: () => string) {
  let ended = false;
  let version = 0;
  let connections = 0;
  const over = new AbortController();
  const listening = (async () => {
    while (!ended) {
      try {
        const response = await fetch(`${at()}/api/topologies/${slug}/live?tab=listener-one`, {
          headers: { cookie },
          signal: over.signal,
        });
        if (!response.ok) throw new Error(String(response.status));
        connections++;
        let text = '';
        for await (const part of response.body!) {
          text += Buffer.from(part).toString('utf8');
          for (const [, json] of text.matchAll(/^data: (\{.*)\n/gm))
            version = Math.max(version, JSON.parse(json!).drafts[0].version);
          text = text.slice(text.lastIndexOf('\n') + 1);
        }
      } catch {
        // cut off
      }
      await pause(50);
    }
  })();
  return {
    heard: () => version,
    connections: () => connections,
    async end() {
      ended = true;
      over.abort();
      await listening;
    },
  };
}

describe('several processes', () => {
  test('what is written by one is heard at the other', async () => {
    const { slug } = (await ask('POST', '/topologies', { name: 'heard' })).data;
    const [one, other] = processes;
    const listener = listenTo(slug, () => `http://127.0.0.1:${one.port}`);
    await until('a listener', async () => listener.heard() > 0);
    for (let n = 0; n < 3; n++) {
      const response = await fetch(`http://127.0.0.1:${other.port}/api/topologies/${slug}/draft`, {
        method: 'PUT',
        headers: { cookie, 'content-type': 'application/json' },
        body: JSON.stringify({
          version: listener.heard(),
          documents: [{ name: 'a.yaml', text: `# ${n}\n` }],
        }),
      });
      const { version } = (await response.json()) as { version: number };
      await until('the news', async () => listener.heard() === version);
    }
    expect(listener.connections()).toBe(1);
    await listener.end();
  });

  test('are restarted one after the other: nothing is lost, nobody signed out, and who listens goes on', async () => {
    const writers = await writersOf(8);
    const listener = listenTo(writers.slugs[0]!, () => address);
    const id = await planned(await freshTarget(), revision);
    await ask('POST', `${T}/rollouts/${id}/apply`);
    await reachedStep(id, 20);
    for (const each of processes) {
      await each.end();
      await each.start();
      await pause(300);
    }
    await pause(500);
    await writers.areThere();
    // answers of the proxy for a server that is just gone, and of a server that is just going, and nothing else
    expect([...writers.statuses].filter((status) => ![200, 409, 502, 503].includes(status))).toEqual([]);
    const { data } = await ask('GET', `/topologies/${writers.slugs[0]!}`);
    await until('the last news', async () => listener.heard() === data.draft.version);
    expect(listener.connections()).toBeGreaterThan(1);
    await listener.end();
    expect((await ask('GET', '/session')).data).toMatchObject({ handle: 'mara' });
    await isWhole(id, QUEUES);
  });
});

describe('the broker', () => {
  test.each([3, 200])('is killed after %s steps: it is waited for, and the rollout goes on', async (done) => {
    const id = await planned(await freshTarget(), revision);
    await ask('POST', `${T}/rollouts/${id}/apply`);
    await reachedStep(id, done);
    await service('kill', 'broker', 'SIGKILL');
    const { data } = await ask('GET', `${T}/rollouts/${id}`);
    expect(['applying', 'applied']).toContain(data.state);
    await service('again', 'broker');
    await isWhole(id, QUEUES);
  });
});

test('what is dumped and restored into an empty cluster answers the same', async () => {
  const target = await freshTarget();
  await planned(target, revision);
  const dump = join(home, 'vondle.dump');
  await run('pg_dump', ['--format=custom', '--no-owner', `--file=${dump}`, services.database]);
  const elsewhere = mkdtempSync('/var/tmp/vondle-restored-');
  chmodSync(elsewhere, 0o755);
  const away = (what: string) =>
    run(process.execPath, [join(ROOT, 'tools/setup/service.mjs'), what, elsewhere, 'postgres']);
  const database = JSON.parse((await away('again')).stdout) as string;
  const restored = await serverProcess(() => database);
  try {
    await run('pg_restore', [
      '--exit-on-error',
      '--no-owner',
      '--single-transaction',
      `--dbname=${database}`,
      dump,
    ]);
    await restored.start();
    const paths = [
      '',
      '/drafts',
      '/revisions',
      '/revisions/1',
      '/proposals/1',
      '/members',
      '/audit',
      '/targets',
    ]
      .concat(['/rollouts', '/protections', '/glance', '/blame?doc=mainland.yaml', '/webhooks'])
      .map((path) => T + path)
      .concat('/topologies', '/inbox', '/session');
    const from = async (at: string, path: string) => {
      const response = await fetch(`${at}/api${path}`, { headers: { cookie } });
      return { path, status: response.status, text: await response.text() };
    };
    for (const path of paths)
      expect(await from(`http://127.0.0.1:${restored.port}`, path)).toEqual(await from(address, path));
    // sealed addresses open there too: a rollout is planned on the same broker
    const plan = await fetch(`http://127.0.0.1:${restored.port}/api${T}/rollouts`, {
      method: 'POST',
      headers: { cookie, 'content-type': 'application/json' },
      body: JSON.stringify({ target, revision }),
    });
    expect(plan.status).toBe(201);
  } finally {
    await restored.kill();
    await away('stop');
    rmSync(elsewhere, { recursive: true, force: true });
  }
});
