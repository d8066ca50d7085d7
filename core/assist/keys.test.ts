import { readTopology } from '../topology/read.ts';
import { keyAt, keyInWords } from './keys.ts';

const TEXT = `brokers:
  m:
    kind: amqp
    queues: { durable: { durable: false, deadLetter: { to: x } } }
    bindings:
      - { from: s, to: durable }
  s: { kind: pubsub, queues: { q: { delay: 1s } } }
apps:
  a: { publishes: [ { message: x, to: m/durable } ], }
`;
const topology = readTopology([{ name: 'a.yaml', text: TEXT }]);
const at = (before: string, offset = 0) => keyAt(topology, 'a.yaml', TEXT.indexOf(before) + offset);

test('a key of the language says what it is, what may stand there, and what holds without it', () => {
  const key = at('durable: false', 3);
  expect(key).toMatchObject({ name: 'durable', start: TEXT.indexOf('durable: false') });
  expect(keyInWords(key!)).toBe('it survives a broker restart; `true`, `false`. Without it: `true`.');
});

test('a key that things of a kind stand under says what the glossary has of them', () => {
  expect(keyInWords(at('deadLetter')!)).toBe(
    'where given-up messages go. A message that its store gave up: it expired, was rejected, had no room, or was tried too often. Where there is a place for it, it goes there. Without it: what is given up is lost.',
  );
});

test('names that people gave are no keys of the language, whatever they are', () => {
  expect(at('durable: {')).toBeUndefined();
  expect(at('m:\n')).toBeUndefined();
});

test('keys are found inside lists, maps and other kinds of brokers', () => {
  expect(at('from: s')?.about).toBe('the exchange');
  expect(at('to: x')?.about).toBe('where given-up messages go');
  expect(at('delay')?.otherwise).toBe('`0s`');
  expect(at('publishes', 9)?.name).toBe('publishes');
  expect(at('brokers')?.name).toBe('brokers');
});

test('values, gaps and places outside of the text have no key', () => {
  for (const offset of [TEXT.indexOf('false'), TEXT.indexOf('kind: amqp') - 2, TEXT.length, -1, 10_000])
    expect(keyAt(topology, 'a.yaml', offset)).toBeUndefined();
  expect(keyAt(topology, 'b.yaml', 0)).toBeUndefined();
});
