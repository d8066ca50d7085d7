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
