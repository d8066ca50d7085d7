/** For everyone: no serious barrier in any view, light and dark; any name, any size of window. */
import { readFileSync } from 'node:fs';
import type { AxeResults } from 'axe-core';
import { see, signIn, world, type World } from './harness.ts';

let w: World;
const base = '/t/auklet-ferries';
const axe = readFileSync(require.resolve('axe-core/axe.min.js'), 'utf8');

beforeAll(async () => {
  w = await world();
});
afterAll(async () => {
  await w?.close();
});

const VIEWS: [string, string, string][] = [
  ['the list of topologies', '/topologies', 'main li'],
  ['Declare', `${base}/declare?doc=shore.yaml&sel=queue:shore/texting-in`, '.close-up h2'],
  [
    'Fan-out',
    `${base}/fan-out?type=closure-announced&from=duty-officer&sel=queue:shore/texting-in`,
    '.node.lit',
  ],
  ['Trace', `${base}/trace?type=closure-announced&from=duty-officer&sel=queue:shore/texting-in`, '.ledger'],
  ['Trace of many', `${base}/trace?type=closure-announced&from=duty-officer&of=many`, '.many form'],
  ['Trace of what is kept', `${base}/trace?of=kept`, '.kept'],
  ['Findings', `${base}/findings`, '[data-testid=diff]'],
  ['Expectations', `${base}/expectations`, '[data-testid=proof]'],
  ['Who may what', `${base}/access?broker=mainland`, '[data-testid=cell]'],
  ['Missing permission', `${base}/access?part=missing`, '[data-testid=need]'],
  ['Unused permission', `${base}/access?part=unused`, '.statements table'],
  ['The reach of a label', `${base}/access?part=label`, '[data-testid=label-reach]'],
  ['A question', `${base}/access?part=ask`, '.ask'],
  ['Rollout', `${base}/rollout`, 'main'],
  ['Declared', `${base}/declared?table=queue&sel=queue:shore/texting-in`, '[data-testid=row]'],
];

/** What stands in somebody's way in the page as it is, seriously. */
async function barriers(): Promise<string[]> {
  await w.page.evaluate(axe);
  const { violations } = (await w.page.evaluate('axe.run({ resultTypes: ["violations"] })')) as AxeResults;
  return violations
    .filter(({ impact }) => impact === 'serious' || impact === 'critical')
    .flatMap(({ id, nodes }) => nodes.map(({ html, failureSummary }) => `${id}: ${html} ${failureSummary}`));
}

describe.each(['light', 'dark'])('in %s', (scheme) => {
  beforeAll(async () => {
    await w.page.emulateMediaFeatures([{ name: 'prefers-color-scheme', value: scheme }]);
  });

  if (scheme === 'light')
    test('signing in has no serious barrier', async () => {
      await w.page.goto(`${w.address}/sign-in`);
      await w.page.waitForSelector('input[name=handle]');
      expect(await barriers()).toEqual([]);
      await signIn(w.page, w.address, 'mara');
      await see(w.page, 'main li', 'Auklet Isles Ferries');
    });

  test.each(VIEWS)('%s has no serious barrier', async (_, path, there) => {
    await w.page.goto(`${w.address}${path}`);
    await w.page.waitForSelector(there);
    expect(await w.page.evaluate(() => document.documentElement.classList.contains('dark'))).toBe(
      scheme === 'dark',
    );
    expect(await barriers()).toEqual([]);
    // the rail of views, where there is one, stands beside the view, which has the rest of the page
    const rail = await w.page.$('nav');
    const page = await w.page.evaluate(() => window.innerWidth);
    if (rail) expect((await rail.boundingBox())!.width).toBeLessThan(page / 4);
  });
});

describe('names of every kind', () => {
  const NAMES = [
    `long-${'a-very-long-name-'.repeat(14)}`.slice(0, 255),
    'שם של תור בעברית',
    '渡輪時刻表',
    '⛴️🌊 ferry 🚢',
    'a<b>&"c"',
  ];

  beforeAll(async () => {
    const queues = NAMES.map((name) => `      ${JSON.stringify(name)}: { ttl: 1m }`).join('\n');
    await w.page.goto(`${w.address}/topologies`);
    const put = await w.page.evaluate(async (more: string) => {
      const at = '/api/topologies/auklet-ferries';
      const { draft } = (await (await fetch(at)).json()) as {
        draft: { version: number; documents: { name: string; text: string }[] };
      };
      const changed = draft.documents
        .filter(({ name }) => name === 'islet.yaml')
        .map(({ name, text }) => ({ name, text: text.replace('    queues:\n', `    queues:\n${more}\n`) }));
      const response = await fetch(`${at}/draft`, {
        method: 'PATCH',
        headers: { 'content-type': 'application/json' },
        body: JSON.stringify({
          version: draft.version,
          names: draft.documents.map(({ name }) => name),
          changed,
        }),
      });
      return response.status;
    }, queues);
    expect(put).toBe(200);
  });

  test.each([
    [1280, 800],
    [1920, 1080],
  ])('fit a window of %d by %d in every view', async (width, height) => {
    await w.page.setViewport({ width, height });
    const id = `queue:islet/${NAMES[0]}`;
    for (const [, path, there] of VIEWS.slice(1)) {
      const url = new URL(`${w.address}${path}`);
      if (url.searchParams.has('sel')) url.searchParams.set('sel', id);
      await w.page.goto(url.href);
      await w.page.waitForSelector(there);
      const wide = await w.page.evaluate(() => {
        // what is cut off on purpose scrolls or is hidden inside its own frame
        const out = [...document.querySelectorAll('header, nav, aside, footer, main, .bar')].filter(
          (each) => {
            const box = each.getBoundingClientRect();
            return box.width > 0 && (box.right > innerWidth + 1 || box.left < -1);
          },
        );
        return [document.documentElement.scrollWidth - innerWidth, ...out.map((each) => each.className)];
      });
      expect([path, wide]).toEqual([path, [0]]);
    }
    expect(await w.page.$$eval('.node', (all) => all.length)).toBeGreaterThanOrEqual(0);
  });

  test('are drawn and read as they are', async () => {
    await w.page.goto(`${w.address}${base}/fan-out`);
    await w.page.waitForSelector('.node');
    const labels = await w.page.$$eval('.node', (all) =>
      all.map((each) => each.getAttribute('aria-label') ?? ''),
    );
    for (const name of NAMES) expect(labels.some((label) => label.includes(`islet/${name}`))).toBe(true);
    expect(w.mistakes).toEqual([]);
  });
});
