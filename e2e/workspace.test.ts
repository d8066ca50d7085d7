/** The bench as somebody works with it by keyboard, in the dark, and with odd names. */
import { press, see, type World, worldOfMara } from './harness.ts';

/** The address of the topology that is begun here. */
let mine = '';
let w: World;
beforeAll(async () => {
  w = await worldOfMara();
});
afterAll(async () => {
  await w?.close();
});

const counts = '[data-testid=finding-counts]';
const saved = '[data-testid=save-state]';

test('a new topology begins empty, says what to do, and grows as one types', async () => {
  const { page, address } = w;
  await press(page, '[data-testid=begin]', 'Begin a new one');
  await page.waitForSelector('.begin input');
  await page.type('.begin input', 'Harbour Trials');
  await press(page, '.begin button', 'Begin empty');
  await page.waitForFunction(() => /^\/t\/harbour-trials-[0-9a-f]{6}\/declare$/.test(location.pathname));
  mine = new URL(page.url()).pathname.split('/')[2]!;
  await press(page, 'nav a', 'Fan-out');
  await see(page, '.empty', 'Nothing is declared yet');
  await press(page, 'nav a', 'Declare');
  await page.waitForSelector('.cm-content');
  await page.click('.cm-content');
  await page.keyboard.down('Control');
  await page.keyboard.press('a');
  await page.keyboard.up('Control');
  const long = 'x'.repeat(255);
  const text = JSON.stringify({
    messages: { note: { key: 'a.b' } },
    apps: {
      דסק: {},
      desk: { publishes: [{ message: 'note', to: 'm/🛳 ferry' }], consumes: [{ from: `m/${long}` }] },
    },
    brokers: {
      m: {
        kind: 'amqp',
        access: 'open',
        exchanges: { '🛳 ferry': { type: 'topic' } },
        queues: { [long]: {}, 'תור ימינה': {} },
        bindings: [
          { from: '🛳 ferry', to: long, key: '#' },
          { from: '🛳 ferry', to: 'תור ימינה', key: 'a.*' },
        ],
      },
    },
  });
  await page.evaluate((value: string) => document.execCommand('insertText', false, value), text);
  // one id is not allowed, and says so; everything beside it is read
  await see(page, counts, '1 error');
  await see(page, '[data-testid=finding]', 'is no id');
  await see(page, saved, /^saved$/);
  await page.goto(`${address}/t/${mine}/fan-out?type=note`);
  await see(page, '[data-testid=sentence]', '1 message becomes 2 copies in 2 stores for 1 app');
  // long, right-to-left and picture names stay inside their plates
  const outside = await page.$$eval(
    '.node',
    (nodes) =>
      nodes.filter((node) => {
        const plate = node.querySelector('.plate')!.getBoundingClientRect();
        return [...node.querySelectorAll('text')].some(
          (label) => label.getBoundingClientRect().right > plate.right + 1,
        );
      }).length,
  );
  expect(outside).toBe(0);
  expect(await page.evaluate(() => document.documentElement.scrollWidth <= window.innerWidth)).toBe(true);
});

test('the graph is walked and read by keyboard', async () => {
  const { page, address } = w;
  await page.goto(`${address}/t/auklet-ferries/fan-out`);
  await page.waitForSelector('[data-node="exchange:mainland/sailings"]');
  // one node is a stop for Tab; the others are walked to
  expect(await page.$$eval('.node[tabindex="0"]', (all) => all.length)).toBe(1);
  await page.$eval('[data-node="exchange:mainland/sailings"]', (node) => (node as SVGElement).focus());
  await page.waitForSelector('[data-node="exchange:mainland/sailings"][tabindex="0"]');
  expect(await page.$$eval('.node[tabindex="0"]', (all) => all.length)).toBe(1);
  const focused = () => page.evaluate(() => document.activeElement?.getAttribute('data-node'));
  await page.keyboard.press('ArrowLeft');
  expect(await focused()).toMatch(/^publisher:/);
  await page.keyboard.press('ArrowRight');
  expect(await focused()).toMatch(/^exchange:/);
  await page.keyboard.press('Enter');
  await see(page, '.close-up h2', 'mainland/');
  const label = await page.$eval('[data-node="queue:mainland/boards"]', (node) =>
    node.getAttribute('aria-label'),
  );
  expect(label).toMatch(/: queue mainland\/boards, one per instance · ttl 10m$/);
  expect(await page.evaluate(() => new URL(location.href).searchParams.get('sel'))).toMatch(
    /^exchange:mainland\//,
  );
});

test('an address opens the same thing for a colleague', async () => {
  const { page, address } = w;
  await page.goto(
    `${address}/t/auklet-ferries/fan-out?type=closure-announced&sample=1&from=duty-officer&sel=subscription:shore/kiosks`,
  );
  await see(page, '.close-up h2', 'shore/kiosks');
  // the mild closure in the north: the boards and the archive, the kiosks and the harbour authority
  await see(page, '[data-testid=sentence]', '1 message becomes 9 copies in 4 stores for 4 apps');
  await page.waitForSelector('.node.lit[data-node="subscription:shore/quay-closures"]');
});

test('light and dark are chosen and remembered', async () => {
  const { page } = w;
  const paper = () => page.evaluate(() => getComputedStyle(document.body).backgroundColor);
  const before = await paper();
  await press(page, 'nav button', /^(dark|light)$/);
  await page.waitForFunction(
    (old: string) => getComputedStyle(document.body).backgroundColor !== old,
    {},
    before,
  );
  const after = await paper();
  await page.reload();
  await page.waitForSelector('[data-node]');
  expect(await paper()).toBe(after);
});

test('unsaved work survives a reload while the server is away', async () => {
  const { page, address } = w;
  await page.goto(`${address}/t/auklet-ferries/declare?doc=apps.yaml`);
  await page.waitForSelector('.cm-content');
  await w.killServer();
  await page.click('.cm-content');
  await page.keyboard.type('# kept here\n');
  await see(page, saved, 'offline');
  await w.startServer();
  await page.goto(`${address}/t/auklet-ferries/declare?doc=apps.yaml`);
  await see(page, '.cm-content', '# kept here');
  await see(page, saved, /^saved$/);
});

test('what is not there is said', async () => {
  const { page, address } = w;
  await page.goto(`${address}/nowhere`);
  await see(page, 'main', 'This address leads nowhere');
  await page.goto(`${address}/t/no-such-topology/fan-out`);
  await see(page, '[role=alert]', 'There is no such topology');
});

test('no view reported a mistake on its console', () => {
  expect(w.mistakes).toEqual([]);
});
