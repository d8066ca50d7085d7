import { sql } from 'drizzle-orm';
import { asker, harness, PASSWORD, type Harness } from '../testing/harness.ts';
import { Issuer, type Wrong } from '../testing/issuer.ts';
import { settingsFrom } from '../settings.ts';
import { namesOf } from './openid.ts';

const issuer = new Issuer('vondle', 'a secret of the issuer');
let server: Harness;
beforeAll(async () => {
  await issuer.listen();
  server = await harness({
    openId: {
      issuer: issuer.url,
      clientId: 'vondle',
      clientSecret: 'a secret of the issuer',
      name: 'the harbour office',
      url: 'http://vondle.test',
    },
  });
});
beforeEach(() => {
  issuer.wrong = undefined;
  issuer.claims = { sub: '1', preferred_username: 'Nils', name: 'Nils Aaby' };
});
afterAll(async () => {
  await server.close();
  await issuer.close();
});

/** A browser: it keeps cookies, and goes where it is led. */
class Browser {
  private readonly cookies = new Map<string, string>();
  async go(path: string): Promise<Response> {
    const cookie = [...this.cookies].map(([name, value]) => `${name}=${value}`).join('; ');
    const response = await server.app.request(`http://vondle.test${path}`, { headers: { cookie } });
    for (const each of response.headers.getSetCookie()) {
      const [, name, value] = /^([^=]+)=([^;]*)/.exec(each)!;
      if (value === '') this.cookies.delete(name!);
      else this.cookies.set(name!, value!);
    }
    return response;
  }
  /** Begins, and goes to the issuer. @returns where that leads back to */
  async away(then = ''): Promise<string> {
    const begun = await this.go(`/api/session/oidc${then && `?then=${encodeURIComponent(then)}`}`);
    const back = await fetch(begun.headers.get('location')!, { redirect: 'manual' });
    const url = new URL(back.headers.get('location')!);
    expect(url.origin).toBe('http://vondle.test');
    return url.pathname + url.search;
  }
  /** @returns the page it comes to */
  async signIn(then = ''): Promise<string> {
    return (await this.go(await this.away(then))).headers.get('location')!;
  }
  async me(): Promise<unknown> {
    const response = await this.go('/api/session');
    return response.ok ? response.json() : response.status;
  }
}

test('who comes for the first time has an account made, and is the same the next time', async () => {
  const browser = new Browser();
  expect(await (await browser.go('/api/session/ways')).json()).toEqual({ issuer: 'the harbour office' });
  expect(await browser.signIn('/t/harbour/fan-out?rev=3')).toBe('/t/harbour/fan-out?rev=3');
  expect(await browser.me()).toEqual({ handle: 'nils', name: 'Nils Aaby' });
  issuer.claims = { sub: '1', preferred_username: 'renamed' };
  const again = new Browser();
  await again.signIn();
  expect(await again.me()).toEqual({ handle: 'nils', name: 'Nils Aaby' });
  const { rows } = await server.db.execute(
    sql`select action, details from audit where action in ('make account', 'sign in') order by id`,
  );
  expect(rows).toMatchObject([
    { action: 'make account', details: { issuer: issuer.url } },
    { action: 'sign in', details: { by: 'the harbour office' } },
    { action: 'sign in' },
  ]);
});

test('a name that is taken gets a number, and nobody is taken for somebody who has it', async () => {
  issuer.claims = { sub: '2', preferred_username: 'mara', email: 'mara@example.net' };
  const browser = new Browser();
  await browser.signIn();
  expect(await browser.me()).toEqual({ handle: 'mara-2', name: 'mara' });
  expect(await (await browser.go('/api/topologies')).json()).toEqual([]);
});

test('two first sign-ins at once are of one account', async () => {
  issuer.claims = { sub: '3', name: 'Åse Øvre' };
  const browsers = [new Browser(), new Browser(), new Browser()];
  const back = await Promise.all(browsers.map((each) => each.away()));
  await Promise.all(browsers.map((each, i) => each.go(back[i]!)));
  const who = await Promise.all(browsers.map((each) => each.me()));
  expect(new Set(who.map((each) => JSON.stringify(each))).size).toBe(1);
});

test('an account without a password cannot be signed in to with one', async () => {
  await new Browser().signIn();
  for (const password of ['', ' ', PASSWORD]) {
    const { status } = await asker(server.app)('POST', '/session', { handle: 'nils', password });
    expect([401, 422]).toContain(status);
  }
});

test.each<Wrong>(['nonce', 'signature', 'audience', 'expired', 'issuer', 'no id token', 'refuses'])(
  'wrong at the issuer: %s',
  async (wrong) => {
    issuer.wrong = wrong;
    const browser = new Browser();
    expect(await browser.signIn()).toBe('/sign-in?trouble=not-let-in');
    expect(await browser.me()).toBe(401);
  },
);

test('what comes back counts once, in the browser it was begun in, for ten minutes', async () => {
  const browser = new Browser();
  const back = await browser.away();
  expect((await new Browser().go(back)).headers.get('location')).toBe('/sign-in?trouble=not-let-in');
  const other = new Browser();
  await other.away();
  expect((await other.go(back)).headers.get('location')).toBe('/sign-in?trouble=not-let-in');
  expect((await browser.go(back)).headers.get('location')).toBe('/');
  expect((await browser.go(back)).headers.get('location')).toBe('/sign-in?trouble=not-let-in');
  const late = new Browser();
  const lateBack = await late.away();
  jest.useFakeTimers({
    now: Date.now() + 11 * 60_000,
    doNotFake: ['nextTick', 'setImmediate', 'setTimeout'],
  });
  try {
    expect((await late.go(lateBack)).headers.get('location')).toBe('/sign-in?trouble=not-let-in');
  } finally {
    jest.useRealTimers();
  }
});

test.each(['//evil.example', '/\\evil.example', 'https://evil.example', 'evil'])(
  'nobody is led to %s',
  async (then) => expect(await new Browser().signIn(then)).toBe('/'),
);

test('an issuer that is away is said, and asked again', async () => {
  const lost = await harness({
    openId: {
      issuer: 'http://127.0.0.1:9',
      clientId: 'a',
      clientSecret: 'b',
      name: 'c',
      url: 'http://vondle.test',
    },
  });
  const answer = await lost.app.request('http://vondle.test/api/session/oidc');
  expect(answer.headers.get('location')).toBe('/sign-in?trouble=issuer');
  await lost.close();
});

test('where none is configured there is no such way', async () => {
  const plain = await harness();
  const nobody = asker(plain.app);
  expect((await nobody('GET', '/session/ways')).data).toEqual({ issuer: null });
  expect((await nobody('GET', '/session/oidc')).status).toBe(404);
  expect((await nobody('GET', '/session/oidc/back?code=x')).status).toBe(404);
  await plain.close();
});

test.each([
  [
    { preferred_username: 'Åse.Øvre@example.net', name: 'Åse' },
    { handle: 'ase-vre', name: 'Åse' },
  ],
  [{ email: '42@example.net' }, { handle: 'person', name: '42@example.net' }],
  [
    { name: 'a\u0000b'.repeat(80) },
    { handle: expect.stringMatching(/^[a-z][a-z0-9-]{0,29}$/), name: expect.any(String) },
  ],
  [
    { preferred_username: 7, name: {} },
    { handle: 'person', name: 'person' },
  ],
])('%j is called', (claims, names) => {
  const called = namesOf(claims);
  expect(called).toEqual(names);
  expect(called.name.length).toBeLessThanOrEqual(80);
});

test('a part of the settings is not enough', () => {
  const base = { DATABASE_URL: 'postgres://x', VONDLE_SECRET: 'x'.repeat(16) };
  const all = {
    ...base,
    VONDLE_URL: 'https://vondle.example.net/',
    VONDLE_OIDC_ISSUER: 'https://id.example.net/harbour',
    VONDLE_OIDC_CLIENT_ID: 'vondle',
    VONDLE_OIDC_CLIENT_SECRET: 'secret',
  };
  expect(settingsFrom(all).openId).toMatchObject({
    name: 'id.example.net',
    url: 'https://vondle.example.net',
  });
  expect(settingsFrom(base).openId).toBeUndefined();
  for (const missing of ['VONDLE_URL', 'VONDLE_OIDC_CLIENT_ID', 'VONDLE_OIDC_CLIENT_SECRET'] as const)
    expect(() => settingsFrom({ ...all, [missing]: undefined })).toThrow(missing);
  expect(() => settingsFrom({ ...all, VONDLE_OIDC_ISSUER: 'nothing' })).toThrow('no address');
  expect(() => settingsFrom({ ...all, VONDLE_URL: 'https://x/under' })).toThrow('VONDLE_URL');
});
