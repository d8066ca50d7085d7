/**
 * Heavy computation, on threads of its own: whatever reads documents or inventories of any size. Each
 * task has a deadline, each thread a memory limit; a thread that exceeds either is ended and replaced,
 * and only its own task fails.
 */
import { setTimeout as pause } from 'node:timers/promises';
import type { TransferListItem } from 'node:worker_threads';
import { Piscina } from 'piscina';
import { away, Problem } from '../http/problem.ts';
import type { Answer, Tasks, TaskName, ThreadSettings } from './tasks.ts';

interface Lane {
  readonly threads: number;
  /** Tasks that may wait for a thread; with more the server is busy. */
  readonly waiting: number;
  /** Milliseconds one of them may wait. */
  readonly waitMs?: number;
  /** Milliseconds a task may take once it has a thread. */
  readonly deadlineMs: number;
  readonly megabytes: number;
}

/** Milliseconds a task waits for a thread before it is told that the server is busy. */
const WAIT_MS = 60_000;

/** Short tasks never wait behind long ones. */
const LANES = {
  quick: { threads: 1, waiting: 64, deadlineMs: 15_000, megabytes: 512 },
  thorough: { threads: 2, waiting: 16, deadlineMs: 60_000, megabytes: 1024 },
  /** What nobody has to wait for: the state of topologies in a list. */
  aside: { threads: 1, waiting: 32, deadlineMs: 20_000, megabytes: 512 },
  /** Looks at brokers, again and again: one that answers slowly holds up nobody's work. */
  watch: { threads: 1, waiting: 64, deadlineMs: 20_000, megabytes: 512 },
  /** What may take minutes, tells how far it is, and ends when nobody listens any more. */
  long: { threads: 1, waiting: 8, deadlineMs: 600_000, megabytes: 2048 },
} satisfies Record<string, Lane>;

const LANE_OF: Readonly<Record<TaskName, keyof typeof LANES>> = {
  documents: 'quick',
  nothing: 'quick',
  merge: 'thorough',
  agreement: 'thorough',
  ruled: 'quick',
  blame: 'aside',
  plan: 'thorough',
  lookAgain: 'thorough',
  goOn: 'thorough',
  readBack: 'thorough',
  expectProbe: 'thorough',
  probeSet: 'thorough',
  declared: 'thorough',
  linksStanding: 'aside',
  takeIn: 'thorough',
  browse: 'aside',
  planSend: 'aside',
  storesOn: 'aside',
  takeOne: 'aside',
  tapsThere: 'aside',
  keptOf: 'aside',
  lookAt: 'watch',
  driftIn: 'watch',
  expectedThere: 'watch',
  glance: 'aside',
  glanceRevision: 'aside',
  classes: 'long',
};

/** A thread that has not begun by then is ended as it is. */
const BEGIN_MS = 3000;

/** What a lane may use, where a test wants less. */
export type Limits = Partial<Record<keyof typeof LANES, Partial<Lane>>>;

/**
 * The threads of one lane, and what waits for them. It counts and orders what waits by itself: the pool beneath is given
 * a task only when a thread is free, so that the time a task waits is not taken for the time it computes.
 */
class Threads {
  readonly pool: Piscina;
  private running = 0;
  private readonly queue: (() => void)[] = [];

  constructor(
    file: string,
    settings: ThreadSettings,
    readonly lane: Lane,
    least: number,
  ) {
    this.pool = new Piscina({
      filename: file,
      minThreads: least,
      maxThreads: lane.threads,
      idleTimeout: 60_000,
      resourceLimits: { maxOldGenerationSizeMb: lane.megabytes },
      workerData: settings,
      // the server's own environment has secrets that no thread needs
      env: {},
    });
    // an ended thread shows in its task; unheard it would end the process
    this.pool.on('error', () => {});
  }

  get waiting(): number {
    return this.queue.length;
  }

  /** Does something once a thread is free. @throws Problem 503 where too many wait, or it waits too long */
  async take<T>(work: () => Promise<T>, stop?: AbortSignal): Promise<T> {
    if (this.running < this.lane.threads) this.running++;
    else await this.turn(stop);
    try {
      return await work();
    } finally {
      const next = this.queue.shift();
      if (next) next();
      else this.running--;
    }
  }

  /** Waits until somebody hands their thread on. */
  private turn(stop: AbortSignal | undefined): Promise<void> {
    if (this.queue.length >= this.lane.waiting) throw BUSY;
    return new Promise((done, fail) => {
      const leave = (why: unknown) => {
        this.queue.splice(this.queue.indexOf(mine), 1);
        over();
        fail(why);
      };
      const stopped = () => leave(stop!.reason);
      const late = setTimeout(() => leave(BUSY), this.lane.waitMs ?? WAIT_MS);
      const over = () => {
        clearTimeout(late);
        stop?.removeEventListener('abort', stopped);
      };
      const mine = () => {
        over();
        done();
      };
      this.queue.push(mine);
      if (stop?.aborted) stopped();
      stop?.addEventListener('abort', stopped, { once: true });
    });
  }
}

const BUSY = new Problem(503, 'Busy', 'The server is busy; try again in a moment.', {}, 2);

export class Work {
  private readonly lanes: Record<keyof typeof LANES, Threads>;

  /** @param file the built script of the threads */
  constructor(file: string, settings: ThreadSettings, limits: Limits = {}) {
    const lane = (name: keyof typeof LANES) =>
      new Threads(
        file,
        settings,
        { ...LANES[name], ...limits[name] },
        name === 'aside' || name === 'long' ? 0 : 1,
      );
    this.lanes = {
      quick: lane('quick'),
      thorough: lane('thorough'),
      aside: lane('aside'),
      watch: lane('watch'),
      long: lane('long'),
    };
  }

  /**
   * Does a task on a thread.
   * @param transfer buffers and ports that move there and are not copied
   * @param stop ends it before it is done
   * @throws Problem the task's own; 422 when it is too much to work out, 503 when too many wait
   */
  async run<K extends TaskName>(
    name: K,
    input: Parameters<Tasks[K]>[0],
    transfer: TransferListItem[] = [],
    stop?: AbortSignal,
  ): Promise<Awaited<ReturnType<Tasks[K]>>> {
    const threads = this.lanes[LANE_OF[name]];
    const answer = await threads.take(() => timed<K>(threads, { name, input }, transfer, stop), stop);
    if (answer.ok) return answer.value;
    if (answer.away) throw away();
    const { status, title, detail, more } = answer.problem;
    throw new Problem(status, title, detail, more);
  }

  /** @returns of each lane how many tasks wait, and how many were done */
  lanesNow(): { lane: string; waiting: number; done: number }[] {
    return Object.entries(this.lanes).map(([lane, { pool, waiting }]) => ({
      lane,
      waiting,
      done: pool.completed,
    }));
  }

  async close(): Promise<void> {
    await Promise.all(
      Object.values(this.lanes).map(async ({ pool }) => {
        // a thread that is ended while it loads its script takes the whole process with it
        if (pool.threads.length > 0 && pool.completed === 0)
          await Promise.race([
            pool.run({ name: 'nothing', input: undefined }).catch(() => {}),
            pause(BEGIN_MS, undefined, { ref: false }),
          ]);
        await pool.destroy();
      }),
    );
  }
}

/** Does a task on a free thread, within the time that its lane gives. */
async function timed<K extends TaskName>(
  { pool, lane: { deadlineMs } }: Threads,
  task: { readonly name: K; readonly input: unknown },
  transferList: TransferListItem[],
  stop: AbortSignal | undefined,
): Promise<Answer<Awaited<ReturnType<Tasks[K]>>>> {
  const over = new AbortController();
  const timer = setTimeout(() => over.abort(), deadlineMs);
  const signal = stop ? AbortSignal.any([over.signal, stop]) : over.signal;
  try {
    return (await pool.run(task, { signal, transferList })) as Answer<Awaited<ReturnType<Tasks[K]>>>;
  } catch (error) {
    if (over.signal.aborted)
      throw new Problem(
        422,
        'Too much to work out',
        `This took longer than ${deadlineMs / 1000} seconds and was stopped. Make the topology smaller, or ask for less.`,
      );
    if ((error as { code?: string }).code === 'ERR_WORKER_OUT_OF_MEMORY')
      throw new Problem(
        422,
        'Too much to work out',
        'This took more memory than there may be, and was stopped.',
      );
    throw error;
  } finally {
    clearTimeout(timer);
  }
}
