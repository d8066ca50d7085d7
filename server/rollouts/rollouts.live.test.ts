/** Rollouts through the API, on a real database and a real broker. */
import { setTimeout as pause } from 'node:timers/promises';
import { connect } from 'amqplib';
import { eq } from 'drizzle-orm';
import { rollouts } from '../db/schema.ts';
import { Problem } from '../http/problem.ts';
import { allowedAddresses } from '../targets/allowed.ts';
import { AmqpBroker } from '../targets/amqp/broker.ts';
import { readInventory } from '../targets/amqp/inventory.ts';
import { answered } from '../testing/described.ts';
import { harness, type Ask, type Harness } from '../testing/harness.ts';

const VHOST = 'rollouts';
const addresses = {
  amqp: `${process.env['TEST_BROKER_AMQP']}/${VHOST}`,
  http: String(process.env['TEST_BROKER_HTTP']),
};
let h: Harness;
let mara: Ask;
let target: number;

const reached = new AmqpBroker(addresses, allowedAddresses('loopback'));

beforeAll(async () => {
  h = await harness();
  await h.topology('quay', { mara: 'owner', odo: 'owner' });
  mara = await h.as('mara');
  const user = decodeURIComponent(new URL(addresses.amqp).username);
  await reached.ask(reached.path('vhosts'), { method: 'DELETE' });
  await reached.ask(reached.path('vhosts'), { method: 'PUT', body: {} });
  const all = { configure: '.*', write: '.*', read: '.*' };
  await reached.ask(reached.path('permissions', user), { method: 'PUT', body: all });
  await write(TEXT);
  const put = await mara('PUT', '/topologies/quay/targets', {
    environment: 'rehearsal',
    broker: 'm',
    kind: 'amqp',
    addresses,
  });
  target = put.data.id;
});
afterAll(() => h?.close());

const TEXT = `messages:
  left: { key: "sailing.{route}", headers: { route: { enum: [north, south] } }, required: [route], properties: { type: { const: left } } }
apps: { bridge: { publishes: [ { message: left, to: m/in } ] } }
environments: { rehearsal: { values: { wait: 1m } } }
parameters: { wait: { default: 10m } }
brokers:
  m:
    kind: amqp
    access: open
    exchanges: { in: { type: topic }, all: { type: fanout } }
    queues:
      boards:
        ttl: \${wait}
      archive: {}
    bindings:
      - { from: in, to: boards, key: "sailing.north" }
      - { from: in, to: all, key: "#" }
      - { from: all, to: archive }
`;

/** Writes the draft. @returns its version */
async function write(text: string): Promise<number> {
  const { draft } = (await mara('GET', '/topologies/quay')).data;
  const put = await mara('PUT', '/topologies/quay/draft', {
    version: draft.version,
    documents: [{ name: 'a.yaml', text }],
  });
  return put.data.version;
}

/** Saves a text as a revision. @returns its number */
async function save(text: string): Promise<number> {
  const version = await write(text);
  return (await mara('POST', '/topologies/quay/revisions', { version, words: 'next' })).data.number;
}

async function plan(revision: number) {
  const { status, data } = await mara('POST', '/topologies/quay/rollouts', { target, revision });
  expect(status).toBe(201);
  return (await mara('GET', `/topologies/quay/rollouts/${data.id}`)).data;
}

async function apply(revision: number) {
  const { id } = await plan(revision);
  expect((await mara('POST', `/topologies/quay/rollouts/${id}/apply`)).status).toBe(202);
  await h.rollouts.idle();
  return (await mara('GET', `/topologies/quay/rollouts/${id}`)).data;
}

const probe = (id: number, sample: object) =>
  mara('POST', `/topologies/quay/rollouts/${id}/probes`, {
    app: 'bridge',
    message: 'left',
    to: 'm/in',
    sample,
  });

describe('a rollout', () => {
  test('plans, applies, reads back, and uses the environment’s values', async () => {
    const applied = await apply(await save(TEXT));
    expect(applied).toMatchObject({ state: 'applied', verified: true, error: null });
    expect(applied.steps.every(({ state }: { state: string }) => state === 'done')).toBe(true);
    const { queues } = await readInventory(reached);
    expect(queues.find(({ name }) => name === 'boards')!.arguments).toEqual({ 'x-message-ttl': 60_000 });
    expect((await plan(1)).steps).toEqual([]);
  });

  test('a probe lands as predicted, and disturbs nothing', async () => {
    const connection = await connect(addresses.amqp);
    const channel = await connection.createConfirmChannel();
    for (const text of ['first', 'second']) channel.publish('all', '', Buffer.from(text));
    await channel.waitForConfirms();
    const [{ id }] = (await mara('GET', '/topologies/quay/rollouts')).data.filter(
      ({ state }: { state: string }) => state === 'applied',
    );
    const north = await probe(id, { headers: { route: 'north' } });
    expect(north.data[0]).toMatchObject({ agrees: true, predicted: { queues: { boards: 1, archive: 1 } } });
    const south = await probe(id, { headers: { route: 'south' } });
    expect(south.data[0]).toMatchObject({
      agrees: true,
      observed: { queues: { archive: 1 }, returned: false },
    });
    const order: string[] = [];
    const probes: unknown[] = [];
    for (;;) {
      const got = await channel.get('archive', { noAck: true });
      if (!got) break;
      // nothing was taken in hand and put back
      expect(got.fields.redelivered).toBe(false);
      if (String(got.properties.messageId).startsWith('vondle-probe-'))
        probes.push(got.properties.expiration);
      else order.push(got.content.toString());
    }
    expect(order).toEqual(['first', 'second']);
    // its own copies go by themselves
    expect(probes).toEqual(['20000', '20000']);
    await connection.close();
  });

  test('what somebody changed by hand shows as a probe that does not agree', async () => {
    const connection = await connect(addresses.amqp);
    const channel = await connection.createChannel();
    await channel.unbindQueue('boards', 'in', 'sailing.north');
    await channel.assertQueue('theirs', { durable: true });
    await connection.close();
    const { id } = (await mara('GET', '/topologies/quay/rollouts')).data.find(
      ({ state }: { state: string }) => state === 'applied',
    );
    const { data } = await probe(id, { headers: { route: 'north' } });
    expect(data[0]).toMatchObject({
      agrees: false,
      predicted: { queues: { boards: 1 } },
      observed: { queues: { archive: 1 } },
    });
    // and planning again finds exactly that
    const again = await plan(1);
    expect(again.steps.map(({ title }: { title: string }) => title)).toEqual([
      'bind in → boards on sailing.north',
    ]);
    expect(again.kept).toEqual(['queue theirs']);
  });

  test('the next revision adds before it takes away', async () => {
    const number = await save(TEXT.replace('key: "sailing.north"', 'key: "sailing.*"'));
    const { steps } = await plan(number);
    expect(steps.map(({ title }: { title: string }) => title)).toEqual(['bind in → boards on sailing.*']);
    expect(await apply(number)).toMatchObject({ state: 'applied', verified: true });
  });

  test('a plan is carried out only against what it was made for', async () => {
    const text = TEXT.replace('all: { type: fanout } }', 'all: { type: fanout }, later2: { type: topic } }');
    const { id } = await plan(await save(text));
    const other = await connect(addresses.amqp);
    // between plan and apply somebody declares the same name otherwise
    await (await other.createChannel()).assertExchange('later2', 'direct', { durable: true });
    await other.close();
    const refused = await mara('POST', `/topologies/quay/rollouts/${id}/apply`);
    expect(refused).toMatchObject({
      status: 409,
      data: { title: 'Plan is out of date', changes: ['exchange later2 is there now'] },
    });
    const { state, revision } = (await mara('GET', `/topologies/quay/rollouts/${id}`)).data;
    expect(state).toBe('planned');
    // the way on: plan again, which now says what it must replace
    const retry = await plan(revision);
    expect(retry.steps[0].title).toContain('replace exchange later2: direct becomes topic');
  });

  test('a step the broker refuses fails the rollout there, and the rest stays pending', async () => {
    const text = TEXT.replace('archive: {}', 'archive: {}\n      one: {}\n      two: {}');
    const { id } = await plan(await save(text));
    const user = decodeURIComponent(new URL(addresses.amqp).username);
    const may = (configure: string) =>
      reached.ask(reached.path('permissions', user), {
        method: 'PUT',
        body: { configure, write: '.*', read: '.*' },
      });
    await may('^(?!one$)');
    try {
      expect((await mara('POST', `/topologies/quay/rollouts/${id}/apply`)).status).toBe(202);
      await h.rollouts.idle();
    } finally {
      await may('.*');
    }
    const failed = (await mara('GET', `/topologies/quay/rollouts/${id}`)).data;
    expect(failed).toMatchObject({ state: 'failed', verified: null });
    expect(failed.error).toContain(
      "declare queue one: ACCESS_REFUSED - access to queue 'one' in vhost 'rollouts' refused for the target's user",
    );
    expect(failed.error).not.toContain(user);
    const [first, ...rest] = failed.steps.map(({ state }: { state: string }) => state);
    expect([first, new Set(rest)]).toEqual(['failed', new Set(['pending'])]);
  });

  test('a broken expectation is consented to, with words, by an approver who did not write the revision and does not start it', async () => {
    await write(TEXT.replace('rehearsal: {', 'live: {}, rehearsal: {'));
    const put = await mara('PUT', '/topologies/quay/targets', {
      environment: 'live',
      broker: 'm',
      kind: 'amqp',
      addresses,
    });
    const text = `${TEXT.replace('rehearsal: {', 'live: { protected: true }, rehearsal: {')}expectations:
  - { name: boards get all, given: { message: left }, reaches: m/boards }
`;
    const revision = await save(text);
    const planned = await mara('POST', '/topologies/quay/rollouts', { target: put.data.id, revision });
    const path = `/topologies/quay/rollouts/${planned.data.id}`;
    const { obstacles } = (await mara('GET', path)).data;
    expect(obstacles).toEqual([
      '“boards get all” is broken: left with route "south" and type "left", sent by bridge, does not reach m/boards: it reaches m/archive.',
    ]);
    expect(await mara('POST', `${path}/apply`)).toMatchObject({
      status: 403,
      data: { title: 'Needs consent' },
    });
    expect((await mara('POST', `${path}/consent`, { words: 'I am in a hurry today' })).status).toBe(403);
    const approver = await h.as('odo');
    expect(await approver('POST', `${path}/consent`)).toMatchObject({
      status: 409,
      data: { title: 'Needs words' },
    });
    const words = 'the south is closed until spring';
    expect((await approver('POST', `${path}/consent`, { words })).status).toBe(204);
    expect(await approver('POST', `${path}/apply`)).toMatchObject({
      status: 403,
      data: { title: 'Needs a second person' },
    });
    const { state, destroys } = (await mara('GET', path)).data;
    expect(state).toBe('planned');
    const messages = destroys.reduce((sum: number, each: { messages: number }) => sum + each.messages, 0);
    expect((await mara('POST', `${path}/apply`, { destroys: messages })).status).toBe(202);
    await h.rollouts.idle();
    expect((await mara('GET', path)).data).toMatchObject({
      state: 'applied',
      consentBy: 'ODO',
      consentWords: words,
      startedBy: 'MARA',
    });
    // nothing keeps it from where it does no harm
    expect(await plan(revision)).toMatchObject({ obstacles: [] });
  });

  test('a revision with errors, an unknown one and a wrong probe are refused in words', async () => {
    const broken = await save('brokers:\n  m: { kind: amqp, bindings: [ { from: x, to: y } ] }\n');
    expect(await mara('POST', '/topologies/quay/rollouts', { target, revision: broken })).toMatchObject({
      status: 409,
      data: { title: 'Revision has errors' },
    });
    expect((await mara('POST', '/topologies/quay/rollouts', { target, revision: 99 })).status).toBe(404);
    expect((await mara('POST', '/topologies/quay/rollouts', { target: 99, revision: 1 })).status).toBe(404);
    const none = await save('brokers:\n  other: { kind: amqp }\n');
    expect((await mara('POST', '/topologies/quay/rollouts', { target, revision: none })).data.title).toBe(
      'No such broker',
    );
    const planned = await plan(1);
    expect((await probe(planned.id, {})).data[0]).toMatchObject({ before: true });
    const applied = await apply(1);
    const wrong = await mara('POST', `/topologies/quay/rollouts/${applied.id}/probes`, {
      app: 'bridge',
      message: 'none',
      to: 'm/in',
    });
    expect(wrong.status).toBe(404);
    const elsewhere = await mara('POST', `/topologies/quay/rollouts/${applied.id}/probes`, {
      app: 'bridge',
      message: 'left',
      to: 'x/in',
    });
    expect(elsewhere.data.title).toBe('Not on this broker');
  });
});

test('what is asked of rollouts and targets answers as it is described', async () => {
  const silent = [
    'putTopologiesSlugTargets',
    'getTopologiesSlugRollouts',
    'postTopologiesSlugRollouts',
    'getTopologiesSlugRolloutsId',
    'postTopologiesSlugRolloutsIdApply',
    'postTopologiesSlugRolloutsIdProbes',
  ].filter((id) => !answered.has(id));
  expect(silent).toEqual([]);
});

describe('a server that is busy, or its database away, when the broker is read back', () => {
  /** Answers `readBack` with 503 so many times. @returns how often it was asked */
  function busyFor(times: number): () => number {
    const real = h.work.run.bind(h.work);
    let asked = 0;
    jest.spyOn(h.work, 'run').mockImplementation(((name: 'readBack', ...rest: [never]) => {
      if (name === 'readBack' && asked++ < times)
        return Promise.reject(new Problem(503, 'Busy', 'The server is busy; try again in a moment.'));
      return real(name, ...rest);
    }) as typeof h.work.run);
    return () => asked;
  }
  afterEach(() => void jest.restoreAllMocks());

  test('is asked again after a pause, and the rollout ends well', async () => {
    const { id } = await plan(await save(TEXT.replace('archive: {}', 'archive: { ttl: 3h }')));
    const asked = busyFor(3);
    const began = performance.now();
    await mara('POST', `/topologies/quay/rollouts/${id}/apply`);
    await h.rollouts.idle();
    expect(asked()).toBe(4);
    // 200, 400 and 800 milliseconds
    expect(performance.now() - began).toBeGreaterThan(1300);
    expect((await mara('GET', `/topologies/quay/rollouts/${id}`)).data.state).toBe('applied');
  });

  test('is not asked without end: a stop is heard', async () => {
    const { id } = await plan(await save(TEXT.replace('archive: {}', 'archive: { ttl: 4h }')));
    const asked = busyFor(Infinity);
    await mara('POST', `/topologies/quay/rollouts/${id}/apply`);
    while (asked() < 3) await pause(20);
    await mara('POST', `/topologies/quay/rollouts/${id}/stop`);
    await h.rollouts.idle();
    expect((await mara('GET', `/topologies/quay/rollouts/${id}`)).data.state).toBe('stopped');
  });

  test('is given up after as long as a broker that is away is waited for', async () => {
    const { id } = await plan(await save(TEXT.replace('archive: {}', 'archive: { ttl: 5h }')));
    busyFor(Infinity);
    const impatient = h.secondRollouts({ awayMs: 500 });
    await h.db.update(rollouts).set({ state: 'applying', startedBy: 1 }).where(eq(rollouts.id, id));
    await impatient.carry(id);
    await impatient.close();
    expect((await mara('GET', `/topologies/quay/rollouts/${id}`)).data).toMatchObject({
      state: 'failed',
      error: expect.stringContaining('The server is busy'),
    });
  });
});
