import { BINDABLE, ENTRIES, STORES, addressOf, thing } from '../language/thing.ts';
import { lookUp } from './address.ts';
import { readTopology } from './read.ts';

const { names } = readTopology([
  {
    name: 'a',
    text: `brokers:
  m:
    kind: amqp
    exchanges: { in: { type: topic }, twin: { type: fanout }, "s/odd": { type: direct } }
    queues: { boards: {}, twin: {}, "queue:odd": {}, "a/b": {} }
    aliases: { old: { to: boards } }
  s: { kind: pubsub, topics: { notices: {} }, queues: { odd: {} }, subscriptions: { kiosks: { topic: notices } } }
spreads: { both: { members: [m/boards, s/odd] } }
`,
  },
]);
const id = (address: string, kinds = ENTRIES, home?: string) => {
  const found = lookUp(names, address, kinds, home);
  return found.ok ? found.thing.id : found.reason;
};

describe('addresses', () => {
  test.each([
    ['m/boards', 'queue:m/boards'],
    ['m/in', 'exchange:m/in'],
    ['m/old', 'alias:m/old'],
    ['s/notices', 'topic:s/notices'],
    ['spread:both', 'spread:both'],
    ['queue:m/twin', 'queue:m/twin'],
    ['m/exchange:twin', 'exchange:m/twin'],
    ['m/a/b', 'queue:m/a/b'],
    ['m/queue:odd', 'queue:m/queue:odd'],
    ['m/twin', 'ambiguous'],
    ['m/none', 'unknown'],
    ['none/x', 'unknown'],
    ['boards', 'unknown'],
    ['', 'unknown'],
    ['spread:none', 'unknown'],
  ])('%j is %s', (address, expected) => expect(id(address)).toBe(expected));

  test('bare names are those of the section they stand in', () => {
    expect(id('boards', ENTRIES, 'm')).toBe('queue:m/boards');
    expect(id('twin', ENTRIES, 'm')).toBe('ambiguous');
    expect(id('queue:twin', BINDABLE, 'm')).toBe('queue:m/twin');
    // a name of one's own comes before a broker's
    expect(id('s/odd', ENTRIES, 'm')).toBe('exchange:m/s/odd');
    expect(id('s/odd', ENTRIES, 's')).toBe('queue:s/odd');
  });

  test('only what may stand there is found', () => {
    expect(id('s/kiosks', STORES)).toBe('subscription:s/kiosks');
    expect(id('s/kiosks')).toBe('unknown');
    expect(id('m/in', STORES)).toBe('unknown');
  });

  test('what is not found is told so that it can be mended', () => {
    const told = (address: string) => {
      const found = lookUp(names, address, ENTRIES);
      return found.ok ? '' : found.message;
    };
    expect(told('boards')).toContain('needs its broker');
    expect(told('x/boards')).toContain('no broker `x`');
    expect(told('m/x')).toContain('Broker `m` has no exchange, topic, queue or alias named `x`');
    expect(told('m/twin')).toBe('`m/twin` names two things here; write `exchange:m/twin` or `queue:m/twin`.');
  });

  test('things are written as people write them', () => {
    expect(addressOf(thing('queue', 'boards', 'm'))).toBe('m/boards');
    expect(addressOf(thing('app', 'desk'))).toBe('app:desk');
    expect(addressOf(thing('broker', 'm'))).toBe('m');
  });
});
