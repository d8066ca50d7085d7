/** The bench as an instrument: the text, the forms and the picture help with each other. */
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { press, see, type World, worldOfMara } from './harness.ts';

let w: World;
const base = '/t/auklet-ferries';
beforeAll(async () => {
  w = await worldOfMara();
});
afterAll(async () => {
  await w?.close();
});

const chord = async (
  modifier: 'Control' | 'Alt' | 'Shift',
  key: Parameters<World['page']['keyboard']['press']>[0],
) => {
  await w.page.keyboard.down(modifier);
  await w.page.keyboard.press(key);
  await w.page.keyboard.up(modifier);
};
const saved = '[data-testid=save-state]';
const textOf = () => w.page.$eval('.cm-content', (content) => (content as HTMLElement).innerText);

async function declare(doc: string, query = '') {
  await w.page.goto(`${w.address}${base}/declare?doc=${doc}${query}`);
  await w.page.waitForSelector('.cm-line');
}

/** Puts the cursor at the end of the first line that holds some words. */
async function endOfLine(words: string) {
  const line = await w.page.waitForFunction(
    (wanted) => [...document.querySelectorAll('.cm-line')].find((each) => each.textContent.includes(wanted)),
    {},
    words,
  );
  await (line as unknown as { click(): Promise<void> }).click();
  await w.page.keyboard.press('End');
}

test('the editor offers names of the topology, writes the chosen one, and undo takes it back', async () => {
  const { page } = w;
  await declare('mainland.yaml');
  const before = await textOf();
  await endOfLine('key: "closure.#"');
  await page.keyboard.press('Enter');
  await page.keyboard.type('- { from: sailings, to: cus', { delay: 20 });
  await see(page, '.cm-tooltip-autocomplete', 'customs');
  // a list that has only just come does not take the Enter that was meant for the text
  await page.waitForFunction(() => {
    const list = document.querySelector<HTMLElement>('.cm-tooltip-autocomplete');
    const since = Number((list!.dataset['since'] ??= String(performance.now())));
    return performance.now() - since > 150;
  });
  await page.keyboard.press('Enter');
  await page.waitForFunction(() => /to: customs ?}/.test(document.querySelector('.cm-content')!.textContent));
  await see(page, saved, /^saved$/);
  for (let i = 0; i < 30 && (await textOf()) !== before; i++) await chord('Control', 'z');
  expect(await textOf()).toBe(before);
});

test('a form writes its words into the text, keeps the comment beside them, and is undone like typing', async () => {
  const { page } = w;
  await declare('mainland.yaml', '&sel=queue:mainland/storm');
  await see(page, '.close-up h2', 'mainland/storm');
  const ttl = await page.waitForSelector('input[id="set ttl"]');
  await ttl!.click({ clickCount: 3 });
  await page.keyboard.type('7m');
  await page.keyboard.press('Enter');
  await see(page, '.cm-content', 'storm: { ttl: 7m,');
  await press(page, '.settings button', 'more not stated');
  await page.waitForSelector('input[id="set maxPriority"]');
  await press(page, 'header button', 'undo');
  await see(page, '.cm-content', 'storm: { ttl: 5m,');
  await press(page, 'header button', 'redo');
  await see(page, '.cm-content', 'storm: { ttl: 7m,');
  await press(page, 'header button', 'undo');
  await see(page, saved, /^saved$/);
});

test('a filter is tried on the samples that come to it while it is written, then put into the text', async () => {
  const { page } = w;
  await declare('shore.yaml', '&sel=subscription:shore/texting');
  await see(page, '[data-testid=passing]', /^4 of 6 samples that come here pass$/);
  const field = await page.waitForSelector('.condition textarea, .condition input');
  await field!.focus();
  await page.keyboard.press('End');
  for (let i = 0; i < 3; i++) await page.keyboard.press('ArrowLeft');
  await page.keyboard.type('0');
  await see(page, '[data-testid=passing]', /^2 of 6 samples .* as written above$/);
  await see(page, '.condition li', /^not ?sailing-delayed: north 45 late/);
  await page.keyboard.type("'");
  await see(page, '.condition [role=alert]', /./);
  await page.keyboard.press('Backspace');
  await see(page, '[data-testid=passing]', /^2 of 6/);
  await press(page, '.condition button', 'write it');
  await see(page, '.cm-content', 'delayMinutes >= 300');
  await press(page, 'header button', 'undo');
  await see(page, '[data-testid=passing]', /^4 of 6 samples that come here pass$/);
  // who goes away while a save is on its way meets it as somebody else's
  await see(page, saved, /^saved$/);
});

test('a queue is begun with its subscription, its taker and their permission, shown as text first', async () => {
  const { page } = w;
  const pick = async (list: string, words: string) => {
    await page.$eval(`[data-testid=form] [aria-label="${list}"]`, (input) =>
      (input as HTMLInputElement).click(),
    );
    const option = await page.waitForFunction(
      (wanted: string) =>
        [...document.querySelectorAll<HTMLElement>('.el-select-dropdown__item')].find(
          (each) => each.textContent.trim() === wanted && each.offsetParent !== null,
        ),
      {},
      words,
    );
    await (option as unknown as { evaluate(run: (each: HTMLElement) => void): Promise<void> }).evaluate(
      (each) => each.click(),
    );
  };
  await declare('shore.yaml', '&sel=topic:shore/notices');
  await see(page, '.close-up h2', 'shore/notices');
  await press(page, '.outline [data-testid=new]', 'New');
  await press(page, '.el-dropdown-menu__item', /^queue$/);
  await page.waitForSelector('[data-testid=form]');
  await page.type('[data-testid=form] [aria-label=name]', 'lost-property');
  await pick('fed by', 'notices');
  await page.type('[data-testid=form] [aria-label=condition]', 'severity >= 2');
  await pick('taken by', 'kiosk-screens');
  await see(page, '[data-testid=becomes]', /topic:shore\/notices.*lost-property-feed/);
  await press(page, '[data-testid=form] button', /^write it$/);
  await see(page, '.close-up h2', 'shore/lost-property');
  await see(page, '.close-up .reach', 'closure-announced');
  await see(page, '.cm-content', 'lost-property-feed: { topic: notices, to: lost-property');
  await see(page, '[data-testid=finding-counts]', /^4 errors ?2 warnings ?20 expectations kept$/);
  await press(page, 'header button', 'undo');
  await see(page, '.outline', /texting-in/);
  await see(page, saved, /^saved$/);
});

test('a name is renamed everywhere, in every document', async () => {
  const { page } = w;
  await declare('mainland.yaml', '&sel=queue:mainland/incidents');
  await see(page, '.close-up h2', 'mainland/incidents');
  await press(page, '.close-up button', 'rename');
  const field = await page.waitForSelector('.close-up input[aria-label="new name"]');
  await field!.click({ clickCount: 3 });
  await page.keyboard.type('troubles');
  await page.keyboard.press('Enter');
  await see(page, '.close-up h2', 'mainland/troubles');
  await see(page, '.cm-content', 'deadLetter: { to: troubles }');
  await press(page, '.documents a', 'apps.yaml');
  await see(page, '.cm-content', 'mainland/troubles');
  await see(page, '[data-testid=finding-counts]', /^4 errors ?2 warnings ?20 expectations kept$/);
  await press(page, 'header button', 'undo');
});

test('anything is gone to by name, and the keys are on a sheet', async () => {
  const { page } = w;
  await page.goto(`${w.address}${base}/fan-out`);
  await page.waitForSelector('.node');
  await chord('Alt', 'j');
  await page.waitForFunction(() => document.activeElement?.getAttribute('role') === 'combobox');
  await page.keyboard.type('texting-in');
  await see(page, '[role=option][aria-selected=true]', 'shore/texting-in');
  await page.keyboard.press('Enter');
  await see(page, '.close-up h2', 'shore/texting-in');
  await page.keyboard.type('?');
  await see(page, '.el-dialog kbd', 'Alt J');
  await page.keyboard.press('Escape');
  await chord('Alt', '1');
  await page.waitForFunction(() => location.pathname.endsWith('/declare'));
  await chord('Alt', 'n');
  await page.waitForFunction(() => /at=\d+-\d+/.test(location.search));
});

describe('the picture', () => {
  const choose = async (list: string, words: string) => {
    await w.page.click(list);
    await press(w.page, '.el-select-dropdown__item', words);
  };
  const nodes = () => w.page.$$eval('.node', (all) => all.length);

  beforeAll(async () => {
    await w.page.goto(`${w.address}${base}/fan-out?sel=queue:shore/texting-in`);
    await w.page.waitForSelector('.node.selected');
  });

  test('a picked store lights up what can reach it', async () => {
    const reaching = await w.page.$$eval('.node.reaches', (all) =>
      all.map((each) => each.getAttribute('data-node')),
    );
    expect(reaching).toContain('topic:shore/notices');
    expect(reaching).not.toContain('exchange:mainland/freight');
  });

  test('its neighbourhood stands alone', async () => {
    const whole = await nodes();
    await choose('[data-testid=near]', '1 way round');
    await w.page.waitForFunction((n) => document.querySelectorAll('.node').length < n, {}, whole);
    expect(await nodes()).toBeLessThan(8);
    await choose('[data-testid=near]', 'all of it');
    await w.page.waitForFunction((n) => document.querySelectorAll('.node').length === n, {}, whole);
  });

  test('a broker folds to one plate and opens again', async () => {
    const whole = await nodes();
    const band = '.band-name[aria-label^="mainland "]';
    await w.page.click(band);
    await w.page.waitForSelector('[data-node="broker:mainland"]');
    expect(await nodes()).toBeLessThan(whole - 10);
    await w.page.$eval(band, (head) => (head as unknown as SVGElement).focus());
    await w.page.keyboard.press('Enter');
    await w.page.waitForFunction((n) => document.querySelectorAll('.node').length === n, {}, whole);
  });

  test('against a revision it shows what the draft adds, and leads to each change', async () => {
    await w.page.goto(`${w.address}${base}/fan-out`);
    await w.page.waitForSelector('.node');
    await choose('[data-testid=compare]', 'against r3');
    await see(w.page, '[data-testid=changes]', 'Queue mainland/rostering is new.');
    await w.page.waitForSelector('.node.added[data-node="queue:mainland/rostering"]');
    // what did not change is folded away, until it is asked for
    expect(await w.page.$('[data-node="queue:mainland/boards"]')).toBeNull();
    await w.page.waitForSelector('[data-node="broker:mainland"]');
    await w.page.click('[data-testid=fold-unchanged]');
    await w.page.waitForSelector('[data-node="queue:mainland/boards"]');
    expect(await w.page.$('.node.added[data-node="queue:mainland/boards"]')).toBeNull();
    await w.page.click('[data-testid=fold-unchanged]');
    await press(w.page, '[data-testid=changes] button', 'Queue mainland/rostering');
    await see(w.page, '.close-up h2', 'mainland/rostering');
    await see(w.page, '[data-testid=thing-origin]', 'changed in this draft');
  });

  test('the picture and the graph are saved as files that stand alone', async () => {
    const client = await w.page.createCDPSession();
    const folder = join(process.env['TEST_HOME']!, 'downloads');
    await client.send('Browser.setDownloadBehavior', { behavior: 'allow', downloadPath: folder });
    const save = async (words: string, ending: string) => {
      await w.page.click('[data-testid=save-picture]');
      await press(w.page, '.el-dropdown-menu__item', words);
      // a menu on its way out would take the next press
      await w.page.waitForFunction(() =>
        [...document.querySelectorAll('.el-dropdown-menu__item')].every((each) => !each.checkVisibility()),
      );
      const path = join(folder, `auklet-ferries.${ending}`);
      for (let i = 0; i < 100; i++) {
        const content = await new Promise<Buffer | undefined>((done) => {
          setTimeout(() => {
            try {
              done(readFileSync(path));
            } catch {
              done(undefined);
            }
          }, 50);
        });
        if (content?.length) return content;
      }
      throw new Error(`${path} did not come`);
    };
    const svg = String(await save('SVG', 'svg'));
    expect(svg).toMatch(/^<svg xmlns/);
    expect(svg).toContain('texting-in');
    expect(svg).not.toContain('var(--');
    expect((await save('PNG', 'png')).subarray(1, 4).toString()).toBe('PNG');
    expect(String(await save('DOT', 'dot'))).toMatch(/^digraph/);
    expect(String(await save('GraphML', 'graphml'))).toContain('<graphml');
  });
});
