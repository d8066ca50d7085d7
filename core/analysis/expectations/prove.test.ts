import { findingOfProof, proveAll } from './prove.ts';
import { buildGraph } from '../../routing/graph.ts';
import { readTopology } from '../../topology/read.ts';

const TEXT = `tenant: home
tenants: { home: {}, guest: {} }
messages:
  note:
    key: note.{route}
    headers: { route: { type: string, enum: [north, south] }, level: { type: integer, minimum: 0, maximum: 900 } }
    required: [route]
    labels: [personal]
    examples: [{ name: up north, headers: { route: north } }]
  memo: { key: memo.x, labels: [personal] }
  silent: { key: s }
apps:
  desk: { publishes: [{ message: note, to: m/in }, { message: memo, to: m/in }] }
  log: { consumes: [{ from: m/q }] }
  guests: { tenant: guest, consumes: [{ from: n/far }] }
brokers:
  m:
    kind: amqp
    access: open
    exchanges: { in: { type: topic } }
    queues: { q: {}, out: {} }
    bindings:
      - { from: in, to: q, key: "#" }
      - { from: in, to: out, key: "note.south" }
  n: { kind: amqp, access: open, queues: { far: {} } }
links: { down: { from: m/out, to: n/far, latency: 80ms } }
expectations:
  - { name: it, given: GIVEN, PROMISE }
`;
const prove = (given: string, promise: string) => {
  const topology = readTopology([
    { name: 'a.yaml', text: TEXT.replace('GIVEN', given).replace('PROMISE', promise) },
  ]);
  expect(topology.findings).toEqual([]);
  return proveAll(buildGraph(topology))[0]!;
};
const NORTH = '{ message: note, headers: { route: north } }';
const SOUTH = '{ message: note, headers: { route: south } }';
const TYPE = '{ message: note }';

describe('expectations', () => {
  test.each([
    [NORTH, 'reaches: m/q', undefined],
    [NORTH, 'reaches: app:log, only: true, copies: 1', undefined],
    [NORTH, 'never: [m/out, tenant:guest, broker:n, app:guests]', undefined],
    [SOUTH, 'reaches: [m/q, n/far], only: true', undefined],
    [SOUTH, 'reaches: m/q, within: 80ms', undefined],
    [NORTH, 'reaches: n/far', 'does not reach n/far: it reaches m/q'],
    [SOUTH, 'reaches: m/q, only: true', 'also reaches n/far'],
    [SOUTH, 'never: tenant:guest', 'reaches n/far, which is tenant:guest’s'],
    [SOUTH, 'never: n/far', 'reaches n/far'],
    [SOUTH, 'never: broker:n', 'reaches n/far, which is broker:n’s'],
    [SOUTH, 'never: m/in', 'passes m/in'],
    [SOUTH, 'copies: 3', 'makes 2 copies, not 3'],
    [SOUTH, 'reaches: m/q, within: 50ms', 'takes 80ms to n/far, more than 50ms'],
    [TYPE, 'never: n/far', 'reaches n/far'],
    ['{ label: personal }', 'reaches: m/q', undefined],
    ['{ label: personal }', 'never: m/q', 'reaches m/q'],
  ])('%s %s: %s', (given, promise, why) => {
    const proof = prove(given, promise);
    expect([proof.verdict, proof.broken?.why]).toEqual([why === undefined ? 'kept' : 'broken', why]);
  });

  test('say what they rest on', () => {
    expect(prove(NORTH, 'reaches: m/q').basis).toEqual({ of: 'this message', messages: 1, whole: true });
    // a level has 901 values, of which a few are tried
    expect(prove(TYPE, 'reaches: m/q').basis).toMatchObject({ of: 'a type', whole: false });
    expect(prove('{ message: memo }', 'reaches: m/q').basis).toMatchObject({ of: 'a type', whole: true });
    expect(prove('{ label: personal }', 'reaches: m/q').basis.messages).toBeGreaterThan(10);
  });

  test('break on a message that no example gives, and name it', () => {
    const { broken, promise } = prove(TYPE, 'never: n/far');
    expect([broken!.message.headers['route'], broken!.app, broken!.traces.length]).toEqual([
      'south',
      'desk',
      1,
    ]);
    expect(promise).toBe('note never n/far');
  });

  test('about what nobody sends are not tried', () => {
    const proof = prove('{ message: silent }', 'never: m/q');
    expect(proof.verdict).toBe('untried');
    expect(findingOfProof(proof)).toMatchObject({ check: 'expectation/untried', severity: 'warning' });
    expect(prove('{ message: note, from: "app:log" }', 'reaches: m/q').verdict).toBe('untried');
  });

  test('that are broken are findings, at the name', () => {
    const proof = prove(SOUTH, 'never: tenant:guest');
    expect(findingOfProof(proof)).toMatchObject({
      check: 'expectation/broken',
      severity: 'error',
      message:
        '“it” is broken: note with route "south", sent by desk, reaches n/far, which is tenant:guest’s.',
    });
    expect(findingOfProof(prove(NORTH, 'reaches: m/q'))).toBeUndefined();
  });
});

describe('over a spread', () => {
  const text = (spread: string, reaches: string) => `messages: { m: { key: a } }
apps: { p: { publishes: [{ message: m, to: "spread:w" }] } }
brokers: { b: { kind: amqp, access: open, exchanges: { x: { type: fanout } }, queues: { q: { deadLetter: { to: x } }, r: {}, s: {} }, bindings: [{ from: x, to: s }] } }
spreads: { w: { members: [b/q, b/r], ${spread} } }
expectations: [{ name: e, given: { message: m }, ${reaches} }]
`;
  const verdict = (spread: string, reaches: string) =>
    proveAll(buildGraph(readTopology([{ name: 'a', text: text(spread, reaches) }]))).map(
      (each) => each.verdict,
    );

  test.each([
    ['choose: rotate', 'reaches: [b/q]', 'broken'],
    ['choose: rotate', 'reaches: [b/r]', 'broken'],
    ['choose: rotate', 'never: [b/r]', 'broken'],
    ['choose: rotate', 'copies: 1', 'kept'],
    ['choose: weighted, weights: [9999, 1]', 'reaches: [b/q]', 'broken'],
    ['choose: weighted, weights: [0, 1]', 'reaches: [b/r]', 'kept'],
    ['choose: nearest', 'reaches: [b/q]', 'kept'],
  ])('%s, %s: %s', (spread, reaches, wanted) => expect(verdict(spread, reaches)).toEqual([wanted]));

  test('more combinations of turns than are tried leave a promise kept, but not proved whole', () => {
    const whole = (spreads: number) => {
      const names = Array.from({ length: spreads }, (_, i) => [0, 1, 2].map((k) => `q${i}${k}`));
      const of = `messages: { m: { key: a, headers: {} } }
apps: { p: { publishes: [{ message: m, to: "spread:w0" }] } }
brokers: { b: { kind: amqp, access: open, queues: { ${names
        .flat()
        .map((name) => `${name}: {}`)
        .join(', ')} } } }
spreads: { ${names.map((own, i) => `w${i}: { members: [${own.map((name) => `b/${name}`).join(', ')}] }`).join(', ')} }
links: { ${names
        .slice(0, -1)
        .flatMap((own, i) => own.map((name) => `l-${name}: { from: b/${name}, to: "spread:w${i + 1}" }`))
        .join(', ')} }
expectations: [{ name: e, given: { message: m }, copies: 1 }]
`;
      return proveAll(buildGraph(readTopology([{ name: 'a', text: of }]))).map(({ verdict, basis }) => [
        verdict,
        basis.whole,
      ]);
    };
    expect(whole(2)).toEqual([['kept', true]]);
    expect(whole(6)).toEqual([['kept', false]]);
  });
});
