/**
 * What a broker has, taken in and asked for again: nothing is left to do. Inventories are made at random; what this
 * generator does not make: exclusive queues, policies, users, kinds of exchange that plugins bring, and names of more than
 * a few letters. Those have tests of their own, or are said to be left out.
 */
import fc from 'fast-check';
import { inventory } from '../../testing/random-inventory.ts';
import { readTopology } from '../../topology/read.ts';
import { adopt } from './amqp.ts';
import { guessTypes } from './types.ts';
import { planRollout } from '../rollout/plan.ts';
import { type Inventory, wantedState } from '../rollout/wire.ts';

const stepsOf = (has: Inventory) => {
  const { documents } = adopt(has, 'm');
  const topology = readTopology(documents);
  return {
    documents,
    findings: topology.findings.map(({ message }) => message),
    steps: planRollout(wantedState(topology, 'm'), has).steps.map(({ title }) => title),
  };
};

test('whatever a broker has, taken in, asks for nothing more', () => {
  fc.assert(
    fc.property(inventory, (has) => {
      const { steps, findings } = stepsOf(has);
      expect([steps, findings]).toEqual([[], []]);
      expect(adopt(has, 'm').unsaid).toEqual([]);
    }),
    { numRuns: 300 },
  );
});

const queue = (own: string, terms: object = {}) => ({
  name: own,
  durable: true,
  autoDelete: false,
  exclusive: false,
  arguments: { ...terms },
});
const exchange = (own: string, type = 'topic', terms: object = {}) => ({
  name: own,
  type,
  durable: true,
  autoDelete: false,
  internal: false,
  arguments: { ...terms },
});

test('what the language cannot say is said to be so', () => {
  const { unsaid } = adopt(
    {
      exchanges: [
        exchange('late', 'x-delayed-message'),
        exchange('in', 'direct', { 'alternate-exchange': 'gone' }),
      ],
      queues: [
        queue('one', { 'x-single-active-consumer': true }),
        queue('two', { 'x-queue-type': 'stream' }),
        queue('three', { 'x-dead-letter-exchange': 'gone' }),
        queue('four', { 'x-dead-letter-exchange': '', 'x-dead-letter-routing-key': 'gone' }),
      ],
      bindings: [{ source: 'late', destination: 'one', to: 'queue', key: '', arguments: {} }],
    },
    'm',
  );
  expect(unsaid).toEqual([
    expect.stringContaining('late is of the type x-delayed-message'),
    expect.stringContaining('goes to the exchange gone'),
    expect.stringContaining('one has settings that the language cannot say: x-single-active-consumer'),
    expect.stringContaining('The queue two is of the kind stream'),
    expect.stringContaining('Dead letters of three goes to the exchange gone'),
    expect.stringContaining('Dead letters of four go to gone'),
  ]);
});

test('settings that policies make are named, one by one', () => {
  const { unsaid } = adopt(
    {
      exchanges: [{ ...exchange('in'), policy: { 'alternate-exchange': 'rest' } }],
      queues: [{ ...queue('one'), policy: { 'max-length': 5, 'ha-mode': 'all' } }],
      bindings: [],
    },
    'm',
  );
  expect(unsaid).toEqual([
    expect.stringContaining('A policy of the broker sets alternate-exchange = "rest" on the exchange in.'),
    expect.stringContaining('sets max-length = 5, ha-mode = "all" on the queue one.'),
  ]);
});

test('built-in exchanges are declared where something leads through them, and only there', () => {
  const has: Inventory = {
    exchanges: [exchange('', 'direct'), exchange('amq.topic'), exchange('amq.fanout', 'fanout')],
    queues: [queue('q')],
    bindings: [{ source: 'amq.topic', destination: 'q', to: 'queue', key: '#', arguments: {} }],
  };
  const { documents, steps } = stepsOf(has);
  expect(steps).toEqual([]);
  expect(documents[0]!.text).toContain('amq.topic: { type: topic }');
  expect(documents[0]!.text).not.toContain('amq.fanout');
});

test('many queues stand in documents by how their names begin, and who takes becomes an app', () => {
  const names = ['orders', 'bills'].flatMap((word) => Array.from({ length: 30 }, (_, i) => `${word}.${i}`));
  const has: Inventory = {
    exchanges: [exchange('in')],
    queues: [...names, 'alone'].map((each) => queue(each)),
    bindings: names.map((destination) => ({
      source: 'in',
      destination,
      to: 'queue' as const,
      key: destination,
      arguments: {},
    })),
  };
  const { documents } = adopt(has, 'm', {
    takers: new Map([
      ['orders.1', ['reader#1', 'reader#2']],
      ['bills.2', ['reader#3']],
      ['alone', ['10.0.0.1:55 -> x']],
    ]),
  });
  expect(documents.map((each) => each.name)).toEqual([
    'broker.yaml',
    'orders.yaml',
    'bills.yaml',
    'apps.yaml',
  ]);
  const topology = readTopology(documents);
  expect(topology.findings.map(({ message }) => message)).toEqual([]);
  expect(planRollout(wantedState(topology, 'm'), has).steps).toEqual([]);
  expect([...topology.declared.apps!.keys()].sort()).toEqual(['reader', 'x']);
  expect(topology.declared.apps!.get('reader')!.value.consumes!.items).toHaveLength(2);
});

const small: Inventory = {
  exchanges: [exchange('in'), exchange('other', 'fanout'), exchange('amq.topic'), exchange('')],
  queues: [queue('box'), queue('far'), queue('mqtt-subscription-deck 7qos1')],
  bindings: [
    { source: 'in', destination: 'box', to: 'queue', key: '#', arguments: {} },
    {
      source: 'amq.topic',
      destination: 'mqtt-subscription-deck 7qos1',
      to: 'queue',
      key: 'deck.*.#',
      arguments: {},
    },
  ],
};

test('what users may do becomes statements, and the broker is controlled then', () => {
  const { documents, unsaid } = adopt(small, 'm', {
    rights: [
      { user: 'Reader', configure: '', write: '', read: '^box$' },
      { user: 'desk', configure: '.*', write: '^in$', read: '' },
      { user: 'all', configure: '', write: '.*', read: '.*' },
      { user: 'odd', configure: '', write: '(', read: '' },
      { user: 'none', configure: '', write: '', read: '' },
    ],
  });
  const topology = readTopology(documents);
  expect(topology.findings.map(({ message }) => message)).toEqual([]);
  expect(documents.find(({ name }) => name === 'access.yaml')!.text).toBe(
    `access:
  - { name: Reader takes, allow: [consume], who: app:reader, on: [queue:m/box] }
  - { name: desk publishes, allow: [publish], who: app:desk, on: [exchange:m/in] }
  - { name: all takes, allow: [consume], who: app:all, on: [queue:m/*] }
  - { name: all publishes, allow: [publish], who: app:all, on: [exchange:m/*, queue:m/*] }
`,
  );
  expect([...topology.declared.apps!.keys()]).toEqual(['reader', 'desk', 'all']);
  expect(documents[0]!.text).toContain('access: controlled');
  expect(unsaid).toEqual([
    'The user desk may declare things by itself (.*): that is not taken in.',
    expect.stringContaining('the user odd may do is said by a pattern that cannot be read'),
  ]);
});

test('sessions of MQTT clients are what apps subscribe to', () => {
  const { documents, unsaid } = adopt(small, 'm', { mqtt: true });
  const topology = readTopology(documents);
  expect([topology.findings.map(({ message }) => message), unsaid]).toEqual([[], []]);
  expect(documents[0]!.text).toContain('mqtt: { exchange: exchange:m/amq.topic }');
  expect(documents[0]!.text).not.toContain('mqtt-subscription');
  expect(documents.at(-1)!.text).toBe(
    'apps:\n  deck-7:\n    consumes:\n      - { from: m, via: mqtt, topic: deck/+/# }\n',
  );
});

test('types that were guessed are published by whoever said so, where they were published', () => {
  const { documents, unsaid } = adopt(small, 'm', {
    guessed: guessTypes([
      { key: 'a', entry: 'other', headers: {}, properties: { appId: 'desk' } },
      { key: 'b', entry: 'in', headers: {}, properties: {} },
      { key: 'c', entry: 'gone', headers: {}, properties: {} },
    ]),
  });
  const topology = readTopology(documents);
  expect(topology.findings.map(({ message }) => message)).toEqual([]);
  expect([...topology.messages.keys()]).toEqual(['a', 'b', 'c']);
  expect(documents.at(-1)!.text).toContain(
    'desk:\n    publishes:\n      - { message: a, to: exchange:m/other }',
  );
  expect(unsaid).toEqual([expect.stringContaining('unknown-publisher')]);
});
