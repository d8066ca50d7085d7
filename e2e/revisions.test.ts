/** The revisions of a topology: what each changed, and the way back to one. */
import { press, see, type World, worldOfMara } from './harness.ts';

let w: World;
const base = '/t/auklet-ferries';
beforeAll(async () => {
  w = await worldOfMara();
});
afterAll(() => w?.close());

test('revisions are listed with how they stood, found by words, and say what they changed', async () => {
  const { page } = w;
  await page.goto(`${w.address}${base}/revisions`);
  await see(page, '[data-testid=revision]', /^r3/);
  await see(page, '[data-testid=stood]', 'promises kept, 0 broken');
  // in what messages do, and in what is declared
  await see(
    page,
    '[data-testid=messages-then]',
    '2 of 6 deck-reading messages from deck-instruments to mainland now reach',
  );
  await see(page, '[data-testid=things-then]', 'Queue mainland/manifests is new.');
  await press(page, '[data-testid=revision]', /^r1/);
  await see(page, 'article', 'the first');
  expect(page.url()).toContain('revision=1');
  await page.type('input[placeholder^="find by words"]', 'r2');
  await page.waitForFunction(() => document.querySelectorAll('[data-testid=revision]').length === 1);
});

test('the draft goes back to one, and undo brings it back', async () => {
  const { page } = w;
  await page.goto(`${w.address}${base}/revisions?revision=3`);
  await press(page, 'article button', 'Go back to this…');
  await press(page, 'article button', 'Put the draft back to r3');
  await see(page, '[data-testid=finding-counts]', /no findings|0 errors|^20 expectations/);
  await see(page, '[data-testid=save-state]', /^saved$/);
  await press(page, 'button', /^undo$/);
  await see(page, '[data-testid=finding-counts]', /^4 errors/);
  await page.goto(`${w.address}${base}/revisions?revision=2`);
  await press(page, 'article button', 'Compare the draft with it');
  await see(page, '[data-testid=changes]', 'Against r2');
});

test('under the text stands with which revision a line came', async () => {
  const { page } = w;
  await page.goto(`${w.address}${base}/declare?doc=islet.yaml`);
  await see(page, '[data-testid=origin]', /^r2 The islet gets a broker of its own/);
  await page.click('.cm-content');
  await page.keyboard.down('Control');
  await page.keyboard.press('Home');
  await page.keyboard.up('Control');
  await page.keyboard.type('# fresh');
  await see(page, '[data-testid=origin]', 'changed in this draft');
});

test('no view reported a mistake on its console', () => expect(w.mistakes).toEqual([]));
