/** Webhooks to a small receiver of our own: agreed to, told, told again, given up. */
import { createServer, type IncomingMessage, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { setTimeout as pause } from 'node:timers/promises';
import { sql } from 'drizzle-orm';
import { pino } from 'pino';
import { record } from '../db/connect.ts';
import { allowedAddresses } from '../targets/allowed.ts';
import { answered } from '../testing/described.ts';
import { harness, type Ask, type Harness } from '../testing/harness.ts';
import { Deliveries } from './deliveries.ts';
import { sealWebhooksAgain } from './store.ts';
import { sealer } from '../secrets.ts';

const T = '/topologies/harbour';
const OPENED = 'vondle.proposal.opened';
const SAVED = 'vondle.revision.saved';

/** Somebody who is told, and answers as a test wishes. */
class Receiver {
  readonly got: { headers: IncomingMessage['headers']; event: Record<string, unknown> }[] = [];
  answers: number[] = [];
  agreed: string | undefined = '*';
  asked: IncomingMessage['headers'][] = [];
  private readonly server: Server;
  constructor() {
    this.server = createServer((request, response) => {
      if (request.method === 'OPTIONS') {
        this.asked.push(request.headers);
        response
          .writeHead(200, this.agreed === undefined ? {} : { 'webhook-allowed-origin': this.agreed })
          .end();
        return;
      }
      let text = '';
      request.on('data', (part) => (text += String(part)));
      request.on('end', () => {
        const status = this.answers.shift() ?? 204;
        if (status < 300) this.got.push({ headers: request.headers, event: JSON.parse(text) });
        response.writeHead(status, status === 302 ? { location: 'http://127.0.0.1:1/' } : {}).end();
      });
    });
  }
  async listen(): Promise<void> {
    await new Promise<void>((done) => this.server.listen(0, '127.0.0.1', done));
  }
  get url(): string {
    return `http://127.0.0.1:${(this.server.address() as AddressInfo).port}/hook?x=1`;
  }
  close(): Promise<unknown> {
    this.server.closeAllConnections();
    return new Promise((done) => this.server.close(done));
  }
}

async function until<V>(ask: () => V | Promise<V>): Promise<V> {
  for (const end = Date.now() + 20_000; Date.now() < end; await pause(20)) {
    const found = await ask();
    if (found) return found;
  }
  throw new Error('waited in vain');
}

let server: Harness;
let mara: Ask;
let receiver: Receiver;
const workers: Deliveries[] = [];
/** A process that sends, with waits of no length. */
function worker(waits: readonly number[] = [0.05, 0.05, 0.05]): Deliveries {
  const parts = {
    db: server.db,
    sealer: server.sealer,
    allowed: allowedAddresses('loopback'),
    log: pino({ level: 'silent' }),
    metrics: server.metrics,
    changes: { on: () => () => {} },
  };
  const made = new Deliveries(parts, waits, 30);
  made.start();
  workers.push(made);
  return made;
}

beforeAll(async () => {
  server = await harness();
  await server.topology('harbour', { mara: 'owner', odo: 'approver' });
  mara = await server.as('mara');
});
beforeEach(async () => {
  receiver = new Receiver();
  await receiver.listen();
});
afterEach(async () => {
  await Promise.all(workers.splice(0).map((each) => each.close()));
  for (const { id } of (await mara('GET', `${T}/webhooks`)).data as { id: number }[])
    await mara('DELETE', `${T}/webhooks/${id}`);
  await receiver.close();
});
afterAll(() => server.close());

async function hook(events = [OPENED, SAVED], token?: string): Promise<number> {
  const made = await mara('POST', `${T}/webhooks`, {
    url: receiver.url,
    events,
    ...(token ? { token } : {}),
  });
  expect(made.status).toBe(201);
  return made.data.id as number;
}
let revisions = 0;
/** Saves a revision, which is told. @returns its number */
async function save(): Promise<number> {
  const { version } = (await mara('GET', T)).data.draft as { version: number };
  const documents = [{ name: 'a.yaml', text: `vondle: 1 # ${++revisions}\n` }];
  const put = await mara('PUT', `${T}/draft`, { version, documents });
  const made = await mara('POST', `${T}/revisions`, { version: put.data.version as number, words: 'more' });
  return made.data.number as number;
}
const state = async (id: number) =>
  ((await mara('GET', `${T}/webhooks`)).data as Record<string, unknown>[]).find((each) => each['id'] === id)!;

test('what goes on is told as a CloudEvent, with the token', async () => {
  const id = await hook([SAVED], 'a-token-of-theirs');
  expect(receiver.asked[0]).toMatchObject({ 'webhook-request-origin': 'vondle' });
  worker();
  const number = await save();
  const { headers, event } = (await until(() => receiver.got[0]))!;
  expect(headers).toMatchObject({
    'content-type': 'application/cloudevents+json; charset=utf-8',
    authorization: 'Bearer a-token-of-theirs',
  });
  expect(event).toMatchObject({
    specversion: '1.0',
    source: '/topologies/harbour',
    type: SAVED,
    subject: `revisions/${number}`,
    datacontenttype: 'application/json',
    data: { number, words: 'more', by: 'mara' },
  });
  expect(event['id']).toMatch(/^[0-9a-f-]{36}$/);
  expect(event['time']).toMatch(/^\d{4}-\d\d-\d\dT[\d:.]+(Z|\+00:00)$/);
  await until(async () => (await state(id))['waiting'] === 0);
  expect((await state(id))['last']).toMatchObject({ outcome: 'taken', tries: 1, said: 'it answered 204' });
});

test('only what was asked for is told, and nothing that did not come to be', async () => {
  await hook([OPENED]);
  worker();
  await save();
  await server.db
    .transaction(async (tx) => {
      await record(tx, 'propose', { topologyId: 1, details: {} });
      throw new Error('not after all');
    })
    .catch(() => undefined);
  const draft = (await mara('POST', `${T}/drafts`, { name: `d${Math.random()}` })).data.id as number;
  const { version } = (await mara('GET', `${T}?draft=${draft}`)).data.draft as { version: number };
  await mara('PUT', `${T}/draft?draft=${draft}`, {
    version,
    documents: [{ name: 'b.yaml', text: 'vondle: 1\n' }],
  });
  const { number } = (await mara('POST', `${T}/proposals`, { draft, title: 'b' })).data as { number: number };
  await until(() => receiver.got[0]);
  await pause(200);
  expect(receiver.got.map(({ event }) => [event['type'], event['subject']])).toEqual([
    [OPENED, `proposals/${number}`],
  ]);
});

test('what is refused is told again until it is taken, with the same id', async () => {
  const id = await hook([SAVED]);
  receiver.answers = [500, 302];
  worker();
  await save();
  await until(() => receiver.got[0]);
  await until(async () => (await state(id))['waiting'] === 0);
  expect((await state(id))['last']).toMatchObject({ outcome: 'taken', tries: 3 });
});

test('who is gone is told no more; who never takes anything is given up', async () => {
  const gone = await hook([SAVED]);
  receiver.answers = [410];
  worker();
  await save();
  await until(async () => (await state(gone))['endedAt']);
  const dead = await hook([SAVED]);
  receiver.answers = Array<number>(20).fill(503);
  await save();
  await until(async () => (await state(dead))['endedAt']);
  expect((await state(dead))['last']).toMatchObject({
    outcome: 'given up',
    tries: 4,
    said: 'it answered 503',
  });
  expect((await state(gone))['waiting']).toBe(0);
});

test('one whose token cannot be opened any more is given up as well', async () => {
  const id = await hook([SAVED], 'a-token-of-theirs');
  const foreign = sealer('a secret nobody has any more').seal('a-token-of-theirs', `webhook ${id}`);
  await server.db.execute(sql`update webhooks set sealed_token = ${foreign} where id = ${id}`);
  expect(await mara('POST', `${T}/webhooks/${id}/try`)).toMatchObject({
    status: 200,
    data: { taken: false, said: expect.stringContaining('its token cannot be opened') },
  });
  worker();
  await save();
  await until(async () => (await state(id))['endedAt']);
  expect((await state(id))['last']).toMatchObject({ outcome: 'given up', tries: 4 });
});

test('several processes tell each event once, and what one left half done another does', async () => {
  await hook([SAVED]);
  // taken by a process that fell before it could send: due again after its wait
  const fallen = await save();
  await server.db.execute(
    sql`update webhook_deliveries set tries = 1, next_at = now() + interval '0.2 s' where done_at is null`,
  );
  for (let i = 0; i < 3; i++) worker();
  const numbers = [fallen];
  for (let i = 0; i < 12; i++) numbers.push(await save());
  await until(() => receiver.got.length >= numbers.length);
  await pause(300);
  const told = receiver.got.map(({ event }) => (event['data'] as { number: number }).number);
  expect(told.sort((a, b) => a - b)).toEqual(numbers);
});

test('tried at once, and what was sent is listed', async () => {
  const id = await hook([SAVED]);
  expect((await mara('POST', `${T}/webhooks/${id}/try`)).data).toEqual({
    taken: true,
    said: 'it answered 204',
  });
  expect(receiver.got[0]!.event).toMatchObject({ type: 'vondle.webhook.tried', data: { by: 'mara' } });
  receiver.answers = [500];
  expect((await mara('POST', `${T}/webhooks/${id}/try`)).data).toEqual({
    taken: false,
    said: 'it answered 500',
  });
  worker();
  await save();
  await until(() => receiver.got[1]);
  await until(async () => (await state(id))['waiting'] === 0);
  const { data } = await mara('GET', `${T}/webhooks/${id}/deliveries`);
  expect(data).toMatchObject([{ type: SAVED, outcome: 'taken', id: receiver.got[1]!.event['id'] }]);
  await receiver.close();
  expect((await mara('POST', `${T}/webhooks/${id}/try`)).data).toEqual({
    taken: false,
    said: 'it cannot be reached',
  });
  receiver = new Receiver();
  await receiver.listen();
});

test('who does not agree is not told', async () => {
  const ask = (url: string) => mara('POST', `${T}/webhooks`, { url, events: [SAVED] });
  for (const agreed of [undefined, 'another.example']) {
    receiver.agreed = agreed;
    expect(await ask(receiver.url)).toMatchObject({ status: 422, data: { title: 'Not agreed' } });
  }
  receiver.agreed = 'another.example, vondle';
  expect((await ask(receiver.url)).status).toBe(201);
  // where this server may not go it does not go, and says no more than that
  for (const url of ['http://10.0.0.1/x', 'http://169.254.169.254/latest'])
    expect(await ask(url)).toMatchObject({
      status: 422,
      data: { detail: expect.stringContaining('not among those that this server may connect to') },
    });
  for (const url of ['ftp://127.0.0.1/', 'http://u:p@127.0.0.1/', 'nothing', 'http://127.0.0.1/#x', ''])
    expect(await ask(url)).toMatchObject({ status: 422, data: { title: 'Not understood' } });
  expect((await mara('POST', `${T}/webhooks`, { url: receiver.url, events: [] })).status).toBe(422);
  expect((await mara('POST', `${T}/webhooks`, { url: receiver.url, events: ['no.such'] })).status).toBe(422);
});

test('there are at most twenty, and at most a thousand events wait for one', async () => {
  const ids: number[] = [];
  for (let i = 0; i < 20; i++) ids.push(await hook([SAVED]));
  expect(await mara('POST', `${T}/webhooks`, { url: receiver.url, events: [SAVED] })).toMatchObject({
    status: 409,
    data: { title: 'Too many' },
  });
  for (const id of ids.slice(1)) await mara('DELETE', `${T}/webhooks/${id}`);
  await server.db.execute(
    sql`insert into webhook_deliveries (webhook_id, event_id, type, data) select ${ids[0]!}, g::text, 'x', '{}' from generate_series(1, 1000) g`,
  );
  await save();
  expect((await state(ids[0]!))['waiting']).toBe(1000);
});

test('the token is sealed at rest, never told, and sealed anew with a new secret', async () => {
  const id = await hook([SAVED], 'a-token-of-theirs');
  const { rows } = await server.db.execute(sql`select * from webhooks where id = ${id}`);
  expect(JSON.stringify(rows)).not.toContain('a-token-of-theirs');
  expect(JSON.stringify(await mara('GET', `${T}/webhooks`))).not.toContain('a-token-of-theirs');
  expect(server.logged.join('')).not.toContain('a-token-of-theirs');
  const next = sealer('another secret for these tests', ['a secret for these tests alone']);
  expect(await server.db.transaction((tx) => sealWebhooksAgain(tx, next))).toEqual({ sealed: 1, of: 1 });
  expect(await server.db.transaction((tx) => sealWebhooksAgain(tx, next))).toEqual({ sealed: 0, of: 1 });
});

test('what is asked of webhooks answers as it is described', () => {
  for (const id of ['get', 'post']) expect(answered).toContain(`${id}TopologiesSlugWebhooks`);
  expect(answered).toContain('deleteTopologiesSlugWebhooksId');
  expect(answered).toContain('postTopologiesSlugWebhooksIdTry');
  expect(answered).toContain('getTopologiesSlugWebhooksIdDeliveries');
});

test('what a process tells of itself: routes by their patterns, and no names', async () => {
  const text = await server.metrics.registry.metrics();
  expect(text).toMatch(
    /vondle_http_request_seconds_count\{method="GET",route="\/api\/topologies\/:slug\/webhooks",status="200"\} \d+/,
  );
  expect(text).toMatch(/vondle_webhook_deliveries_total\{outcome="taken"\} \d+/);
  expect(text).toContain('vondle_work_waiting{lane="quick"} 0');
  expect(text).not.toContain('harbour');
  expect(text).not.toContain('mara');
});
