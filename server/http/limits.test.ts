/** What comes in is bounded, whatever it is: a server of its own on a real port. */
import { once } from 'node:events';
import { connect as connectTo, type AddressInfo } from 'node:net';
import type { Server } from 'node:http';
import { serve } from '@hono/node-server';
import fc from 'fast-check';
import { asker, harness, type Ask, type Harness, PASSWORD } from '../testing/harness.ts';
import { NOBODYS, passwordIs } from '../people/passwords.ts';
import { Budget } from './budget.ts';
import { check, unkeepable } from './input.ts';
import { Problem } from './problem.ts';
import { object, string } from 'yup';

let h: Harness;
let mara: Ask;
let odo: Ask;
beforeAll(async () => {
  h = await harness({ patience: { smallMs: 400, largeMs: 1000 } });
  await h.topology('harbour', { mara: 'owner', odo: 'approver' });
  mara = await h.as('mara');
  odo = await h.as('odo');
});
afterAll(() => h.close());

const version = async () => (await mara('GET', '/topologies/harbour')).data.draft.version as number;
const named = (name: string, text: string) => ({ name, text });

describe('bodies', () => {
  const small: [string, string][] = [
    ['POST', '/session'],
    ['POST', '/topologies'],
    ['POST', '/topologies/harbour/revisions'],
    ['PUT', '/topologies/harbour/targets'],
    ['PUT', '/topologies/harbour/protections/live'],
    ['POST', '/topologies/harbour/rollouts'],
  ];
  test.each(small)('%s %s takes 4 KiB and no more', async (method, path) => {
    const ask = path.includes('protections') ? odo : mara;
    const answer = await ask(method, path, JSON.stringify({ x: 'y'.repeat(4096) }));
    expect(answer).toMatchObject({ status: 413, data: { title: 'Too large' } });
    expect((await ask(method, path, JSON.stringify({ x: 'y'.repeat(4000) }))).status).toBe(422);
  });

  test('an answer does not repeat its input', async () => {
    const word = 'repeatedrepeated';
    const inputs: [string, string, unknown][] = [
      ['POST', '/session', [word.repeat(200)]],
      ['POST', '/session', { [word]: word, handle: [word], password: { [word]: 1 } }],
      [
        'PUT',
        '/topologies/harbour/draft',
        { version: 1, documents: Array.from({ length: 900 }, () => word) },
      ],
      ['PUT', '/topologies/harbour/draft', { version: word, documents: word }],
      ['PATCH', '/topologies/harbour/draft', { version: 1, names: [word], changed: [{ [word]: word }] }],
      ['POST', `/topologies/${word}/rollouts`, {}],
      ['GET', `/${word}`, undefined],
      ['GET', `/topologies/harbour/revisions/${word}`, undefined],
    ];
    for (const [method, path, body] of inputs) {
      const { status, data } = await mara(method, path, body);
      expect(status).toBeGreaterThanOrEqual(400);
      expect(JSON.stringify(data)).not.toContain(word);
      expect(JSON.stringify(data).length).toBeLessThan(4000);
    }
  });

  test('lists are counted before their items are looked at', async () => {
    const documents = Array.from({ length: 200_000 }, () => 1);
    const answer = await mara('PUT', '/topologies/harbour/draft', { version: 1, documents });
    expect(answer).toMatchObject({ status: 413, data: { title: 'Too many' } });
  });

  test('a draft has 32 MiB at most, also when it grows by a change', async () => {
    const big = 'x'.repeat(15 * 1024 * 1024);
    const put = await mara('PUT', '/topologies/harbour/draft', {
      version: await version(),
      documents: [named('a.yaml', big), named('b.yaml', big)],
    });
    expect(put.status).toBe(200);
    const grown = await mara('PATCH', '/topologies/harbour/draft', {
      version: put.data.version,
      names: ['a.yaml', 'b.yaml', 'c.yaml'],
      changed: [named('c.yaml', 'y'.repeat(3 * 1024 * 1024))],
    });
    expect(grown).toMatchObject({ status: 413, data: { title: 'Too large' } });
    // nothing of it was written
    const { draft } = (await mara('GET', '/topologies/harbour')).data;
    expect(draft.version).toBe(put.data.version);
    expect(draft.documents.map(({ name }: { name: string }) => name)).toEqual(['a.yaml', 'b.yaml']);
    const whole = await mara('PUT', '/topologies/harbour/draft', {
      version: draft.version,
      documents: [named('a.yaml', 'x'.repeat(34 * 1024 * 1024))],
    });
    expect(whole.status).toBe(413);
  });

  test('many large drafts read at once are bounded, and nobody’s reading fails for ever', async () => {
    const answers = await Promise.all(Array.from({ length: 12 }, () => mara('GET', '/topologies/harbour')));
    const statuses = new Set(answers.map(({ status }) => status));
    expect([...statuses].every((status) => status === 200 || status === 429 || status === 503)).toBe(true);
    expect(statuses.has(429) || statuses.has(503)).toBe(true);
    expect((await mara('GET', '/topologies/harbour')).status).toBe(200);
    await mara('PUT', '/topologies/harbour/draft', {
      version: await version(),
      documents: [named('a.yaml', '')],
    });
  });
});

describe('on the wire', () => {
  let server: Server;
  let port: number;
  beforeAll(async () => {
    server = serve({ fetch: h.app.fetch, hostname: '127.0.0.1', port: 0 }) as Server;
    await once(server, 'listening');
    port = (server.address() as AddressInfo).port;
  });
  afterAll(() => new Promise((done) => server.close(done)));

  const unfinished = () => {
    const socket = connectTo(port, '127.0.0.1');
    socket.on('error', () => {});
    socket.write(
      'POST /api/session HTTP/1.1\r\nhost: x\r\ncontent-type: application/json\r\ncontent-length: 50\r\n\r\n{"ha',
    );
    return socket;
  };
  const answer = async (socket: ReturnType<typeof unfinished>) =>
    String(((await once(socket, 'data')) as [Buffer])[0]);

  test('a body that is not finished in time is ended', async () => {
    const socket = unfinished();
    expect(await answer(socket)).toMatch(/^HTTP\/1.1 408 /);
    socket.destroy();
  });

  test('bodies that are not finished count against their address', async () => {
    // all at once: each is given up after a while, and then no longer counts
    const sockets = Array.from({ length: 120 }, unfinished);
    const answers = await Promise.all(sockets.map(answer));
    expect(answers.filter((each) => /^HTTP\/1.1 429 /.test(each)).length).toBeGreaterThan(0);
    for (const each of answers) expect(each).toMatch(/^HTTP\/1.1 (?:429|408) /);
    for (const socket of sockets) socket.destroy();
  });

  test('health, readiness, and what may be kept of answers', async () => {
    const at = `http://127.0.0.1:${port}/api`;
    expect(await (await fetch(`${at}/health`)).json()).toEqual({ alive: true });
    const ready = await fetch(`${at}/ready`);
    expect(await ready.json()).toEqual({ ready: true, stuck: [] });
    expect(ready.headers.get('cache-control')).toBe('no-store');
    expect(ready.headers.get('content-security-policy')).toMatch(/base-uri 'none'.*form-action 'self'/);
  });
});

describe('threads', () => {
  test('telling all messages ends when its time is over, and says so after what was told', async () => {
    const small = await harness({ work: { long: { deadlineMs: 2500 } } });
    try {
      await small.topology('harbour', { mara: 'owner' });
      const ask = await small.as('mara');
      const each = (n: number, make: (i: number) => string) =>
        Array.from({ length: n }, (_, i) => make(i)).join(', ');
      // one publish is told at once, and then come many that meet everything
      const text = `messages: { ${each(900, (i) => `m${i}: { key: "a.{x}.{y}" }`)} }
apps: { desk: { publishes: [${each(900, (i) => `{ message: m${i}, to: m/in }`)}] } }
brokers: { m: { kind: amqp, access: open, exchanges: { in: { type: topic } }, queues: { ${each(20, (i) => `q${i}: {}`)} }, bindings: [${each(3000, (i) => `{ from: in, to: q${i % 20}, key: "a.k${i}.#" }`)}] } }
`;
      await ask('PUT', '/topologies/harbour/draft', {
        version: (await ask('GET', '/topologies/harbour')).data.draft.version,
        documents: [named('a.yaml', text)],
      });
      const { status, data } = await ask('GET', '/topologies/harbour/classes');
      // where not even the first piece was told in time, that is the whole answer
      const last = Array.isArray(data) ? data.at(-1) : { problem: data.title, detail: data.detail };
      expect([200, 422]).toContain(status);
      expect(last).toMatchObject({
        problem: 'Too much to work out',
        detail: expect.stringContaining('longer than'),
      });
      // and the next one is served
      await ask('PUT', '/topologies/harbour/draft', {
        version: (await ask('GET', '/topologies/harbour')).data.draft.version,
        documents: [],
      });
      expect((await ask('GET', '/topologies/harbour/classes')).data).toEqual([{ told: 0, of: 0 }]);
    } finally {
      await small.close();
    }
  });

  test('what nests without end is refused, and the next request is served', async () => {
    const deep = `{"version":1,"documents":${'['.repeat(3_000_000)}${']'.repeat(3_000_000)}}`;
    const answer = await mara('PUT', '/topologies/harbour/draft', deep);
    expect([400, 413, 422]).toContain(answer.status);
    expect((await mara('GET', '/topologies/harbour')).status).toBe(200);
  });
});

describe('hostile values', () => {
  const routes: [Ask['length'] extends number ? string : never, string, unknown][] = [
    ['POST', '/session', { handle: 'mara', password: 'wrong' }],
    ['POST', '/topologies', { name: 'A' }],
    ['PUT', '/topologies/harbour/draft', { version: 1, documents: [{ name: 'a.yaml', text: 'x' }] }],
    [
      'PATCH',
      '/topologies/harbour/draft',
      { version: 1, names: ['a.yaml'], changed: [{ name: 'a.yaml', text: 'x' }] },
    ],
    ['POST', '/topologies/harbour/revisions', { version: 1, words: 'w' }],
    [
      'PUT',
      '/topologies/harbour/targets',
      {
        environment: 'live',
        broker: 'm',
        kind: 'amqp',
        addresses: { amqp: 'amqp://127.0.0.1', http: 'http://127.0.0.1' },
      },
    ],
    ['PUT', '/topologies/harbour/protections/live', { protected: true }],
    ['POST', '/topologies/harbour/rollouts', { target: 1, revision: 1 }],
    ['POST', '/topologies/harbour/rollouts/1/consent', { words: 'w' }],
    ['POST', '/topologies/harbour/rollouts/1/apply', { destroys: 0 }],
    ['POST', '/topologies/harbour/rollouts/1/stop', undefined],
    [
      'POST',
      '/topologies/harbour/rollouts/1/probes',
      {
        app: 'a',
        message: 'm',
        to: 'm/in',
        sample: { key: 'k', headers: { a: 1 }, properties: { b: 2 }, body: {} },
      },
    ],
  ];
  const hostile = fc.constantFrom<unknown>(
    '\u0000',
    'a\u0000b.yaml',
    '\ud800',
    'x\udfff',
    '../../x.yaml',
    '/etc/x.yaml',
    'a//b.yaml',
    './a.yaml',
    'constructor',
    '__proto__',
    '',
    'é'.repeat(1000),
    1e300,
    -1,
    2 ** 31,
    2 ** 53,
    1.5,
    null,
    true,
    [],
    {},
    [[[[[[]]]]]],
    { a: '\u0000' },
    JSON.parse('{"__proto__": {"x": 1}, "constructor": 1}'),
  );
  const paths = (value: unknown): (string | number)[][] =>
    typeof value === 'object' && value !== null
      ? [[], ...Object.entries(value).flatMap(([key, each]) => paths(each).map((path) => [key, ...path]))]
      : [[]];
  const withValue = (value: unknown, [key, ...rest]: (string | number)[], put: unknown): unknown => {
    if (key === undefined) return put;
    const copy = (Array.isArray(value) ? [...value] : { ...(value as object) }) as Record<
      string | number,
      unknown
    >;
    copy[key] = withValue(copy[key], rest, put);
    return copy;
  };
  const cases = routes.flatMap(([method, path, body]) =>
    paths(body).map((at) => ({ method, path, body, at })),
  );

  // not made here: bodies that are no JSON, bytes that are no UTF-8 and odd headers; see below
  test('in any field of any route are refused in words, never with a 500', async () => {
    await fc.assert(
      fc.asyncProperty(fc.constantFrom(...cases), hostile, async ({ method, path, body, at }, value) => {
        const { status } = await odo(method, path, JSON.stringify(withValue(body, at, value)));
        expect([path, at, value, status < 500 || status === 502]).toEqual([path, at, value, true]);
      }),
      { numRuns: 400 * Number(process.env['FUZZ'] ?? 1) },
    );
  });

  test.each(['%00', '%ff', 'x'.repeat(5000), '..%2f..', "a'b", '%ED%A0%80', '99999999999', '-1'])(
    'in an address: %s',
    async (part) => {
      const short = part.slice(0, 3000);
      for (const path of [
        `/topologies/${short}`,
        `/topologies/harbour/revisions/${short}`,
        `/topologies/harbour/rollouts/${short}`,
        `/${short}`,
      ])
        expect((await odo('GET', path)).status).toBe(404);
      expect(
        (await odo('PUT', `/topologies/harbour/protections/${short}`, { protected: true })).status,
      ).toBeGreaterThanOrEqual(400);
    },
  );

  test.each([
    ['an origin that is null', { origin: 'null' }, 403],
    ['an origin that is no address', { origin: '::::' }, 403],
    ['a cookie that is none', { cookie: 'vondle_session=\u00e9%00' }, 401],
  ])('%s', async (_, headers, status) => {
    expect((await mara('POST', '/topologies', { name: 'x' }, headers as never)).status).toBe(status);
  });

  test('bytes that are no UTF-8, and no JSON', async () => {
    for (const body of [
      new Uint8Array([0xff, 0xfe, 0x7b]),
      new TextEncoder().encode('{"a": NaN}'),
      new Uint8Array(0),
    ]) {
      const response = await h.app.request('http://vondle.test/api/session', { method: 'POST', body });
      expect(response.status).toBe(400);
    }
  });
});

describe('signing in', () => {
  const nobody = () => asker(h.app);
  const wrong = (handle: string, cookie?: string) =>
    asker(h.app, cookie)('POST', '/session', { handle, password: 'wrong' });

  test('few passwords are looked at at once; the others are told to come again', async () => {
    const answers = await Promise.all(Array.from({ length: 12 }, (_, i) => wrong(`nobody${i}`)));
    const statuses = answers.map(({ status }) => status);
    expect(new Set(statuses)).toEqual(new Set([401, 429]));
    expect(answers.find(({ status }) => status === 429)!.headers.get('retry-after')).toBe('1');
  });

  test('two passwords at most are looked at at a time', async () => {
    // asked in one breath: none has ended before another begins
    const all = await Promise.allSettled(Array.from({ length: 12 }, () => passwordIs('wrong', NOBODYS)));
    expect(all.filter(({ status }) => status === 'fulfilled')).toHaveLength(2);
  });

  test('after some wrong tries one waits, and longer each time; nobody else does', async () => {
    const tries: number[] = [];
    for (let i = 0; i < 8; i++) tries.push((await wrong('guessed')).status);
    expect(tries.slice(0, 5)).toEqual([401, 401, 401, 401, 401]);
    expect(tries.slice(5)).toContain(429);
    expect((await nobody()('POST', '/session', { handle: 'wen', password: PASSWORD })).status).toBe(200);
  });

  test('an owner is not locked out by others who guess: a browser that signed in before goes on', async () => {
    const first = await nobody()('POST', '/session', { handle: 'stranger', password: PASSWORD });
    const device = first.headers
      .getSetCookie()
      .find((each) => each.startsWith('vondle_device='))!
      .split(';')[0]!;
    let refused = 0;
    for (let i = 0; i < 10; i++) if ((await wrong('stranger')).status === 429) refused++;
    expect(refused).toBeGreaterThan(0);
    const again = await asker(h.app, device)('POST', '/session', { handle: 'stranger', password: PASSWORD });
    expect(again.status).toBe(200);
    // the cookie of one handle helps with no other
    const others: number[] = [];
    for (let i = 0; i < 8; i++)
      others.push(
        (await asker(h.app, device)('POST', '/session', { handle: 'guessed', password: 'wrong' })).status,
      );
    expect(others).toContain(429);
  });

  test('signing in ends the session that it replaces', async () => {
    const first = await nobody()('POST', '/session', { handle: 'wen', password: PASSWORD });
    const cookie = first.headers
      .getSetCookie()
      .find((each) => each.startsWith('vondle_session='))!
      .split(';')[0]!;
    expect((await asker(h.app, cookie)('GET', '/session')).status).toBe(200);
    expect(
      (await asker(h.app, cookie)('POST', '/session', { handle: 'wen', password: PASSWORD })).status,
    ).toBe(200);
    expect((await asker(h.app, cookie)('GET', '/session')).status).toBe(401);
  });
});

test('addresses of topologies betray nothing, in any script', async () => {
  for (const name of ['Harbour', 'harbour', 'Überfahrt & Çekirge', 'Пристань', '港', 'ท่าเรือ', '🚢', '---']) {
    const { status, data } = await mara('POST', '/topologies', { name });
    expect(status).toBe(201);
    // never the plain one, whether or not that is there
    expect(data.slug).toMatch(/^[\p{L}\p{M}\p{N}-]+-[0-9a-f]{6}$/u);
    expect((await mara('GET', `/topologies/${encodeURIComponent(data.slug)}`)).data.name).toBe(name);
  }
});

test('what went wrong is logged with its stack, and no parameter of a query', async () => {
  const marker = 'document text that nobody logs';
  await h.db.execute(
    "alter table draft_documents add constraint refusing check (text not like '%nobody logs%')",
  );
  const answer = await mara('PUT', '/topologies/harbour/draft', {
    version: await version(),
    documents: [named('a.yaml', marker)],
  });
  await h.db.execute('alter table draft_documents drop constraint refusing');
  expect(answer).toMatchObject({ status: 500, data: { title: 'Something broke' } });
  const logged = h.logged.join('');
  expect(logged).not.toContain(marker);
  const line = JSON.parse(h.logged.find((each) => each.includes('request failed'))!);
  expect(line.err).toMatchObject({ code: '23514', message: expect.stringContaining('refusing') });
  expect(line.err.stack).toContain('at ');
});

describe('a budget', () => {
  test('is taken and given back, each holder’s part and all together', () => {
    const budget = new Budget({ all: 10, each: 6 }, 'things');
    const first = budget.take('a', 5);
    expect(() => budget.take('a', 2)).toThrow(Problem);
    const second = budget.take('b', 5);
    expect(() => budget.take('c', 1)).toThrow(expect.objectContaining({ status: 503 }));
    first();
    first();
    expect(budget.inUse).toBe(5);
    budget.take('c', 5);
    second();
    expect(budget.inUse).toBe(5);
  });
});

test('what cannot be kept is told apart from what can', () => {
  expect(unkeepable({ a: ['😀', 1, null, { é: true }] })).toBeUndefined();
  for (const bad of ['\u0000', '\ud83d', { '\u0000': 1 }, [Infinity], NaN])
    expect(unkeepable(bad)).toBeDefined();
  expect(() => check(object({ a: string() }).noUnknown(), { a: 'x', b: 1 })).toThrow(Problem);
});
