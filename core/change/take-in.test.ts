/** What a broker has otherwise, taken into documents: they ask for just that then, and say everything else as they did. */
import fc from 'fast-check';
import { adopt } from '../analysis/adopt/amqp.ts';
import type { HostedThing } from '../analysis/rollout/hosted.ts';
import { planRollout } from '../analysis/rollout/plan.ts';
import { type Inventory, bindingId, inventoryOf, wantedState } from '../analysis/rollout/wire.ts';
import { applyEdits } from '../base/edits.ts';
import { inventory } from '../testing/random-inventory.ts';
import { readTopology } from '../topology/read.ts';
import { type Differing, takeIn } from './take-in.ts';

/** How one broker differs from another, as a comparison tells it. */
function differing(applied: Inventory, there: Inventory): Differing[] {
  const by = <T>(of: Differing['of'], was: readonly T[], is: readonly T[], id: (each: T) => string) => {
    const [old, now] = [
      new Map(was.map((each) => [id(each), each])),
      new Map(is.map((each) => [id(each), each])),
    ];
    return [...new Set([...old.keys(), ...now.keys()])].flatMap((name) => {
      const [a, b] = [old.get(name), now.get(name)];
      if (JSON.stringify(a) === JSON.stringify(b)) return [];
      return [{ of, ...(a ? { applied: a } : {}), ...(b ? { there: b } : {}) } as Differing];
    });
  };
  const name = (each: { name: string }) => each.name;
  return [
    ...by('binding', applied.bindings, there.bindings, bindingId),
    ...by('queue', applied.queues, there.queues, name),
    ...by('exchange', applied.exchanges, there.exchanges, name),
    ...by('thing', applied.hosted ?? [], there.hosted ?? [], ({ kind, name: own }) => `${kind} ${own}`),
  ];
}

test('whatever one broker has, taken into the documents of another, is what they ask for then', () => {
  fc.assert(
    fc.property(inventory, inventory, (before, there) => {
      const { documents } = adopt(before, 'm');
      const applied = inventoryOf(wantedState(readTopology(documents), 'm'));
      const { edits, left } = takeIn(documents, 'live', 'm', differing(applied, there));
      const after = readTopology(applyEdits(documents, edits));
      expect([left, after.findings.map(({ message }) => message)]).toEqual([[], []]);
      expect(planRollout(wantedState(after, 'm'), there).steps.map(({ title }) => title)).toEqual([]);
    }),
    { numRuns: 200 },
  );
});

const TEXT = `# the line's own broker
parameters: { keep: { default: 5m }, most: { default: 100 } }
environments:
  live: { values: { keep: 10m } } # as agreed
brokers:
  m:
    kind: amqp
    exchanges:
      in: { type: topic } # what comes in
    queues:
      box: { ttl: "\${keep}", maxLength: 5 } # waits
      odd: { maxLength: "1\${most}" }
      own: { perInstanceOf: reader }
    bindings:
      - { from: in, to: box, key: "a.#" } # all of a
      - from: in
        to: odd
  s:
    kind: pubsub
    topics: { t: {} }
    queues: { kept: { lease: 30s } }
    subscriptions:
      sub:
        topic: t
        filter: { match: { kind: a } }
        lease: 30s # as long as it takes
apps: { reader: { instances: 2, consumes: [ { from: m/own } ] } }
`;
const documents = [{ name: 'a.yaml', text: TEXT }];
const live = readTopology(documents, { environment: 'live' });
const amqp = inventoryOf(wantedState(live, 'm'));
const hosted: Inventory = {
  exchanges: [],
  queues: [],
  bindings: [],
  hosted: wantedState(live, 's').hosted!.things,
};
function take(broker: string, applied: Inventory, there: Inventory) {
  const found = takeIn(documents, 'live', broker, differing(applied, there));
  const text = applyEdits(documents, found.edits)[0]!.text;
  return { ...found, text };
}
const queues = (change: (queue: Inventory['queues'][number]) => Inventory['queues'][number]): Inventory => ({
  ...amqp,
  queues: amqp.queues.map(change),
});

test('a value made of a parameter is given to the parameter, in that environment only', () => {
  const there = queues((each) =>
    each.name === 'box' ? { ...each, arguments: { ...each.arguments, 'x-message-ttl': 90_000 } } : each,
  );
  const { text, left, taken } = take('m', amqp, there);
  expect([taken, left]).toEqual([1, []]);
  expect(text).toBe(TEXT.replace('keep: 10m', 'keep: 90s'));
  expect(
    wantedState(readTopology([{ name: 'a.yaml', text }]), 'm').queues[0]!.arguments['x-message-ttl'],
  ).toBe(300_000);
});

test('a value made of more than a parameter is left to be changed by hand', () => {
  const there = queues((each) =>
    each.name === 'odd' ? { ...each, arguments: { ...each.arguments, 'x-max-length': 7 } } : each,
  );
  expect(take('m', amqp, there)).toMatchObject({
    text: TEXT,
    taken: 0,
    left: [{ what: 'queue odd', why: expect.stringContaining('`maxLength` is made of `most`') }],
  });
});

test('what is changed, gone and new is said, and comments and all else stay as they are', () => {
  const there: Inventory = {
    ...queues((each) => (each.name === 'box' ? { ...each, arguments: { 'x-message-ttl': 600_000 } } : each)),
    bindings: [
      ...amqp.bindings.filter(({ destination }) => destination !== 'box'),
      { source: 'in', destination: 'new.box', to: 'queue', key: 'b', arguments: {} },
    ],
  };
  const fresh = { name: 'new.box', durable: false, autoDelete: false, exclusive: false, arguments: {} };
  const { text, left } = take('m', amqp, { ...there, queues: [...there.queues, fresh] });
  expect(left).toEqual([]);
  expect(text).toBe(
    TEXT.replace('maxLength: 5 }', '}')
      .replace('{ ttl: "${keep}",  }', '{ ttl: "${keep}" }')
      .replace('{ ttl: "${keep}", }', '{ ttl: "${keep}" }')
      .replace(
        '      own: { perInstanceOf: reader }\n',
        '      own: { perInstanceOf: reader }\n      new.box: { durable: false }\n',
      )
      .replace('      - { from: in, to: box, key: "a.#" } # all of a\n', '')
      .replace('        to: odd\n', '        to: odd\n      - { from: in, to: new.box, key: b }\n'),
  );
});

test('what one instance has apart is not said of all', () => {
  const gone = { ...amqp, queues: amqp.queues.filter(({ name }) => name !== 'own.1') };
  expect(take('m', amqp, gone)).toMatchObject({ text: TEXT, left: [{ what: 'queue own.1' }] });
  const other = queues((each) => (each.name === 'own.2' ? { ...each, durable: false } : each));
  expect(take('m', amqp, other)).toMatchObject({ text: TEXT, left: [{ what: 'queue own.2' }] });
});

test('what the language cannot say is left, with the reason', () => {
  const odd = queues((each) =>
    each.name === 'box'
      ? { ...each, arguments: { ...each.arguments, 'x-single-active-consumer': true } }
      : each,
  );
  expect(take('m', amqp, odd)).toMatchObject({
    text: TEXT,
    left: [{ why: expect.stringContaining('x-single-active-consumer') }],
  });
  expect(takeIn(documents, 'live', 'nowhere', differing(amqp, odd))).toMatchObject({
    edits: [],
    left: [{ why: 'The draft declares no broker `nowhere`.' }],
  });
});

const things = (change: (thing: HostedThing) => HostedThing[]): Inventory => ({
  ...hosted,
  hosted: hosted.hosted!.flatMap(change),
});

test('on a publish-subscribe broker: what is changed, gone and new', () => {
  const changed = things((each) =>
    each.name === 'sub'
      ? [{ ...each, settings: { ...each.settings, leaseMs: 5000, maxDeliveries: 3 } }]
      : [each],
  );
  expect(take('s', hosted, changed)).toMatchObject({
    left: [],
    text: TEXT.replace('lease: 30s # as', 'lease: 5s # as').replace(
      '# as long as it takes\n',
      '# as long as it takes\n        maxDeliveries: 3\n',
    ),
  });
  const gone = things((each) => (each.name === 'sub' ? [] : [each]));
  expect(take('s', hosted, gone).text).not.toContain('sub:');
  const handed = things((each) =>
    each.name === 'sub'
      ? [
          each,
          {
            kind: 'subscription',
            name: 'more',
            settings: { topic: 't', to: 'kept', filter: { selector: "kind = 'b'" } },
          },
        ]
      : [each],
  );
  const { text, left } = take('s', hosted, handed);
  expect(left).toEqual([]);
  expect(text).toMatch(/ {6}more: ?\{ topic: t, to: kept, filter: \{ selector: .*kind = 'b'.* \} \}/);
  const statement: HostedThing = {
    kind: 'statement',
    name: 'x',
    settings: { allow: ['publish'], who: ['any'], on: ['t'] },
  };
  expect(take('s', hosted, { ...hosted, hosted: [...hosted.hosted!, statement] })).toMatchObject({
    text: TEXT,
    left: [{ what: 'statement x', why: expect.stringContaining('by hand') }],
  });
});

test('so many are taken in at once; the others are left for another time', () => {
  const fresh = Array.from({ length: 201 }, (_, i) => ({
    name: `fresh-${i}`,
    durable: true,
    autoDelete: false,
    exclusive: false,
    arguments: {},
  }));
  const { taken, left } = takeIn(
    documents,
    'live',
    'm',
    fresh.map((there) => ({ of: 'queue', there })),
  );
  expect([taken, left]).toEqual([
    200,
    [{ what: 'queue fresh-200', why: expect.stringContaining('at once') }],
  ]);
});
