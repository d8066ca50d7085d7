/** A proposal, as those who look at it meet it; and people let in, given another role, and written down. */
import { execFile } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Page } from 'puppeteer-core';
import { press, see, signIn, type World, worldOfMara } from './harness.ts';

const ROOT = join(__dirname, '..');
let w: World;
const base = '/t/auklet-ferries';
beforeAll(async () => {
  w = await worldOfMara();
});
afterAll(() => w?.close());

/** A browser of somebody's own. */
async function pageOf(handle?: string): Promise<Page> {
  const page = await (await w.browser.createBrowserContext()).newPage();
  page.setDefaultTimeout(60_000);
  page.on('pageerror', (error) => w.mistakes.push(String(error)));
  if (handle) {
    await signIn(page, w.address, handle);
    await see(page, 'main li', 'Auklet Isles Ferries');
  }
  return page;
}

test('who comes in reads what waits, what a proposal does, and what is said to it', async () => {
  const odo = await pageOf('odo');
  await press(odo, '[data-testid=waiting] a', 'Cancelled sailings are kept in the incident log');
  await see(odo, '[data-testid=proposal] h1', 'Cancelled sailings are kept in the incident log');
  await see(odo, '[data-testid=does]', 'All 9 sailing-cancelled messages from timetable-office');
  await see(odo, '[data-testid=thread]', 'does the storm watch catch up with that after a restart?');
  await see(odo, '[data-testid=thread] header', 'mainland.yaml 49');
  // to a sentence, to a line, and an answer; each appears with whoever looks at it too
  const { page: mara } = w;
  await mara.goto(`${w.address}${base}/review?proposal=1`);
  await see(mara, '[data-testid=thread]', 'does the storm watch catch up');
  await press(odo, '[data-testid=does] button', 'say something');
  await odo.type('textarea[aria-label="your comment"]', 'Nine of them: all.');
  await press(odo, '[data-testid=talk] button', 'Say it');
  await see(mara, '[data-testid=thread]', 'Nine of them: all.');
  await press(odo, '[data-testid=thread]:first-of-type button', /^resolve$/);
  await see(mara, '[data-testid=thread]', 'resolved by Odo Finch');
  await see(odo, '[data-testid=say-to-line]', /^23$/);
  await press(odo, '[data-testid=say-to-line]', /^23$/);
  await see(odo, '[data-testid=talk] form', 'access.yaml 23: - name: every cancellation is on record');
  await press(odo, '[data-testid=talk] button', 'leave it');
});

test('an approval holds for what was looked at, and what changed since is shown', async () => {
  const odo = await pageOf('odo');
  await odo.goto(`${w.address}${base}/review?proposal=1`);
  await odo.waitForSelector('input[aria-label="your words"]');
  await odo.type('input[aria-label="your words"]', 'Good.');
  await press(odo, '[data-testid=agreement] button', /^Approve$/);
  await see(odo, '[data-testid=verdict]', 'Odo Finch approved: Good.');
  const ines = await pageOf('ines');
  await ines.goto(`${w.address}${base}/review?proposal=1`);
  await press(ines, '[data-testid=proposal] a', 'look into the draft');
  await see(ines, '[data-testid=drafts]', 'draft cancellations on record on r3');
  await ines.evaluate(async () => {
    const at = '/api/topologies/auklet-ferries';
    const all = (await (await fetch(`${at}/drafts`)).json()) as { id: number; name: string }[];
    const { id } = all.find(({ name }) => name === 'cancellations on record')!;
    const { draft } = await (await fetch(`${at}?draft=${id}`)).json();
    const documents = draft.documents.map(({ name, text }: { name: string; text: string }) => ({
      name,
      text: text.replace('ttl: 15m', 'ttl: 16m'),
    }));
    await fetch(`${at}/draft?draft=${id}`, {
      method: 'PUT',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ version: draft.version, documents }),
    });
  });
  await see(odo, '[data-testid=verdict]', 'it changed since, so that this does not count any more');
  await press(odo, '[data-testid=verdict] button', 'what changed since');
  await see(odo, '.since', /− +storm: { ttl: 15m.*\+ +storm: { ttl: 16m/);
  await press(odo, '[data-testid=agreement] button', 'Make it a revision');
  await see(odo, '[data-testid=revision]', /^r4/);
  await see(odo, 'article h1', 'r4: Cancelled sailings are kept');
  await odo.goto(`${w.address}${base}/review?proposal=1`);
  await see(odo, '[data-testid=proposal]', 'it became r4');
});

test('two drafts that say one setting otherwise are put together by a decision', async () => {
  const { page } = w;
  await page.goto(`${w.address}${base}/declare`);
  // once all of it stands: what comes in while it is pressed would be in the way
  await see(page, '[data-testid=save-state]', /^saved$/);
  await page.waitForSelector('[data-testid=newer]');
  await press(page, '[data-testid=drafts]', 'draft');
  await press(page, '[data-testid=draft] button', 'fresh storm readings');
  await see(page, '[data-testid=drafts]', 'draft fresh storm readings on r3');
  await see(page, '[data-testid=save-state]', /^saved$/);
  await press(page, '[data-testid=newer] button', 'bring it into this draft');
  await see(page, '[data-testid=conflict] th', 'brokers › mainland › queues › storm › ttl');
  await press(page, '[data-testid=take-mine]', 'keep yours');
  await see(page, '[data-testid=drafts]', 'draft fresh storm readings on r4');
  await see(page, '[data-testid=save-state]', /^saved$/);
});

test('any two states stand beside each other', async () => {
  const { page } = w;
  await page.goto(`${w.address}${base}/compare?before=r3&after=r4`);
  await see(page, '[data-testid=declared-change]', 'queue mainland/storm');
  await press(page, '.el-radio-button', 'Messages');
  await see(page, '[data-testid=route-change]', 'now reach mainland/incidents');
  await press(page, '.el-radio-button', 'Text');
  await see(page, '[data-testid=document-differs] h3', 'mainland.yaml');
  await press(page, 'header button', 'the other way round');
  await press(page, '.el-radio-button', 'Messages');
  await see(page, '[data-testid=route-change]', 'no longer reach mainland/incidents');
});

test('an owner lets somebody in by a link, who makes an account with it, once', async () => {
  const { page } = w;
  await page.goto(`${w.address}${base}/people`);
  await see(page, '[data-testid=member]', 'Tam Breck');
  await page.waitForSelector('input[aria-label="for whom"]');
  await page.type('input[aria-label="for whom"]', 'Fay of the night shift');
  await press(page, 'button', 'Make a link');
  const link = await see(page, '[data-testid=invitation-link]', '/join/');
  const fay = await pageOf();
  await fay.goto(link);
  await see(fay, 'main', 'Mara Okell invites you to Auklet Isles Ferries, as author.');
  await fay.type('input[name=name]', 'Fay Berth');
  await fay.type('input[name=handle]', 'fay');
  await fay.type('input[name=password]', 'a password of her own');
  await press(fay, 'button', 'Make an account and join');
  await see(fay, '.topology', 'Auklet Isles Ferries');
  await see(page, '[data-testid=member]', 'Fay Berth');
  await page.select('select[aria-label="role of Fay Berth"]', 'reader');
  await see(page, '[data-testid=done]', 'change role');
  await see(fay, 'header button', 'Save revision…');
  await fay.waitForFunction(() =>
    [...document.querySelectorAll('header button')].some(
      (each) => each.textContent!.includes('Save revision') && (each as HTMLButtonElement).disabled,
    ),
  );
  const again = await pageOf();
  await again.goto(link);
  await see(again, '[role=alert]', 'This invitation was used, taken back, or has expired.');
});

test('a token is made, shown once, and ended; the password is changed', async () => {
  const { page } = w;
  await page.goto(`${w.address}/account`);
  await page.waitForSelector('input[name=token]');
  await page.type('input[name=token]', 'checks');
  await press(page, 'button', 'Make a token');
  const token = await see(page, '[data-testid=new-token]', /^vondle_/);
  const status = await page.evaluate(
    async (bearer: string) =>
      (await fetch('/api/topologies/auklet-ferries', { headers: { authorization: `Bearer ${bearer}` } }))
        .status,
    token,
  );
  expect(status).toBe(200);
  await press(page, '[data-testid=token] button', 'end it');
  await see(page, '[role=status]', 'The token “checks” is ended.');
});

test('a program pulls the topology into a folder, pushes what it changed, and compares with a revision', async () => {
  const { page } = w;
  const made = await page.evaluate(async () => {
    const response = await fetch('/api/tokens', {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ slug: 'auklet-ferries', name: 'ci', scope: 'write' }),
    });
    return ((await response.json()) as { token: string }).token;
  });
  const folder = mkdtempSync(join(tmpdir(), 'vondle-'));
  const run = (...args: string[]) =>
    new Promise<{ status: number; stdout: string; stderr: string }>((done) => {
      const env = { ...process.env, VONDLE_SERVER: w.address, VONDLE_TOKEN: made };
      execFile(
        process.execPath,
        [join(ROOT, 'cli/bin/vondle.mjs'), ...args],
        { env },
        (error, stdout, stderr) => done({ status: error ? Number(error.code) : 0, stdout, stderr }),
      );
    });
  const at = join(folder, 'topology');
  const islet = join(at, 'islet.yaml');
  expect(await run('pull', 'auklet-ferries', at)).toMatchObject({
    status: 0,
    stdout: expect.stringContaining('islet.yaml'),
  });
  const text = readFileSync(islet, 'utf8');
  writeFileSync(islet, `# by a program\n${text}`);
  expect(await run('push', at)).toMatchObject({
    status: 0,
    stdout: expect.stringMatching(/at version \d+ now/),
  });
  expect((await run('push', at)).stdout).toContain('has all of it already');
  await page.goto(`${w.address}${base}/declare?doc=islet.yaml`);
  await see(page, '.cm-content', '# by a program');
  // what both say otherwise is told, and nothing is changed on either side
  writeFileSync(islet, text.replace('ttl: 12h', 'ttl: 13h'));
  const draft = await page.evaluate(async () => {
    const topology = '/api/topologies/auklet-ferries';
    const { draft: data } = await (await fetch(topology)).json();
    const documents = data.documents.map((each: { name: string; text: string }) => ({
      name: each.name,
      text: each.text.replace('ttl: 12h', 'ttl: 14h'),
    }));
    await fetch(`${topology}/draft`, {
      method: 'PUT',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ version: data.version, documents }),
    });
    return data.version as number;
  });
  expect(draft).toBeGreaterThan(1);
  const conflict = 'islet.yaml: brokers › islet › queues › desk › ttl: 13h here, 14h there';
  expect(await run('push', at)).toMatchObject({ status: 1, stderr: expect.stringContaining(conflict) });
  expect(await run('pull', 'auklet-ferries', at)).toMatchObject({
    status: 1,
    stderr: expect.stringContaining(conflict),
  });
  expect(readFileSync(islet, 'utf8')).toContain('ttl: 13h');
  writeFileSync(islet, text);
  expect((await run('pull', 'auklet-ferries', at)).stdout).toBe('islet.yaml\n');
  expect(readFileSync(islet, 'utf8')).toContain('ttl: 14h');
  const compared = await run('compare', 'auklet-ferries@r3', 'auklet-ferries@r4');
  expect(compared.stdout).toContain('All 9 sailing-cancelled messages from timetable-office');
  expect(await run('compare', 'auklet-ferries@r3', 'auklet-ferries@r99')).toMatchObject({ status: 2 });
  expect((await run('pull', 'elsewhere', join(folder, 'other'))).stderr).toContain('404');
  rmSync(folder, { recursive: true });
});

test('no view reported a mistake on its console', () => expect(w.mistakes).toEqual([]));
