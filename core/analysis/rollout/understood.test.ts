/**
 * Brokers that others built: what is not understood is left alone. Arguments are made at random, known and unknown ones
 * mixed; what this generator does not make, policies and kinds by the broker's word alone, has tests of its own, and the
 * live broker's own kinds are in strangers.live.test.ts of the server.
 */
import fc from 'fast-check';
import { readTopology } from '../../topology/read.ts';
import { adopt } from '../adopt/amqp.ts';
import { type Earlier, planRollout } from './plan.ts';
import { type Inventory, type WireExchange, type WireQueue, inventoryOf, wantedState } from './wire.ts';

const queue = (more: Partial<WireQueue> = {}): WireQueue => ({
  name: 'q',
  durable: true,
  autoDelete: false,
  exclusive: false,
  arguments: {},
  messages: 7,
  ...more,
});
const exchange = (more: Partial<WireExchange> = {}): WireExchange => ({
  name: 'e',
  type: 'topic',
  durable: true,
  autoDelete: false,
  internal: false,
  arguments: {},
  ...more,
});
const wantedOf = (queues: string, exchanges = '') =>
  wantedState(
    readTopology([
      {
        name: 'a',
        text: `brokers: { m: { kind: amqp, access: open, exchanges: { ${exchanges} }, queues: { ${queues} } } }`,
      },
    ]),
    'm',
  );
const has = (queues: readonly WireQueue[], exchanges: readonly WireExchange[] = []): Inventory => ({
  exchanges,
  queues,
  bindings: [],
});
const plan = (queues: string, there: WireQueue, earlier: Earlier[] = []) => {
  const { steps, leftAlone, leftToOthers } = planRollout(wantedOf(queues), has([there]), earlier);
  return { steps: steps.map(({ title }) => title), leftAlone, why: leftToOthers.map(({ why }) => why) };
};

describe('a queue that is not understood', () => {
  test.each<[string, Partial<WireQueue>, string]>([
    ['a stream', { arguments: { 'x-queue-type': 'stream' } }, 'it is of the kind stream'],
    ['a quorum queue', { arguments: { 'x-queue-type': 'quorum' } }, 'it is of the kind quorum'],
    ['one that is of a kind by default', { kind: 'quorum' }, 'it is of the kind quorum'],
    [
      'a single active consumer',
      { arguments: { 'x-single-active-consumer': true } },
      'it has x-single-active-consumer = true',
    ],
    ['a lazy queue', { arguments: { 'x-queue-mode': 'lazy' } }, 'it has x-queue-mode = "lazy"'],
    [
      'an overflow of its own',
      { arguments: { 'x-overflow': 'reject-publish-dlx' } },
      'it has x-overflow = "reject-publish-dlx"',
    ],
    ['a policy', { policy: { 'ha-mode': 'all' } }, 'a policy sets ha-mode = "all"'],
    ['an exclusive one', { exclusive: true }, 'it belongs to a connection'],
  ])('%s is not touched, whatever the documents ask', (_, more, why) => {
    const there = queue(more);
    for (const wish of ['q: {}', 'q: { ttl: 1m }', 'q: { maxDeliveries: 3, ttl: 1m }'].filter(
      // a delivery limit states the kind
      (each) => !(more.arguments?.['x-queue-type'] === 'quorum' && each.includes('maxDeliveries')),
    )) {
      const found = plan(wish, there);
      expect(found.steps).toEqual([]);
      expect(found.why.join()).toContain(`the queue q is left alone: ${why}`);
      expect(found.leftAlone).toMatchObject([{ kind: 'queue', name: 'q' }]);
    }
    // nor is it removed where an earlier revision asked for one of its name
    const made = planRollout(wantedOf(''), has([there]), [wantedOf('q: {}')]);
    expect(made.steps).toEqual([]);
    expect(made.leftAlone).toMatchObject([{ name: 'q', asked: true }]);
  });

  test('a policy of settings that the language can state leaves a queue to be changed', () => {
    const found = plan('q: { ttl: 1m }', queue({ policy: { 'max-length': 5 } }));
    expect(found.steps).toEqual([expect.stringContaining('replace queue q')]);
  });
});

describe('a setting that no document states', () => {
  test.each<[string, Partial<WireQueue>, string]>([
    ['an argument', { arguments: { 'x-max-length': 9 } }, 'no document states that it has x-max-length = 9'],
    ['a flag', { durable: false }, 'no document states that it has durable = false'],
  ])('%s is no reason to replace anything', (_, more, why) => {
    const found = plan('q: {}', queue(more));
    expect([found.steps, found.leftAlone]).toEqual([[], [{ kind: 'queue', name: 'q', why, asked: false }]]);
    // nor would it be lost in a replacement for another reason
    expect(plan('q: { ttl: 1m }', queue(more)).steps).toEqual([]);
  });

  test('it is one where an earlier revision stated it, or made the thing by its defaults', () => {
    const stated = plan('q: {}', queue({ arguments: { 'x-max-length': 9 } }), [
      wantedOf('q: { maxLength: 9 }'),
    ]);
    expect(stated.steps).toEqual([expect.stringContaining('replace queue q')]);
    const made = plan('q: {}', queue({ durable: false }), [wantedOf('q: {}')]);
    expect(made.steps).toEqual([expect.stringContaining('durable becomes true')]);
    const added = plan('q: {}', queue({ arguments: { 'x-max-length': 9 } }), [wantedOf('q: {}')]);
    expect(added.steps).toEqual([]);
  });

  test('the kind classic is what a queue is where none is stated', () => {
    expect(plan('q: {}', queue({ arguments: { 'x-queue-type': 'classic' } }))).toMatchObject({
      steps: [],
      leftAlone: [],
    });
  });
});

test.each<[string, Partial<WireExchange>]>([
  ['of a type that a plugin brings', { type: 'x-delayed-message', arguments: { 'x-delayed-type': 'topic' } }],
  ['with an argument', { arguments: { 'x-made-up': 1 } }],
  ['under a policy', { policy: { 'made-up': 'far' } }],
])('an exchange %s is not touched', (_, more) => {
  const wanted = wantedOf('', 'e: { type: direct, durable: false }');
  const there = has([], [exchange(more)]);
  expect(planRollout(wanted, there)).toMatchObject({ steps: [], leftAlone: [{ kind: 'exchange' }] });
  expect(planRollout(wantedOf(''), there, [wanted])).toMatchObject({ steps: [] });
});

test('a binding at a thing that is left alone, or with arguments of its own, is kept', () => {
  const wanted = wantedOf('q: {}, plain: {}', 'e: { type: topic }');
  const at = (destination: string, terms = {}) => ({
    source: 'e',
    destination,
    to: 'queue' as const,
    key: 'by.hand',
    arguments: terms,
  });
  const there = {
    ...has([queue({ kind: 'stream' }), queue({ name: 'plain' })], [exchange()]),
    bindings: [at('q'), at('plain', { 'x-weight': 3 }), at('plain')],
  };
  const { steps, kept } = planRollout(wanted, there);
  expect(steps.map(({ title }) => title)).toEqual(['remove the binding e → plain on by.hand']);
  expect(kept).toEqual(['binding e → q on by.hand', 'binding e → plain on x-weight = 3']);
});

const value = fc.oneof(
  fc.integer({ min: 1, max: 1000 }),
  fc.boolean(),
  fc.constantFrom('lazy', 'quorum', 'stream', 'x'),
);
const argument = fc.constantFrom(
  'x-message-ttl',
  'x-expires',
  'x-max-length',
  'x-max-length-bytes',
  'x-overflow',
  'x-max-priority',
  'x-delivery-limit',
  'x-queue-type',
  'x-queue-mode',
  'x-single-active-consumer',
  'x-queue-version',
  'x-max-age',
  'x-stream-max-segment-size-bytes',
  'x-quorum-initial-group-size',
  'x-dead-letter-strategy',
  'x-queue-master-locator',
  'x-made-up',
);
const stranger = fc.record({
  arguments: fc.dictionary(argument, value, { maxKeys: 4 }),
  durable: fc.boolean(),
  autoDelete: fc.boolean(),
});

test('imported, no stranger’s queue is ever replaced or removed, also after a revision that changes or drops it', () => {
  fc.assert(
    fc.property(fc.array(stranger, { minLength: 1, maxLength: 5 }), (strangers) => {
      const queues = strangers.map((each, i) => queue({ ...each, name: `q${i}` }) as WireQueue);
      const there = has(queues);
      const { documents } = adopt(there, 'm');
      const topology = readTopology(documents);
      // a setting of a kind that the language does not take is a finding, and nothing is planned of that
      fc.pre(topology.findings.every(({ severity }) => severity !== 'error'));
      const wanted = wantedState(topology, 'm');
      expect(planRollout(wanted, there).steps).toEqual([]);
      expect(planRollout(wanted, there, [wanted]).steps).toEqual([]);
      // the next revision changes every queue, or drops it: what is all understood is, and nothing else
      const understood = inventoryOf(wanted);
      for (const each of [
        wantedOf(''),
        wantedOf(queues.map(({ name }) => `${name}: { ttl: 77m }`).join(', ')),
      ])
        for (const step of planRollout(each, there, [wanted]).steps) {
          if (!('queue' in step)) throw new Error(step.title);
          const of = (list: readonly WireQueue[]) => list.find(({ name }) => name === step.queue.name)!;
          const { 'x-queue-type': kind, ...terms } = of(queues).arguments;
          const { 'x-queue-type': _, ...said } = of(understood.queues).arguments;
          expect(terms).toEqual(said);
          expect(['classic', 'quorum', undefined]).toContain(kind);
        }
    }),
    { numRuns: 500 },
  );
});
