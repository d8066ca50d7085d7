/**
 * Inventories of AMQP 0-9-1 brokers, made at random. What is not made: exclusive queues, policies, users, kinds of exchange
 * that plugins bring, and names of more than a few letters.
 */
import fc from 'fast-check';
import type { Inventory } from '../analysis/rollout/wire.ts';

const name = fc.oneof(
  fc.constantFrom(
    'a',
    'b',
    'orders',
    'orders.dead',
    'true',
    '12',
    'null',
    'a/b',
    'a b',
    'ä',
    '#',
    '"',
    'a: b',
    '{x}',
    '${x}',
    "it's",
    '-',
    'a-',
    '*',
  ),
  fc.string({ minLength: 1, maxLength: 6 }),
);
const ms = fc.integer({ min: 1, max: 10_000_000 });
const queueOf = (queues: readonly string[], exchanges: readonly string[]) =>
  fc.record({
    durable: fc.boolean(),
    autoDelete: fc.boolean(),
    ttl: fc.option(ms),
    expires: fc.option(ms),
    maxLength: fc.option(fc.nat(1000)),
    maxBytes: fc.option(fc.integer({ min: 0, max: 5_000_000 })),
    overflow: fc.option(fc.constantFrom('reject-publish', 'drop-head')),
    maxPriority: fc.option(fc.integer({ min: 1, max: 255 })),
    maxDeliveries: fc.option(fc.integer({ min: 1, max: 20 }), { freq: 1 }),
    dead: fc.option(
      fc.oneof(
        fc.record({ exchange: fc.constantFrom(...exchanges), key: fc.option(name) }),
        fc.record({ exchange: fc.constant(''), key: fc.constantFrom(...queues) }),
      ),
    ),
  });
/** What an AMQP 0-9-1 broker has. */
export const inventory: fc.Arbitrary<Inventory> = fc
  .tuple(
    fc.uniqueArray(
      name.filter((each) => !/^amq\./.test(each)),
      { minLength: 1, maxLength: 5 },
    ),
    fc.uniqueArray(name, { minLength: 1, maxLength: 6 }),
  )
  .chain(([exchanges, queues]) =>
    fc.record({
      exchanges: fc.tuple(
        ...exchanges.map((each) =>
          fc.record({
            name: fc.constant(each),
            type: fc.constantFrom('direct', 'fanout', 'topic', 'headers'),
            durable: fc.boolean(),
            autoDelete: fc.boolean(),
            internal: fc.boolean(),
            arguments: fc
              .option(fc.constantFrom(...exchanges), { nil: undefined })
              .map((to): Record<string, string> => (to === undefined ? {} : { 'alternate-exchange': to })),
          }),
        ),
      ),
      queues: fc.tuple(
        ...queues.map((each) =>
          queueOf(queues, exchanges).map(({ durable, autoDelete, dead, ...of }) => ({
            name: each,
            durable,
            autoDelete,
            exclusive: false,
            arguments: Object.fromEntries(
              Object.entries({
                'x-message-ttl': of.ttl,
                'x-expires': of.expires,
                'x-max-length': of.maxLength,
                'x-max-length-bytes': of.maxBytes,
                'x-overflow': of.overflow,
                'x-max-priority': of.maxPriority,
                ...(of.maxDeliveries === null
                  ? {}
                  : { 'x-queue-type': 'quorum', 'x-delivery-limit': of.maxDeliveries }),
                ...(dead
                  ? { 'x-dead-letter-exchange': dead.exchange, 'x-dead-letter-routing-key': dead.key }
                  : {}),
              }).filter(
                (entry): entry is [string, string | number] => entry[1] !== null && entry[1] !== undefined,
              ),
            ),
          })),
        ),
      ),
      bound: fc.array(
        fc.record({
          source: fc.constantFrom(...exchanges),
          target: fc.oneof(
            fc.constantFrom(...queues).map((destination) => ({ to: 'queue' as const, destination })),
            fc.constantFrom(...exchanges).map((destination) => ({ to: 'exchange' as const, destination })),
          ),
          key: fc.oneof(fc.constantFrom('', 'a.*', '#', 'a'), name),
          match: fc.constantFrom('all', 'any'),
          values: fc.dictionary(
            fc.constantFrom('h', 'k l', 'true', '${x}', 'n: 1'),
            fc.oneof(fc.constantFrom('x', 'true', '1', ''), fc.integer(), fc.boolean(), fc.constant(null)),
            { maxKeys: 2 },
          ),
        }),
        { maxLength: 8 },
      ),
    }),
  )
  .map(({ exchanges, queues, bound }) => ({
    exchanges,
    queues,
    bindings: bound.map(({ source, target, key, match, values }) => ({
      source,
      ...target,
      key,
      arguments:
        exchanges.find((each) => each.name === source)!.type === 'headers'
          ? { 'x-match': match, ...values }
          : {},
    })),
  }));
