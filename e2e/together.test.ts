/** Two people at one topology, each in a browser of their own: what one does appears with the other, and nothing is lost. */
import type { Page } from 'puppeteer-core';
import { press, see, signIn, type World, worldOfMara } from './harness.ts';

let w: World;
let mara: Page;
let odo: Page;
const saved = '[data-testid=save-state]';
const base = '/t/auklet-ferries';
beforeAll(async () => {
  w = await worldOfMara();
  mara = w.page;
  const context = await w.browser.createBrowserContext();
  odo = await context.newPage();
  odo.setDefaultTimeout(60_000);
  odo.on('pageerror', (error) => w.mistakes.push(String(error)));
  await signIn(odo, w.address, 'odo');
  await see(odo, 'main li', 'Auklet Isles Ferries');
});
afterAll(() => w?.close());

/** The text of a document as the server has it. */
const textOf = (page: Page, doc: string, draft = '') =>
  page.evaluate(
    async (name: string, which: string) => {
      const { draft: data } = await (await fetch(`/api/topologies/auklet-ferries${which}`)).json();
      return data.documents.find((document: { name: string }) => document.name === name).text as string;
    },
    doc,
    draft,
  );

/** Puts a cursor in front of some text of a document, or selects it. */
async function at(page: Page, doc: string, find: string, how: 'before' | 'over', draft = '') {
  const text = await textOf(page, doc, draft);
  const start = text.indexOf(find);
  expect(start).toBeGreaterThanOrEqual(0);
  const to = how === 'over' ? start + find.length : start + 1;
  const query = draft ? `&${draft.slice(1)}` : '';
  await page.goto(`${w.address}${base}/declare?doc=${doc}&at=${start}-${to}${query}`);
  await page.waitForFunction(
    (wanted: string) => document.getSelection()?.toString() === wanted,
    {},
    text.slice(start, to),
  );
  if (how === 'before') await page.keyboard.press('ArrowLeft');
}

test('each sees who else is there, and what the other types', async () => {
  await mara.goto(`${w.address}${base}/declare?doc=mainland.yaml`);
  await see(mara, saved, /^saved$/);
  await at(odo, 'mainland.yaml', 'exchanges:', 'before');
  await see(mara, '[data-testid=others]', 'with Odo Finch');
  await see(odo, '[data-testid=others]', 'with Mara Okell');
  await odo.keyboard.type('# odo was here\n');
  await see(mara, '.cm-content', '# odo was here');
});

test('both type at once, both are there, and undo takes back one’s own alone', async () => {
  await at(mara, 'mainland.yaml', 'queues:', 'before');
  await see(odo, saved, /^saved$/);
  await Promise.all([mara.keyboard.type('# mara too\n'), odo.keyboard.type('# odo again\n')]);
  await see(mara, '.cm-content', '# odo again');
  await see(odo, '.cm-content', '# mara too');
  await see(mara, saved, /^saved$/);
  await see(odo, saved, /^saved$/);
  await press(mara, 'header button', /^undo$/);
  await odo.waitForFunction(() => !document.querySelector('.cm-content')!.textContent.includes('# mara too'));
  await see(mara, '.cm-content', '# odo again');
  await see(mara, saved, /^saved$/);
  expect(await textOf(mara, 'mainland.yaml')).toContain('# odo again');
});

test('one value that both change is decided side by side', async () => {
  // mara is cut off while odo writes
  await at(mara, 'mainland.yaml', 'maxLength: 5000', 'over');
  const client = await mara.createCDPSession();
  await client.send('Network.enable');
  const offline = (is: boolean) =>
    client.send('Network.emulateNetworkConditions', {
      offline: is,
      latency: 0,
      downloadThroughput: -1,
      uploadThroughput: -1,
    });
  await offline(true);
  await mara.keyboard.type('maxLength: 6000');
  await see(mara, saved, 'offline');
  await at(odo, 'mainland.yaml', 'maxLength: 5000', 'over');
  await odo.keyboard.type('maxLength: 7000');
  await see(odo, saved, /^saved$/);
  await offline(false);
  await see(mara, '[data-testid=conflicts]', 'Odo Finch and you changed one value otherwise');
  await see(
    mara,
    '[data-testid=conflict] th',
    'brokers › mainland › queues › storm › maxLength in mainland.yaml',
  );
  expect(
    await mara.$$eval('[data-testid=conflict] pre', (all) => all.map((each) => each.textContent)),
  ).toEqual(['5000', '6000', '7000']);
  expect(await textOf(odo, 'mainland.yaml')).toContain('maxLength: 7000');
  await press(mara, '[data-testid=take-mine]', 'keep yours');
  await see(mara, saved, /^saved$/);
  await see(odo, '.cm-content', 'maxLength: 6000');
  expect(await textOf(odo, 'mainland.yaml')).toContain('maxLength: 6000');
});

test('a draft of one’s own is begun, edited beside the other, and goes on from a revision that came meanwhile', async () => {
  await press(odo, '[data-testid=drafts]', 'draft');
  await see(odo, '[data-testid=draft]', /^main/);
  await odo.type('input[aria-label="name of a new draft"]', 'quieter storms');
  await press(odo, 'dialog button, .el-dialog button', 'Begin a draft');
  await see(odo, '[data-testid=drafts]', 'quieter storms on r3');
  const draft = `?${new URL(odo.url()).searchParams.toString().match(/draft=\d+/)![0]}`;
  await at(odo, 'mainland.yaml', 'ttl: 5m', 'over', draft);
  await odo.keyboard.type('ttl: 6m');
  await see(odo, saved, /^saved$/);
  expect(await textOf(mara, 'mainland.yaml')).toContain('ttl: 5m');
  // mara saves what the main draft has
  await press(mara, 'header button', 'Save revision…');
  await mara.waitForSelector('textarea[name=words]');
  await mara.type('textarea[name=words]', 'Storm season, as far as it is.');
  await press(mara, '.el-dialog button', /^Save$/);
  await see(mara, '[data-testid=drafts]', 'on r4');
  await see(
    odo,
    '[data-testid=newer]',
    // both wrote into the main draft
    'r4 was saved meanwhile (Mara Okell, Odo Finch: Storm season, as far as it is.)',
  );
  await press(odo, '[data-testid=newer] button', 'bring it into this draft');
  await see(odo, '[data-testid=drafts]', 'quieter storms on r4');
  await see(odo, saved, /^saved$/);
  const text = await textOf(odo, 'mainland.yaml', draft);
  expect(text).toContain('ttl: 6m');
  expect(text).toContain('maxLength: 6000');
});

test('a revision is looked at in every view, and cannot be changed there', async () => {
  await mara.goto(`${w.address}${base}/revisions?revision=1`);
  await press(mara, 'article a', 'Look at everything as it was');
  await see(mara, 'header', 'r1, as it was saved: back to the draft');
  await see(mara, '[data-testid=finding-counts]', 'no findings');
  expect(mara.url()).toContain('rev=1');
  await press(mara, 'nav a', 'Declare');
  await mara.waitForSelector('.cm-content[aria-readonly=true]');
  expect(mara.url()).toContain('rev=1');
  await press(mara, 'header a', 'back to the draft');
  await mara.waitForSelector('.cm-content:not([aria-readonly=true])');
  await see(mara, '[data-testid=drafts]', 'on r4');
});

test('no view reported a mistake on its console', () => expect(w.mistakes).toEqual([]));
