import { readTopology } from '../../topology/read.ts';
import { linksToCarry } from './links.ts';

const of = (text: string) => linksToCarry(readTopology([{ name: 'a.yaml', text }]));
const BROKERS = `
brokers:
  m:
    kind: amqp
    queues: { out: { wireName: m.out }, back: {}, own: { exclusive: true }, each: { perInstanceOf: desk } }
    exchanges: { in: { wireName: m.in } }
    aliases:
      far: { to: i/desk, over: down }
      farther: { to: i/nick, over: down }
      elsewhere: { to: i/desk, over: up }
      gone: { to: i/gone, over: down }
  i: { kind: amqp, exchanges: { inbox: { type: topic } }, queues: { desk: {}, up: {} }, aliases: { nick: { to: inbox }, round: { to: round } } }
  s: { kind: pubsub, queues: { q: {} }, topics: { t: { wireName: s.t } }, subscriptions: { kept: { topic: t }, handed: { topic: t, to: q } } }
apps: { desk: { instances: 2 } }
`;

test('a link is told by wire names, with what remote aliases send over it', () => {
  const { carried, left } = of(
    `${BROKERS}links:\n  down: { from: m/out, to: i/inbox, keys: ["a.#", "*.b"], batch: 50 }\n  up: { from: i/up, to: m/in }\n`,
  );
  expect(left).toEqual([]);
  expect(carried).toEqual([
    {
      name: 'down',
      from: { broker: 'm', queue: 'm.out' },
      to: { broker: 'i', exchange: 'inbox' },
      keys: [
        ['a', '#'],
        ['*', 'b'],
      ],
      batch: 50,
      aliases: {
        'i/desk': { broker: 'i', exchange: '', queue: 'desk' },
        'i/nick': { broker: 'i', exchange: 'inbox' },
      },
    },
    {
      name: 'up',
      from: { broker: 'i', queue: 'up' },
      to: { broker: 'm', exchange: 'm.in' },
      batch: 1,
      aliases: { 'i/desk': { broker: 'i', exchange: '', queue: 'desk' } },
    },
  ]);
});

test.each([
  ['it is not active', '{ from: m/out, to: i/inbox, active: false }'],
  ['have none', '{ from: s/q, to: i/inbox, keys: ["#"] }'],
  ['lies in one store', '{ from: s/handed, to: i/inbox }'],
  ['lies in one store', '{ from: m/own, to: i/inbox }'],
  ['lies in one store', '{ from: m/each, to: i/inbox }'],
  ['lies in one store', '{ from: m/out, to: i/gone }'],
  ['lies in one store', '{ from: m/out, to: i/round }'],
  ['it could not be read whole', '{ from: m/out, to: i/inbox, keys: [ { a: b } ] }'],
])('what is not carried says why: %s', (why, link) => {
  const { carried, left } = of(`${BROKERS}links: { l: ${link} }\n`);
  expect(carried).toEqual([]);
  expect(left).toEqual([{ name: 'l', why: expect.stringContaining(why) }]);
});

test('links lead to and from publish-subscribe brokers', () => {
  const { carried, left } = of(
    `tenant: auklet\n${BROKERS}links:\n  to: { from: m/out, to: s/t }\n  into: { from: m/out, to: s/q }\n  back: { from: s/kept, to: m/in }\n  queue: { from: s/q, to: i/desk }\n`,
  );
  expect(left).toEqual([]);
  expect(carried.map(({ tenant, from, to }) => [tenant, from.queue, to])).toEqual([
    ['auklet', 'm.out', { broker: 's', exchange: '', entry: 's.t' }],
    ['auklet', 'm.out', { broker: 's', exchange: '', entry: 'q' }],
    ['auklet', 'kept', { broker: 'm', exchange: 'm.in' }],
    ['auklet', 'q', { broker: 'i', exchange: '', queue: 'desk' }],
  ]);
});

test('a link to an alias leads where that leads', () => {
  expect(of(`${BROKERS}links: { l: { from: m/out, to: i/nick } }\n`).carried[0]!.to).toEqual({
    broker: 'i',
    exchange: 'inbox',
  });
});
