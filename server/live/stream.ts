/** Server-sent events to a browser: what it watches is looked at again whenever it may have changed. */
import type { Context } from 'hono';
import { streamSSE, type SSEStreamingApi } from 'hono/streaming';
import type { Env } from '../http/session.ts';
import type { Release } from '../http/budget.ts';

/** A telling may be lost: so long after the last look there is another, where nothing else is wished. */
const LOOK_AGAIN_MS = 15_000;
/** Changes nearer to each other than this are told together. */
const TOGETHER_MS = 100;

export interface Watching {
  /** Asks to be called whenever there may be something new. @returns what ends that */
  readonly hear: (heard: () => void) => () => void;
  /** Tells what is new. @returns `over` where nothing will ever be new again */
  readonly look: (stream: SSEStreamingApi) => Promise<'over' | void>;
  /** Called once, however it ends. */
  readonly ended: Release;
  /** When to look again without having heard, milliseconds. */
  readonly againMs?: number;
}

/**
 * Answers with a stream of events, until the browser leaves, access ends (`look` throws) or all is over.
 * Whoever was cut off comes again by itself, and is told anew what it needs to know.
 */
export function watched(c: Context<Env>, { hear, look, ended, againMs = LOOK_AGAIN_MS }: Watching): Response {
  c.header('x-accel-buffering', 'no');
  const deaf = c.get('metrics').listening();
  return streamSSE(c, async (stream) => {
    let wake: () => void = () => {};
    let dirty = true;
    const off = hear(() => {
      dirty = true;
      wake();
    });
    stream.onAbort(() => wake());
    try {
      while (!stream.aborted) {
        if (dirty) {
          dirty = false;
          if ((await look(stream)) === 'over') return;
          await new Promise((done) => setTimeout(done, TOGETHER_MS));
          continue;
        }
        await new Promise<void>((done) => {
          const timer = setTimeout(() => {
            dirty = true;
            done();
          }, againMs);
          wake = () => {
            clearTimeout(timer);
            done();
          };
        });
        await stream.write(': still here\n\n');
      }
    } catch {
      // the database is away, or access ended: the browser comes again and is told
    } finally {
      off();
      deaf();
      ended();
    }
  });
}
