import { mkdirSync, mkdtempSync, rmSync, symlinkSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { gunzipSync } from 'node:zlib';
import { Hono } from 'hono';
import { addressReader } from './address.ts';
import { builtInterface } from './interface.ts';
import { jsonList, sentInPieces } from './pieces.ts';

let folder: string;
let app: Hono;
beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), 'vondle-interface-'));
  mkdirSync(join(folder, 'web/assets'), { recursive: true });
  writeFileSync(join(folder, 'web/index.html'), '<title>vondle</title>');
  writeFileSync(join(folder, 'web/assets/a-1.js'), 'x'.repeat(5000));
  writeFileSync(join(folder, 'web/.built'), 'hidden');
  writeFileSync(join(folder, 'web/notes.pem'), 'no kind that an interface has');
  writeFileSync(join(folder, 'secret.txt'), 'beside it');
  symlinkSync(join(folder, 'secret.txt'), join(folder, 'web/linked.txt'));
  app = new Hono();
  app.use(builtInterface(join(folder, 'web')));
});
afterAll(() => rmSync(folder, { recursive: true }));

const get = async (path: string, headers: Record<string, string> = {}) =>
  app.request(`http://vondle.test${path}`, { headers });

describe('the built interface', () => {
  test('is served, packed where that is understood, and kept where its name says what is in it', async () => {
    const plain = await get('/assets/a-1.js');
    expect(await plain.text()).toBe('x'.repeat(5000));
    expect(plain.headers.get('cache-control')).toContain('immutable');
    const packed = await get('/assets/a-1.js', { 'accept-encoding': 'gzip' });
    expect(packed.headers.get('content-encoding')).toBe('gzip');
    expect(gunzipSync(Buffer.from(await packed.arrayBuffer())).toString()).toBe('x'.repeat(5000));
    expect((await get('/')).headers.get('cache-control')).toBe('no-cache');
  });

  test.each([
    '/.built',
    '/notes.pem',
    '/linked.txt',
    '/../secret.txt',
    '/%2e%2e/secret.txt',
    '/t/quay/declare',
    '/web/index.html',
  ])('is all there is: %s is a page of its own router, and no file', async (path) => {
    const answer = await get(path);
    expect([answer.status, await answer.text()]).toEqual([200, '<title>vondle</title>']);
  });

  test('an asset that is not there is not there', async () => {
    expect((await get('/assets/b.js')).status).toBe(404);
    expect((await app.request('http://vondle.test/', { method: 'POST' })).status).toBe(404);
  });
});

describe('pieces', () => {
  const sender = (parts: readonly string[], release: () => void) =>
    new Hono().get('/', (c) => sentInPieces(c, parts, release));

  test('are what they were together, characters whole, and given back once', async () => {
    const release = jest.fn();
    const text = JSON.stringify('🚢é'.repeat(300_000));
    const parts = jsonList('{"a":1', [text, text], '}');
    const answer = await sender(parts, release).request('/');
    expect(await answer.json()).toEqual({ a: 1, documents: [JSON.parse(text), JSON.parse(text)] });
    expect(release).toHaveBeenCalledTimes(1);
  });

  test('that nobody wants any more are given back', async () => {
    const release = jest.fn();
    const answer = await sender(['x'.repeat(10_000_000)], release).request('/');
    await answer.body!.cancel();
    expect(release).toHaveBeenCalledTimes(1);
  });
});

describe('whose request it is', () => {
  /** What a request from an address counts as, with a header. */
  async function counted(proxies: string[], peer: string, forwarded?: string) {
    const reader = addressReader(proxies);
    const env = { incoming: { socket: { remoteAddress: peer, remotePort: 1, remoteFamily: 'IPv4' } } };
    const one = new Hono().get('/', (c) => c.text(reader(c)));
    return (
      await one.request('/', { headers: forwarded ? { 'x-forwarded-for': forwarded } : {} }, env)
    ).text();
  }
  test.each<[string, string[], string, string | undefined, string]>([
    ['nobody is believed who is no proxy', [], '10.0.0.9', '1.2.3.4', '10.0.0.9'],
    ['a proxy is', ['10.0.0.9'], '10.0.0.9', '1.2.3.4', '1.2.3.4'],
    ['what a client says before the proxy is not', ['10.0.0.9'], '10.0.0.9', '9.9.9.9, 1.2.3.4', '1.2.3.4'],
    ['two proxies are', ['10.0.0.9', '10.0.0.8'], '10.0.0.9', '1.2.3.4, 10.0.0.8', '1.2.3.4'],
    ['the same in IPv6 clothes', ['10.0.0.9'], '::ffff:10.0.0.9', '1.2.3.4', '1.2.3.4'],
    ['one client has a whole /64', [], '2001:db8::1:2:3:4', undefined, '2001:db8:0:0::/64'],
  ])('%s', async (_, proxies, peer, forwarded, wanted) => {
    expect(await counted(proxies, peer, forwarded)).toBe(wanted);
  });
});
