/**
 * What changed, told between processes by PostgreSQL itself (LISTEN and NOTIFY). A telling may be lost
 * with its connection; so whoever listens looks once more whenever the connection is there again, and
 * now and then besides.
 */
import { setTimeout as pause } from 'node:timers/promises';
import { sql } from 'drizzle-orm';
import { Client } from 'pg';
import type { Transaction } from '../db/connect.ts';

const CHANNEL = 'vondle_rollouts';

/** Tells everybody that a rollout has changed, once the transaction is done. */
export async function tellOf(tx: Transaction, rolloutId: number): Promise<void> {
  await tx.execute(sql`select pg_notify(${CHANNEL}, ${String(rolloutId)})`);
}

export class Changes {
  private readonly listeners = new Map<number, Set<() => void>>();
  private client: Client | undefined;
  private ended = false;
  private readonly running: Promise<void>;

  constructor(private readonly url: string) {
    this.running = this.listen();
  }

  /** Calls back whenever a rollout may have changed. @returns what ends that */
  on(rolloutId: number, heard: () => void): () => void {
    let set = this.listeners.get(rolloutId);
    if (!set) this.listeners.set(rolloutId, (set = new Set()));
    set.add(heard);
    return () => {
      set.delete(heard);
      if (set.size === 0) this.listeners.delete(rolloutId);
    };
  }

  private tell(rolloutId: number): void {
    for (const heard of this.listeners.get(rolloutId) ?? []) heard();
  }

  private async listen(): Promise<void> {
    for (let wait = 100; !this.ended; wait = Math.min(2 * wait, 3000)) {
      const client = new Client({
        connectionString: this.url,
        connectionTimeoutMillis: 5000,
        application_name: 'vondle live',
      });
      this.client = client;
      const lost = new Promise<void>((done) => {
        client.on('error', () => done());
        client.on('end', () => done());
      });
      client.on('notification', ({ payload }) => this.tell(Number(payload)));
      try {
        await client.connect();
        await client.query(`listen ${CHANNEL}`);
        for (const rolloutId of this.listeners.keys()) this.tell(rolloutId);
        wait = 100;
        await lost;
      } catch {
        // away; tried again below
      }
      await client.end().catch(() => {});
      if (!this.ended) await pause(wait);
    }
  }

  async close(): Promise<void> {
    this.ended = true;
    await this.client?.end().catch(() => {});
    await this.running;
  }
}
