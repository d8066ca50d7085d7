/** From nothing to a probe that landed: once by forms alone, once by text alone. Presses and keys are counted, and told. */
import type { Page } from 'puppeteer-core';
import { press, see, signIn, world, type World } from './harness.ts';

let w: World;
const counts: string[] = [];

beforeAll(async () => {
  w = await world();
  // what a person does is counted where it arrives
  await w.page.evaluateOnNewDocument(() => {
    const add = (what: string) =>
      sessionStorage.setItem(what, String(Number(sessionStorage.getItem(what) ?? 0) + 1));
    addEventListener('pointerdown', (event) => event.isTrusted && add('presses'), true);
    addEventListener('keydown', (event) => event.isTrusted && add('keys'), true);
  });
  await signIn(w.page, w.address, 'mara');
  await see(w.page, 'h1', 'Topologies');
});
afterAll(async () => {
  await w?.close();
  for (const each of counts) console.log(each);
});

async function count(what: string): Promise<void> {
  const [presses, keys] = await w.page.evaluate(() => {
    const found = ['presses', 'keys'].map((each) => Number(sessionStorage.getItem(each) ?? 0));
    sessionStorage.clear();
    return found as [number, number];
  });
  counts.push(`from nothing to a landed probe ${what}: ${presses} presses, ${keys} keys`);
  expect(presses + keys).toBeGreaterThan(10);
}

async function beginEmpty(page: Page, name: string): Promise<void> {
  await page.goto(`${w.address}/topologies`);
  await page.evaluate(() => sessionStorage.clear());
  await press(page, '[data-testid=begin]', 'Begin a new one');
  await page.waitForSelector('.begin input');
  await page.type('.begin input', name);
  await press(page, '.begin button', 'Begin empty');
  await page.waitForSelector('[data-testid=editor] .cm-content');
  await see(page, '[data-testid=finding-counts]', 'nothing to check yet');
}

/** Opens the form for a new thing of a kind. */
async function begin(page: Page, kind: RegExp): Promise<void> {
  await press(page, '[data-testid=new]', 'New');
  await press(page, '.el-dropdown-menu__item', kind);
  await page.waitForSelector('[data-testid=form]');
}

/** Fills a field in: what is chosen from a list is typed and taken with Enter. */
async function fill(page: Page, field: string, text: string): Promise<void> {
  const at = `[data-testid=form] [aria-label="${field}"]`;
  await page.waitForSelector(at);
  await page.click(at);
  await page.keyboard.type(text);
  const isChoice = await page.$eval(at, (each) => each.getAttribute('role') === 'combobox');
  if (!isChoice) return;
  await see(page, '.el-select-dropdown__item', text);
  await page.keyboard.press('Enter');
}

async function write(page: Page): Promise<void> {
  await press(page, '[data-testid=form] button', /^write it$/);
  await page.waitForFunction(() => !document.querySelector('[data-testid=form]'));
  await closed(page);
}

/** What is under a dialog can be pressed again once the dialog is gone. */
async function closed(page: Page): Promise<void> {
  await page.waitForFunction(() =>
    [...document.querySelectorAll('.el-overlay')].every((each) => !each.checkVisibility()),
  );
}

/** Saves a revision, connects the built-in broker, carries the revision out, and sends a probe that has to land. */
async function prove(page: Page): Promise<void> {
  await see(page, '[data-testid=finding-counts]', 'no findings');
  await press(page, 'nav a', 'Rollout');
  await press(page, '.choose button', 'Save a revision');
  await see(page, '.el-dialog li', 'cannot be carried out yet: no broker is connected');
  await page.waitForSelector('textarea[name=words]');
  await page.type('textarea[name=words]', 'The first of it.');
  await press(page, '.el-dialog button', /^Save$/);
  await closed(page);
  await press(page, '[data-testid=target-form] button', 'Connect it');
  await press(page, '.choose button', 'list the steps');
  await press(page, '.acts button', /^Apply/);
  await see(page, '[data-testid=rollout-state]', /^applied$/);
  await page.waitForSelector('.probe [aria-label="message type"]');
  await page.click('.probe [aria-label="message type"]');
  await press(page, '.el-select-dropdown__item', 'boat-left');
  await press(page, '.probe button', 'Send a probe');
  await see(page, '[data-testid=probe]', 'It landed exactly where the trace says.');
  expect(w.mistakes).toEqual([]);
}

test('by forms alone', async () => {
  const { page } = w;
  await beginEmpty(page, 'Pier by forms');
  await press(page, '[data-testid=next-step] button', 'Declare a broker');
  await fill(page, 'name', 'mainland');
  await fill(page, 'kind', 'amqp');
  await fill(page, 'access', 'controlled');
  await see(page, '[data-testid=becomes]', 'access: controlled');
  await write(page);

  await begin(page, /^exchange$/);
  await fill(page, 'name', 'boats');
  await fill(page, 'type', 'topic');
  await write(page);

  await begin(page, /^message type$/);
  await fill(page, 'name', 'boat-left');
  await fill(page, 'key', 'boat.left');
  await write(page);

  await begin(page, /^app$/);
  await fill(page, 'name', 'harbour');
  await press(page, '[data-testid=form] button', 'add to publishes');
  await fill(page, 'publishes 1 message', 'boat-left');
  await fill(page, 'publishes 1 to', 'mainland/boats');
  // the permission that it needs is written with it
  await see(page, '[data-testid=becomes]', 'who: app:harbour');
  await write(page);

  await begin(page, /^app$/);
  await fill(page, 'name', 'board');
  await write(page);

  await begin(page, /^queue$/);
  await fill(page, 'name', 'board-in');
  await fill(page, 'fed by', 'boats');
  await fill(page, 'condition', 'boat.#');
  await fill(page, 'taken by', 'board');
  await see(page, '[data-testid=becomes]', '1 of 1 samples that come there pass');
  await write(page);

  await begin(page, /^environment$/);
  await fill(page, 'name', 'rehearsal');
  await write(page);

  await prove(page);
  await count('by forms alone');
});

test('by text alone', async () => {
  const { page } = w;
  await beginEmpty(page, 'Pier by text');
  await page.click('[data-testid=editor] .cm-content');
  await page.keyboard.down('Control');
  await page.keyboard.press('End');
  await page.keyboard.up('Control');
  const lines = [
    'messages: { boat-left: { key: boat.left } }',
    'environments: { rehearsal: {} }',
    'apps: { harbour: { publishes: [{ message: boat-left, to: mainland/boats }] }, board: { consumes: [{ from: mainland/board-in }] } }',
    'brokers: { mainland: { kind: amqp, access: open, exchanges: { boats: { type: topic } }, queues: { board-in: {} }, bindings: [{ from: boats, to: board-in, key: "boat.#" }] } }',
  ];
  for (const line of lines) {
    await page.keyboard.type(line);
    await page.keyboard.press('Enter');
  }
  // the long lines are offered to be written on several, which changes no meaning
  await page.keyboard.press('ArrowUp');
  await press(page, '[data-testid=strip] button', 'Write it on lines of its own');
  await see(page, '[data-testid=editor] .cm-line', /^brokers:$/);
  await prove(page);
  await count('by text alone');
});
