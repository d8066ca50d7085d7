/** Lanes of threads: how much they take on, what ends a task, and that what waits is done afterwards. */
import { join } from 'node:path';
import { Work, type Limits } from './pool.ts';

const file = join(__dirname, '../testing/busy-thread.mjs');
const settings = { databaseUrl: '', secret: '', olderSecrets: [], allowed: '' };
let works: Work[] = [];
const workWith = (limits: Limits) => {
  const work = new Work(file, settings, limits);
  works.push(work);
  // the script of these tests takes what it is to do as any task's input
  return (name: 'documents' | 'glance' | 'classes', input: object, stop?: AbortSignal) =>
    work.run(name as 'nothing', input as never, [], stop) as Promise<unknown>;
};
afterEach(async () => {
  await Promise.all(works.map((each) => each.close()));
  works = [];
});
const busy = { status: 503, title: 'Busy' };
const tooMuch = { status: 422, title: 'Too much to work out' };

test.each(['documents', 'glance', 'classes'] as const)(
  '%s: what waits behind a task that is ended is done afterwards',
  async (name) => {
    const lane = { threads: 1, deadlineMs: 1500 };
    const run = workWith({ quick: lane, aside: lane, long: lane });
    const long = run(name, { ms: 60_000 });
    const others = [1, 2, 3].map((value) => run(name, { value }));
    await expect(long).rejects.toMatchObject(tooMuch);
    expect(await Promise.all(others)).toEqual([1, 2, 3]);
  },
);

test('a task that is stopped leaves its lane free for the next', async () => {
  const run = workWith({ aside: { threads: 1 } });
  const stop = new AbortController();
  const long = run('glance', { ms: 60_000 }, stop.signal);
  const next = run('glance', { value: 'done' });
  setTimeout(() => stop.abort(), 100);
  await expect(long).rejects.toThrow();
  expect(await next).toBe('done');
});

test('a lane takes on no more than may wait, and says that it is busy, also of tasks that can be stopped', async () => {
  const run = workWith({ aside: { threads: 1, waiting: 2 } });
  const stop = new AbortController();
  const first = run('glance', { ms: 500, value: 0 }, stop.signal);
  const waiting = [1, 2].map((value) => run('glance', { value }, stop.signal));
  await expect(run('glance', { value: 3 }, stop.signal)).rejects.toMatchObject(busy);
  await expect(run('glance', { value: 4 })).rejects.toMatchObject(busy);
  expect(await Promise.all([first, ...waiting])).toEqual([0, 1, 2]);
});

test('a task that only waits too long is told that the server is busy, never that it is too much', async () => {
  const run = workWith({ aside: { threads: 1, deadlineMs: 2000, waitMs: 300 } });
  const first = run('glance', { ms: 1200, value: 0 });
  await expect(run('glance', { value: 1 })).rejects.toMatchObject(busy);
  expect(await first).toBe(0);
  expect(await run('glance', { value: 2 })).toBe(2);
});

test('time that a task waits does not count against it', async () => {
  const run = workWith({ aside: { threads: 1, deadlineMs: 2000 } });
  const all = [1, 2, 3, 4].map((value) => run('glance', { ms: 700, value }));
  expect(await Promise.all(all)).toEqual([1, 2, 3, 4]);
});

test('a waiting task that is stopped is gone from its lane', async () => {
  const run = workWith({ aside: { threads: 1, waiting: 1 } });
  const first = run('glance', { ms: 400, value: 0 });
  const stop = new AbortController();
  const second = run('glance', { value: 1 }, stop.signal);
  stop.abort();
  await expect(second).rejects.toThrow();
  expect(await run('glance', { value: 2 })).toBe(2);
  expect(await first).toBe(0);
});

test('a task that uses up its memory fails alone', async () => {
  const run = workWith({ quick: { megabytes: 32, threads: 1 } });
  const all = await Promise.allSettled([run('documents', { hog: true }), run('documents', { value: 1 })]);
  expect(all).toMatchObject([
    { status: 'rejected', reason: tooMuch },
    { status: 'fulfilled', value: 1 },
  ]);
});
