/** What apps may do on a real broker, tried with the passwords that were handed out. */
import { connect, type Channel } from 'amqplib';
import { credentials } from '../db/schema.ts';
import { sealPasswordsAgain } from './store.ts';
import { sealer } from '../secrets.ts';
import type { AmqpBroker } from '../targets/amqp/broker.ts';
import { readRights } from '../targets/amqp/rights.ts';
import { harness, SECRET, type Ask, type Harness } from '../testing/harness.ts';
import { emptyVirtualHost } from '../testing/virtual-host.ts';

jest.setTimeout(60_000);
const VHOST = 'credentials';
const T = '/topologies/quay';
const PREFIX = 'quay.trial.m.';
const addresses = {
  amqp: `${process.env['TEST_BROKER_AMQP']}/${VHOST}`,
  http: String(process.env['TEST_BROKER_HTTP']),
};
let h: Harness;
let mara: Ask;
let target: number;
let reached: AmqpBroker;

const TEXT = (bridge: string, statements = '') => `vondle: 1
tenant: auklet
environments: { trial: {} }
messages: { note: { key: "note.{ship}", headers: { ship: { type: string } } } }
apps:
${bridge}
  log: { consumes: [ { from: m/logged } ] }
  watch: { consumes: [ { from: m/own } ] }
brokers:
  m:
    kind: amqp
    access: controlled
    exchanges: { in: { type: topic }, fares: { type: direct } }
    queues: { logged: {}, else: {}, own: { exclusive: true, deadLetter: { to: fares } } }
    bindings:
      - { from: in, to: logged, key: "#" }
      - { from: in, to: own, key: "#" }
access:
  - { name: ours, allow: [publish, consume], who: tenant:auklet, on: m/* }
${statements}`;
const BRIDGE = '  bridge: { publishes: [ { message: note, to: m/in } ] }';

beforeAll(async () => {
  h = await harness();
  await h.topology('quay', { mara: 'owner', odo: 'reader' });
  mara = await h.as('mara');
  reached = await emptyVirtualHost(VHOST);
  await write(TEXT(BRIDGE));
  const set = { environment: 'trial', broker: 'm', kind: 'amqp', addresses };
  target = (await mara('PUT', `${T}/targets`, set)).data.id;
});
afterAll(async () => {
  for (const { name } of (await reached?.ask<{ name: string }[]>('/api/users')) ?? [])
    if (name.startsWith(PREFIX) || name === 'no-admin')
      await reached.ask(`/api/users/${name}`, { method: 'DELETE' });
  await h?.close();
});

async function write(text: string): Promise<number> {
  const { draft } = (await mara('GET', T)).data;
  const documents = [{ name: 'a.yaml', text }];
  return (await mara('PUT', `${T}/draft`, { version: draft.version, documents })).data.version;
}
async function plan(text: string) {
  const version = await write(text);
  const { number } = (await mara('POST', `${T}/revisions`, { version, words: 'next' })).data;
  const { status, data } = await mara('POST', `${T}/rollouts`, { target, revision: number });
  expect(status).toBe(201);
  return (await mara('GET', `${T}/rollouts/${data.id}`)).data;
}
async function carryOut(id: number) {
  const { destroys } = (await mara('GET', `${T}/rollouts/${id}`)).data;
  const messages = destroys.reduce((sum: number, each: { messages: number }) => sum + each.messages, 0);
  expect(await mara('POST', `${T}/rollouts/${id}/apply`, { destroys: messages })).toMatchObject({
    status: 202,
  });
  await h.rollouts.idle();
  return (await mara('GET', `${T}/rollouts/${id}`)).data;
}
async function rollOut(text: string) {
  const { id } = await plan(text);
  const done = await carryOut(id);
  expect(done).toMatchObject({ state: 'applied', verified: true, error: null });
  return done;
}
const idOf = async (app: string): Promise<number> =>
  (await mara('GET', `${T}/credentials`)).data.find((each: { app: string }) => each.app === app)?.id;
async function passwordOf(app: string): Promise<string> {
  const id = await idOf(app);
  const out = await mara('POST', `${T}/credentials/${id}/hand-out`);
  if (out.status === 200) return out.data.password;
  return (await mara('POST', `${T}/credentials/${id}/renew`)).data.password;
}
/** Does something as an app. @returns what the broker said of it */
async function as(app: string, password: string, work: (channel: Channel) => Promise<unknown>) {
  const url = new URL(addresses.amqp);
  url.username = PREFIX + app;
  url.password = password;
  const connection = await connect(url.href);
  connection.on('error', () => {});
  let refused: Error | undefined;
  try {
    const channel = await connection.createChannel();
    channel.on('error', (error: Error) => (refused = error));
    await work(channel);
    return 'done';
  } catch (error) {
    return String(refused ?? error);
  } finally {
    await connection.close().catch(() => {});
  }
}
const send = (exchange: string, key: string) => async (channel: Channel) => {
  channel.publish(exchange, key, Buffer.from('x'));
  // what comes after it is answered only where it was let through
  await channel.checkQueue('logged');
};
const REFUSED = /ACCESS_REFUSED|access to/;

test('each app has a user that may do what its ways need, and no more', async () => {
  const { steps } = await rollOut(TEXT(BRIDGE));
  expect(steps.slice(0, 3).map(({ title }: { title: string }) => title)).toEqual([
    'make a user for bridge, which may write to in',
    'make a user for log, which may read from logged',
    'make a user for watch, which may make own, write to fares, own, read from in, own',
  ]);
  const bridge = await passwordOf('bridge');
  expect(await as('bridge', bridge, send('in', 'note.a'))).toBe('done');
  expect(await as('bridge', bridge, send('fares', 'x'))).toMatch(REFUSED);
  expect(await as('bridge', bridge, send('', 'else'))).toMatch(REFUSED);
  expect(await as('bridge', bridge, (channel) => channel.get('logged'))).toMatch(REFUSED);
  expect(await as('bridge', bridge, (channel) => channel.assertQueue('new'))).toMatch(REFUSED);
  const log = await passwordOf('log');
  expect(await as('log', log, (channel) => channel.get('logged', { noAck: true }))).toBe('done');
  expect(await as('log', log, (channel) => channel.get('else'))).toMatch(REFUSED);
  expect(await as('log', log, send('in', 'note.a'))).toMatch(REFUSED);
  const own = async (channel: Channel) => {
    const dead = { 'x-dead-letter-exchange': 'fares' };
    await channel.assertQueue('own', { exclusive: true, arguments: dead });
    await channel.bindQueue('own', 'in', '#');
    await channel.get('own');
  };
  expect(await as('watch', await passwordOf('watch'), own)).toBe('done');
});

test('a password is handed out once, to who may; then another takes its place', async () => {
  const id = await idOf('log');
  const odo = await h.as('odo');
  expect((await odo('POST', `${T}/credentials/${id}/renew`)).status).toBe(403);
  expect((await odo('POST', `${T}/credentials/${id}/hand-out`)).status).toBe(403);
  const listed = (await odo('GET', `${T}/credentials`)).data;
  expect(JSON.stringify(listed)).not.toMatch(/password|hash/i);
  expect(await mara('POST', `${T}/credentials/${id}/hand-out`)).toMatchObject({
    status: 409,
    data: { title: 'Handed out already' },
  });
  const first = (await mara('POST', `${T}/credentials/${id}/renew`)).data.password;
  const second = (await mara('POST', `${T}/credentials/${id}/renew`)).data.password;
  const take = (channel: Channel) => channel.get('logged', { noAck: true });
  await expect(as('log', first, take)).rejects.toThrow(/ACCESS_REFUSED|403/);
  expect(await as('log', second, take)).toBe('done');
  expect((await mara('POST', `${T}/credentials/999999/renew`)).status).toBe(404);
  const rows = await h.db.select().from(credentials);
  expect(JSON.stringify(rows)).not.toContain(second);
  const trail = (await mara('GET', `${T}/audit`)).data;
  expect(JSON.stringify(trail)).toContain('renew password');
  expect(JSON.stringify(trail)).not.toContain(second);
  // and a rollout leaves it as it is
  await rollOut(`${TEXT(BRIDGE)}# again\n`);
  expect(await as('log', second, take)).toBe('done');
});

test('what an app may follows its revisions: keys, more, less, nothing', async () => {
  const keyed = TEXT(
    BRIDGE,
    '  - { name: not z, deny: [publish], who: app:bridge, on: m/in, when: { key: note.z } }\n',
  );
  await rollOut(keyed);
  const password = await passwordOf('bridge');
  expect(await as('bridge', password, send('in', 'note.a'))).toBe('done');
  expect(await as('bridge', password, send('in', 'note.z'))).toMatch(REFUSED);
  const more = '  bridge: { publishes: [ { message: note, to: m/in }, { message: note, to: m/fares } ] }';
  const { steps } = await rollOut(TEXT(more));
  expect(steps.map(({ title, risk }: Record<string, string>) => [title, risk])).toEqual([
    ['let bridge write to fares, in', 'widens access'],
  ]);
  for (const key of ['note.a', 'note.z']) expect(await as('bridge', password, send('in', key))).toBe('done');
  expect(await as('bridge', password, send('fares', 'x'))).toBe('done');
  const less = await rollOut(TEXT('  bridge: { publishes: [ { message: note, to: m/fares } ] }'));
  expect(less.steps.map(({ title }: { title: string }) => title)).toEqual([
    'let bridge write to fares, and nothing else',
  ]);
  expect(await as('bridge', password, send('in', 'note.a'))).toMatch(REFUSED);
  const gone = await rollOut(TEXT('  bridge: {}'));
  expect(gone.steps[0]).toMatchObject({ title: 'remove the user of bridge' });
  await expect(as('bridge', password, send('fares', 'x'))).rejects.toThrow(/ACCESS_REFUSED|403/);
  expect(await idOf('bridge')).toBeUndefined();
});

test('what somebody changed there is put right; a user that is not ours is left alone, and said', async () => {
  await reached.ask(reached.path('permissions', `${PREFIX}log`), {
    method: 'PUT',
    body: { configure: '.*', write: '.*', read: '.*' },
  });
  const put = await rollOut(`${TEXT('  bridge: {}')}# right\n`);
  expect(put.steps.map(({ title }: { title: string }) => title)).toEqual([
    'let log read from logged',
    'let log read from logged, and nothing else',
  ]);
  const theirs = `/api/users/${PREFIX}bridge`;
  const made = () => reached.ask(theirs, { method: 'PUT', body: { password: 'theirs', tags: 'management' } });
  const expectSaid = async (words: string) => {
    const said = await plan(`${TEXT(BRIDGE)}# ${words}\n`);
    expect(said.leftToOthers).toContainEqual({
      of: 'app:bridge',
      why: expect.stringContaining('this server did not make'),
    });
    expect(said.steps).toEqual([]);
  };
  await made();
  await expectSaid('with no permission here');
  await reached.ask(reached.path('permissions', `${PREFIX}bridge`), {
    method: 'PUT',
    body: { configure: '', write: '.*', read: '' },
  });
  await expectSaid('with some');
  // one that comes after the plan is found out when its turn comes
  await reached.ask(theirs, { method: 'DELETE' });
  const { id } = await plan(TEXT(BRIDGE));
  await made();
  const failed = await carryOut(id);
  expect(failed).toMatchObject({ state: 'failed' });
  expect(failed.error).toContain('which this server did not make');
  // and is no more ours for having been meant to be
  await expectSaid('though one was to be made');
  expect(String((await reached.ask<{ tags: string | string[] }>(theirs))!.tags)).toBe('management');
  await reached.ask(theirs, { method: 'DELETE' });
});

test('a tear-down removes them', async () => {
  await rollOut(`${TEXT(BRIDGE)}# torn\n`);
  expect((await readRights(reached, PREFIX))!.rights.map(({ app }) => app).sort()).toEqual([
    'bridge',
    'log',
    'watch',
  ]);
  const { data } = await mara('POST', `${T}/rollouts`, { target, tearDown: true });
  expect(await carryOut(data.id)).toMatchObject({ state: 'applied', verified: true });
  expect(await readRights(reached, PREFIX)).toEqual({ rights: [], users: new Map() });
});

test('where the target’s user may not manage users, that is said before, and nothing is made', async () => {
  await reached.ask('/api/users/no-admin', {
    method: 'PUT',
    body: { password: 'theirs', tags: 'monitoring' },
  });
  const all = { configure: '.*', write: '.*', read: '.*' };
  await reached.ask(reached.path('permissions', 'no-admin'), { method: 'PUT', body: all });
  const other = (address: string) => {
    const url = new URL(address);
    [url.username, url.password] = ['no-admin', 'theirs'];
    return url.href;
  };
  const its = { amqp: other(addresses.amqp), http: other(addresses.http) };
  const tried = (await mara('POST', `${T}/targets/try`, { addresses: its })).data.tried;
  expect(tried.at(-1)).toMatchObject({ what: 'managing users', ok: false });
  await mara('PUT', `${T}/targets`, { environment: 'trial', broker: 'm', kind: 'amqp', addresses: its });
  const planned = await plan(`${TEXT(BRIDGE)}# said\n`);
  expect(planned.leftToOthers).toContainEqual({
    of: 'broker:m',
    why: expect.stringContaining('3 apps would have a user there'),
  });
  expect(planned.steps.some(({ title }: { title: string }) => title.includes('user'))).toBe(false);
  await mara('PUT', `${T}/targets`, { environment: 'trial', broker: 'm', kind: 'amqp', addresses });
});

test('passwords are sealed anew when the secret changes', async () => {
  await rollOut(`${TEXT(BRIDGE)}# sealed\n`);
  const newer = sealer('another secret of the server', [SECRET]);
  const rows = await h.db.select().from(credentials);
  const all = rows.filter(({ sealedPassword }) => sealedPassword !== null).length;
  expect(all).toBeGreaterThan(0);
  const again = () => h.db.transaction((tx) => sealPasswordsAgain(tx, newer));
  expect(await again()).toEqual({ sealed: all, of: all });
  expect(await again()).toEqual({ sealed: 0, of: all });
});
