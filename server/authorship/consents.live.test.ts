/** Four eyes on rollouts: who wrote, who saved, who consents and who starts, in every order of three people. */
import { harness, type Ask, type Harness } from '../testing/harness.ts';
import { emptyVirtualHost } from '../testing/virtual-host.ts';

jest.setTimeout(180_000);
let h: Harness;
const PEOPLE = ['mara', 'odo', 'ines'] as const;
type Name = (typeof PEOPLE)[number];
const ask = new Map<Name, Ask>();
const as = (name: Name, ...args: Parameters<Ask>) => ask.get(name)!(...args);
const T = '/topologies/quay';
let target = 0;
let count = 0;

async function write(who: Name): Promise<number> {
  const { draft } = (await as('mara', 'GET', T)).data;
  const text = `environments: { live: {} }\nbrokers: { m: { kind: amqp, access: open, queues: { q${++count}: {} } } }\n`;
  const put = await as(who, 'PUT', `${T}/draft`, {
    version: draft.version,
    documents: [{ name: 'a.yaml', text }],
  });
  expect(put.status).toBe(200);
  return put.data.version;
}
/** @returns the number of a revision that one wrote and the other saved */
async function revisionBy(writer: Name, saver: Name): Promise<number> {
  const version = await write(writer);
  const saved = await as(saver, 'POST', `${T}/revisions`, { version, words: 'next' });
  expect(saved.status).toBe(201);
  return saved.data.number;
}
async function plan(revision: number): Promise<string> {
  const { status, data } = await as('mara', 'POST', `${T}/rollouts`, { target, revision });
  expect(status).toBe(201);
  return `${T}/rollouts/${data.id}`;
}
async function apply(who: Name, at: string) {
  const { destroys } = (await as('mara', 'GET', at)).data;
  const agreed = destroys.reduce((sum: number, each: { messages: number }) => sum + each.messages, 0);
  const { status, data } = await as(who, 'POST', `${at}/apply`, { destroys: agreed });
  await h.rollouts.idle();
  return status === 202 ? 'started' : (data.title as string);
}
const protect = (wanted: boolean) => as('odo', 'PUT', `${T}/protections/live`, { protected: wanted });

beforeAll(async () => {
  h = await harness();
  await h.topology('quay', { mara: 'owner', odo: 'owner', ines: 'owner' });
  for (const name of PEOPLE) ask.set(name, await h.as(name));
  await emptyVirtualHost('four-eyes');
  await write('mara');
  const put = await as('mara', 'PUT', `${T}/targets`, {
    environment: 'live',
    broker: 'm',
    kind: 'amqp',
    addresses: {
      amqp: `${process.env['TEST_BROKER_AMQP']}/four-eyes`,
      http: String(process.env['TEST_BROKER_HTTP']),
    },
  });
  target = put.data.id;
  await protect(true);
});
afterAll(() => h?.close());

const ORDERS = PEOPLE.flatMap((writer) =>
  PEOPLE.flatMap((saver) => PEOPLE.map((consenter) => ({ writer, saver, consenter }))),
);
test.each(ORDERS)(
  '$writer writes, $saver saves, $consenter consents, and each tries to start it',
  async ({ writer, saver, consenter }) => {
    const at = await plan(await revisionBy(writer, saver));
    const mayConsent = consenter !== writer;
    expect((await as(consenter, 'POST', `${at}/consent`)).status).toBe(mayConsent ? 204 : 403);
    if (!mayConsent) {
      for (const starter of PEOPLE) expect(await apply(starter, at)).toBe('Needs consent');
      // what stands is of the last revision again, so that the next brings only its own
      return void (await done(
        at,
        PEOPLE.find((each) => each !== writer)!,
      ));
    }
    expect(await apply(consenter, at)).toBe('Needs a second person');
    expect(
      await apply(
        PEOPLE.find((each) => each !== consenter)!,
        at,
      ),
    ).toBe('started');
  },
);
async function done(at: string, consenter: Name): Promise<void> {
  expect((await as(consenter, 'POST', `${at}/consent`)).status).toBe(204);
  expect(
    await apply(
      PEOPLE.find((each) => each !== consenter)!,
      at,
    ),
  ).toBe('started');
}

test('whoever wrote an earlier revision that comes with it does not consent', async () => {
  await revisionBy('ines', 'mara');
  const at = await plan(await revisionBy('odo', 'odo'));
  expect((await as('ines', 'POST', `${at}/consent`)).status).toBe(403);
  expect((await as('odo', 'POST', `${at}/consent`)).status).toBe(403);
  await done(at, 'mara');
});

test('the consent of somebody who is no approver any more does not count, nor that of one who left', async () => {
  const at = await plan(await revisionBy('mara', 'mara'));
  expect((await as('ines', 'POST', `${at}/consent`)).status).toBe(204);
  await as('mara', 'PUT', `${T}/members/ines`, { role: 'author' });
  expect((await as('mara', 'GET', at)).data.consentBy).toBeNull();
  expect(await apply('mara', at)).toBe('Needs consent');
  await as('mara', 'DELETE', `${T}/members/ines`);
  expect(await apply('mara', at)).toBe('Needs consent');
  expect((await as('odo', 'POST', `${at}/consent`)).status).toBe(204);
  expect(await apply('mara', at)).toBe('started');
});

test('a rollout that was planned before its environment was protected needs consent too', async () => {
  await protect(false);
  const at = await plan(await revisionBy('mara', 'mara'));
  expect((await as('mara', 'GET', at)).data.needsConsent).toBe(false);
  await protect(true);
  expect((await as('mara', 'GET', at)).data.needsConsent).toBe(true);
  expect(await apply('mara', at)).toBe('Needs consent');
  await done(at, 'odo');
});
