/**
 * What changed, told between processes by PostgreSQL itself (LISTEN and NOTIFY). A telling may be lost
 * with its connection; so whoever listens looks once more whenever the connection is there again, and
 * now and then besides.
 */
import { setTimeout as pause } from 'node:timers/promises';
import { sql } from 'drizzle-orm';
import type { Client } from 'pg';
import { LiveClient } from '../db/live-client.ts';
import type { Transaction } from '../db/connect.ts';

const CHANNEL = 'vondle_changes';

/** Milliseconds between two questions by which a listener sees that the database still answers. */
const PING_MS = 3000;

/** What is watched. */
export type Watched = 'rollout' | 'topology' | 'webhook';

/** Tells everybody that a rollout, or something of a topology, has changed, once the transaction is done. */
export async function tell(tx: Transaction, what: Watched, id: number): Promise<void> {
  await tx.execute(sql`select pg_notify(${CHANNEL}, ${`${what} ${id}`})`);
}

export class Changes {
  private readonly listeners = new Map<string, Set<() => void>>();
  private client: Client | undefined;
  private ended = false;
  private readonly running: Promise<void>;

  constructor(private readonly url: string) {
    this.running = this.listen();
  }

  /** Calls back whenever it may have changed. @returns what ends that */
  on(what: Watched, id: number, heard: () => void): () => void {
    const of = `${what} ${id}`;
    let set = this.listeners.get(of);
    if (!set) this.listeners.set(of, (set = new Set()));
    set.add(heard);
    return () => {
      set.delete(heard);
      if (set.size === 0 && this.listeners.get(of) === set) this.listeners.delete(of);
    };
  }

  private tell(of: string): void {
    for (const heard of this.listeners.get(of) ?? []) heard();
  }

  private async listen(): Promise<void> {
    for (let wait = 100; !this.ended; wait = Math.min(2 * wait, 3000)) {
      const live = new LiveClient({ connectionString: this.url, application_name: 'vondle live' });
      const client: Client = live;
      this.client = client;
      const lost = new Promise<void>((done) => {
        client.on('error', () => done());
        client.on('end', () => done());
      });
      client.on('notification', ({ payload }) => this.tell(payload ?? ''));
      let ping: NodeJS.Timeout | undefined;
      try {
        await client.connect();
        await client.query(`listen ${CHANNEL}`);
        for (const of of this.listeners.keys()) this.tell(of);
        wait = 100;
        // a listener never asks, so it would never notice that the other side fell silent
        ping = setInterval(() => {
          if (!live.isWaiting) void client.query('select 1').catch(() => {});
        }, PING_MS);
        await lost;
      } catch {
        // away; tried again below
      }
      clearInterval(ping);
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
