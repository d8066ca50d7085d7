/** A real server process on a real database and broker, and a real browser in front of it. */
import { spawn, type ChildProcess } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import { join } from 'node:path';
import { Client } from 'pg';
import browserFlags from '../tools/setup/browser-flags.json';
import puppeteer, { type Browser, type ElementHandle, type Page } from 'puppeteer-core';
import { freePort } from '../server/testing/free-port.ts';

const ROOT = join(__dirname, '..');
export const PASSWORD = 'a password for the story';
const PATIENCE = 60_000;
// a busy machine is slow ten times over, and no less right
jest.setTimeout(4 * PATIENCE);
/** A server makes its database first, which on a busy disk takes its time. */
const TO_START = 60_000;

function need(name: string): string {
  const value = process.env[name];
  if (!value) throw new Error('run these tests with `npm test -- e2e`, which starts what they need');
  return value;
}

/** Takes away what an earlier run left on the broker, so that there is something to roll out. */
async function forgetRollouts(): Promise<void> {
  const { username, password, host } = new URL(need('TEST_BROKER_HTTP'));
  const authorization = `Basic ${Buffer.from(`${username}:${password}`).toString('base64')}`;
  for (const vhost of ['rehearsal-mainland', 'rehearsal-islet']) {
    await fetch(`http://${host}/api/vhosts/${vhost}`, { method: 'DELETE', headers: { authorization } });
  }
  // users of apps belong to who made them: another database knows nothing of them
  const users = (await (
    await fetch(`http://${host}/api/users?columns=name`, { headers: { authorization } })
  ).json()) as { name: string }[];
  for (const { name } of users)
    if (name.startsWith('auklet-ferries.'))
      await fetch(`http://${host}/api/users/${name}`, { method: 'DELETE', headers: { authorization } });
}

export interface World {
  readonly address: string;
  readonly page: Page;
  readonly browser: Browser;
  /** Mistakes the page reported on its console. */
  readonly mistakes: string[];
  /** Ends the server as a power cut would. */
  killServer(): Promise<void>;
  startServer(): Promise<void>;
  close(): Promise<void>;
}

/** @param more settings of the server, by where it is */
export async function world(more: (address: string) => NodeJS.ProcessEnv = () => ({})): Promise<World> {
  const database = `e2e_${randomBytes(6).toString('hex')}`;
  const admin = new Client({ connectionString: need('TEST_DATABASE_URL') });
  await admin.connect();
  await admin.query(`create database ${database}`);
  const url = new URL(need('TEST_DATABASE_URL'));
  url.pathname = `/${database}`;
  const port = await freePort();
  const address = `http://127.0.0.1:${port}`;
  let server: ChildProcess | undefined;
  await forgetRollouts();

  const startServer = async () => {
    const child = spawn(process.execPath, [join(ROOT, 'server/dist/main.mjs')], {
      cwd: ROOT,
      stdio: ['ignore', 'ignore', 'inherit'],
      env: {
        ...process.env,
        DATABASE_URL: url.href,
        PORT: String(port),
        VONDLE_SECRET: 'a secret for the story alone',
        VONDLE_DEMO_PASSWORD: PASSWORD,
        VONDLE_BROKER_AMQP: need('TEST_BROKER_AMQP'),
        VONDLE_BROKER_HTTP: need('TEST_BROKER_HTTP'),
        VONDLE_TARGETS: 'loopback',
        LOG_LEVEL: 'error',
        ...more(address),
      },
    });
    server = child;
    const until = Date.now() + TO_START;
    while (Date.now() < until) {
      const up = await fetch(`${address}/api/ready`).then(
        (response) => response.ok,
        () => false,
      );
      if (up) return;
      if (child.exitCode !== null) throw new Error(`the server ended with ${child.exitCode}`);
      await new Promise((done) => setTimeout(done, 50));
    }
    child.kill('SIGKILL');
    throw new Error('the server did not start');
  };
  const killServer = () =>
    new Promise<void>((done) => {
      server!.once('exit', () => done());
      server!.kill('SIGKILL');
    });

  await startServer();
  const browser = await puppeteer.launch({
    executablePath: need('TEST_CHROMIUM'),
    args: browserFlags,
    defaultViewport: { width: 1280, height: 800 },
  });
  const page = await browser.newPage();
  page.setDefaultTimeout(PATIENCE);
  const mistakes: string[] = [];
  page.on('pageerror', (error) => mistakes.push(String(error)));
  // what the interface catches by itself is only written to the console
  page.on('console', (message) => {
    const text = message.text();
    if (
      message.type() === 'error' &&
      /\b(Reference|Type|Range)Error\b/.test(text) &&
      !/fetch|network/i.test(text)
    )
      mistakes.push(text);
  });
  return {
    address,
    page,
    browser,
    mistakes,
    killServer,
    startServer,
    async close() {
      await browser.close();
      await killServer();
      await admin.query(`drop database ${database} with (force)`);
      await admin.end();
    },
  };
}

/** Waits until an element's text fits. @returns the text */
export async function see(page: Page, selector: string, wanted: string | RegExp): Promise<string> {
  const [source, flags] =
    typeof wanted === 'string'
      ? [wanted.replace(/[.*+?^${}()|[\]\\]/g, '\\$&'), '']
      : [wanted.source, wanted.flags];
  try {
    const handle = await page.waitForFunction(
      (css: string, pattern: string, how: string) => {
        const texts = [...document.querySelectorAll(css)].map(
          (element) => element.textContent?.replace(/\s+/g, ' ').trim() ?? '',
        );
        return texts.find((text) => new RegExp(pattern, how).test(text));
      },
      {},
      selector,
      source,
      flags,
    );
    return (await handle.jsonValue()) as string;
  } catch (error) {
    const there = await page.$$eval(selector, (all) =>
      all.map((element) => element.textContent?.replace(/\s+/g, ' ').trim()),
    );
    throw new Error(
      `did not see ${wanted} in ${selector}; there is: ${JSON.stringify(there).slice(0, 1500)}`,
      { cause: error },
    );
  }
}

/** Clicks the first element of that kind whose text fits, once it is on the screen. */
export async function press(page: Page, selector: string, text: string | RegExp, tries = 5): Promise<void> {
  await see(page, selector, text);
  const [source, flags] =
    typeof text === 'string' ? [text.replace(/[.*+?^${}()|[\]\\]/g, '\\$&'), ''] : [text.source, text.flags];
  const handle = await page.waitForFunction(
    (css: string, pattern: string, how: string) => {
      return [...document.querySelectorAll(css)].find(
        (element) =>
          new RegExp(pattern, how).test(element.textContent?.replace(/\s+/g, ' ').trim() ?? '') &&
          element.checkVisibility({ opacityProperty: true, visibilityProperty: true }) &&
          // what is still coming in is not pressed: it would not be there any more
          element.getAnimations({ subtree: false }).length === 0 &&
          !element.closest('[class*="-enter-active"], [class*="-leave-active"]') &&
          // what is at work, or may not be used yet, would swallow the press
          !(element as HTMLButtonElement).disabled &&
          !element.classList.contains('is-loading') &&
          element.getClientRects().length > 0 &&
          // what is still being moved about is not where it is pressed a moment later
          stands(element),
      );
      function stands(element: Element): boolean {
        const { x, y } = element.getBoundingClientRect();
        const known = element as { stood?: string };
        const stood = known.stood === `${x} ${y}`;
        known.stood = `${x} ${y}`;
        return stood;
      }
    },
    {},
    selector,
    source,
    flags,
  );
  const element = handle.asElement() as ElementHandle<Element>;
  await element.evaluate((wanted) => {
    const pressed = window as { pressed?: boolean };
    pressed.pressed = false;
    const note = (event: Event) => {
      document.removeEventListener('click', note, true);
      pressed.pressed = event.composedPath().includes(wanted);
    };
    document.addEventListener('click', note, true);
  });
  await element.click();
  // what moved away under the pointer at the last moment was not pressed: as anyone would, press again
  const landed = await page
    .evaluate(() => (window as { pressed?: boolean }).pressed !== false)
    .catch(() => true); // the press led to another page
  if (!landed && tries > 1) await press(page, selector, text, tries - 1);
}

export async function signIn(
  page: Page,
  address: string,
  handle: string,
  password = PASSWORD,
): Promise<void> {
  await page.goto(`${address}/sign-in`);
  await page.waitForSelector('input[name=handle]');
  await page.type('input[name=handle]', handle);
  await page.type('input[name=password]', password);
  await page.click('button[type=submit]');
}

/** @returns a server with the demo, and a browser in which its architect is signed in */
export async function worldOfMara(more?: (address: string) => NodeJS.ProcessEnv): Promise<World> {
  const made = await world(more);
  await signIn(made.page, made.address, 'mara');
  await see(made.page, 'main li', 'Auklet Isles Ferries');
  return made;
}

/** Selects a stretch of a document in the editor and types over it. */
export async function typeOver(
  page: Page,
  address: string,
  doc: string,
  find: string,
  text: string,
): Promise<void> {
  const current = await page.evaluate(async (name: string) => {
    const response = await fetch('/api/topologies/auklet-ferries');
    const { draft } = (await response.json()) as { draft: { documents: { name: string; text: string }[] } };
    return draft.documents.find((document) => document.name === name)!.text;
  }, doc);
  const start = current.indexOf(find);
  if (start < 0) throw new Error(`${doc} has no ${JSON.stringify(find)}`);
  await page.goto(`${address}/t/auklet-ferries/declare?doc=${doc}&at=${start}-${start + find.length}`);
  await page.waitForFunction((wanted: string) => document.getSelection()?.toString() === wanted, {}, find);
  await page.keyboard.type(text);
}
