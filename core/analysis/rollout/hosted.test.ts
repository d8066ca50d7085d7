import fc from 'fast-check';
import { readTopology } from '../../topology/read.ts';
import {
  doneOnHosted,
  hostedChanges,
  type HostedThing,
  planHosted,
  settingsText,
  wantedHosted,
} from './hosted.ts';
import { inventoryChanges, operationsOf, planRollout, stepId } from './plan.ts';
import { BrokerState } from './state.ts';
import { wantedState } from './wire.ts';

const wantedOf = (text: string, broker = 's') =>
  wantedHosted(readTopology([{ name: 'a.yaml', text }]), broker)!;
const SERVICE: HostedThing = { kind: 'service', name: '', settings: { access: 'controlled' } };
/** Does steps as a service would: what is pointed to must be there, what is pointed to must not go. */
function carried(has: readonly HostedThing[], steps: ReturnType<typeof planHosted>['steps']): HostedThing[] {
  const there = new Map(has.map((each) => [`${each.kind} ${each.name}`, each]));
  const named = (name: string, ...kinds: string[]) => kinds.some((kind) => there.has(`${kind} ${name}`));
  const points = ({ settings }: HostedThing) =>
    [settings['topic'], settings['to'], (settings['deadLetter'] as { to?: string } | undefined)?.to].filter(
      (each) => each !== undefined,
    ) as string[];
  for (const { do: what, thing } of steps) {
    if (what === 'put') {
      for (const to of points(thing))
        if (to !== thing.name && !named(to, 'topic', 'queue', 'subscription'))
          throw new Error(`${thing.name} points to ${to}`);
      there.set(`${thing.kind} ${thing.name}`, thing);
    } else {
      const used = [...there.values()].find(
        (each) => each.name !== thing.name && points(each).includes(thing.name),
      );
      if (thing.kind !== 'statement' && used) throw new Error(`${used.name} needs ${thing.name}`);
      there.delete(`${thing.kind} ${thing.name}`);
    }
  }
  return [...there.values()];
}
const shown = (things: readonly HostedThing[]) =>
  things.map(({ kind, name, settings }) => `${kind} ${name} ${settingsText(settings as never)}`).sort();

const TOPOLOGY = `
tenant: auklet
parameters: { least: { default: 3 } }
brokers:
  s:
    kind: pubsub
    topics: { notices: { dedupe: 5m, wireName: pa-notices } }
    queues:
      texting-in: { order: fifo, lease: 30s, ttl: 7d, deadLetter: { to: parked } }
      parked: {}
    subscriptions:
      texting: { topic: notices, to: texting-in, wrap: true, filter: { selector: "severity >= \${least}" } }
      kiosks: { topic: notices, maxDeliveries: 5, deadLetter: { to: parked }, filter: [ { match: { subject: delay } }, { not: { prefix: { type: closure. } } } ] }
  other: { kind: amqp }
access:
  - { name: hand, allow: [publish], who: topic:s/notices, on: s/texting-in, when: { source: s/notices } }
  - { allow: [consume], who: [app:texting, 'broker:s'], on: ['s/*', other/q] }
  - { deny: consume, who: any, on: '*/parked' }
  - { name: hand, allow: [publish], who: any, on: 'queue:s/texting-in', when: { encrypted: true, tenant: auklet } }
  - { name: by key, allow: [publish], who: any, on: s/notices, when: { key: 'a.#' } }
  - { name: from afar, allow: [publish], who: any, on: s/notices, when: { source: other/q } }
  - { name: elsewhere, allow: [publish], who: any, on: other/q }
`;

test('what is asked of a service: names as they are there, times in milliseconds, filters with their values', () => {
  const { things, unsaid } = wantedOf(TOPOLOGY);
  expect(things.map(({ place: _place, ...each }) => each)).toEqual([
    SERVICE,
    { kind: 'topic', name: 'pa-notices', settings: { dedupeMs: 300_000 } },
    {
      kind: 'queue',
      name: 'texting-in',
      settings: { order: 'fifo', leaseMs: 30_000, ttlMs: 604_800_000, deadLetter: { to: 'parked' } },
    },
    { kind: 'queue', name: 'parked', settings: {} },
    {
      kind: 'subscription',
      name: 'texting',
      settings: { topic: 'pa-notices', to: 'texting-in', wrap: true, filter: { selector: 'severity >= 3' } },
    },
    {
      kind: 'subscription',
      name: 'kiosks',
      settings: {
        topic: 'pa-notices',
        maxDeliveries: 5,
        deadLetter: { to: 'parked' },
        filter: { any: [{ match: { subject: 'delay' } }, { not: { prefix: { type: 'closure.' } } }] },
      },
    },
    {
      kind: 'statement',
      name: 'hand',
      settings: {
        allow: ['publish'],
        who: ['topic:pa-notices'],
        on: ['texting-in'],
        when: { source: 'pa-notices' },
      },
    },
    {
      kind: 'statement',
      name: 'statement 2',
      settings: { allow: ['consume'], who: ['app:texting', 'topic:pa-notices'], on: ['*'] },
    },
    { kind: 'statement', name: 'statement 3', settings: { deny: ['consume'], who: ['any'], on: ['parked'] } },
    {
      kind: 'statement',
      name: 'hand (2)',
      settings: {
        allow: ['publish'],
        who: ['any'],
        on: ['texting-in'],
        when: { tenant: 'auklet', encrypted: true },
      },
    },
  ]);
  expect(unsaid.map(({ of }) => of)).toEqual(['access:by key', 'access:from afar']);
  expect(wantedHosted(readTopology([{ name: 'a.yaml', text: TOPOLOGY }]), 'other')).toBeUndefined();
});

test('from nothing: what is filled before what fills it, a permission before what needs it; twice does nothing', () => {
  const wanted = wantedOf(TOPOLOGY);
  const { steps, inPlace } = planHosted(wanted, [SERVICE], []);
  expect(inPlace).toBe(1);
  expect(steps.map(({ title }) => title)).toEqual([
    'make topic pa-notices',
    'make queue parked',
    'make queue texting-in',
    'state “hand”: topic:pa-notices may publish on texting-in',
    'state “statement 2”: app:texting, topic:pa-notices may consume on *',
    'state “statement 3”: any may not consume on parked',
    'state “hand (2)”: any may publish on texting-in',
    'make subscription texting of pa-notices, to texting-in',
    'make subscription kiosks of pa-notices',
  ]);
  expect(steps.filter(({ risk }) => risk === 'widens access')).toHaveLength(3);
  const after = carried([SERVICE], steps);
  expect(steps.every(doneOnHosted(after))).toBe(true);
  expect(steps.some(doneOnHosted([SERVICE]))).toBe(false);
  expect(planHosted(wanted, after, []).steps).toEqual([]);
});

test('queues whose dead letters go round in circles are made without, and told afterwards', () => {
  const wanted = wantedOf(
    'brokers: { s: { kind: pubsub, queues: { a: { deadLetter: { to: b } }, b: { deadLetter: { to: a } }, c: { deadLetter: { to: c } } } } }',
  );
  const { steps } = planHosted(wanted, [SERVICE], []);
  expect(shown(carried([SERVICE], steps))).toEqual(shown(wanted.things));
  expect(steps.at(-1)!.title).toMatch(/^let what [ab] gives up go to [ab]$/);
});

test('what an earlier revision made goes, with what it destroys; what others made stays, and is named', () => {
  const earlier = wantedOf(
    'brokers: { s: { kind: pubsub, topics: { t: {} }, queues: { q: {} }, subscriptions: { x: { topic: t, to: q } } } }',
  );
  const has: HostedThing[] = [
    SERVICE,
    { kind: 'topic', name: 't', settings: {} },
    { kind: 'queue', name: 'q', settings: {}, messages: 3, takers: 1 },
    { kind: 'subscription', name: 'x', settings: { topic: 't', to: 'q' } },
    { kind: 'queue', name: 'theirs', settings: {} },
  ];
  const { steps, kept } = planHosted({ things: [], unsaid: [] }, has, [earlier]);
  expect(steps.map(({ title, risk, destroys }) => [title, risk, destroys])).toEqual([
    ['remove subscription x', 'interrupts', undefined],
    ['remove queue q', 'loses', 'The 3 messages in it are destroyed, and its 1 taker is cut off.'],
    ['remove topic t', 'interrupts', undefined],
  ]);
  expect(kept).toEqual(['queue theirs']);
  expect(shown(carried(has, steps))).toEqual(shown([SERVICE, has[4]!]));
});

test('a change says what becomes what, and stops what comes this way only where it does', () => {
  const wanted = wantedOf(
    'brokers: { s: { kind: pubsub, access: open, topics: { t: {} }, subscriptions: { x: { topic: t, lease: 2s, filter: { selector: "a = 1" } } } } }',
  );
  const has: HostedThing[] = [
    SERVICE,
    { kind: 'topic', name: 't', settings: {} },
    {
      kind: 'subscription',
      name: 'x',
      settings: { topic: 't', leaseMs: 1000, filter: { selector: 'a = 1' } },
    },
  ];
  expect(planHosted(wanted, has, []).steps.map(({ title, risk }) => [title, risk])).toEqual([
    ['make the service open', 'widens access'],
    ['change subscription x: leaseMs 1000 becomes 2000', 'none'],
  ]);
  const other = has.map((each) =>
    each.kind === 'subscription' ? { ...each, settings: { topic: 't', leaseMs: 2000 } } : each,
  );
  expect(planHosted(wanted, other, []).steps[1]).toMatchObject({
    risk: 'interrupts',
    inverse: 'give subscription x the settings it had',
  });
  expect(hostedChanges(wanted, has, other.slice(1), ['queue gone'])).toEqual([
    'the service is gone',
    'subscription x: leaseMs 1000 becomes 2000, filter {"selector":"a = 1"} becomes nothing',
  ]);
});

test('between any two topologies the steps can be taken one by one, and lead to what is wanted', () => {
  const names = ['a', 'b', 'c', 'd'];
  const dead = fc.option(fc.constantFrom(...names), { nil: undefined });
  const topology = fc
    .record({
      topics: fc.uniqueArray(fc.constantFrom('t', 'u'), { maxLength: 2 }),
      queues: fc.uniqueArray(fc.record({ name: fc.constantFrom(...names), dead, ttl: fc.boolean() }), {
        selector: ({ name }) => name,
        maxLength: 4,
      }),
      subscriptions: fc.uniqueArray(
        fc.record({ name: fc.constantFrom('x', 'y', 'z'), topic: fc.constantFrom('t', 'u'), to: dead, dead }),
        { selector: ({ name }) => name, maxLength: 3 },
      ),
      who: fc.uniqueArray(fc.constantFrom('app:one', 'any', 'topic:s/t'), { maxLength: 2 }),
    })
    .map(({ topics, queues, subscriptions, who }) =>
      JSON.stringify({
        brokers: {
          s: {
            kind: 'pubsub',
            topics: Object.fromEntries(topics.map((name) => [name, {}])),
            queues: Object.fromEntries(
              queues.map(({ name, dead, ttl }) => [
                name,
                { ...(dead ? { deadLetter: { to: dead } } : {}), ...(ttl ? { ttl: '1s' } : {}) },
              ]),
            ),
            subscriptions: Object.fromEntries(
              subscriptions.map(({ name, topic, to, dead }) => [
                name,
                { topic, ...(to ? { to } : {}), ...(dead ? { deadLetter: { to: dead } } : {}) },
              ]),
            ),
          },
        },
        access: who.map((each) => ({ name: each, allow: ['publish'], who: each, on: 's/*' })),
      }),
    );
  fc.assert(
    fc.property(topology, topology, (from, to) => {
      const [before, after] = [wantedOf(from), wantedOf(to)];
      const start = carried([SERVICE], planHosted(before, [SERVICE], []).steps);
      const { steps } = planHosted(after, start, [before]);
      expect(shown(carried(start, steps))).toEqual(shown(after.things));
    }),
    { numRuns: 300 },
  );
});

test('a rollout of a service is planned like any other', () => {
  const topology = readTopology([{ name: 'a.yaml', text: TOPOLOGY }]);
  const wanted = wantedState(topology, 's');
  const has = { exchanges: [], queues: [], bindings: [], hosted: [SERVICE] };
  const { steps, leftToOthers } = planRollout(wanted, has);
  expect(leftToOthers.map(({ of }) => of)).toEqual(['access:by key', 'access:from afar']);
  expect(new Set(steps.map(stepId)).size).toBe(steps.length);
  expect(operationsOf(steps[0]!, new BrokerState(has))).toEqual([]);
  expect(inventoryChanges(wanted, has, { ...has, hosted: [] })).toEqual(['the service is gone']);
});
