/**
 * Domains without end cannot be tried message by message. Messages are made at random near what conditions ask, and
 * whatever becomes of one of them some class must say; classes that are said to be proved have a witness that does it.
 *
 * What the generator cannot make: several publishes to one entry, spreads (see classes.test.ts for those that it can).
 */
import fc from 'fast-check';
import { buildGraph } from '../../routing/graph.ts';
import { trace } from '../../routing/trace.ts';
import { addressOf } from '../../language/thing.ts';
import { complete } from '../samples/samples.ts';
import { readTopology } from '../../topology/read.ts';
import { type ClassOutcome, classesOf, comingTo, publishesOf, reachOf } from './classes.ts';

const RUNS = Number(process.env['CASES'] ?? 150);

const TEXTS = ['a', 'ab', 'b', 'xa', 'abx', 'late', 'la', 'te', ''];
const text = fc.constantFrom(...TEXTS);
const number = fc.constantFrom(-1, 0, 1, 1.5, 2, 7, 100);
const quoted = (value: string) => `'${value}'`;

const test1 = fc.oneof(
  fc
    .tuple(fc.constantFrom('h', 'g', 'subject'), fc.constantFrom('=', '<>'), text)
    .map(([of, op, value]) => `${of} ${op} ${quoted(value)}`),
  fc
    .tuple(
      fc.constantFrom('h', 'g'),
      fc.constantFrom('', 'NOT '),
      fc.constantFrom('a%', '%a', '%a%', 'l_t%', '_', '__', '%'),
    )
    .map(([of, not, pattern]) => `${of} ${not}LIKE ${quoted(pattern)}`),
  fc
    .tuple(fc.constantFrom('n', 'f'), fc.constantFrom('<', '<=', '=', '<>', '>', '>='), number)
    .map(([of, op, value]) => `${of} ${op} ${value}`),
  fc
    .tuple(fc.constantFrom('n', 'f'), number, number)
    .map(([of, low, high]) => `${of} BETWEEN ${low} AND ${high}`),
  fc
    .tuple(fc.constantFrom('h', 'g', 'n'), fc.constantFrom('', 'NOT '))
    .map(([of, not]) => `${of} IS ${not}NULL`),
  fc.tuple(text, text).map((values) => `h IN (${values.map(quoted).join(', ')})`),
  fc.constantFrom('n + f > 3', 'h = g', 'b', 'NOT b'),
);
const selector: fc.Arbitrary<string> = fc.letrec<{ all: string }>((tie) => ({
  all: fc.oneof(
    { maxDepth: 2 },
    test1,
    fc.tuple(tie('all'), fc.constantFrom('AND', 'OR'), tie('all')).map(([a, op, b]) => `(${a} ${op} ${b})`),
    tie('all').map((a) => `NOT (${a})`),
  ),
})).all;
const filter = fc.oneof(
  selector.map((of) => ({ selector: of })),
  fc.tuple(fc.constantFrom('h', 'g'), text).map(([name, value]) => ({ match: { [name]: value } })),
  fc
    .tuple(fc.constantFrom('prefix', 'suffix'), fc.constantFrom('a', 'la', 'e'))
    .map(([how, value]) => ({ [how]: { h: value } })),
);
const pattern = fc
  .array(fc.constantFrom('sea', 'a', 'ab', 'late', '*', '#'), { minLength: 1, maxLength: 4 })
  .map((words) => words.join('.'));

const signOf = ({ stores, ends }: ClassOutcome): string =>
  JSON.stringify([
    stores.map(({ at, copies }) => `${at} ${copies}`).sort(),
    [...new Set(ends.map(({ outcome, at }) => `${outcome} ${at}`))].sort(),
  ]);

const TYPE = {
  headers: {
    h: { type: 'string' },
    g: { type: 'string' },
    n: { type: 'integer', minimum: -5 },
    f: { type: 'number' },
    b: { type: 'boolean' },
  },
  properties: { subject: { type: 'string' } },
};

/** A message near what conditions ask: some of what may be left out is. */
const headers = fc.record(
  {
    h: text,
    g: text,
    n: fc.constantFrom(-5, -1, 0, 1, 2, 3, 7, 100, 10_000),
    f: fc.constantFrom(-3.5, 0, 1.5, 2, 7.25),
    b: fc.boolean(),
  },
  { requiredKeys: [] },
);
const words = fc.record({
  w: fc.constantFrom('a', 'ab', 'late', 'zz'),
  rest: fc.array(fc.constantFrom('sea', 'a', 'q'), { maxLength: 3 }),
});

function graphOf(key: string, filters: readonly object[], patterns: readonly string[]) {
  const subscriptions = Object.fromEntries(
    filters.map((each, i) => [`s${i}`, { topic: 'in', filter: each }]),
  );
  const topology = readTopology([
    {
      name: 'a.json',
      text: JSON.stringify({
        tenant: 't',
        messages: { note: { key, ...TYPE } },
        apps: {
          one: {
            publishes: [
              { message: 'note', to: 'p/in' },
              { message: 'note', to: 'm/in' },
            ],
          },
        },
        brokers: {
          p: { kind: 'pubsub', access: 'open', topics: { in: {} }, subscriptions },
          m: {
            kind: 'amqp',
            access: 'open',
            exchanges: { in: { type: 'topic', unroutedTo: 'rest' }, rest: { type: 'fanout' } },
            queues: Object.fromEntries([...patterns.map((_, i) => [`q${i}`, {}]), ['left', {}]]),
            bindings: [
              ...patterns.map((each, i) => ({ from: 'in', to: `q${i}`, key: each })),
              { from: 'rest', to: 'left' },
            ],
          },
        },
      }),
    },
  ]);
  expect(topology.findings).toEqual([]);
  return buildGraph(topology);
}

test('whatever becomes of a message, some class says it', () => {
  const seen = { proved: 0, open: 0, messages: 0 };
  fc.assert(
    fc.property(
      fc.constantFrom('sea.{w}', '{w}.late', '{rest...}', 'sea.{rest...}.late', '{h}.{w}', 'a'),
      fc.array(filter, { minLength: 1, maxLength: 4 }),
      fc.array(pattern, { minLength: 1, maxLength: 4 }),
      fc.array(fc.tuple(headers, fc.option(text, { nil: undefined }), words), {
        minLength: 1,
        maxLength: 20,
      }),
      (key, filters, patterns, messages) => {
        const graph = graphOf(key, filters, patterns);
        const type = graph.topology.messages.get('note')!;
        const inKey = key.includes('{h}');
        const outcomeOf = (to: string, sent: Parameters<typeof trace>[1]) => {
          const { rests, ends } = trace(graph, sent, { to, from: 'app:one' }).trace;
          const at = (node: string) => addressOf(graph.nodes.get(node)!.thing);
          return signOf({
            stores: rests.map(({ node, copies }) => ({ at: at(node), copies })),
            ends: ends.map(({ hop, end }) => ({ outcome: end.outcome, at: at(hop.node) })),
          });
        };
        for (const way of publishesOf(graph)) {
          const told = classesOf(graph, way);
          const signs = told.classes.map(({ outcome }) => signOf(outcome));
          for (const { unless, witness, outcome } of told.classes) {
            if (unless) seen.open++;
            else {
              seen.proved++;
              expect([witness, outcomeOf(told.to, witness)]).toEqual([witness, signOf(outcome)]);
            }
          }
          for (const [given, subject, { w, rest }] of messages) {
            // a header that is a word of the key is there, and is one word
            if (inKey && (given.h === undefined || given.h === '')) continue;
            const sent = complete(type, {
              headers: given,
              properties: subject === undefined ? {} : { subject },
              key: key
                .replace('{h}', given.h ?? '')
                .replace('{w}', w)
                .split('.')
                .flatMap((word) => (word === '{rest...}' ? rest : [word]))
                .join('.'),
            });
            seen.messages++;
            expect({ key: sent.key, given, subject, filters, patterns, signs }).toMatchObject({
              signs: expect.arrayContaining([outcomeOf(told.to, sent)]),
            });
          }
          // what is told of each end by itself is what the classes say together
          const ends = new Set(reachOf(graph, way).map(({ at, outcome }) => `${outcome} ${at}`));
          expect(ends).toEqual(
            new Set(
              told.classes.flatMap(({ outcome }) => outcome.ends.map((end) => `${end.outcome} ${end.at}`)),
            ),
          );
          for (const at of new Set(
            told.classes.flatMap(({ outcome }) => outcome.stores.map((each) => each.at)),
          )) {
            const coming = comingTo(graph, way, at)!;
            if (!coming.unless)
              expect([at, outcomeOf(told.to, coming.witness)]).toEqual([at, expect.stringContaining(at)]);
          }
          expect(comingTo(graph, way, 'm/nowhere')).toBeUndefined();
        }
      },
    ),
    { numRuns: RUNS },
  );
  expect(seen.proved).toBeGreaterThan(RUNS * 2);
  expect(seen.open).toBeGreaterThan(0);
  expect(seen.messages).toBeGreaterThan(RUNS * 10);
});
