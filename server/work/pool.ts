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
  readonly waiting: number;
  readonly deadlineMs: number;
  readonly megabytes: number;
}

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
  declared: 'quick',
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

export class Work {
  private readonly lanes: Record<keyof typeof LANES, { readonly pool: Piscina; readonly deadlineMs: number }>;

  /** @param file the built script of the threads */
  constructor(file: string, settings: ThreadSettings, limits: Limits = {}) {
    const lane = (name: keyof typeof LANES) => {
      const { threads, waiting, deadlineMs, megabytes } = { ...LANES[name], ...limits[name] };
      const pool = new Piscina({
        filename: file,
        minThreads: name === 'aside' || name === 'long' ? 0 : 1,
        maxThreads: threads,
        maxQueue: waiting,
        idleTimeout: 60_000,
        resourceLimits: { maxOldGenerationSizeMb: megabytes },
        workerData: settings,
        // the server's own environment has secrets that no thread needs
        env: {},
      });
      // an ended thread shows in its task; unheard it would end the process
      pool.on('error', () => {});
      return { pool, deadlineMs };
    };
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
    const { pool, deadlineMs } = this.lanes[LANE_OF[name]];
    const over = new AbortController();
    const timer = setTimeout(() => over.abort(), deadlineMs);
    let answer: Answer<Awaited<ReturnType<Tasks[K]>>>;
    try {
      answer = (await pool.run(
        { name, input },
        { signal: stop ? AbortSignal.any([over.signal, stop]) : over.signal, transferList: transfer },
      )) as typeof answer;
    } catch (error) {
      if (over.signal.aborted)
        throw new Problem(
          422,
          'Too much to work out',
          `This took longer than ${deadlineMs / 1000} seconds and was stopped. Make the topology smaller, or ask for less.`,
        );
      const { code, message } = error as { code?: string; message?: string };
      if (code === 'ERR_WORKER_OUT_OF_MEMORY')
        throw new Problem(
          422,
          'Too much to work out',
          'This took more memory than there may be, and was stopped.',
        );
      if (message === 'Task queue is at limit')
        throw new Problem(503, 'Busy', 'Too much is being worked out; try again in a moment.', {}, 2);
      throw error;
    } finally {
      clearTimeout(timer);
    }
    if (answer.ok) return answer.value;
    if (answer.away) throw away();
    const { status, title, detail, more } = answer.problem;
    throw new Problem(status, title, detail, more);
  }

  /** @returns of each lane how many tasks wait, and how many were done */
  lanesNow(): { lane: string; waiting: number; done: number }[] {
    return Object.entries(this.lanes).map(([lane, { pool }]) => ({
      lane,
      waiting: pool.queueSize,
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
