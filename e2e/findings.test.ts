/** What is wrong, what was promised, and who may what: the views that look a draft through. */
import { press, see, typeOver, type World, worldOfMara } from './harness.ts';

let w: World;
const base = '/t/auklet-ferries';
const counts = '[data-testid=finding-counts]';
const saved = '[data-testid=save-state]';
beforeAll(async () => {
  w = await worldOfMara();
});
afterAll(async () => {
  await w?.close();
});

const go = (path: string) => w.page.goto(`${w.address}${base}${path}`);
const rows = () =>
  w.page.$$eval('[data-testid=finding-row]', (all) =>
    all.map((row) => row.textContent.replace(/\s+/g, ' ').trim()),
  );

test('findings are narrowed, grouped, and gone through by keys', async () => {
  const { page } = w;
  await go('/findings');
  await see(page, '[data-testid=finding-row]', 'Topic shore/notices');
  expect(await rows()).toHaveLength(6);
  // all of them are the draft's own
  expect((await rows()).every((row) => row.endsWith('new'))).toBe(true);
  await page.focus('[data-testid=finding-row][aria-current=true]');
  await page.keyboard.press('ArrowDown');
  await see(page, '[data-testid=the-finding] h1', '3 instances of quay-screens');
  await page.keyboard.press('ArrowUp');
  await see(page, '[data-testid=the-finding] h1', 'Topic shore/notices');
  await page.type('input[aria-label="find in findings"]', 'night');
  await page.waitForFunction(() => document.querySelectorAll('[data-testid=finding-row]').length === 2);
  await press(page, '[data-testid=the-finding] button', /storm-season.yaml \d+/);
  await see(page, '.cm-content', 'urgency > 2');
  // what is wrong with a thing is told in its close-up too
  await go('/declare?doc=shore.yaml&sel=topic:shore/notices');
  await see(page, '[data-testid=close-up]', 'may not publish into shore/texting-in');
  await go('/declare?doc=shore.yaml&sel=subscription:shore/texting');
  await see(page, '[data-testid=close-up]', 'may not publish into shore/texting-in');
});

test('a finding that is meant is accepted with a reason, which the text keeps', async () => {
  const { page } = w;
  await go('/findings');
  await press(page, '[data-testid=finding-row]', 'Nothing leads to mainland/rostering');
  await see(page, '[data-testid=the-finding] h1', 'rostering');
  await page.type('input[aria-label="why it is meant"]', 'crews start in May');
  await press(page, '[data-testid=the-finding] button', 'Accept it');
  await see(page, counts, /^4 errors ?1 warning/);
  await see(page, '[data-testid=accepted]', '“crews start in May”');
  await see(page, saved, /^saved$/);
  await go('/declare?doc=mainland.yaml');
  await see(page, '.cm-content', 'check: nowhere/unreachable-store, because: crews start in May');
});

test('permission that is missing is seen in the matrix, and written for a whole route', async () => {
  const { page } = w;
  await go('/access');
  await see(page, '[data-testid=cell]', 'p');
  await page.click('[aria-label="shore/notices publish texting-in: needed and refused"]');
  await see(
    page,
    '[data-testid=the-cell]',
    'no statement lets topic:shore/notices publish into shore/texting-in',
  );
  await see(page, '[data-testid=the-cell]', 'Needed because subscription texting hands messages to it');
  await go('/access?part=missing');
  await see(page, '[data-testid=need]', 'shore/notices publishes to shore/texting-in');
  await go('/access?part=unused');
  await see(page, '.statements', 'night desk reads');
  await go('/access?part=label&label=financial');
  await see(
    page,
    '[data-testid=label-reach]',
    'fareworks-settlementfareworksshore/fareworks-infare-refunded',
  );
  await see(page, '.labels', 'These may, though none of their ways does');
  await go('/access?part=route');
  await see(page, '[data-testid=need]', 'bridge-console publishes to mainland/sailings');
  await go('/access?part=missing');
  await press(page, '.permission button', 'Write the narrowest statement for it');
  await see(page, '.permission', 'Nothing is missing: every way has the permission it needs.');
  await see(page, counts, /^3 errors/);
});

test('a question about permission is answered with what decides', async () => {
  const { page } = w;
  await go('/access?part=ask');
  const choose = async (label: string, words: string) => {
    const box = await page.waitForSelector(`.ask .el-select:has(input[aria-label="${label}"])`);
    await box!.click();
    await page.waitForFunction(
      (wanted: string) =>
        [...document.querySelectorAll<HTMLElement>('.el-select-dropdown__item')].some(
          (each) => each.textContent.trim() === wanted && each.offsetParent !== null,
        ),
      {},
      words,
    );
    await page.$$eval(
      '.el-select-dropdown__item',
      (all, wanted) =>
        (all as HTMLElement[])
          .find((each) => each.textContent.trim() === wanted && each.offsetParent !== null)!
          .click(),
      words,
    );
    // the next list opens only once this one is gone
    await page.waitForFunction(() =>
      [...document.querySelectorAll<HTMLElement>('.el-select-dropdown')].every(
        (each) => each.offsetParent === null,
      ),
    );
  };
  await choose('who', 'tenant:northquay');
  await choose('on what', 'mainland/boards');
  await see(page, '[data-testid=answer]', 'No: tenant:northquay may not consume from mainland/boards');
  await choose('on what', 'shore/quay-closures');
  await see(page, '[data-testid=answer]', /^Yes: .*“harbour control reads” allows it/);
});

test('a change that breaks a promise is told at once, with the message that breaks it', async () => {
  const { page } = w;
  await go('/expectations');
  await see(page, 'h1', '20 kept');
  await see(page, '[data-testid=proof]', 'proved for all 3 messages');
  await typeOver(
    page,
    w.address,
    'mainland.yaml',
    'to: boards, key: "sailing.#"',
    'to: boards, key: "sailing.*.arrived"',
  );
  await see(page, counts, '2 of 20 expectations broken');
  await press(page, 'nav a', 'Expectations');
  await see(page, 'h1', '2 broken');
  await see(page, '[data-testid=proof]', 'every departure reaches the boards and the archive');
  await see(
    page,
    '[data-testid=proof].broken',
    'does not reach mainland/boards: it reaches mainland/archive-in',
  );
  await press(page, '[data-testid=proof].broken button', 'Follow that message');
  await see(page, '[data-testid=ledger]', 'mainland/archive-in');
  await see(page, 'nav', /Expectations ?2/);
  // what the draft does to the promises of its base is new, and cured again by undo
  await press(page, 'nav a', 'Findings');
  await press(page, '[data-testid=finding-row]', 'every departure reaches the boards');
  await press(page, 'header button', /^undo$/);
  await see(page, counts, '20 expectations kept');
});

test('all findings of a kind are mended in one go, and undone in one', async () => {
  const { page } = w;
  await typeOver(page, w.address, 'shore.yaml', 'access: controlled', 'access: controlled # all of it');
  await go('/declare?doc=partners.yaml');
  await see(page, '.cm-content', 'fareworks takes refunds');
  await typeOver(
    page,
    w.address,
    'partners.yaml',
    'who: app:auditor, on: shore/audit',
    'who: app:auditor, on: shore/audits',
  );
  await typeOver(
    page,
    w.address,
    'access.yaml',
    'who: app:kiosk-screens, on: shore/kiosks',
    'who: app:kiosk-screens, on: shore/kiosk',
  );
  await see(page, counts, /^(3|5) errors/);
  await press(page, 'nav a', 'Findings');
  await press(page, '[data-testid=finding-row]', 'which is not there. Did you mean');
  await press(page, '[data-testid=the-finding] button', 'Mend all 2 of this kind');
  await see(page, '[role=status].good', '2 mended; undo takes all of it back.');
  await see(page, counts, /^3 errors ?1 warning/);
  await press(page, 'header button', /^undo$/);
  await see(page, '[data-testid=finding-row]', 'shore/kiosk, which is not there');
  await press(page, 'header button', 'redo');
  await see(page, counts, /^3 errors ?1 warning/);
});

test('no view reported a mistake on its console', () => {
  expect(w.mistakes).toEqual([]);
});

test('what matches the patterns of schemas is there once a text speaks of one', async () => {
  const { page } = w;
  const before = (await page.$eval(counts, (each) => each.textContent))!;
  await typeOver(
    page,
    w.address,
    'messages.yaml',
    'route: { type: string, enum: [north, south, outer] }',
    'route: { type: string, pattern: "^(?:east|west)$" }',
  );
  await go('/findings');
  await press(page, '[data-testid=finding-row]', 'match pattern');
  expect(await page.$eval(counts, (each) => each.textContent)).not.toBe(before);
  expect(w.mistakes).toEqual([]);
});
