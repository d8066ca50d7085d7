import { thing } from '../language/thing.ts';
import { type AccessRequest, accessOf, covers } from './permission.ts';
import { readTopology } from '../topology/read.ts';

const decide = (statements: string, request: Partial<AccessRequest> = {}, broker = '') => {
  const topology = readTopology([
    {
      name: 'a',
      text: `tenant: auklet
tenants: { northquay: {} }
apps: { board: { instances: 2 } }
brokers: { m: { kind: amqp, queues: { boards: {}, "boards.old": {} }${broker} } }
access:
${statements}`,
    },
  ]);
  expect(topology.findings).toEqual([]);
  return accessOf(topology)({
    who: { thing: thing('app', 'board'), tenant: 'auklet' },
    action: 'consume',
    on: thing('queue', 'boards', 'm'),
    key: 'sailing.north',
    ...request,
  });
};

describe('permission', () => {
  test('is refused where nothing allows it, unless the broker is open', () => {
    expect(decide('')).toMatchObject({
      allowed: false,
      why: 'no statement lets app:board consume from m/boards',
    });
    expect(decide('', {}, ', access: open')).toMatchObject({ allowed: true, why: 'm is open' });
  });

  test.each(['app:board', 'tenant:auklet', 'any', '[app:other, app:board]'])('is given to %s', (who) => {
    expect(decide(`  - { name: n, allow: [consume], who: ${who}, on: m/boards }`)).toMatchObject({
      allowed: true,
      why: '“n” allows it',
    });
  });

  test.each(['app:other', 'tenant:northquay', 'broker:m', 'link:x'])(
    'to %s is no permission for an app of ours',
    (who) => {
      expect(decide(`  - { allow: [consume], who: ${who}, on: m/boards }`).allowed).toBe(false);
    },
  );

  test('is for the actions named', () => {
    expect(decide('  - { allow: [publish, browse], who: any, on: m/boards }').allowed).toBe(false);
    expect(decide('  - { allow: consume, who: any, on: m/boards }').allowed).toBe(true);
  });

  test('deny wins, wherever it stands, even on an open broker', () => {
    const statements =
      '  - { name: shut, deny: [consume], who: any, on: "m/*" }\n  - { allow: [consume], who: any, on: m/boards }';
    expect(decide(statements)).toMatchObject({ allowed: false, why: '“shut” denies it' });
    expect(decide('  - { deny: [consume], who: any, on: m/boards }', {}, ', access: open').allowed).toBe(
      false,
    );
  });

  test.each([
    ['tenant: auklet', true],
    ['tenant: northquay', false],
    ['key: "sailing.*"', true],
    ['key: "closure.#"', false],
    ['encrypted: true', true],
    ['encrypted: false', false],
  ])('with { %s } holds: %s', (when, allowed) => {
    const decision = decide(
      `  - { name: some, allow: [consume], who: any, on: m/boards, when: { ${when} } }`,
    );
    expect(decision.allowed).toBe(allowed);
    if (!allowed) expect(decision.why).toContain('“some” would allow it, but only');
  });

  test('of a plain broker is not permission over an encrypted connection', () => {
    const statement = '  - { allow: [consume], who: any, on: m/boards, when: { encrypted: true } }';
    expect(decide(statement, {}, ', transit: plain').allowed).toBe(false);
  });

  test('narrowed by source needs the message to come from there', () => {
    const statement = '  - { allow: [publish], who: topic:m/t, on: m/boards, when: { source: m/t } }';
    const who = { thing: thing('topic', 't', 'm'), tenant: 'auklet' };
    const ask = (source?: ReturnType<typeof thing>) =>
      decide(statement, { who, action: 'publish', ...(source ? { source } : {}) }).allowed;
    expect(ask(who.thing)).toBe(true);
    expect(ask(thing('queue', 'boards', 'm'))).toBe(false);
    expect(ask()).toBe(false);
  });

  test('says where the statement that decided stands', () => {
    const decision = decide('  - { allow: [consume], who: any, on: m/boards }');
    expect(decision.place).toMatchObject({ doc: 'a' });
  });
});

test.each([
  ['m/boards', true],
  ['m/*', true],
  ['*/boards', true],
  ['m/bo*s', true],
  ['queue:m/boards', true],
  ['queue:m/*', true],
  ['exchange:m/*', false],
  ['*', false],
  ['m', false],
  ['m/board', false],
  ['m/boards*', true],
  ['m/b.ards', false],
])('the pattern %s covers m/boards: %s', (pattern, expected) => {
  expect(covers(pattern, thing('queue', 'boards', 'm'))).toBe(expected);
});

describe('what is decided by values', () => {
  const narrowed = `  - { name: other, allow: [consume], who: app:board, on: m/boards, when: { tenant: northquay } }
  - { name: north, allow: [consume], who: app:board, on: m/boards, when: { key: "sailing.#" } }
  - { name: never, deny: [consume], who: any, on: m/boards, when: { key: "secret.#" } }
`;
  test('a statement that nearly fits hides no later one', () => {
    expect(decide(narrowed)).toMatchObject({ allowed: true, why: '“north” allows it' });
    expect(decide(narrowed, { key: 'x' }).why).toMatch(/“other” would allow it.*; “north” would allow it/);
  });

  test('asked of any message, it says for which keys it would be decided otherwise', () => {
    expect(decide(narrowed, { key: undefined })).toMatchObject({
      allowed: false,
      forKeys: { allowed: ['sailing.#'], denied: ['secret.#'] },
    });
  });

  test('what narrows a statement and cannot be read narrows it to nothing', () => {
    const topology = readTopology([
      {
        name: 'a',
        text: 'apps: { board: {} }\nbrokers: { m: { kind: amqp, queues: { q: {} } } }\naccess: [{ allow: [consume], who: any, on: m/q, when: { key: [x] } }]\n',
      },
    ]);
    const request = { who: { thing: thing('app', 'board'), tenant: undefined }, action: 'consume' } as const;
    expect(accessOf(topology)({ ...request, on: thing('queue', 'q', 'm'), key: 'x' })).toMatchObject({
      allowed: false,
      why: expect.stringContaining('what narrows it could not be read'),
    });
  });

  test('many stars take no longer than the text', () => {
    const name = `${'a'.repeat(200)}b`;
    expect(covers(`m/${'a*'.repeat(100)}c`, thing('queue', name, 'm'))).toBe(false);
    expect(covers(`m/${'a*'.repeat(100)}b`, thing('queue', name, 'm'))).toBe(true);
    expect(covers('m/*a*', thing('queue', 'ba', 'm'))).toBe(true);
    expect(covers('m/a*a', thing('queue', 'a', 'm'))).toBe(false);
    expect(covers('*/x', thing('queue', 'y/x', 'm'))).toBe(false);
    expect(covers('*', thing('queue', 'x', 'm'))).toBe(false);
  });
});
