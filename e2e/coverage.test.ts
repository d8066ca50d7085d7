/** All messages at once, in the browser: the matrix, what stands out, what reaches a store, and what a change does to them. */
import { press, see, typeOver, type World, worldOfMara } from './harness.ts';

let w: World;
const base = '/t/auklet-ferries';
beforeAll(async () => {
  w = await worldOfMara();
});
afterAll(async () => {
  await w?.close();
});

const go = (path: string) => w.page.goto(`${w.address}${base}${path}`);

test('the classes of a type stand against the stores they come to', async () => {
  const { page } = w;
  await go('/coverage');
  await press(page, '[data-testid=type]', 'closure-announced');
  await see(page, '[data-testid=publish]', 'duty-officer → shore/notices15 messages in 4 classes');
  await see(page, '[data-testid=class]', /6 of 15\s*area is not north and severity is 3 to 5/);
  // the type is in the address, as in every view
  expect(page.url()).toContain('type=closure-announced');
  // two rows are told apart
  for (const words of [
    'area is not north and severity is 3 to 5',
    'area is not north and severity is 1 to 2',
  ])
    await page.$eval(`[aria-label="tell apart: ${words}"]`, (box) => (box as HTMLElement).click());
  await see(page, '[data-testid=apart]', /severity is 3 to 5\s*against\s*severity is 1 to 2/);
});

test('a copy leads to its trace, a row to its way in the picture', async () => {
  const { page } = w;
  await page.click('[aria-label="refused at shore/texting-in"]');
  await see(
    page,
    '[data-testid=why-not]',
    'no statement lets topic:shore/notices publish into shore/texting-in',
  );
  expect(page.url()).toContain('/trace?');
  await go('/coverage?type=closure-announced');
  await press(page, '.when', 'area is outer');
  await page.waitForSelector('[data-edge].passed');
  expect(page.url()).toContain('/fan-out?');
  // what is followed is that message, not one of the samples
  await see(page, '.fan-out', 'closure.outer.berth');
});

test('what stands out is told, and which messages come to a store', async () => {
  const { page } = w;
  await go('/coverage?part=out');
  await see(
    page,
    '[data-testid=nobody]',
    /deck-reading.*2 of 6.*instrument is engine.*lost at mainland\/telemetry/s,
  );
  await see(page, '[data-testid=refused]', '1,713 of 1,803');
  await see(page, '[data-testid=unreached]', 'mainland/rostering');
  await go('/coverage?part=store&store=shore/quay-closures');
  await see(page, '[data-testid=class]', /closure-announced.*5 of 15.*area is north/s);
});

/** Compares the draft with the newest revision, in the picture. */
async function compare(): Promise<void> {
  await go('/fan-out');
  await (await w.page.waitForSelector('[data-testid=compare]'))!.click();
  await press(w.page, '.el-select-dropdown__item', 'against r3');
}

test('what a change does to messages is told beside the picture, and both ways light up', async () => {
  const { page } = w;
  await compare();
  await see(
    page,
    '[data-testid=messages-differ]',
    'All 9 sailing-cancelled messages from timetable-office to mainland/sailings now reach mainland/quay-screens.',
  );
  // as one types
  await typeOver(
    page,
    w.address,
    'mainland.yaml',
    'to: boards, key: "sailing.#"',
    'to: boards, key: "sailing.*.arrived"',
  );
  await compare();
  await press(
    page,
    '[data-testid=messages-change]',
    'All 3 sailing-departed messages from bridge-console to mainland/sailings no longer reach mainland/boards.',
  );
  // the way it went is seen beside the way it goes
  await page.waitForSelector('.edge.went');
  await see(page, '.legend', 'its way in r3, not now');
});

test('an expectation is proved for all messages, and refuted by one', async () => {
  const { page } = w;
  await go('/expectations');
  await see(page, '[data-testid=proof]', 'refuted by this message, of 3 messages tried');
  await see(page, '[data-testid=proof]', 'proved for all 6 messages');
});
