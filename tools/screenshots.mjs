/**
 * Takes the pictures of docs/screenshots from a running Vondle.
 * Usage: node tools/screenshots.mjs <address> <password> [folder] [name …]
 */
import { mkdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import puppeteer from 'puppeteer-core';
import { chromium } from './setup/packages.mjs';
import { ROOT } from './setup/places.mjs';

const [address, password, folder = join(ROOT, 'docs/screenshots'), ...names] = process.argv.slice(2);
const T = '/t/auklet-ferries';
const SEVERE = 'type=closure-announced&from=duty-officer';

/** Each picture: where it is, and what must be there before it is taken. */
const PICTURES = [
  { name: 'topologies', path: '/topologies', wait: '[data-testid=topology]', before: beginSome },
  {
    name: 'declare',
    path: `${T}/declare?doc=shore.yaml&sel=subscription:shore/texting`,
    wait: '.condition li',
  },
  { name: 'declared', path: `${T}/declared?table=queue`, wait: '[data-testid=row]', before: pickRows },
  { name: 'form', path: `${T}/fan-out?sel=exchange:mainland/sailings`, wait: '.close-up', before: bind },
  { name: 'fan-out', path: `${T}/fan-out?${SEVERE}&sel=queue:shore/texting-in`, wait: '.edge.passed' },
  { name: 'compare', path: `${T}/fan-out`, wait: '.node', before: compare },
  { name: 'trace', path: `${T}/trace?${SEVERE}`, wait: '.outcome .hop' },
  { name: 'many', path: `${T}/trace?${SEVERE}&of=many`, wait: '.many form', before: many },
  {
    name: 'why-not',
    path: `${T}/trace?type=sailing-departed&sel=queue:mainland/to-islet`,
    wait: '[data-testid=why-not]',
  },
  {
    name: 'coverage',
    path: `${T}/coverage?type=closure-announced`,
    wait: '[data-testid=class]',
    before: tellApart,
  },
  { name: 'findings', path: `${T}/findings`, wait: '[data-testid=diff]' },
  { name: 'expectations', path: `${T}/expectations`, wait: '[data-testid=proof]' },
  { name: 'access', path: `${T}/access?broker=shore`, wait: '[data-testid=cell]', before: pickMissing },
  { name: 'revisions', path: `${T}/revisions`, wait: '[data-testid=messages-then] li' },
  { name: 'beside', path: `${T}/compare?before=r2&after=r3&part=routes`, wait: '[data-testid=route-change]' },
  { name: 'review', path: `${T}/review?proposal=1`, wait: '[data-testid=does]' },
  { name: 'people', path: `${T}/people`, wait: '[data-testid=done]' },
  { name: 'watch', path: `${T}/watch?env=live`, wait: '[data-testid=store]', before: lookAtOne },
  { name: 'rollout', path: `${T}/rollout?type=sailing-departed`, wait: '.choose', before: rollOut },
];

/** Looks at the messages of the store in which most waits, where there are any (`npm start -- --apps`). */
async function lookAtOne(page) {
  await page.click('[data-testid=look]');
  const first = await page.waitForSelector('[data-testid=message]', { timeout: 5000 }).catch(() => undefined);
  if (first) await first.click();
}

/** Begins with some examples where there are none yet, so that the list is one. */
async function beginSome(page) {
  for (const title of ['Two sites', 'One publisher', 'Through apps']) {
    const there = await page.$$eval(
      '[data-testid=topology]',
      (all, words) => all.some((each) => each.textContent.includes(words)),
      title,
    );
    if (there) continue;
    await page.click('[data-testid=begin]');
    const example = await page.waitForFunction(
      (words) =>
        [...document.querySelectorAll('[data-testid=example]')].find((each) =>
          each.textContent.includes(words),
        ),
      {},
      title,
    );
    await example.evaluate((each) => each.click());
    await page.waitForSelector('[data-testid=walk]');
    await page.goto(`${address}/topologies`, { waitUntil: 'networkidle2' });
    await page.waitForSelector('[data-testid=topology]');
  }
  await page.waitForFunction(() => !document.body.textContent.includes('looking …'));
}

/** Picks some rows, so that what can be done with them is seen. */
async function pickRows(page) {
  for (const row of [3, 4, 5]) await page.click(`tbody tr:nth-child(${row}) input[type=checkbox]`);
  await page.waitForSelector('.many');
}

/** Picks two classes, so that what tells them apart is seen. */
async function tellApart(page) {
  for (const row of [2, 3])
    await page.click(`[data-testid=publish]:nth-of-type(2) tr:nth-child(${row}) .el-checkbox`);
  await page.waitForSelector('[data-testid=apart] table');
  await page.waitForFunction(() => document.getAnimations().length === 0);
}

/** Binds an exchange by the form. */
async function bind(page) {
  const act = await page.waitForFunction(() =>
    [...document.querySelectorAll('.close-up button')].find((each) =>
      each.textContent.includes('bind to a queue'),
    ),
  );
  await act.click();
  await page.waitForSelector('[data-testid=form] [aria-label=to]');
  await page.click('[data-testid=form] [aria-label=to]');
  await page.keyboard.type('customs');
  await page.keyboard.press('Enter');
  await page.click('[data-testid=form] [aria-label=key]');
  await page.keyboard.type('sailing.*.delayed');
  await page.waitForSelector('.trials li');
}

/** Applies the newest revision and sends a probe, so that the picture shows a proof. */
async function rollOut(page) {
  const press = async (selector, text) => {
    const handle = await page.waitForFunction(
      (css, words) =>
        [...document.querySelectorAll(css)].find(
          (each) => each.textContent.includes(words) && !each.disabled,
        ),
      {},
      selector,
      text,
    );
    await handle.click();
  };
  await press('.choose button', 'list the steps');
  await press('.acts button', '');
  await press('.probe button', 'Send a probe');
  await page.waitForSelector('[data-testid=probe]');
}

/** Picks the cell of what is missing. */
async function pickMissing(page) {
  const cell = await page.waitForSelector('td .cell.missing');
  await cell.click();
  await page.waitForSelector('[data-testid=the-cell] h3');
}

/** Sends a thousand messages through. */
async function many(page) {
  await page.waitForFunction(() => !document.querySelector('.many button[type=submit]').disabled);
  await page.click('.many button[type=submit]');
  await page.waitForSelector('[data-testid=split] .main-svg');
}

/** Compares the draft with the revision it began from. */
async function compare(page) {
  await page.click('[data-testid=compare]');
  const option = await page.waitForFunction(() =>
    [...document.querySelectorAll('.el-select-dropdown__item')].find((each) =>
      each.textContent.includes('against r3'),
    ),
  );
  // the list may still be unfolding
  await option.evaluate((each) => each.click());
  await page.waitForSelector('.node.added');
  const change = await page.waitForSelector('[data-testid=messages-change]');
  await change.click();
  await page.waitForSelector('.edge.passed');
  // the picture is drawn anew for the room that the list of changes leaves it
  await page.waitForFunction(
    () => {
      const { style } = document.querySelector('.sheet');
      const stands = style.transform === globalThis.stood;
      globalThis.stood = style.transform;
      return stands;
    },
    { polling: 300 },
  );
}

mkdirSync(folder, { recursive: true });
const browser = await puppeteer.launch({
  executablePath: chromium(),
  args: JSON.parse(readFileSync(join(ROOT, 'tools/setup/browser-flags.json'), 'utf8')),
  defaultViewport: { width: 1280, height: 800 },
});
try {
  const page = await browser.newPage();
  page.on('pageerror', (error) => console.error('page error:', error.message));
  page.on(
    'console',
    (message) => message.type() === 'error' && console.error('console:', message.text().slice(0, 200)),
  );
  await page.goto(`${address}/sign-in`, { waitUntil: 'networkidle2' });
  await page.type('input[name=handle]', 'mara');
  await page.type('input[name=password]', password);
  await page.click('button[type=submit]');
  await page.waitForSelector('h1');
  await page.waitForFunction(() => location.pathname === '/topologies');
  for (const { name, path, wait, dark, before } of PICTURES) {
    if (names.length && !names.includes(name)) continue;
    await page.evaluate(
      (value) => localStorage.setItem('vueuse-color-scheme', value),
      dark ? 'dark' : 'light',
    );
    await page.goto(address + path, { waitUntil: 'networkidle2' });
    await page.waitForSelector(wait, { timeout: 15_000 });
    await before?.(page);
    await page.evaluate(() => document.fonts.ready.then(() => undefined));
    await page.screenshot({ path: join(folder, `${name}.png`) });
    console.log(`${name}.png`);
  }
} finally {
  await browser.close();
}
