import { forTheLog, isAway, isTaken, isValueRefused } from './trouble.ts';
import type { BrokerTrouble } from '../targets/amqp/trouble.ts';
import { brokerTrouble } from '../targets/amqp/trouble.ts';

const coded = (code: string, message = 'said', more: object = {}) =>
  Object.assign(new Error(message), { code, ...more });
/** An error as a query's layer wraps it, with the statement and its parameters. */
const wrapped = (cause: Error) =>
  Object.assign(new Error(`Failed query: insert …\nparams: a secret`, { cause }), {
    query: 'insert into drafts …',
    params: ['a secret'],
  });

describe('what went wrong in the database', () => {
  test.each([
    '57P01',
    '57P02',
    '57P03',
    '08006',
    '53300',
    '57014',
    '40001',
    'ECONNREFUSED',
    'ECONNRESET',
    'EPIPE',
  ])('%s may pass', (code) => {
    expect([isAway(coded(code)), isAway(wrapped(coded(code)))]).toEqual([true, true]);
  });
  test.each([
    'Connection terminated unexpectedly',
    'timeout exceeded when trying to connect',
    'Connection terminated due to connection timeout',
  ])('%s may pass', (words) => {
    expect(isAway(wrapped(new Error(words)))).toBe(true);
  });
  test('a mistake of ours does not', () => {
    for (const code of ['42601', '23505', '22021', 'ERR_INVALID_ARG_TYPE'])
      expect(isAway(wrapped(coded(code)))).toBe(false);
    expect([isAway(undefined), isAway('words'), isAway(new TypeError('x'))]).toEqual([false, false, false]);
  });
  test('values that no column holds are told apart', () => {
    for (const code of ['22021', '22P05', '22003', '22P02'])
      expect(isValueRefused(wrapped(coded(code)))).toBe(true);
    expect(isValueRefused(wrapped(coded('23505')))).toBe(false);
  });
  test('an index that stands in the way is told by its name', () => {
    const error = wrapped(coded('23505', 'duplicate', { constraint: 'rollouts_one_at_a_time' }));
    expect([isTaken(error, 'rollouts_one_at_a_time'), isTaken(error, 'other')]).toEqual([true, false]);
  });
  test('the log has what, where and how, and no parameter', () => {
    const told = forTheLog(wrapped(coded('23514', 'violates a rule')));
    expect(told).toMatchObject({
      code: '23514',
      message: 'violates a rule',
      query: 'insert into drafts …',
      type: 'Error',
    });
    expect(told['stack']).toContain('trouble.test');
    expect(JSON.stringify(told)).not.toContain('secret');
    expect(
      JSON.stringify(
        forTheLog(Object.assign(new Error('params: secret'), { params: ['secret'], query: 'q' })).stack,
      ),
    ).not.toContain('secret');
    const endless: { cause?: unknown } = {};
    endless.cause = endless;
    expect(forTheLog(endless)).toBeDefined();
  });
});

describe('what went wrong with a broker', () => {
  const refused = (code: number, words: string) =>
    Object.assign(new Error(`Operation failed: QueueDeclare; ${code} (X) with message "${words}"`), { code });
  test.each<[string, unknown, BrokerTrouble['kind'], boolean]>([
    ['nobody listens', coded('ECONNREFUSED', 'connect ECONNREFUSED 10.0.0.1:5672'), 'unreachable', true],
    ['a name that is none', coded('ENOTFOUND', 'getaddrinfo ENOTFOUND broker.internal'), 'unreachable', true],
    ['a connection that breaks', coded('ECONNRESET', 'read ECONNRESET'), 'gone', true],
    ['a connection that was cut', new Error('Channel ended, no reply will be forthcoming'), 'gone', true],
    ['a heartbeat that is missed', new Error('Heartbeat timeout'), 'slow', true],
    [
      'a broker that ends',
      refused(320, 'CONNECTION_FORCED - broker forced connection closure'),
      'gone',
      true,
    ],
    [
      'a wrong password',
      new Error(
        'Handshake terminated by server: 403 (ACCESS-REFUSED) with message "ACCESS_REFUSED - Login was refused"',
      ),
      'not let in',
      false,
    ],
    [
      'settings it will not have',
      refused(406, "PRECONDITION_FAILED - invalid arg 'x-expires'"),
      'refused',
      false,
    ],
  ])('%s', (_, error, kind, passes) => {
    const trouble = brokerTrouble(error);
    expect([trouble.kind, trouble.mayPass]).toEqual([kind, passes]);
    // neither where it is nor who we are there
    expect(trouble.message).not.toMatch(/10\.0\.0\.1|broker\.internal/);
  });
  test('a refusal is told in the broker’s words, without our user', () => {
    const { message } = brokerTrouble(
      refused(403, "ACCESS_REFUSED - access to queue 'q' in vhost 'x' refused for user 'vondle-admin'"),
    );
    expect(message).toBe("ACCESS_REFUSED - access to queue 'q' in vhost 'x' refused for the target's user");
  });
});
