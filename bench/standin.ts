/** Messages a second through a topic of the stand-in with three subscriptions: sent, routed, taken and settled. */
import { execFileSync } from 'node:child_process';
import { chmodSync, mkdtempSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import rhea from 'rhea';
import { start } from '../standin/service.ts';

const COUNT = 10_000;
const SUBSCRIPTIONS = 3;

/** Prints the rate: of messages sent, each of which three takers have settled by the end. */
export async function standin(): Promise<void> {
  const home = mkdtempSync('/var/tmp/vondle-bench-');
  chmodSync(home, 0o755);
  const service = (what: string) =>
    execFileSync(process.execPath, [join(process.cwd(), 'tools/setup/service.mjs'), what, home], {
      encoding: 'utf8',
    });
  try {
    const { database } = JSON.parse(service('start')) as { database: string };
    const secret = 'the secret of a bench';
    const running = await start({
      databaseUrl: database,
      host: '127.0.0.1',
      amqpPort: 0,
      httpPort: 0,
      secret,
      migrations: join(process.cwd(), 'standin/migrations'),
    });
    const put = async (path: string, body: object): Promise<Record<string, string>> => {
      const response = await fetch(`http://127.0.0.1:${running.httpPort}${path}`, {
        method: 'PUT',
        headers: {
          authorization: `Basic ${Buffer.from(`operator:${secret}`).toString('base64')}`,
          'content-type': 'application/json',
        },
        body: JSON.stringify(body),
      });
      if (!response.ok) throw new Error(await response.text());
      return response.status === 204 ? {} : ((await response.json()) as Record<string, string>);
    };
    await put('/tenants/auklet', {});
    await put('/spaces/bench', { tenant: 'auklet', access: 'open' });
    await put('/spaces/bench/topics/notices', {});
    for (let i = 0; i < SUBSCRIPTIONS; i++)
      await put(`/spaces/bench/subscriptions/s${i}`, {
        topic: 'notices',
        filter: { selector: `severity >= ${i}` },
      });
    const user = await put('/spaces/bench/users/bench', { tenant: 'auklet', actsAs: 'app:bench' });
    const connect = () =>
      rhea.create_container().connect({
        host: '127.0.0.1',
        port: running.amqpPort,
        username: user['name'],
        password: user['secret'],
        reconnect: false,
      } as never);
    const began = performance.now();
    let taken = 0;
    const all = new Promise<void>((done) => {
      for (let i = 0; i < SUBSCRIPTIONS; i++) {
        const receiver = connect().open_receiver({
          source: { address: `s${i}` },
          credit_window: 500,
        } as never);
        receiver.on('message', () => {
          if (++taken === COUNT * SUBSCRIPTIONS) done();
        });
      }
    });
    const connection = connect();
    const sender = connection.open_sender({ target: { address: 'notices' } } as never);
    let sent = 0;
    let settled = 0;
    const confirmed = new Promise<void>((done) => {
      sender.on('sendable', () => {
        while (sent < COUNT && sender.sendable()) {
          sender.send({ body: 'x'.repeat(200), durable: true, application_properties: { severity: 5 } });
          sent++;
        }
      });
      sender.on('accepted', () => {
        if (++settled === COUNT) done();
      });
    });
    await Promise.all([all, confirmed]);
    const seconds = (performance.now() - began) / 1000;
    console.log(
      `\nthe stand-in: a topic with ${SUBSCRIPTIONS} subscriptions, durable, each copy taken and settled`,
    );
    console.log(
      `  messages a second            ${Math.round(COUNT / seconds).toLocaleString('en')}   at least 1,000 wanted`,
    );
    await running.close();
  } finally {
    service('stop');
    rmSync(home, { recursive: true, force: true });
  }
}
