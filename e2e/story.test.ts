/** The whole story on real parts: from signing in to a probe that lands where the trace said. */
import { press, see, signIn, typeOver, world, PASSWORD, type World } from './harness.ts';

let w: World;
beforeAll(async () => {
  w = await world();
});
afterAll(async () => {
  await w?.close();
});

const BENCH = '/t/auklet-ferries';
const counts = '[data-testid=finding-counts]';
const saved = '[data-testid=save-state]';

test('a wrong password is told, the right one opens the topologies', async () => {
  const { page, address } = w;
  await page.goto(`${address}${BENCH}/trace`);
  await page.waitForFunction(() => location.pathname === '/sign-in');
  await signIn(page, address, 'mara', 'wrong');
  await see(page, '[role=alert]', 'wrong');
  await signIn(page, address, 'mara');
  await see(page, 'main li', 'Auklet Isles Ferries');
  await press(page, 'main li a', 'Auklet Isles Ferries');
  await see(page, counts, '4 errors');
  await see(page, '.lane', 'routed through');
  const nodes = await page.$$eval('[data-node]', (all) => all.map((node) => node.getAttribute('data-node')));
  expect(nodes).toEqual(
    expect.arrayContaining([
      'publisher:bridge-console',
      'exchange:mainland/sailings',
      'subscription:shore/kiosks',
    ]),
  );
});

test('breaking a binding in the text shows at once, in the findings and in the graph', async () => {
  const { page, address } = w;
  await typeOver(page, address, 'mainland.yaml', 'to: fares-sold', 'to: fares-sol');
  await see(page, counts, '6 errors');
  await see(page, '[data-testid=finding]', 'Did you mean fares-sold?');
  await see(page, '[data-testid=finding]', 'Nothing leads to mainland/fares-sold');
  await see(page, saved, /^saved$/);
  await press(page, 'nav a', 'Fan-out');
  await page.waitForSelector('[data-node="queue:mainland/fares-sold"]');
  expect(
    await page.$('[data-edge="binding exchange:mainland/fares → queue:mainland/fares-sold sold"]'),
  ).toBeNull();
});

test('killing the server loses nothing that was saved, and what is typed meanwhile is kept', async () => {
  const { page, address } = w;
  await w.killServer();
  await press(page, 'nav a', 'Declare');
  await page.waitForSelector('.cm-content');
  await page.click('.cm-content');
  await page.keyboard.down('Control');
  await page.keyboard.press('End');
  await page.keyboard.up('Control');
  await page.keyboard.type('# typed while the server was away');
  await see(page, saved, 'offline');
  await w.startServer();
  await see(page, saved, /^saved$/);
  await page.goto(`${address}${BENCH}/declare?doc=mainland.yaml`);
  await see(page, counts, '6 errors');
  const documents = await page.evaluate(async () => {
    const response = await fetch('/api/topologies/auklet-ferries');
    return ((await response.json()) as { draft: { documents: { text: string }[] } }).draft.documents
      .map(({ text }) => text)
      .join('');
  });
  expect(documents).toContain('# typed while the server was away');
  expect(documents).toContain('to: fares-sol,');
});

test('a mistyped name is mended where it stands', async () => {
  const { page } = w;
  await press(page, '[data-testid=finding] button', 'Write fares-sold');
  await see(page, counts, /^4 errors ?2 warnings ?20 expectations kept$/);
  await see(page, saved, /^saved$/);
});

test('a visitor goes through the findings, sees each mend as a change, and makes it', async () => {
  const { page } = w;
  await press(page, 'nav a', 'Findings');
  const kinds: string[] = [];
  for (let left = 6; left > 0; left--) {
    await see(page, 'nav', new RegExp(`Findings ?${left}`));
    // the count falls before the next finding is opened
    const kind = await page.waitForFunction(
      (seen: string[]) => {
        const shown = document.querySelector('[data-testid=the-finding] .mono')?.textContent;
        return shown !== undefined && !seen.includes(shown) && shown;
      },
      {},
      kinds,
    );
    kinds.push((await kind.jsonValue()) as string);
    await see(page, '[data-testid=the-finding]', 'Why it matters.');
    await see(page, '[data-testid=the-finding] [data-testid=diff]', '+ ');
    // the first mend: while that comes in under the pointer, the next button would be pressed in its stead
    await press(page, '[data-testid=the-finding] .mends > li:first-child .el-button', /./);
    if (left > 1) await see(page, 'nav', new RegExp(`Findings ?${left - 1}`));
  }
  await see(page, counts, /^no findings ?20 expectations kept$/);
  await see(page, '.all', 'Nothing is wrong, as far as the checks and the expectations can tell.');
  expect(kinds.sort()).toEqual([
    'access/everyone',
    'access/missing-permission',
    'copies/shared-store',
    'match/never',
    'match/undeclared-attribute',
    'nowhere/unreachable-store',
  ]);
  await see(page, saved, /^saved$/);
  await press(page, 'nav a', 'Fan-out');
  await page.waitForSelector(
    '[data-edge="binding exchange:mainland/sailings → queue:mainland/rostering sailing.*.delayed"]',
  );
  await page.waitForSelector(
    '[data-edge="binding exchange:mainland/fares → queue:mainland/fares-sold sold"]',
  );
});

test('a message is traced to the right queues, with the reasons', async () => {
  const { page, address } = w;
  await page.goto(`${address}${BENCH}/trace?type=sailing-delayed&from=bridge-console`);
  await see(page, '[data-testid=sentence]', '1 message becomes 11 copies in 6 stores for 6 apps');
  await see(page, '.hop', 'sailing.*.delayed matches sailing.north.delayed');
  await see(page, '[data-testid=ledger]', 'mainland/boards6departure-board');
  await see(page, '.hop', 'delayMinutes >= 30 is true: delayMinutes is 45');
  await page.waitForSelector('.node.lit[data-node="queue:mainland/rostering"]');
  await page.waitForSelector(
    '.edge.passed[data-edge^="binding exchange:mainland/sailings → queue:mainland/rostering"]',
  );
  // another value, another way
  await page.click('input[name=key]', { count: 3 });
  await page.keyboard.type('sailing.north.sunk');
  await page.waitForSelector('.node:not(.lit)[data-node="queue:mainland/rostering"]');
  await press(page, '.compose button', 'back to the sample');
  await page.waitForSelector('.node.lit[data-node="queue:mainland/rostering"]');
});

test('a store that gets no copy says why, and a change that was tried can be made', async () => {
  const { page, address } = w;
  await page.goto(`${address}${BENCH}/trace?type=sailing-departed&sel=queue:mainland/to-islet`);
  await see(
    page,
    '[data-testid=why-not]',
    '*.outer.# does not match sailing.north.departed: word 2 is north, not outer',
  );
  await press(page, '[data-testid=why-not] li button', 'try');
  await see(page, '[data-testid=ledger]', 'islet/desk1islet-desk40 ms');
  expect(await page.$eval('input[name=key]', (input) => (input as HTMLInputElement).value)).toBe(
    'sailing.outer.departed',
  );
  expect(await page.$('[data-testid=why-not]')).toBeNull();
  await press(page, '.compose button', 'back to the sample');
  await see(page, '[data-testid=why-not]', 'bind to-islet to sailings for this message too');
  await page.goto(`${address}${BENCH}/trace?type=sailing-delayed&from=bridge-console`);
  await see(page, '[data-testid=ledger]', 'mainland/rostering');
});

test('a revision is saved with its words', async () => {
  const { page } = w;
  await press(page, 'header button', 'Save revision');
  await page.waitForSelector('textarea[name=words]', { visible: true });
  await page.type('textarea[name=words]', 'Crews hear of delays, and passengers are texted.');
  await press(page, 'form.save button', 'Save');
  await see(page, 'header', 'draft on r3');
  // no dialog is in the way any more
  await page.waitForFunction(() =>
    [...document.querySelectorAll('.el-overlay')].every((each) => getComputedStyle(each).display === 'none'),
  );
});

test('the revision is applied to a real broker, and a probe lands as predicted', async () => {
  const { page } = w;
  await press(page, 'nav a', 'Rollout');
  await press(page, '.choose button', 'list the steps');
  await see(page, '[data-testid=step]', 'declare queue boards.6');
  await see(page, '[data-testid=step]', 'bind sailings → rostering on sailing.*.delayed');
  await press(page, '.acts button', /Apply \d+ steps/);
  await see(page, '[data-testid=rollout-state]', /^applied$/);
  await see(page, '.steps', 'Read back: the broker is as the revision says.');
  await press(page, '.probe button', 'Send a probe to mainland/sailings');
  await see(page, '[data-testid=probe]', 'It landed exactly where the trace says.');
  const table = await see(page, '[data-testid=probe]', 'rostering');
  for (const queue of ['archive-in', 'boards.1', 'boards.6', 'rostering'])
    expect(table).toContain(`${queue}11`);
  expect(table).not.toContain('customs');
  // planned again, there is nothing left to do
  await press(page, '.choose button', 'list the steps');
  await see(page, '.steps', 'Nothing to do: the broker has all of it already.');
});

test('a reader sees all and changes nothing', async () => {
  const { page, address } = w;
  await press(page, 'nav button', 'sign out');
  await page.waitForFunction(() => location.pathname === '/sign-in');
  await signIn(page, address, 'wen', PASSWORD);
  await see(page, 'main li', 'reader');
  await page.goto(`${address}${BENCH}/declare?doc=mainland.yaml`);
  await page.waitForSelector('.cm-content');
  await page.click('.cm-content');
  await page.keyboard.type('x');
  await see(page, saved, /^saved$/);
  await see(page, 'header button', 'Save revision');
  const disabled = await page.$$eval(
    'header button',
    (buttons) => buttons.find((button) => button.textContent.includes('Save revision'))?.disabled,
  );
  expect(disabled).toBe(true);
});

test('no view reported a mistake on its console', () => {
  expect(w.mistakes).toEqual([]);
});
