/** One message and many: composed, followed, given up, kept, promised, charted, saved. */
import { mkdtempSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { ElementHandle } from 'puppeteer-core';
import { press, see, signIn, world, type World } from './harness.ts';

let w: World;
const base = '/t/auklet-ferries';
const folder = mkdtempSync(join(tmpdir(), 'vondle-trace-'));
beforeAll(async () => {
  w = await world();
  const session = await w.page.createCDPSession();
  await session.send('Browser.setDownloadBehavior', { behavior: 'allow', downloadPath: folder });
  await signIn(w.page, w.address, 'mara');
  await see(w.page, 'main li', 'Auklet Isles Ferries');
});
afterAll(async () => {
  await w?.close();
});

const open = (query: string) => w.page.goto(`${w.address}${base}/trace?${query}`);
/** Picks from the list that is open: each list's options stay in the document, hidden. */
async function option(words: string) {
  const found = await w.page.waitForFunction(
    (wanted: string) =>
      [...document.querySelectorAll<HTMLElement>('.el-select-dropdown__item')].find(
        (each) => each.textContent.trim() === wanted && each.offsetParent !== null,
      ),
    {},
    words,
  );
  await (found as ElementHandle<HTMLElement>).evaluate((each) => each.click());
}
async function saved(name: string): Promise<string> {
  for (let i = 0; i < 200; i++) {
    if (readdirSync(folder).includes(name)) return readFileSync(join(folder, name), 'utf8');
    await new Promise((done) => setTimeout(done, 50));
  }
  throw new Error(`${name} was not saved; there is ${readdirSync(folder).join(', ')}`);
}

test('a message is composed by the fields of its type, and its key follows them', async () => {
  await open('type=closure-announced&from=duty-officer');
  await see(w.page, '[data-testid=ledger]', 'islet/desk');
  const area = await w.page.waitForSelector('input[id="field area"]');
  await area!.click();
  await option('north');
  await see(w.page, '[data-testid=ledger]', 'shore/quay-closures');
  expect(await w.page.$eval('input[name=key]', (input) => (input as HTMLInputElement).value)).toBe(
    'closure.north.berth',
  );
  await press(w.page, '.way button', 'JSON');
  const text = await w.page.$eval(
    'textarea[aria-label="message as JSON"]',
    (area) => (area as HTMLTextAreaElement).value,
  );
  expect(JSON.parse(text)).toMatchObject({
    key: 'closure.north.berth',
    headers: { area: 'north', severity: 4 },
  });
  const json = await w.page.waitForSelector('textarea[aria-label="message as JSON"]');
  await json!.press('End');
  await json!.type('!');
  await see(w.page, '.compose [role=alert]', 'This is no message yet');
});

test('a copy is followed on when its store gives it up', async () => {
  await open('type=closure-announced&from=duty-officer');
  await see(w.page, '[data-testid=ledger]', 'shore/kiosks');
  await w.page.click('[aria-label="go on from mainland/boards when"]');
  await option('it expires');
  await see(w.page, '[data-testid=went-on]', 'mainland/incidents');
});

test('a message is kept in the text, and followed again when the draft is compared', async () => {
  await open('type=sailing-delayed&from=bridge-console');
  await press(w.page, '.acts button', 'keep this message');
  const name = await w.page.waitForSelector('input[aria-label="name of the sample"]');
  await name!.click({ clickCount: 3 });
  await w.page.keyboard.type('a late boat');
  await w.page.keyboard.press('Enter');
  await see(w.page, '[role=status]', 'a late boat');
  await press(w.page, '.ways button', 'kept');
  await see(w.page, '[data-testid=kept] li', /a late boat.*shore\/kiosks/);
});

test('an outcome is made a promise', async () => {
  await open('type=sailing-departed&from=bridge-console');
  await press(w.page, '.acts button', 'expect this outcome');
  const name = await w.page.waitForSelector('input[aria-label="name of the expectation"]');
  await name!.click({ clickCount: 3 });
  await w.page.keyboard.type('boards and archive');
  await w.page.keyboard.press('Enter');
  await see(
    w.page,
    '[role=status]',
    /reaches: \[mainland\/boards, mainland\/archive-in\], only: true, copies: 7/,
  );
  await see(w.page, '[data-testid=save-state]', /^saved$/);
});

test('many are sent through: counted, charted, listed, and saved as files', async () => {
  await open('type=closure-announced&from=duty-officer&of=many');
  await w.page.waitForFunction(
    () => document.querySelector<HTMLButtonElement>('.many button[type=submit]')?.disabled === false,
  );
  await press(w.page, '.many button', 'send them through');
  await see(
    w.page,
    '[data-testid=many-sentence]',
    /^1,000 messages became 8,667 copies in 5 stores; 601 refused\.$/,
  );
  await w.page.waitForSelector('[data-testid=split] .main-svg');
  await press(w.page, '.many nav button', 'later');
  await see(w.page, '[data-testid=many-rows]', /^no\.keyheaderscopiesrests in, or ends ?51/);
  await press(w.page, '.many button', 'save CSV');
  const csv = await saved('auklet-ferries-messages.csv');
  expect(csv.split('\r\n')).toHaveLength(1002);
  expect(csv).toContain('mainland/boards ×6; mainland/archive-in');
  await press(w.page, '.many button', 'save NDJSON');
  const lines = (await saved('auklet-ferries-messages.ndjson')).trim().split('\n');
  expect(JSON.parse(lines[999]!)).toMatchObject({ number: 1000, message: { type: 'closure-announced' } });
});

test('a file of messages is taken in, and what is not understood is told by line', async () => {
  const file = join(folder, 'many.ndjson');
  writeFileSync(
    file,
    [
      '{"type":"fare-sold","headers":{"route":"north"}}',
      '{"specversion":"1.0","id":"1","source":"/quay","type":"closure.berth","area":"north","severity":5}',
      '{"oops"',
      '{"to":"mainland/sailings","key":"ferry.east"}',
      '{"key":"nowhere"}',
    ].join('\n'),
  );
  await open('of=many');
  const input = await w.page.waitForSelector('input[type=file]');
  await (input as ElementHandle<HTMLInputElement>).uploadFile(file);
  await see(w.page, '.problems', /line 3: not JSON.*line 5: it says neither/);
  await press(w.page, '.many button', 'send them through');
  await see(w.page, '[data-testid=many-sentence]', /^3 messages became/);
  await see(w.page, '[data-testid=many-rows]', 'shore/quay-closures');
});

test('a hundred thousand are followed off the main thread, with progress, and can be stopped', async () => {
  await open('type=closure-announced&from=duty-officer&of=many');
  const count = await w.page.waitForSelector('input[aria-label="how many"]');
  await count!.click({ clickCount: 3 });
  await w.page.keyboard.type('100000');
  await w.page.keyboard.press('Tab');
  await press(w.page, '.many button', 'send them through');
  await see(w.page, '.progress', /[1-9].* of 100,000/);
  await press(w.page, '.many button', 'stop');
  await see(w.page, '[data-testid=many-sentence]', /Stopped; 100,000 were to go\.$/);
  expect(w.mistakes).toEqual([]);
});
