import { api, ApiProblem, readLines, Unreachable } from './api.ts';

interface Asked {
  readonly path: string;
  readonly method: string;
  readonly body: unknown;
}

/** A server that gives these answers, one after the other. */
function server(...answers: (Response | Error)[]): Asked[] {
  const asked: Asked[] = [];
  globalThis.fetch = (async (path: string, init: RequestInit) => {
    asked.push({ path, method: init.method!, body: init.body ? JSON.parse(String(init.body)) : undefined });
    const answer = answers[Math.min(asked.length, answers.length) - 1]!;
    if (answer instanceof Error) throw answer;
    return answer.clone();
  }) as typeof fetch;
  return asked;
}
const json = (data: unknown, status = 200, headers: Record<string, string> = {}) =>
  new Response(JSON.stringify(data), { status, headers });
const real = globalThis.fetch;
afterEach(() => (globalThis.fetch = real));

test('an answer is what the server says', async () => {
  const asked = server(json([{ slug: 'ferries', name: 'Ferries', role: 'reader' }]));
  expect(await api.topologies()).toEqual([{ slug: 'ferries', name: 'Ferries', role: 'reader' }]);
  expect(asked).toEqual([{ path: '/api/topologies', method: 'GET', body: undefined }]);
});

test('of a draft, what changed is sent with all its names', async () => {
  const asked = server(json({ version: 8 }));
  const changed = [{ name: 'a.yaml', text: 'vondle: 1\n' }];
  await api.changeDraft('ferries', { draft: 3, version: 7, base: 2 }, ['a.yaml', 'b.yaml'], changed);
  expect(asked[0]).toMatchObject({
    method: 'PATCH',
    path: '/api/topologies/ferries/draft?draft=3',
    body: { version: 7, base: 2, names: ['a.yaml', 'b.yaml'], changed },
  });
});

test('a problem keeps its status, words and all it says more', async () => {
  server(json({ type: 'about:blank', title: 'Moved', detail: 'Odo saved it.', by: 'odo' }, 409));
  const problem = await api.saveDraft('ferries', 1, []).catch((error: unknown) => error);
  expect(problem).toBeInstanceOf(ApiProblem);
  expect(problem).toMatchObject({
    status: 409,
    title: 'Moved',
    detail: 'Odo saved it.',
    more: { by: 'odo' },
  });
});

test('an answer that is no problem document says at least its status', async () => {
  server(new Response('<html>', { status: 502 }));
  await expect(api.topologies()).rejects.toMatchObject({ status: 502, detail: 'The server answered 502.' });
});

test('a server that is not reached is told from one that refuses', async () => {
  server(new TypeError('fetch failed'));
  await expect(api.topologies()).rejects.toBeInstanceOf(Unreachable);
});

test('a read there was no room for is asked again; a write is not', async () => {
  const full = () => json({ title: 'Busy', detail: 'No room.' }, 503, { 'retry-after': '0' });
  const asked = server(full(), full(), json([]));
  expect(await api.topologies()).toEqual([]);
  expect(asked).toHaveLength(3);
  const written = server(full(), json({ version: 2 }));
  await expect(api.saveDraft('ferries', 1, [])).rejects.toMatchObject({ status: 503 });
  expect(written).toHaveLength(1);
});

test('a read is not asked again for ever', async () => {
  const asked = server(json({ title: 'Busy' }, 503, { 'retry-after': '0' }));
  await expect(api.topologies()).rejects.toMatchObject({ status: 503 });
  expect(asked).toHaveLength(6);
});

test('lines that come in pieces are put together, and how far it is is told apart from them', async () => {
  const text = '{"message":"a"}\n{"told":1,"of":2}\n{"message":"ü"}\n{"told":2,"of":2}\n';
  const bytes = Buffer.from(text);
  // cut within a line, and within a character
  const pieces = [bytes.subarray(0, 5), bytes.subarray(5, 47), bytes.subarray(47)];
  const body = new ReadableStream<Uint8Array>({
    start(controller) {
      for (const piece of pieces) controller.enqueue(piece);
      controller.close();
    },
  });
  server(new Response(body));
  const heard: object[] = [];
  const file = await readLines('/x', (so) => heard.push(so), new AbortController().signal);
  expect(heard).toEqual([
    { told: 1, of: 2 },
    { told: 2, of: 2 },
  ]);
  expect(await file.text()).toBe('{"message":"a"}\n{"message":"ü"}\n');
  server(json({ title: 'Busy', detail: 'One at a time.' }, 429));
  await expect(readLines('/x', () => {}, new AbortController().signal)).rejects.toMatchObject({
    status: 429,
  });
});
