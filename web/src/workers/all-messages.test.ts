import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { buildGraph, type RoutingGraph } from '@vondle/core/routing';
import { readTopology } from '@vondle/core/topology';
import { AllMessages, between } from './all-messages.ts';
import type { CoverageView, DifferenceView } from './views.ts';

const graphOf = (text: string) => {
  const topology = readTopology([{ name: 'a.yaml', text }]);
  expect(topology.findings).toEqual([]);
  return buildGraph(topology);
};
const demo = (folder: string) => {
  const path = join(__dirname, '../../../demo', folder);
  return buildGraph(
    readTopology(readdirSync(path).map((name) => ({ name, text: readFileSync(join(path, name), 'utf8') }))),
  );
};

/** Asks until all is told. */
function toldBy<T extends CoverageView | DifferenceView>(ask: () => T): T {
  for (;;) {
    const view = ask();
    if (view.told === view.of) return view;
  }
}
const holding = (graph: RoutingGraph, base?: RoutingGraph) => {
  const all = new AllMessages(
    () => graph,
    () => base,
  );
  return { all, view: toldBy(() => all.more()) };
};

describe('all messages of the ferry line', () => {
  const { all, view } = holding(demo('draft'));

  test('are told by type and publish, with the share of each fate', () => {
    expect(view.types.map(({ type }) => type)).toContain('deck-reading');
    const closure = view.types.find(({ type }) => type === 'closure-announced')!;
    expect(closure.publishes.map(({ to, classes, total }) => [to, classes, total])).toEqual([
      ['mainland/sailings', 2, '15'],
      ['shore/notices', 4, '15'],
    ]);
    expect(closure.publishes[1]!.kinds).toEqual([
      { kind: 'some refused', classes: 2, part: 0.6 },
      { kind: 'reached', classes: 2, part: 0.4 },
    ]);
  });

  test('stand against the stores they come to, and those where they are refused', () => {
    const { stores, publishes } = all.ofType('closure-announced');
    expect(stores.map(({ at }) => at)).toEqual([
      'mainland/archive-in',
      'mainland/boards',
      'islet/desk',
      'shore/kiosks',
      'shore/quay-closures',
      'shore/texting-in',
    ]);
    const [row] = publishes[1]!.rows;
    expect(row).toMatchObject({
      when: 'area is not north and severity is 3 to 5',
      share: '6 of 15',
      kind: 'some refused',
      cells: ['', '', '', '1', '', ''],
      fails: ['', '', '', '', '', 'refused'],
      ends: [],
      message: { headers: { severity: 3 } },
    });
    expect(publishes[0]!.rows[0]!.cells).toEqual(['1', '6', '', '', '', '']);
  });

  test('that come to a store are one row a publish', () => {
    expect(all.reaching('shore/kiosks').rows.map(({ type, share, when }) => [type, share, when])).toEqual([
      ['sailing-delayed', 'all 1,803', 'always'],
      ['closure-announced', 'all 15', 'always'],
    ]);
    expect(all.reaching('shore/quay-closures').rows).toMatchObject([
      { share: '5 of 15', when: 'area is north' },
    ]);
    expect(all.reaching('mainland/rostering')).toEqual({ rows: [], more: 0 });
  });

  test('of which something goes wrong stand out, and stores that nothing reaches', () => {
    const { nobody, refused, lost } = all.standingOut();
    expect(nobody.rows.map(({ type, when }) => [type, when])).toEqual([
      ['deck-reading', 'instrument is engine'],
    ]);
    expect(refused.rows).toHaveLength(3);
    expect(lost.rows).toEqual([]);
    // a queue that a link empties is reached, and nothing rests there
    expect(view.unreached.map(({ at }) => at)).toEqual([
      'mainland/rostering',
      'mainland/delay-desk',
      'shore/night-desk',
    ]);
  });

  test('of two classes are told apart', () => {
    const { publishes } = all.ofType('closure-announced');
    expect(all.distinguish(publishes[1]!.id, 0, 1)).toEqual({
      by: [{ alone: true, first: 'severity is 3 to 5', second: 'severity is 1 to 2' }],
      outcomes: ['shore/kiosks, refused at shore/texting-in', 'shore/kiosks'],
    });
    expect(all.distinguish('gone', 0, 1)).toEqual({ by: [], outcomes: ['', ''] });
  });

  test('are written as files', () => {
    const csv = all.as('csv', 'deck-reading').split('\r\n');
    expect(csv[0]).toBe(
      'message,from,to,messages,which,mainland/storm,mainland/wave-board:deck/+/swell,otherwise,proved',
    );
    expect(csv[3]).toBe(
      'deck-reading,deck-instruments,mainland over mqtt,2 of 6,instrument is engine,,,lost at mainland/telemetry,yes',
    );
    const markdown = all.as('markdown', '');
    expect(markdown.split('\n')[1]).toMatch(/^\| --- \|/);
    expect(markdown).toContain(
      '| boarding-scanned | gangway-scanner | spread:manifest-work | all 6 | always |',
    );
  });
});

test('what a change does to messages is told in sentences, and again only where something changed', () => {
  const [r3, draft] = [demo('r3'), demo('draft')];
  const { all } = holding(draft, r3);
  const { changes } = toldBy(() => all.differing());
  expect(changes.map(({ sentence }) => sentence)).toEqual([
    '1,713 of 1,803 sailing-delayed messages from bridge-console to shore/notices are now refused at shore/texting-in: those where delayMinutes is 30 to 600.',
    '9 of 15 closure-announced messages from duty-officer to shore/notices are now refused at shore/texting-in: those where severity is 3 to 5.',
    'All 9 sailing-cancelled messages from timetable-office to mainland/sailings now reach mainland/quay-screens.',
  ]);
  expect(changes[0]!.message!.headers['delayMinutes']).toBe(30);
  const again = toldBy(() => all.differing());
  expect(again.changes[0]).toBe(changes[0]);
  expect(holding(draft).all.differing()).toEqual({ told: 0, of: 0, changes: [] });
});

const each = (n: number, make: (i: number) => string) =>
  Array.from({ length: n }, (_, i) => make(i)).join(', ');

test('classes too many to list are put together by how they end, and listed when asked', () => {
  const graph = graphOf(`messages: { note: { key: "a.{x}" } }
apps: { one: { publishes: [{ message: note, to: m/in }] } }
brokers: { m: { kind: amqp, access: open, exchanges: { in: { type: topic } }, queues: { ${each(400, (i) => `q${i}: {}`)} }, bindings: [${each(400, (i) => `{ from: in, to: q${i}, key: "a.k${i}" }`)}, { from: in, to: q0, key: a.k7 }] } }
`);
  const { all } = holding(graph);
  const { publishes, stores, moreStores } = all.ofType('note');
  const [publish] = publishes;
  expect([stores.length, moreStores]).toEqual([60, 340]);
  expect(publish!.rows).toEqual([]);
  expect(publish!.groups.map(({ id, classes }) => [id, classes])).toEqual([
    ['come to rest nowhere; lost', 1],
    ['rest in one store', 399],
    ['rest in 2 stores', 1],
  ]);
  const first = all.rowsOf(publish!.id, 'rest in one store', 0);
  const rest = all.rowsOf(publish!.id, 'rest in one store', 300);
  expect([first.length, rest.length]).toEqual([150, 99]);
  // what is in no column is said
  expect(rest.at(-1)!.elsewhere).toHaveLength(1);
  expect(all.rowsOf('gone', '', 0)).toEqual([]);
});

test('where classes are too many to tell apart, what is reached is told', () => {
  const graph =
    graphOf(`messages: { note: { headers: { ${each(20, (i) => `h${i}: { type: boolean }`)} }, required: [${each(20, (i) => `h${i}`)}] } }
apps: { one: { publishes: [{ message: note, to: m/in }] } }
brokers: { m: { kind: pubsub, access: open, topics: { in: {} }, subscriptions: { ${each(20, (i) => `s${i}: { topic: in, filter: { match: { h${i}: true } } }`)} } } }
`);
  const { all, view } = holding(graph);
  expect(view.types[0]!.publishes[0]!.tooMany).toMatch(/different outcomes/);
  expect(all.ofType('note').publishes[0]!.reached).toHaveLength(21);
  expect(all.reaching('m/s4').rows).toMatchObject([{ share: '524,288 of 1,048,576', when: 'h4 is true' }]);
  expect(view.unreached).toEqual([]);
});

test('two states that are not the draft are told apart', async () => {
  const documents = (folder: string) => {
    const path = join(__dirname, '../../../demo', folder);
    return readdirSync(path).map((name) => ({ name, text: readFileSync(join(path, name), 'utf8') }));
  };
  const told = await between(documents('r3'), documents('draft'));
  expect(told.messages).toContain(
    'All 9 sailing-cancelled messages from timetable-office to mainland/sailings now reach mainland/quay-screens.',
  );
  expect(told.things).toContainEqual({ kind: 'added', text: 'Queue mainland/rostering is new.' });
  expect(told.more).toBe(0);
  expect(await between(documents('r3'), documents('r3'))).toEqual({ things: [], messages: [], more: 0 });
  // of very many changes some are told, and how many more there are
  const many = [
    {
      name: 'a.yaml',
      text: `brokers: { m: { kind: amqp, queues: { ${each(300, (i) => `q${i}: {}`)} } } }\n`,
    },
  ];
  const { things, more } = await between([], many);
  expect([things.length, more]).toEqual([200, 101]);
});
