/** Alerts and taps that a topology asks for: where they are, and when alerts go off. */
import { runChecks } from '../checks/run.ts';
import { compareDeclared } from '../compare/settings.ts';
import { rename } from '../../change/rename.ts';
import { applyEdits } from '../../base/edits.ts';
import { thing } from '../../language/thing.ts';
import { buildGraph } from '../../routing/graph.ts';
import { readTopology } from '../../topology/read.ts';
import { alertsNow, type Alert } from './alerts.ts';
import { alertsOf, tapsOf } from './declared.ts';
import type { EntryNow, Look, StoreNow } from './look.ts';

const BASE = `
environments: { live: {}, trial: {} }
messages: { note: {} }
apps: { reader: { instances: 2, consumes: [ { from: m/own } ] } }
brokers:
  m:
    kind: amqp
    access: open
    exchanges: { in: { type: topic, wireName: in.x } }
    queues: { box: { wireName: the-box }, own: { perInstanceOf: reader } }
    aliases: { door: { to: in } }
  s: { kind: pubsub, access: open, topics: { t: {} }, queues: { kept: {} }, subscriptions: { sub: { topic: t, to: kept }, held: { topic: t } } }
`;
const read = (more: string, environment?: string) => {
  const topology = readTopology([{ name: 'a.yaml', text: BASE + more }], environment ? { environment } : {});
  expect(topology.findings).toEqual([]);
  return buildGraph(topology);
};
const said = (more: string) =>
  runChecks(read(more)).flatMap(({ check, message }) => (check === 'names/watch' ? [message] : []));

test('alerts and taps are where their patterns and environments say', () => {
  const graph = read(
    `
watch:
  - { name: piles up, on: [m/box, "queue:m/o*"], when: { waiting: 10, for: 1m } }
  - { name: silence, on: "*/*", when: { quiet: true }, in: live }
  - { name: piles up, on: m/box, when: { waiting: 99 } }
taps:
  - { on: [m/in, m/box] }
  - { on: m/in, keep: 400d, body: true, in: [live] }
`,
    'live',
  );
  const alerts = alertsOf(graph);
  expect(
    alerts
      .filter(({ rule }) => rule === 'piles up')
      .map(({ title, waiting, forMs }) => [title, waiting, forMs]),
  ).toEqual([
    ['m/the-box', 10, 60_000],
    ['m/own.1', 10, 60_000],
    ['m/own.2', 10, 60_000],
  ]);
  // an alias has nothing to look at on the broker, nor has a subscription that hands over to a queue
  expect(alerts.filter(({ rule }) => rule === 'silence').map(({ title }) => title)).toEqual([
    'm/in.x',
    'm/the-box',
    'm/own.1',
    'm/own.2',
    's/t',
    's/held',
    's/kept',
  ]);
  const day = 24 * 3600 * 1000;
  expect(tapsOf(graph)).toEqual([
    { on: 'exchange:m/in', broker: 'm', keepMs: 90 * day, body: true },
    { on: 'queue:m/box', broker: 'm', keepMs: 7 * day, body: false },
  ]);
  const elsewhere = read(
    '\nwatch: [ { name: silence, on: m/in, when: { quiet: true }, in: live } ]\n',
    'trial',
  );
  expect(alertsOf(elsewhere)).toEqual([]);
});

test('what can tell nothing is found', () => {
  expect(said('\nwatch: [ { name: a, on: m/bx, when: { waiting: 1 } } ]\n')).toEqual([
    '“a” is about `m/bx`, which is not there. Did you mean `m/box`?',
  ]);
  expect(said('\nwatch: [ { name: a, on: m/box, when: { waiting: 1 }, in: lif } ]\n')[0]).toMatch(
    /environment `lif`/,
  );
  expect(said('\nwatch: [ { name: a, on: m/box, when: { for: 1m, quiet: false } } ]\n')[0]).toMatch(
    /^“a” asks nothing/,
  );
  expect(said('\nwatch: [ { name: a, on: m/in, when: { waiting: 1, quiet: true } } ]\n')[0]).toMatch(
    /^“a” asks about `waiting`, which m\/in has not/,
  );
  expect(said('\nwatch: [ { name: a, on: m/door, when: { quiet: true } } ]\n')[0]).toMatch(
    /holds nothing itself/,
  );
  const twice = '{ name: a, on: m/box, when: { waiting: 1 } }';
  expect(said(`\nwatch: [ ${twice}, ${twice} ]\n`)[0]).toMatch(/^Two alerts are called “a”/);
  expect(said('\ntaps: [ { on: s/sub }, { on: m/in, keep: 91d } ]\n')).toEqual([
    expect.stringMatching(/^A tap is about `s\/sub`, which holds nothing/),
    expect.stringMatching(/90 days/),
  ]);
  expect(
    said('\nwatch: [ { name: a, on: "m/*", when: { quiet: true }, in: live } ]\ntaps: [ { on: m/in } ]\n'),
  ).toEqual([]);
});

test('an alert follows what it is about when that is renamed, and is told as changed by its name', () => {
  const text = `${BASE}\nwatch: [ { name: a, on: m/box, when: { waiting: 1 } } ]\ntaps: [ { on: m/box } ]\n`;
  const topology = readTopology([{ name: 'a.yaml', text }]);
  const renamed = rename(topology, thing('queue', 'box', 'm'), 'crate');
  if (!renamed.ok) throw new Error(renamed.message);
  const after = readTopology(applyEdits(topology.documents, renamed.edits));
  expect(after.documents[0]!.text).toContain('watch: [ { name: a, on: m/crate,');
  expect(after.documents[0]!.text).toContain('taps: [ { on: m/crate } ]');
  const more = readTopology([{ name: 'a.yaml', text: text.replace('waiting: 1', 'waiting: 2') }]);
  expect(compareDeclared(topology, more)).toMatchObject([
    {
      kind: 'changed',
      what: 'alert',
      name: 'a',
      settings: [{ name: 'when.waiting', before: '1', after: '2' }],
    },
  ]);
});

const store = (name: string, more: Partial<StoreNow> = {}): StoreNow => ({
  name,
  waiting: 0,
  inHand: 0,
  delayed: 0,
  takers: [],
  came: 0,
  went: 0,
  ...more,
});
const look = (seconds: number, stores: StoreNow[], entries: EntryNow[] = [], away?: string): Look => ({
  at: seconds * 1000,
  brokers: [{ broker: 'm', stores, entries, ...(away === undefined ? {} : { away }) }],
  links: [],
});
/** What is told of each look, one after another, as a watch does. */
function told(rule: string, looks: readonly Look[]): (readonly Alert[])[] {
  const alerts = alertsOf(read(`\nwatch: [ { name: a, ${rule} } ]\n`));
  let before: readonly Alert[] = [];
  return looks.map((_, i) => (before = alertsNow(alerts, looks.slice(0, i + 1), before)));
}
const offs = (found: readonly (readonly Alert[])[]) =>
  found.map((each) => (each.length === 0 ? '' : each[0]!.off ? 'off' : 'soon'));

test('it goes off once all of it has held for as long as it must, and ends at once', () => {
  const waiting = (n: number) => store('the-box', { waiting: n });
  const looks = [0, 5, 10, 11, 12].map((n, i) => look(i * 5, [waiting(n)]));
  const found = told('on: m/box, when: { waiting: 9, for: 10s }', [
    ...looks,
    look(25, [waiting(9)]),
    look(30, [waiting(10)]),
  ]);
  expect(offs(found)).toEqual(['', '', 'soon', 'soon', 'off', '', 'soon']);
  expect(found[4]![0]).toMatchObject({
    rule: 'a',
    about: 'queue:m/box',
    broker: 'm',
    name: 'the-box',
    since: 10_000,
    offAt: 20_000,
    words: 'm/the-box: 12 wait',
  });
});

test('all that it asks has to hold together', () => {
  const rule = 'on: m/box, when: { waiting: 1, takers: 2, inHand: 3 }';
  const taker = { name: 't', user: 'u' };
  const at = (more: Partial<StoreNow>) => offs(told(rule, [look(0, [store('the-box', more)])]))[0];
  expect(at({ waiting: 2, inHand: 4, takers: [taker] })).toBe('off');
  expect(at({ waiting: 1, inHand: 4, takers: [taker] })).toBe('');
  expect(at({ waiting: 2, inHand: 3, takers: [taker] })).toBe('');
  expect(at({ waiting: 2, inHand: 4, takers: [taker, taker] })).toBe('');
});

test('a queue that is not there has no takers, and nothing waits in it', () => {
  expect(offs(told('on: m/box, when: { takers: 1 }', [look(0, [])]))).toEqual(['off']);
  expect(offs(told('on: m/box, when: { waiting: 0 }', [look(0, [])]))).toEqual(['']);
});

test('what comes, or does not, is told from two looks on', () => {
  const came = (n: number, waiting = 0) => store('the-box', { came: n, went: n - waiting, waiting });
  const quiet = told('on: m/box, when: { quiet: true, waiting: 0 }', [
    look(0, [came(5, 1)]),
    look(5, [came(5, 1)]),
    look(10, [came(6, 1)]),
  ]);
  expect(offs(quiet)).toEqual(['', 'off', '']);
  expect(quiet[1]![0]!.words).toBe('m/the-box: 1 waits, none come');
  const much = told('on: m/in, when: { comes: 10/s }', [
    look(0, [], [{ name: 'in.x', came: 0 }]),
    look(5, [], [{ name: 'in.x', came: 50 }]),
    look(10, [], [{ name: 'in.x', came: 101 }]),
  ]);
  expect(offs(much)).toEqual(['', '', 'off']);
  expect(much[2]![0]!.words).toBe('m/in.x: 10.2 come a second');
});

test('the age of the oldest is asked where it is known; where it is not, nothing is claimed', () => {
  const at = (since: string | undefined, waiting = 1) =>
    offs(
      told('on: m/box, when: { oldest: 1m }', [
        look(120, [store('the-box', { waiting, ...(since === undefined ? {} : { oldestAt: since }) })]),
      ]),
    )[0];
  expect(at('1970-01-01T00:00:59Z')).toBe('off');
  expect(at('1970-01-01T00:01:00Z')).toBe('');
  expect(at(undefined)).toBe('');
  expect(at('1970-01-01T00:00:59Z', 0)).toBe('');
});

test('what held goes on while its broker is away, or its counters began anew', () => {
  const rule = 'on: m/box, when: { waiting: 9, for: 10s }';
  const full = [store('the-box', { waiting: 10 })];
  expect(offs(told(rule, [look(0, full), look(5, [], [], 'gone'), look(10, full)]))).toEqual([
    'soon',
    'soon',
    'off',
  ]);
  const quiet = told('on: m/in, when: { quiet: true }', [
    look(0, [], [{ name: 'in.x', came: 9 }]),
    look(5, [], [{ name: 'in.x', came: 9 }]),
    look(10, [], [{ name: 'in.x', came: 0 }]),
  ]);
  expect(offs(quiet)).toEqual(['', 'off', 'off']);
});
