/** A target is tried out on the real broker, by users with all, some and no rights. */
import { allowedAddresses } from '../allowed.ts';
import { harness, type Ask, type Harness } from '../../testing/harness.ts';
import { freePort } from '../../testing/free-port.ts';
import { AmqpBroker } from './broker.ts';
import { readInventory } from './inventory.ts';
import { OUR_PREFIX } from './names.ts';

const VHOST = 'tried-out';
const T = '/topologies/quay';
const admin = {
  amqp: `${process.env['TEST_BROKER_AMQP']}/${VHOST}`,
  http: String(process.env['TEST_BROKER_HTTP']),
};
const reached = new AmqpBroker(admin, allowedAddresses('loopback'));
let h: Harness;
let mara: Ask;

/** The addresses as somebody else. */
const as = (user: string, password = 'their password') => ({
  amqp: withUser(admin.amqp, user, password),
  http: withUser(admin.http, user, password),
});
function withUser(address: string, user: string, password: string): string {
  const url = new URL(address);
  url.username = user;
  url.password = encodeURIComponent(password);
  return url.href;
}
async function user(name: string, rights: { configure: string; write: string; read: string }): Promise<void> {
  await reached.ask(`/api/users/${name}`, {
    method: 'PUT',
    body: { password: 'their password', tags: 'management' },
  });
  await reached.ask(reached.path('permissions', name), { method: 'PUT', body: rights });
}

beforeAll(async () => {
  h = await harness();
  await h.topology('quay', { mara: 'owner', odo: 'approver' });
  mara = await h.as('mara');
  await reached.ask(reached.path('vhosts'), { method: 'DELETE' });
  await reached.ask(reached.path('vhosts'), { method: 'PUT', body: {} });
  const own = decodeURIComponent(new URL(admin.amqp).username);
  await reached.ask(reached.path('permissions', own), {
    method: 'PUT',
    body: { configure: '.*', write: '.*', read: '.*' },
  });
  const { version } = (await mara('GET', T)).data.draft as { version: number };
  const text = 'vondle: 1\nenvironments: { rehearsal: {} }\nbrokers: { m: { kind: amqp } }\n';
  await mara('PUT', `${T}/draft`, { version, documents: [{ name: 'a.yaml', text }] });
});
afterAll(async () => {
  for (const name of ['tried-reader', 'tried-maker'])
    await reached.ask(`/api/users/${name}`, { method: 'DELETE' });
  await reached.ask(reached.path('vhosts'), { method: 'DELETE' });
  await h?.close();
});

type Line = { what: string; ok: boolean; said: string };
const tried = async (body: object): Promise<Record<string, Line>> => {
  const { status, data } = await mara('POST', `${T}/targets/try`, body);
  expect(status).toBe(200);
  return Object.fromEntries((data.tried as Line[]).map((line) => [line.what, line]));
};

test('all is well, and nothing is left behind', async () => {
  const before = await readInventory(reached);
  const all = await tried({ addresses: admin });
  expect(Object.values(all).filter(({ ok }) => !ok)).toEqual([]);
  expect(Object.keys(all)).toEqual([
    'AMQP address',
    'HTTP API',
    'making things',
    'binding',
    'publishing',
    'taking',
    'one broker',
    'removing',
    'managing users',
  ]);
  expect(await readInventory(reached)).toEqual(before);
});

test('a target that is set is tried by its number, without its addresses', async () => {
  const put = await mara('PUT', `${T}/targets`, {
    environment: 'rehearsal',
    broker: 'm',
    kind: 'amqp',
    addresses: admin,
  });
  const all = await tried({ target: put.data.id as number });
  expect(all['one broker']).toMatchObject({ ok: true });
  expect(await mara('POST', `${T}/targets/try`, { target: 99 })).toMatchObject({ status: 404 });
});

test('each address by itself, with what is wrong', async () => {
  const port = await freePort();
  const dead = `http://u:p@127.0.0.1:${port}`;
  const http = await tried({ addresses: { ...admin, http: dead } });
  expect(http['AMQP address']).toMatchObject({ ok: true });
  expect(http['HTTP API']).toMatchObject({ ok: false, said: expect.stringContaining('cannot be reached') });
  expect(http['one broker']).toBeUndefined();
  const wrong = await tried({ addresses: as('nobody') });
  expect(wrong['AMQP address']).toMatchObject({ ok: false, said: expect.stringContaining('does not let') });
  expect(wrong['HTTP API']).toMatchObject({ ok: false, said: expect.stringContaining('does not let') });
  expect(wrong['making things']).toBeUndefined();
  const nowhere = await tried({
    addresses: { amqp: `${process.env['TEST_BROKER_AMQP']}/not-there`, http: admin.http },
  });
  expect(nowhere['AMQP address']!.ok).toBe(false);
  expect(nowhere['HTTP API']).toMatchObject({
    ok: false,
    said: expect.stringContaining('no virtual host not-there'),
  });
  const elsewhere = await tried({
    addresses: { amqp: 'amqp://u:p@10.0.0.1/x', http: 'http://u:p@10.0.0.1' },
  });
  for (const line of Object.values(elsewhere))
    expect(line).toMatchObject({ ok: false, said: expect.stringContaining('an operator can allow it') });
});

test('whether the rights suffice, each by itself', async () => {
  await user('tried-reader', { configure: '^$', write: '^$', read: '.*' });
  const reader = await tried({ addresses: as('tried-reader') });
  expect(reader['AMQP address']!.ok).toBe(true);
  expect(reader['HTTP API']!.ok).toBe(true);
  expect(reader['making things']).toMatchObject({
    ok: false,
    said: expect.stringContaining('ACCESS_REFUSED'),
  });
  expect(JSON.stringify(reader)).not.toContain('tried-reader');
  await user('tried-maker', { configure: '.*', write: '^$', read: '.*' });
  const maker = await tried({ addresses: as('tried-maker') });
  expect(maker['making things']!.ok).toBe(true);
  expect(maker['binding']).toMatchObject({ ok: false, said: expect.stringContaining('ACCESS_REFUSED') });
  // what could be made is taken away, also where nothing more could be done with it
  const left = await reached.ask<{ name: string }[]>(reached.path('exchanges'));
  expect(left!.filter(({ name }) => name.startsWith(OUR_PREFIX))).toEqual([]);
});

test('only by those who may set targets, and by nothing else than addresses or a number', async () => {
  const odo = await h.as('odo');
  expect((await odo('POST', `${T}/targets/try`, { addresses: admin })).status).toBe(403);
  for (const body of [
    {},
    { target: 1, addresses: admin },
    { addresses: { amqp: 'x', http: 'y' } },
    { target: 'x' },
  ])
    expect((await mara('POST', `${T}/targets/try`, body)).status).toBe(422);
});
