import { MessageChannel } from 'node:worker_threads';
import type { Context } from 'hono';
import type { Problem } from '../http/problem.ts';
import type { Work } from '../work/pool.ts';
import type { AskedClasses, ToldClasses } from './classes.ts';

/** Who does not read on for this long is not waited for. */
const STALLED_MS = 60_000;

/**
 * Sends the classes of a topology's messages as lines of JSON while a thread tells them, with a line of how far it is
 * after each piece, and one of what went wrong where something did. Who stops listening ends the work.
 * @param release called once when it is over
 * @throws Problem where nothing can be told at all
 */
export async function sentAsTold(
  c: Context,
  work: Work,
  asked: Omit<AskedClasses, 'port'>,
  release: () => void,
): Promise<Response> {
  const { port1: here, port2: port } = new MessageChannel();
  const stop = new AbortController();
  let stalled: ReturnType<typeof setTimeout> | undefined;
  let out: ReadableStreamDefaultController<Uint8Array> | undefined;
  const before: string[] = [];
  const send = (text: string) => {
    if (!out) return void before.push(text);
    out.enqueue(Buffer.from(text, 'utf8'));
    // what nobody reads piles up here: it is bounded, and not for ever
    stalled ??= setTimeout(() => stop.abort(), STALLED_MS);
  };
  let begun = () => {};
  const begins = new Promise<void>((done) => (begun = done));
  const all = new Promise<void>((done) =>
    here.on('message', ({ lines, told, of }: ToldClasses) => {
      send(`${lines}${JSON.stringify({ told, of })}\n`);
      begun();
      if (told >= of) done();
    }),
  );
  const over = () => {
    here.close();
    clearTimeout(stalled);
    release();
  };
  const running = work.run('classes', { ...asked, port }, [port], stop.signal);
  try {
    await Promise.race([begins, running]);
  } catch (error) {
    over();
    throw error;
  }
  running
    // what the thread said last may come after it is done
    .then(() => all)
    .catch(({ title, detail }: Partial<Problem>) => {
      if (!stop.signal.aborted)
        send(`${JSON.stringify({ problem: title ?? 'Something went wrong', detail: detail ?? '' })}\n`);
    })
    .finally(() => {
      over();
      if (!stop.signal.aborted) out?.close();
    });
  const stream = new ReadableStream<Uint8Array>(
    {
      start(controller) {
        out = controller;
        for (const text of before) send(text);
      },
      pull() {
        clearTimeout(stalled);
        stalled = undefined;
      },
      cancel() {
        stop.abort();
      },
    },
    { highWaterMark: 4 },
  );
  return c.body(stream, 200, { 'content-type': 'application/x-ndjson; charset=utf-8' });
}
