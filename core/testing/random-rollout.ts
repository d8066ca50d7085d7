/**
 * Random pairs of topologies of one broker, most of the second as the first, for what happens between the two.
 *
 * What they do not have: queues of an app's instances whose number changes, messages told by free text or by numbers
 * without end, links and dead letters on the way, several brokers, and broken text.
 */
import fc from 'fast-check';
import type { ModelMessage } from './broker-model.ts';

interface Exchange {
  type: 'direct' | 'fanout' | 'topic' | 'headers';
  unroutedTo?: string;
  internal?: true;
  autoDelete?: true;
}

/** What a topology of one broker declares. */
export interface Made {
  exchanges: Record<string, Exchange>;
  queues: Record<string, { ttl?: string }>;
  bindings: { from: string; to: string; key?: string; headers?: object }[];
  sends: { message: string; to: string; mqtt?: boolean }[];
  /** Which exchange MQTT meets. */
  mqtt?: string;
  /** How the key of the second type is made. */
  key: string;
}

const NAMES = ['x1', 'x2', 'x3', 'x4'];
const QUEUES = ['q1', 'q2', 'q3'];
const KEYS = ['a', 'b', 'a.a', 'a.b', 'a.*', '*', '#', 'b.#', '#.a', ''];

const exchange = fc.record({
  type: fc.constantFrom('topic', 'topic', 'direct', 'fanout', 'headers'),
  unroutedTo: fc.option(fc.constantFrom(...NAMES), { nil: undefined, freq: 2 }),
  internal: fc.option(fc.constant(true as const), { nil: undefined, freq: 8 }),
  autoDelete: fc.option(fc.constant(true as const), { nil: undefined, freq: 5 }),
});
const headers = fc.record({
  match: fc.constantFrom('all', 'any'),
  values: fc.dictionary(fc.constantFrom('x', 'n', 'none'), fc.constantFrom('a', 'b', 1, '1', null), {
    maxKeys: 2,
  }),
});
const binding = fc.record({
  from: fc.constantFrom(...NAMES),
  to: fc.constantFrom(...QUEUES, ...QUEUES, ...NAMES),
  key: fc.constantFrom(...KEYS),
  headers,
});
const made = fc.record({
  exchanges: fc.dictionary(fc.constantFrom(...NAMES), exchange, { minKeys: 1, maxKeys: 4 }),
  queues: fc.dictionary(
    fc.constantFrom(...QUEUES),
    fc.record({ ttl: fc.option(fc.constantFrom('1s', '2s'), { nil: undefined, freq: 1 }) }),
    { minKeys: 1 },
  ),
  bindings: fc.array(binding, { maxLength: 7 }),
  sends: fc.array(
    fc.record({
      message: fc.constantFrom('one', 'two'),
      to: fc.constantFrom(...NAMES, ...NAMES, ...QUEUES),
      mqtt: fc.boolean(),
    }),
    { minLength: 1, maxLength: 3 },
  ),
  mqtt: fc.option(fc.constantFrom(...NAMES), { nil: undefined }),
  key: fc.constantFrom('a.{x}', 'a.{x}', '{x}.b'),
}) as fc.Arbitrary<Made>;

/** Leaves out what names what is not there. */
function whole({ exchanges, queues, bindings, sends, mqtt, key }: Made): Made {
  const there = (name: string | undefined) => name !== undefined && (name in exchanges || name in queues);
  return {
    exchanges: Object.fromEntries(
      Object.entries(exchanges).map(([name, { unroutedTo, ...rest }]) => [
        name,
        { ...rest, ...(there(unroutedTo) ? { unroutedTo: unroutedTo! } : {}) },
      ]),
    ),
    queues,
    bindings: bindings
      .filter(({ from, to }) => there(from) && there(to))
      .map(({ from, to, key: of, headers: on }) =>
        exchanges[from]!.type === 'headers' ? { from, to, headers: on! } : { from, to, key: of! },
      ),
    sends: sends.filter(({ to }) => there(to)),
    ...(there(mqtt) ? { mqtt: mqtt! } : {}),
    key,
  };
}

/** One topology and what may become of it: most of it as it was. */
export const pair = fc
  .tuple(made, made, fc.array(fc.integer({ min: 0, max: 3 }), { minLength: 20, maxLength: 20 }))
  .map(([before, other, dice]): [Made, Made] => {
    let at = 0;
    const kept = () => dice[at++ % dice.length]! > 0;
    const mixed = <T>(a: Record<string, T>, b: Record<string, T>) =>
      Object.fromEntries(
        [...new Set([...Object.keys(a), ...Object.keys(b)])].flatMap((name) => {
          const value = kept() ? a[name] : b[name];
          return value === undefined ? [] : [[name, value]];
        }),
      );
    const after: Made = {
      exchanges: mixed(before.exchanges, other.exchanges),
      queues: mixed(before.queues, other.queues),
      bindings: [...before.bindings.filter(kept), ...other.bindings.filter(() => !kept())],
      sends: kept() ? before.sends : other.sends,
      ...(before.mqtt === undefined ? {} : { mqtt: before.mqtt }),
      key: kept() ? before.key : other.key,
    };
    return [whole(before), whole(after)];
  })
  // an exchange that declares nothing but itself is no topology
  .filter(([, { exchanges }]) => Object.keys(exchanges).length > 0);

/** @returns it as a document */
export const textOf = ({ exchanges, queues, bindings, sends, mqtt, key }: Made): string =>
  JSON.stringify({
    messages: {
      one: { key: 'a', headers: { n: { enum: [1, '1'] } } },
      two: { key, headers: { x: { type: 'string', enum: ['a', 'b'] } }, required: ['x'] },
    },
    apps: {
      app: {
        publishes: sends.map(({ message, to, mqtt: over }) =>
          over && mqtt !== undefined ? { message, to: 'm', via: 'mqtt' } : { message, to: `m/${to}` },
        ),
      },
    },
    brokers: {
      m: {
        kind: 'amqp',
        access: 'open',
        exchanges,
        queues,
        bindings,
        ...(mqtt === undefined ? {} : { mqtt: { exchange: mqtt } }),
      },
    },
  });

/** Every message there is. */
export const messagesOf = (type: string, key: string): ModelMessage[] =>
  type === 'one'
    ? [{}, { n: 1 }, { n: '1' }].map((each) => ({ key: 'a', headers: each }))
    : ['a', 'b'].map((x) => ({ key: key.replace('{x}', x), headers: { x } }));

/** @returns what a publish enters, by its name on the wire */
export const entryOf = ({ to: name, mqtt: over }: Made['sends'][number], { mqtt }: Made) =>
  over && mqtt !== undefined
    ? { kind: 'exchange' as const, name: mqtt }
    : { kind: NAMES.includes(name) ? ('exchange' as const) : ('queue' as const), name };

/** @returns in words what is wrong in a state: where a message does not come, or comes, as it does at neither end */
export const wrongIn = (
  first: ReadonlySet<string>,
  here: ReadonlySet<string>,
  last: ReadonlySet<string>,
): string[] => [
  ...[...first].filter((each) => last.has(each) && !here.has(each)).map((each) => `missing ${each}`),
  ...[...here].filter((each) => !first.has(each) && !last.has(each)).map((each) => `extra ${each}`),
];
