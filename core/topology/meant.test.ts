import { applyEdits } from '../base/edits.ts';
import { oursFor } from '../language/elsewhere.ts';
import { readTopology } from './read.ts';

const read = (text: string) => readTopology([{ name: 'a.yaml', text }]);
const queue = (settings: string) => `brokers: { m: { kind: amqp, queues: { q: ${settings} } } }\n`;

/** The text after the first mend of the first finding that has one. */
function mended(text: string): string {
  const topology = read(text);
  const mend = topology.findings.flatMap(({ mends }) => mends ?? [])[0];
  const edited = mend?.edit(topology);
  if (!edited?.ok) throw new Error(`no mend: ${topology.findings.map(({ message }) => message).join(' ')}`);
  return applyEdits(topology.documents, edited.edits)[0]!.text;
}

test.each([
  ['topology: Libs\n', 'topology: libs\n'],
  ['topology: FareSold Übersicht 2\n', 'topology: fare-sold-ubersicht-2\n'],
  ['messages: { FareSold: {} }\n', 'messages: { fare-sold: {} }\n'],
  [queue('{ durable: yes }'), queue('{ durable: true }')],
  [queue('{ durable: "false" }'), queue('{ durable: false }')],
  [queue('{ ttl: 30 }'), queue('{ ttl: 30s }')],
  [queue('{ ttl: 5 minutes }'), queue('{ ttl: 5m }')],
  [queue('{ ttl: 2 weeks }'), queue('{ ttl: 14d }')],
  [queue('{ maxBytes: 64kb }'), queue('{ maxBytes: 64kB }')],
  [queue('{ maxBytes: 1Mi }'), queue('{ maxBytes: 1MiB }')],
  [queue('{ maxBytes: "1,000" }'), queue('{ maxBytes: 1000 }')],
  [queue('{ maxLength: "10_000" }'), queue('{ maxLength: 10000 }')],
  [queue('{ maxLength: -1 }'), queue('{ maxLength: 0 }')],
  [queue('{ overflow: reject }'), queue('{ overflow: refuse-new }')],
  [queue('{ overflow: Drop_Oldest }'), queue('{ overflow: drop-oldest }')],
  [queue('{ timeToLive: 5m }'), queue('{ ttl: 5m }')],
  [queue('{ max-retries: 3 }'), queue('{ maxDeliveries: 3 }')],
  [
    'brokers: { s: { kind: pubsub, queues: { q: { visibility: 30s } } } }\n',
    'brokers: { s: { kind: pubsub, queues: { q: { lease: 30s } } } }\n',
  ],
  ['apps: { a: { publishes: [{ message: m, to: b/x, rate: 5 per second }] } }\n', undefined],
  ['brokers: { b: { queues: {}, kind: ampq } }\n', 'brokers: { b: { queues: {}, kind: amqp } }\n'],
  ['brokers: { b: { topics: {}, kind: hosted } }\n', 'brokers: { b: { topics: {}, kind: pubsub } }\n'],
  [
    'access: [{ allow: [read], who: any, on: "*/*" }]\n',
    'access: [{ allow: [consume], who: any, on: "*/*" }]\n',
  ],
  [
    'access:\n  - { allow: [consume], who: any, on: * }\n',
    'access:\n  - { allow: [consume], who: any, on: "*" }\n',
  ],
  ['access:\n  - who: any\n    on: */boards # all\n', 'access:\n  - who: any\n    on: "*/boards" # all\n'],
  ['labels: { x: { note: *gone } }\n', 'labels: { x: { note: "*gone" } }\n'],
])('%j is meant for %j', (wrong, right) => {
  expect(mended(wrong)).toBe(right ?? wrong.replace('5 per second', '5/s'));
});

test('a `#` that was meant as a word is told to be a comment, and put in quotes', () => {
  const text = (key: string) =>
    `brokers:\n  m:\n    kind: amqp\n    exchanges: { a: { type: topic } }\n    queues: { b: {} }\n    bindings:\n      - from: a\n        to: b\n        key: ${key}\n`;
  const [finding] = read(text('#')).findings;
  expect(finding!.message).toContain('A `#` begins a comment in YAML');
  expect(mended(text('#'))).toBe(text('"#"'));
  expect(read(text('"#"')).findings).toEqual([]);
});

test('a wrong kind is told once, and hides nothing else', () => {
  const { findings } = read(
    'brokers: { b: { kind: hosted, topics: { t: { order: x } }, subscriptions: { s: { topic: u } } } }\n',
  );
  expect(findings.map(({ check }) => check)).toEqual([
    'language/wrong-value',
    'language/wrong-value',
    'language/unknown-reference',
  ]);
  expect(findings[0]!.message).toBe('`kind` is `amqp` or `pubsub`. It is read as `pubsub` until then.');
});

test('under a wrong name everything else that is wrong is told too', () => {
  const { findings } = read('brokers: { Main: { kind: amqp, queues: { q: { ttl: soon } } } }\n');
  expect(findings.map(({ check }) => check)).toEqual(['language/bad-name', 'language/wrong-value']);
});

describe('an address that names nothing', () => {
  const brokers = `brokers:
  mainland: { kind: amqp, exchanges: { sailings: { type: fanout } }, queues: { boards: {} } }
  islet: { kind: amqp, queues: { desk: {}, boards: {} } }
`;
  const told = (from: string) => read(`${brokers}apps: { a: { consumes: [{ from: ${from} }] } }\n`).findings;

  test.each([
    ['mainlnd/boards', ['mainland/boards', 'islet/boards']],
    ['mainlnd/bords', ['mainland/boards']],
    ['mainland/desk', ['islet/desk']],
    ['desk', ['islet/desk']],
    ['boards', ['mainland/boards', 'islet/boards']],
    ['mainland/bords', ['mainland/boards']],
  ])('%s asks for %j', (wrong, meant) => {
    const [finding] = told(wrong);
    expect(finding!.mends?.map(({ title }) => title)).toEqual(meant.map((each) => `Write \`${each}\``));
    expect(finding!.message).toContain(`Did you mean ${meant.map((each) => `\`${each}\``).join(' or ')}?`);
  });

  test('nothing is offered for what is like nothing', () => {
    expect(told('elsewhere/quay')[0]).not.toHaveProperty('mends');
  });

  test('one of another kind is said to be that', () => {
    expect(told('mainland/sailings')[0]!.message).toMatch('is an exchange, which cannot stand here.');
  });
});

test('words from elsewhere mean what stands where they were written', () => {
  expect(oursFor('Dead-Letter-Queue', ['ttl', 'deadLetter'])).toBe('deadLetter');
  expect(oursFor('routing_key', ['from', 'to', 'key'])).toBe('key');
  expect(oursFor('timeout', ['lease', 'ttl'])).toBe('lease');
  expect(oursFor('timeout', ['within'])).toBe('within');
  expect(oursFor('retries', ['key'])).toBeUndefined();
  expect(oursFor('constructor', ['key'])).toBeUndefined();
});
