/** The server under fifty clients, with one process and with two, and its event loop while large plans are made. */
import { execFileSync } from 'node:child_process';
import { chmodSync, mkdtempSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import { Measured, MEASURED_PASSWORD } from './server-process.ts';
import { crowd } from './topologies.ts';
import { freePort } from '../server/testing/free-port.ts';

const ROOT = process.cwd();
const CLIENTS = 50;
const SECONDS = 8;

/** Reads, or changes, a draft of its own for each client. @returns requests a second and the 99th percentile of their times */
async function underLoad(
  ports: readonly number[],
  cookie: string,
  slugs: readonly string[],
  how: 'read' | 'patch',
) {
  const { default: autocannon } = (await import('autocannon' as string)) as {
    default: (options: object) => Promise<{
      requests: { average: number };
      latency: { p99: number };
      non2xx: number;
    }>;
  };
  let next = 0;
  const results = await Promise.all(
    ports.map((port) =>
      autocannon({
        url: `http://127.0.0.1:${port}`,
        connections: CLIENTS / ports.length,
        duration: SECONDS,
        headers: { cookie, 'content-type': 'application/json' },
        requests: [
          {
            method: how === 'read' ? 'GET' : 'PATCH',
            setupRequest: (request: object, context: { slug?: string; version?: number; n?: number }) => {
              context.slug ??= slugs[next++ % slugs.length]!;
              const at = `/api/topologies/${context.slug}`;
              if (how === 'read') return { ...request, path: at };
              context.n = (context.n ?? 0) + 1;
              const changed = [{ name: 'a.yaml', text: `# ${context.n}\n` }];
              const names = ['a.yaml', 'b.yaml'];
              return {
                ...request,
                path: `${at}/draft`,
                body: JSON.stringify({
                  version: context.version ?? versions.get(context.slug),
                  names,
                  changed,
                }),
              };
            },
            onResponse: (status: number, body: string, context: { slug?: string; version?: number }) => {
              if (how !== 'patch') return;
              // another client may have changed it meanwhile, as people do
              if (status === 409)
                context.version = (JSON.parse(body) as { theirs: { version: number } }).theirs.version;
              if (status === 200) {
                context.version = (JSON.parse(body) as { version: number }).version;
                versions.set(context.slug!, context.version);
              }
            },
          },
        ],
      }),
    ),
  );
  return {
    rate: results.reduce((sum, { requests }) => sum + requests.average, 0),
    p99: Math.max(...results.map(({ latency }) => latency.p99)),
    failed: results.reduce((sum, { non2xx }) => sum + non2xx, 0),
  };
}

const versions = new Map<string, number>();

/** Prints the server's figures. */
export async function server(): Promise<void> {
  const home = mkdtempSync('/var/tmp/vondle-bench-');
  chmodSync(home, 0o755);
  const service = (...args: string[]) =>
    execFileSync(
      process.execPath,
      [join(ROOT, 'tools/setup/service.mjs'), args[0]!, home, ...args.slice(1)],
      { encoding: 'utf8' },
    );
  const running: Measured[] = [];
  try {
    execFileSync(process.execPath, [join(ROOT, 'tools/setup/build.mjs')], { stdio: 'inherit' });
    const { database, broker } = JSON.parse(service('start')) as {
      database: string;
      broker: { amqp: string; http: string };
    };
    running.push(await Measured.start(await freePort(), database));
    const at = `http://127.0.0.1:${running[0]!.port}/api`;
    const signedIn = await fetch(`${at}/session`, {
      method: 'POST',
      body: JSON.stringify({ handle: 'mara', password: MEASURED_PASSWORD }),
    });
    const cookie = signedIn.headers
      .getSetCookie()
      .map((each) => each.split(';')[0])
      .join('; ');
    const ask = async (method: string, path: string, body?: unknown) => {
      const response = await fetch(`${at}${path}`, {
        method,
        headers: { cookie },
        ...(body === undefined ? {} : { body: JSON.stringify(body) }),
      });
      const text = await response.text();
      if (!response.ok) throw new Error(`${method} ${path}: ${text.slice(0, 300)}`);
      return (text ? JSON.parse(text) : undefined) as {
        slug: string;
        version: number;
        number: number;
        id: number;
        draft: { version: number };
      };
    };
    const slugs: string[] = [];
    for (let i = 0; i < CLIENTS; i++) {
      const { slug } = await ask('POST', '/topologies', { name: `load ${i}` });
      const documents = [
        { name: 'a.yaml', text: '' },
        { name: 'b.yaml', text: `# ${'x'.repeat(50_000)}\n` },
      ];
      versions.set(slug, (await ask('PUT', `/topologies/${slug}/draft`, { version: 1, documents })).version);
      slugs.push(slug);
    }
    console.log(`\nthe server under ${CLIENTS} clients, each with a draft of 50 kB of its own`);
    for (const count of [1, 2]) {
      if (count === 2) running.push(await Measured.start(await freePort(), database));
      for (const how of ['read', 'patch'] as const) {
        const { rate, p99, failed } = await underLoad(
          running.map(({ port }) => port),
          cookie,
          slugs,
          how,
        );
        console.log(
          `  ${count} ${count === 1 ? 'process  ' : 'processes'}  ${how.padEnd(6)} ${rate.toFixed(0).padStart(6)} a second   p99 ${p99} ms   ${failed} met another’s change (409)`,
        );
      }
    }
    running.pop()!.end();

    const vhost = 'bench';
    const { host, username, password } = new URL(broker.http);
    const authorization = `Basic ${Buffer.from(`${username}:${password}`).toString('base64')}`;
    const admin = (path: string, body: object) =>
      fetch(`http://${host}/api/${path}`, {
        method: 'PUT',
        headers: { authorization, 'content-type': 'application/json' },
        body: JSON.stringify(body),
      });
    await admin(`vhosts/${vhost}`, {});
    await admin(`permissions/${vhost}/${username}`, { configure: '.*', write: '.*', read: '.*' });
    const { slug } = await ask('POST', '/topologies', { name: 'large' });
    const put = await ask('PUT', `/topologies/${slug}/draft`, { version: 1, documents: crowd(10_000) });
    const { number } = await ask('POST', `/topologies/${slug}/revisions`, {
      version: put.version,
      words: 'large',
    });
    const target = await ask('PUT', `/topologies/${slug}/targets`, {
      environment: 'trial',
      broker: 'm',
      kind: 'amqp',
      addresses: { amqp: `${broker.amqp}/${vhost}`, http: broker.http },
    });
    const [one] = running;
    await pause(1000);
    await one!.delay();
    await pause(3000);
    const idle = await one!.delay();
    const began = performance.now();
    await ask('POST', `/topologies/${slug}/rollouts`, { target: target.id, revision: number });
    const took = performance.now() - began;
    const planning = await one!.delay();
    console.log('\nthe event loop while a rollout of 10,000 resources (20,000 steps) is planned');
    console.log(`  idle      p50 ${idle.p50} ms   p99 ${idle.p99} ms   at most ${idle.max} ms`);
    console.log(
      `  planning  p50 ${planning.p50} ms   p99 ${planning.p99} ms   at most ${planning.max} ms   (${(took / 1000).toFixed(1)} s in all)`,
    );
  } finally {
    for (const each of running) each.end();
    service('stop');
    rmSync(home, { recursive: true, force: true });
  }
}
