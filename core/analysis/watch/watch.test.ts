/** What can be seen of an environment against what its topology says. */
import { buildGraph } from '../../routing/graph.ts';
import { readTopology } from '../../topology/read.ts';
import { contradictions } from './contradictions.ts';
import { appBehind, expectedOf } from './expected.ts';
import { cameBetween, rate, type Look, type StoreNow } from './look.ts';

const TEXT = `
messages: { note: {} }
apps:
  reader: { instances: 2, consumes: [ { from: m/box }, { from: m/own } ] }
  keeper: { consumes: [ { from: s/kept } ] }
  sender: { publishes: [ { message: note, to: m/in, key: a } ] }
brokers:
  m:
    kind: amqp
    access: open
    exchanges: { in: { type: direct }, dead: { type: fanout, wireName: dead.x } }
    queues:
      box: { wireName: the-box, deadLetter: { to: dead } }
      own: { perInstanceOf: reader }
      lost: {}
      held: { exclusive: true }
    bindings: [ { from: in, to: box, key: a }, { from: dead, to: lost } ]
  s:
    kind: pubsub
    access: open
    topics: { t: {} }
    queues: { kept: {} }
    subscriptions: { sub: { topic: t, to: kept }, held: { topic: t } }
`;
const graph = buildGraph(readTopology([{ name: 'a.yaml', text: TEXT }]));
const expected = expectedOf(graph);

const nothing = (name: string): StoreNow => ({ name, waiting: 0, inHand: 0, delayed: 0, takers: [] });
const reader = { name: 'reader#1', user: 'somebody' };
/** All that is declared, as it should be. */
const well: Record<string, StoreNow> = {
  'm/the-box': { ...nothing('the-box'), takers: [reader] },
  'm/own.1': { ...nothing('own.1'), takers: [reader] },
  'm/own.2': { ...nothing('own.2'), takers: [reader] },
  'm/lost': nothing('lost'),
  'm/held': nothing('held'),
  's/kept': { ...nothing('kept'), takers: [{ name: 'x', user: 'auklet.live.s.keeper' }] },
  's/held': nothing('held'),
};
function look(
  at: number,
  changes: Record<string, Partial<StoreNow> | undefined> = {},
  more: Partial<Look> = {},
): Look {
  const brokers = ['m', 's'].map((broker) => ({
    broker,
    entries: [],
    stores: Object.entries(well).flatMap(([key, store]) => {
      if (!key.startsWith(`${broker}/`)) return [];
      if (key in changes && changes[key] === undefined) return [];
      return [{ ...store, ...changes[key] }];
    }),
  }));
  return { at, brokers, links: [], ...more };
}
const words = (...looks: Look[]) => contradictions(expected, looks).map((each) => each.words);

test('stores are expected by the names that the broker has for them', () => {
  expect(expected.stores.map(({ broker, name, takers }) => `${broker}/${name} ${takers.join()}`)).toEqual([
    'm/the-box reader',
    'm/own.1 reader',
    'm/own.2 reader',
    'm/lost ',
    'm/held ',
    's/held ',
    's/kept keeper',
  ]);
  expect(expected.entries.map(({ broker, name }) => `${broker}/${name}`).sort()).toEqual([
    'm/dead.x',
    'm/in',
    's/t',
  ]);
  expect(expected.stores.filter(({ passing }) => passing).map(({ title }) => title)).toEqual(['m/held']);
});

test('who is connected is known by the user made for an app, or by the name it gives itself', () => {
  const apps = ['crew', 'crew-boat'];
  const who = (user: string, name: string) => appBehind(apps, { user, name });
  expect(who('auklet.live.m.crew', 'anything')).toBe('crew');
  expect(who('crew', '')).toBe('crew');
  expect(who('guest', 'crew#3')).toBe('crew');
  expect(who('guest', 'crew-boat')).toBe('crew-boat');
  expect(who('guest', 'crew-boat 2')).toBe('crew-boat');
  expect(who('guest', 'crews')).toBeUndefined();
  expect(who('x.nobody', 'y')).toBeUndefined();
});

test('nothing is said of what is as it was declared', () => {
  expect(words(look(0), look(60_000))).toEqual([]);
  expect(contradictions(expected, [])).toEqual([]);
});

test('a declared taker that is not connected, with how many wait', () => {
  expect(words(look(0, { 'm/the-box': { takers: [], waiting: 3 } }))).toEqual([
    'reader is declared to take from m/the-box and is not connected; 3 wait',
  ]);
  // one of whom nothing is known may be the one
  expect(words(look(0, { 'm/the-box': { takers: [{ name: '10.0.0.1', user: 'guest' }] } }))).toEqual([]);
});

test('an app whose instances are all missing is missed once', () => {
  expect(words(look(0, { 'm/own.1': { takers: [] }, 'm/own.2': { takers: [] } }))).toEqual([
    'reader is not connected to 2 of the queues that its instances take from: m/own.1, m/own.2',
  ]);
});

test('one that is connected and not declared', () => {
  expect(
    words(
      look(0, {
        'm/the-box': { takers: [reader, { name: 'keeper', user: 'k' }] },
        'm/lost': { takers: [{ name: 'tag', user: 'guest' }] },
      }),
    ),
  ).toEqual([
    'keeper takes from m/the-box, which nothing declares',
    'tag (as guest) takes from m/lost, which nothing declares',
  ]);
});

test('a store that is not there, and one that is there only while its app is', () => {
  expect(words(look(0, { 'm/lost': undefined, 'm/held': undefined }))).toEqual([
    'm/lost is declared, and the broker has none of that name',
  ]);
  // it was there a moment ago: it may be a broker that has just begun
  expect(words(look(0), look(5_000, { 'm/lost': undefined }))).toEqual([]);
  expect(
    words(look(0), look(5_000, { 'm/lost': undefined }), look(9_000, { 'm/lost': undefined })),
  ).toHaveLength(1);
});

test('a store that grows: for long enough, without falling, by how much and why', () => {
  const at = (ms: number, waiting: number, came: number, went: number) =>
    look(ms, { 'm/the-box': { takers: [reader], waiting, came, went } });
  expect(words(at(0, 5, 0, 0), at(10_000, 30, 30, 5), at(20_000, 45, 50, 10))).toEqual([
    'm/the-box grows: by 40 messages in 20 seconds, since 2.5 come and 0.5 are settled a second; 45 wait now',
  ]);
  // not long enough, too few, or with a fall between
  expect(words(at(0, 5, 0, 0), at(10_000, 45, 50, 10))).toEqual([]);
  expect(words(at(0, 5, 0, 0), at(10_000, 6, 1, 0), at(20_000, 9, 4, 0))).toEqual([]);
  expect(words(at(0, 50, 0, 0), at(10_000, 20, 30, 60), at(20_000, 95, 90, 60))).toEqual([]);
  // messages that move from waiting to in hand are no growth
  expect(
    words(look(0, { 'm/the-box': { inHand: 40 } }), look(20_000, { 'm/the-box': { waiting: 40 } })),
  ).toEqual([]);
});

test('a taker whose hands are full and that settles nothing, by its name', () => {
  const at = (ms: number, settled: number, inHand = 10) =>
    look(ms, { 'm/the-box': { waiting: 7, takers: [{ ...reader, atOnce: 10, inHand, settled }] } });
  expect(words(at(0, 4), at(6_000, 5), at(12_000, 5), at(18_000, 5))).toEqual([
    'reader#1 has 10 messages of m/the-box in hand, as many as it is given at once, and has settled none for 12 seconds; 7 wait',
  ]);
  expect(words(at(0, 4), at(6_000, 5), at(12_000, 6), at(18_000, 7))).toEqual([]);
  expect(words(at(0, 5), at(6_000, 5, 3), at(18_000, 5))).toEqual([]);
  expect(words(at(0, 5, 3), at(18_000, 5, 3))).toEqual([]);
});

test('dead letters that came, counted', () => {
  expect(
    words(look(0, { 'm/lost': { came: 3 } }), look(30_000, { 'm/lost': { came: 5, waiting: 9 } })),
  ).toEqual(['2 dead letters came to m/lost within 30 seconds']);
  // what came before is not told again
  expect(
    words(
      look(0, { 'm/lost': { came: 3 } }),
      look(5_000, { 'm/lost': { came: 5 } }),
      look(90_000, { 'm/lost': { came: 5 } }),
    ),
  ).toEqual([]);
});

test('a broker that is away hides nothing else, and a link that stands', () => {
  const away = look(0);
  expect(
    words({
      ...away,
      brokers: [{ broker: 'm', stores: [], entries: [], away: 'nobody answers' }, away.brokers[1]!],
      links: [
        { link: 'over', runs: false, why: 'm is away', carried: 0 },
        { link: 'beginning', runs: false, why: null, carried: 0 },
        { link: 'fine', runs: true, why: null, carried: 4 },
      ],
    }),
  ).toEqual(['m cannot be seen: nobody answers', 'the link over carries nothing: m is away']);
});

test('what a broker brings somewhere itself and does not count is known by what lies there', () => {
  const store = (waiting: number, came: number | undefined, went: number | undefined): StoreNow => ({
    ...nothing('q'),
    waiting,
    ...(came === undefined ? {} : { came }),
    ...(went === undefined ? {} : { went }),
  });
  expect(cameBetween(store(2, 5, 3), store(6, 5, 4))).toBe(5);
  expect(cameBetween(store(2, 5, 3), store(2, 9, 3))).toBe(4);
  expect(cameBetween(store(2, undefined, undefined), store(6, undefined, undefined))).toBeUndefined();
  // a counter that began anew tells nothing
  expect(cameBetween(store(9, 5, 3), store(2, 1, 0))).toBeUndefined();
});

test('a rate is known only between two counts that go on from each other', () => {
  expect(rate(10, 30, 4_000)).toBe(5);
  expect(rate(30, 10, 4_000)).toBeUndefined();
  expect(rate(undefined, 10, 4_000)).toBeUndefined();
  expect(rate(1, 10, 0)).toBeUndefined();
});
