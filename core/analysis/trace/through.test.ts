import { message } from '../../conditions/message.ts';
import { traceData, traceText } from '../../formats/trace.ts';
import { understand } from '../../formats/messages.ts';
import { buildGraph } from '../../routing/graph.ts';
import { trace } from '../../routing/trace.ts';
import { locator, readTopology } from '../../topology/read.ts';
import { complete } from '../samples/samples.ts';
import { prove } from '../expectations/prove.ts';
import { review } from '../checks/review.ts';
import { allFollowed, throughApps } from './through.ts';

const FARES = `messages:
  sale: { headers: { route: { enum: [north, south] }, pence: { type: integer } } }
  fare-sold: { extends: sale, key: "fare.{route}.sold", required: [route], examples: [{ headers: { route: north, pence: 900 } }] }
  fare-settled: { key: "settled.{route}", headers: { route: { enum: [north, south] }, day: { type: integer } }, required: [route], examples: [{ headers: { route: north, day: 3 } }] }
  day-closed: { key: closed }
apps:
  office: { publishes: [{ message: fare-sold, to: m/fares }] }
  settlement:
    consumes: [{ from: m/sold }]
    publishes:
      - { message: fare-settled, to: m/fares, because: sale }
      - { message: day-closed, to: m/fares }
    hands: [{ to: archive-files, because: fare-sold }]
  book-keeper: { consumes: [{ from: m/settled }], hands: [{ to: ledger, because: [fare-settled] }] }
  ledger: { note: a database }
  archive-files: { note: a file store }
brokers:
  m:
    kind: amqp
    access: open
    exchanges: { fares: { type: topic } }
    queues: { sold: {}, settled: {} }
    bindings: [{ from: fares, to: sold, key: "fare.#" }, { from: fares, to: settled, key: "settled.south" }]
expectations:
  - { name: ends in the ledger, given: { message: fare-sold, headers: { route: south } }, leadsTo: app:ledger }
  - { name: is settled, given: { message: fare-sold, headers: { route: south } }, leadsTo: [m/settled, "app:archive-files"] }
  - { name: north is booked too, given: { message: fare-sold, headers: { route: north } }, leadsTo: app:ledger }
`;

const graphOf = (text: string) => buildGraph(readTopology([{ name: 'a.yaml', text }]));
const fares = graphOf(FARES);
const sold = (route: string) =>
  complete(fares.topology.messages.get('fare-sold')!, { headers: { route, pence: 450 } });
const through = (graph = fares, sent = sold('south'), to = 'm/fares') =>
  throughApps(graph, [trace(graph, sent, { to, from: 'app:office' }).trace]);
const told = (steps: ReturnType<typeof through>) =>
  [...allFollowed(steps)].map(
    ({ step: { app, because, sent, handedTo, round }, depth }) =>
      `${depth} ${app} ${because} → ${sent?.message.type ?? handedTo}${round ? ' round' : ''}`,
  );

test('an app that is handed something, and what follows from what it takes, are no findings', () => {
  const { findings } = review(fares.topology);
  expect(findings.map(({ check }) => check)).toEqual([
    'nowhere/unreceived-type',
    'nowhere/unmatched',
    'expectation/broken',
  ]);
});

test('a trace goes on through apps, by the types they take and those that these extend', () => {
  expect(told(through())).toEqual([
    '0 settlement fare-sold → fare-settled',
    '1 book-keeper fare-settled → ledger',
    '0 settlement fare-sold → archive-files',
  ]);
});

test('the message that follows takes over what both types have, and has its key made of it', () => {
  const [{ sent }] = through() as [ReturnType<typeof through>[number]];
  expect(sent!.message).toMatchObject({ key: 'settled.south', headers: { route: 'south', day: 3 } });
  expect(Object.keys(sent!.message.headers)).not.toContain('pence');
});

test('what does not fit the type that follows is not taken over', () => {
  const graph = graphOf(
    FARES.replace(
      'headers: { route: { enum: [north, south] }, day',
      'headers: { route: { enum: [north] }, day',
    ),
  );
  expect(through(graph)[0]!.sent!.message.key).toBe('settled.north');
});

test('what is refused, lost or waits leads to nothing', () => {
  const sent = message({ type: 'fare-sold', key: 'elsewhere' });
  expect(through(fares, sent)).toEqual([]);
  const idle = graphOf(FARES.replace('settlement:\n', 'settlement:\n    instances: 0\n'));
  expect(through(idle)).toEqual([]);
});

test('apps that answer each other without end are told once, and a wide fan is bounded', () => {
  const ring = graphOf(`messages: { ping: { key: ping }, pong: { key: pong } }
apps:
  office: { publishes: [{ message: ping, to: m/ping }] }
  a: { consumes: [{ from: m/ping }], publishes: [{ message: pong, to: m/pong, because: ping }] }
  b: { consumes: [{ from: m/pong }], publishes: [{ message: ping, to: m/ping, because: pong }] }
brokers: { m: { kind: amqp, access: open, queues: { ping: {}, pong: {} } } }
`);
  const ping = complete(ring.topology.messages.get('ping')!, {});
  expect(told(through(ring, ping, 'm/ping'))).toEqual([
    '0 a ping → pong',
    '1 b pong → ping',
    '2 a ping → pong round',
  ]);
  const wide = graphOf(`messages: { ping: {} }
apps:
  office: { publishes: [{ message: ping, to: m/q }] }
${Array.from({ length: 9 }, (_, i) => `  a${i}: { consumes: [{ from: m/q, competes: true }], publishes: [{ message: ping, to: m/q, because: ping }] }`).join('\n')}
brokers: { m: { kind: amqp, access: open, queues: { q: {} } } }
`);
  const steps = [...allFollowed(through(wide, complete(wide.topology.messages.get('ping')!, {}), 'm/q'))];
  expect(steps.length).toBeLessThanOrEqual(300);
});

test('an expectation may end beyond apps, in a store or outside of brokers', () => {
  const proofs = fares.topology.declared.expectations!.items.map((each) => prove(fares, each));
  expect(proofs.map(({ verdict }) => verdict)).toEqual(['kept', 'kept', 'broken']);
  expect(proofs[0]!.promise).toBe('fare-sold (route south) leads to app:ledger');
  expect(proofs[2]!.broken!.why).toBe(
    'does not lead to app:ledger: it comes as far as m/sold, through settlement',
  );
});

test('a trace on the command line goes on too, in JSON and in words', () => {
  const made = trace(fares, sold('south'), { to: 'm/fares', from: 'app:office' }).trace;
  const data = traceData(fares, made, 0, locator(fares.topology), undefined, { misses: true });
  expect(data.then).toMatchObject([
    { depth: 0, app: 'settlement', took: 'm/sold', publishes: { to: 'm/fares', key: 'settled.south' } },
    { depth: 1, app: 'book-keeper', handsTo: 'ledger' },
    { depth: 0, handsTo: 'archive-files' },
  ]);
  const text = traceText(data);
  expect(text).toContain('  settlement takes fare-sold from m/sold and publishes fare-settled to m/fares\n');
  expect(text).toContain('    rests in m/settled: 1 copy, taken by app:book-keeper\n');
  expect(text).toContain('      not to m/settled: `settled.south` does not match `fare.south.sold`');
  expect(traceData(fares, made, 0, locator(fares.topology), 'rejected')).not.toHaveProperty('then');
});

test('`to` may be left out where the app and the type decide it, and only there', () => {
  const from = (data: object) => understand(fares, data);
  const headers = { route: 'north' };
  expect(from({ from: 'office', type: 'fare-sold', headers })).toMatchObject({ sending: { to: 'm/fares' } });
  expect(from({ from: 'ledger', type: 'fare-sold', headers })).toEqual({
    error: '`ledger` does not publish `fare-sold`: say `to`',
  });
  expect(from({ type: 'fare-sold', headers })).not.toHaveProperty('sending');
  const two = graphOf(
    FARES.replace('to: m/fares }] }', 'to: m/fares }, { message: fare-sold, to: m/sold }] }'),
  );
  expect(understand(two, { from: 'office', type: 'fare-sold', headers })).toEqual({
    error: '`office` publishes `fare-sold` to m/fares and m/sold: say which by `to`',
  });
});
