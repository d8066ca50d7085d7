/** A space of a publish-subscribe service taken in and asked for again: nothing is left to do, and messages go as they did. */
import fc from 'fast-check';
import { randomTopology, topologies } from '../../testing/random-topology.ts';
import { readTopology } from '../../topology/read.ts';
import { type HostedThing, planHosted, wantedHosted } from '../rollout/hosted.ts';
import { adoptHosted } from './hosted.ts';
import { guessTypes } from './types.ts';

const stepsAfter = (things: readonly HostedThing[], tenant?: string) => {
  const { documents, unsaid } = adoptHosted(things, 's', tenant);
  const topology = readTopology(documents);
  return {
    documents,
    unsaid,
    errors: topology.findings.map(({ message }) => message),
    steps: planHosted(wantedHosted(topology, 's')!, things, []).steps.map(({ title }) => title),
  };
};

test('whatever a space has, taken in, asks for nothing more', () => {
  fc.assert(
    fc.property(topologies, (seed) => {
      const topology = readTopology([{ name: 'a.yaml', text: randomTopology(seed) }]);
      const things = wantedHosted(topology, 's')!.things.map(({ kind, name, settings }) => ({
        kind,
        name,
        settings,
      }));
      const { steps, errors, unsaid } = stepsAfter(things);
      expect([steps, errors]).toEqual([[], []]);
      expect(unsaid.filter((each) => !each.includes('the link '))).toEqual([]);
    }),
    { numRuns: 300 },
  );
});

const thing = (
  kind: HostedThing['kind'],
  name: string,
  settings: HostedThing['settings'] = {},
): HostedThing => ({
  kind,
  name,
  settings,
});

test('odd names, filters, tenants and statements come through', () => {
  const things = [
    thing('service', '', { access: 'controlled' }),
    thing('topic', 'a b', { order: 'fifo', dedupeMs: 300_000, tenant: 'northquay' }),
    thing('topic', '${x}'),
    thing('queue', 'true', {
      leaseMs: 100,
      ttlMs: 86_400_000,
      delayMs: 5,
      maxDeliveries: 3,
      deadLetter: { to: 'true-2' },
    }),
    thing('queue', 'true-2'),
    thing('subscription', '12', {
      topic: 'a b',
      to: 'true',
      filter: { any: [{ match: { n: 1 } }, { selector: "a = 'x: y'" }] },
    }),
    thing('subscription', 'own', { topic: '${x}', wrap: true, leaseMs: 30_000 }),
    thing('statement', 'it’s: said', {
      allow: ['consume'],
      who: ['app:reader', 'tenant:northquay', 'topic:a b'],
      on: ['true', 'o*'],
    }),
    thing('statement', 'when', {
      deny: ['publish'],
      who: ['any'],
      on: ['a b'],
      when: { source: 'true', encrypted: false, tenant: 'northquay' },
    }),
  ];
  const { documents, steps, errors, unsaid } = stepsAfter(things, 'auklet');
  expect([steps, errors, unsaid]).toEqual([[], [], []]);
  expect(documents.map(({ name }) => name)).toEqual([
    'broker.yaml',
    'access.yaml',
    'apps.yaml',
    'tenants.yaml',
  ]);
  expect(documents[3]!.text).toBe('tenant: auklet\ntenants:\n  northquay: {}\n  auklet: {}\n');
});

test('who sent what lies in subscriptions publishes it to their topics', () => {
  const at = (sentBy: string | undefined, entry: string, type: string) => ({
    key: '',
    entry,
    headers: {},
    properties: { type },
    ...(sentBy === undefined ? {} : { sentBy }),
  });
  const guessed = guessTypes([
    at('desk', 't', 'closure'),
    at('desk', 't', 'closure'),
    at(undefined, 't', 'opening'),
    // where it was sent is not known, or is no more
    at('desk', '', 'fare'),
    at('desk', 'gone', 'fare'),
  ]);
  const { documents, unsaid } = adoptHosted([thing('topic', 't')], 's', 'own', new Map(), guessed);
  expect(unsaid).toEqual([expect.stringContaining('unknown-publisher')]);
  expect(documents.find(({ name }) => name === 'apps.yaml')!.text).toBe(
    'apps:\n  desk:\n    publishes:\n      - { message: closure, to: topic:s/t }\n' +
      '  unknown-publisher:\n    publishes:\n      - { message: opening, to: topic:s/t }\n',
  );
  expect(readTopology(documents).findings).toEqual([]);
});

test('who takes becomes apps, and what cannot be said is said to be so', () => {
  const things = [
    thing('topic', 't'),
    thing('subscription', 'lost', { topic: 'gone' }),
    thing('subscription', 'box', { topic: 't', deadLetter: { to: 'gone' } }),
    thing('statement', 'carries', { allow: ['consume'], who: ['link:over'], on: ['box'] }),
  ];
  const { documents, unsaid } = adoptHosted(
    things,
    's',
    'No Id',
    new Map([['box', ['reader#1', 'reader#2']]]),
  );
  expect(unsaid).toEqual([
    'The subscription lost leads to gone, which is not there.',
    'Dead letters of box go to gone, which is not there.',
    expect.stringContaining('the link over'),
  ]);
  expect(documents.find(({ name }) => name === 'apps.yaml')!.text).toBe(
    'apps:\n  reader:\n    consumes:\n      - { from: subscription:s/box }\n',
  );
  expect(readTopology(documents).findings).toEqual([]);
});
