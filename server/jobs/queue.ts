/** Work that takes long, in a queue in the database that all processes share (pg-boss). */
import PgBoss from 'pg-boss';
import type { Logger } from 'pino';
import { connect, whenReached, type Connection } from '../db/connect.ts';
import { forTheLog } from '../db/trouble.ts';

const ROLLOUTS = 'rollouts';

/** Jobs one process works on at once. */
const WORKERS = 4;

export class Jobs {
  private readonly boss: PgBoss;
  private readonly connection: Connection;
  private started = false;
  private readonly workers: string[] = [];

  constructor(
    url: string,
    private readonly log: Logger,
  ) {
    this.connection = connect(url, 2);
    const { pool } = this.connection;
    this.boss = new PgBoss({
      // its own pool would wait without end on a connection that fell silent
      db: { executeSql: (text: string, values: unknown[]) => pool.query(text, values) },
    });
    this.boss.on('error', (error) => this.log.debug({ err: forTheLog(error) }, 'the queue of jobs'));
  }

  /** Begins to work on rollouts as they come. */
  async start(carry: (rolloutId: number) => Promise<void>): Promise<void> {
    await whenReached(() => this.boss.start());
    await whenReached(() =>
      this.boss.createQueue(ROLLOUTS, { name: ROLLOUTS, retryLimit: 2, expireInSeconds: 3600 }),
    );
    for (let i = 0; i < WORKERS; i++)
      this.workers.push(
        await whenReached(() =>
          this.boss.work<{ rollout: number }>(ROLLOUTS, { pollingIntervalSeconds: 1 }, async (jobs) => {
            for (const { data } of jobs) await carry(data.rollout);
          }),
        ),
      );
    this.started = true;
  }

  /** Gives a rollout to whichever process comes first. */
  async carryOut(rolloutId: number): Promise<void> {
    if (!this.started) return;
    await this.boss.send(ROLLOUTS, { rollout: rolloutId });
    for (const worker of this.workers) this.boss.notifyWorker(worker);
  }

  async close(): Promise<void> {
    if (this.started) await this.boss.stop({ graceful: false, wait: false, close: true }).catch(() => {});
    await this.connection.close();
  }
}
