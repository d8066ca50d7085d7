/** A revision on real brokers: what its steps do to messages, by the command line and in the interface; and away again. */
import { execFile } from 'node:child_process';
import { join } from 'node:path';
import { press, see, type World, worldOfMara } from './harness.ts';

const ROOT = join(__dirname, '..');

let w: World;
let token: string;
const base = '/t/auklet-ferries';
beforeAll(async () => {
  w = await worldOfMara();
  token = await w.page.evaluate(async () => {
    const response = await fetch('/api/tokens', {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ slug: 'auklet-ferries', name: 'ci', scope: 'operate' }),
    });
    return ((await response.json()) as { token: string }).token;
  });
});
afterAll(() => w?.close());

/** Runs the command with a token of an operator. */
const run = (...args: string[]) =>
  new Promise<{ status: number; stdout: string; stderr: string }>((done) => {
    const env = { ...process.env, VONDLE_SERVER: w.address, VONDLE_TOKEN: token };
    execFile(
      process.execPath,
      [join(ROOT, 'cli/bin/vondle.mjs'), ...args],
      { env },
      (error, stdout, stderr) => done({ status: error ? Number(error.code) : 0, stdout, stderr }),
    );
  });
const rollout = (...args: string[]) => run('rollout', 'auklet-ferries', '-e', 'rehearsal', ...args);

test('the command lists what it would do, does it when told to, and says when there is nothing left', async () => {
  const planned = await rollout('--dry-run');
  expect(planned).toMatchObject({ status: 1, stderr: '' });
  expect(planned.stdout).toContain('not carried out: nothing is connected for shore in rehearsal');
  expect(planned.stdout).toContain('bind sailings → boards.1 on sailing.#');
  expect(planned.stdout).toContain('Nothing was touched. With --yes it is carried out.');
  const done = await rollout('--yes', '--format', 'json');
  expect(done.status).toBe(0);
  const told = JSON.parse(done.stdout);
  expect(told).toMatchObject({ environment: 'rehearsal', revision: 3, tearDown: false, missing: ['shore'] });
  expect(
    told.rollouts.map(({ broker, state, verified }: Record<string, unknown>) => [broker, state, verified]),
  ).toEqual([
    ['mainland', 'applied', true],
    ['islet', 'applied', true],
  ]);
  expect(await rollout()).toMatchObject({
    status: 0,
    stdout: expect.stringMatching(/mainland: as it shall be already\n[^]*islet: as it shall be already\n/),
  });
});

test('what an earlier revision had not is taken away by going back to it, each step with how it is undone', async () => {
  const { page } = w;
  await page.goto(`${w.address}${base}/rollout`);
  await see(page, '[data-testid=standings]', 'rehearsal partly r3');
  const planned = await rollout('-r', '2', '-n');
  expect(planned.stdout).toContain('delete the queue manifests (loses)');
  const { id } = JSON.parse((await rollout('-r', '2', '-n', '-f', 'json')).stdout).rollouts[0];
  await page.goto(`${w.address}${base}/rollout?rollout=${id}`);
  await see(page, '[data-testid=destroys]', 'queues are removed or made anew');
  await press(page, 'label', 'how each is undone');
  await see(page, '[data-testid=step]', 'to undo it: declare queue');
});

test('a tear-down is offered where something stands, and leaves nothing of it there', async () => {
  const { page } = w;
  await page.goto(`${w.address}${base}/rollout`);
  await press(page, '.choose button', 'or what would take away all of r3 there');
  await see(page, '.steps h2', 'all of r3 taken away from rehearsal · mainland');
  await see(page, '[data-testid=step]', 'delete the exchange sailings');
  await press(page, '.acts button', 'Apply');
  await see(page, '.steps header', 'Read back: nothing of it is there any more.');
  expect(await rollout('--tear-down', '--yes')).toMatchObject({
    status: 0,
    stdout: expect.stringContaining('islet: carried out, and read back as it shall be'),
  });
  await page.goto(`${w.address}${base}/rollout`);
  await see(page, '[data-testid=standings]', 'rehearsal nothing yet');
});

test('what it cannot begin with is said', async () => {
  expect(await run('rollout', 'auklet-ferries', '-e', 'moon')).toMatchObject({
    status: 2,
    stderr: expect.stringContaining('nothing is connected in moon'),
  });
  expect(await run('rollout', join(ROOT, 'demo/r3'), '-e', 'rehearsal')).toMatchObject({
    status: 2,
    stderr: expect.stringContaining('was not pulled from a server'),
  });
  // live is protected: an approver comes first
  expect(await run('rollout', 'auklet-ferries', '-e', 'live', '--yes')).toMatchObject({
    status: 2,
    stderr: expect.stringContaining('an approver has to consent'),
  });
});
