import type { AmqpTarget } from './targets/amqp/target.ts';
import { createCipheriv, randomBytes, scryptSync } from 'node:crypto';
import { sealAgain, setTarget, openTarget } from './environments/store.ts';
import { sealer, WrongKey } from './secrets.ts';
import { allowedAddresses, NotAllowed } from './targets/allowed.ts';
import { harness, SECRET, type Harness } from './testing/harness.ts';

const OTHER = 'another secret, of sixteen characters and more';

describe('what is sealed', () => {
  const seal = sealer(SECRET);
  test('opens in its own row alone', () => {
    const sealed = seal.seal('word', 'row 1');
    expect(seal.open(sealed, 'row 1')).toBe('word');
    expect(() => seal.open(sealed, 'row 2')).toThrow();
    expect(() => seal.open(`${sealed.slice(0, -2)}AA`, 'row 1')).toThrow();
  });

  test('names its key; a key that is not known is said, one that is known opens', () => {
    const sealed = seal.seal('word', 'row');
    expect(() => sealer(OTHER).open(sealed, 'row')).toThrow(WrongKey);
    expect(() => sealer(OTHER).open(sealed, 'row')).toThrow(
      /sealed under the key [0-9a-f]{8}, which this server does not have/,
    );
    const both = sealer(OTHER, [SECRET]);
    expect(both.open(sealed, 'row')).toBe('word');
    expect([both.isCurrent(sealed), both.isCurrent(both.seal('x', 'row'))]).toEqual([false, true]);
  });

  test('by a server of before opens still', () => {
    const key = scryptSync(SECRET, 'vondle targets', 32);
    const iv = randomBytes(12);
    const cipher = createCipheriv('aes-256-gcm', key, iv);
    const data = Buffer.concat([cipher.update('word', 'utf8'), cipher.final()]);
    const old = [iv, cipher.getAuthTag(), data].map((part) => part.toString('base64url')).join('.');
    expect(sealer(OTHER, [SECRET]).open(old, 'any row')).toBe('word');
    expect(() => sealer(OTHER).open(old, 'any row')).toThrow(WrongKey);
  });

  test('a short secret is no secret', () => expect(() => sealer('short')).toThrow(/16 characters/));
});

describe('in the database', () => {
  let h: Harness;
  beforeAll(async () => (h = await harness()));
  afterAll(() => h.close());

  test('all is sealed anew, or nothing is', async () => {
    const topologyId = await h.topology('quay', { mara: 'owner' });
    const row = { topologyId, environment: 'live', broker: 'm', kind: 'amqp' as const };
    const addresses = { amqp: 'amqp://u:p@127.0.0.1/x', http: 'http://u:p@127.0.0.1' };
    const id = await setTarget(h.db, h.sealer, { ...row, addresses });
    const stranger = sealer(OTHER);
    await expect(h.db.transaction((tx) => sealAgain(tx, stranger))).rejects.toThrow(WrongKey);
    const both = sealer(OTHER, [SECRET]);
    expect(await h.db.transaction((tx) => sealAgain(tx, both))).toEqual({ sealed: 1, of: 1 });
    expect(await h.db.transaction((tx) => sealAgain(tx, both))).toEqual({ sealed: 0, of: 1 });
    const openers = { sealer: stranger, allowed: allowedAddresses('loopback') };
    expect(((await openTarget(h.db, openers, topologyId, id))!.reached as AmqpTarget).broker.vhost).toBe('x');
  });
});

describe('addresses that may be connected to', () => {
  const may = (setting: string, host: string) => {
    try {
      allowedAddresses(setting).check(host);
      return true;
    } catch (error) {
      if (error instanceof NotAllowed) return false;
      throw error;
    }
  };
  test.each<[string, string[], string[]]>([
    [
      'public',
      ['93.184.216.34', '[2606:2800::1]'],
      [
        '127.0.0.1',
        '10.0.0.1',
        '192.168.1.1',
        '169.254.169.254',
        '[::1]',
        '[fe80::1]',
        '[fd00::1]',
        '100.64.0.1',
        '0.0.0.0',
        '[::ffff:127.0.0.1]',
      ],
    ],
    [
      'loopback',
      ['127.0.0.1', '127.9.9.9', '[::1]', '[::ffff:127.0.0.1]'],
      ['10.0.0.1', '93.184.216.34', '169.254.169.254'],
    ],
    ['private', ['10.0.0.1', '172.16.0.1', '[fd00::1]'], ['127.0.0.1', '169.254.169.254', '8.8.8.8']],
    ['10.1.0.0/16, 8.8.8.8', ['10.1.2.3', '8.8.8.8'], ['10.2.0.1', '8.8.4.4']],
    ['', [], ['127.0.0.1', '8.8.8.8', '10.0.0.1']],
  ])('%s', (setting, good, bad) => {
    expect(good.filter((host) => !may(setting, host))).toEqual([]);
    expect(bad.filter((host) => may(setting, host))).toEqual([]);
  });

  test('a name leads only where its addresses may be connected to', async () => {
    const looked = (setting: string) =>
      new Promise<unknown>((done) =>
        allowedAddresses(setting).lookup('localhost', {}, (error, found) => done(error ?? found)),
      );
    expect(await looked('public')).toBeInstanceOf(NotAllowed);
    expect(await looked('loopback')).toMatch(/^(127\.|::1)/);
    expect(await looked('localhost')).toMatch(/^(127\.|::1)/);
  });

  test('a word that is none is refused', () =>
    expect(() => allowedAddresses('every where')).toThrow(/VONDLE_TARGETS/));
});
