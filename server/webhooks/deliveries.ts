/** Sends what webhooks are to be told, from whichever process comes first; each event at least once. */
import { setTimeout as pause } from 'node:timers/promises';
import type { Logger } from 'pino';
import { whenReached, type Database } from '../db/connect.ts';
import { forTheLog } from '../db/trouble.ts';
import type { Changes } from '../live/changes.ts';
import type { Metrics } from '../metrics/metrics.ts';
import type { Sealer } from '../secrets.ts';
import type { Allowed } from '../targets/allowed.ts';
import { deliver, NotReached } from './post.ts';
import { endWebhook, forgetOld, receiverOf, settle, takeDue, WAITS, type Due } from './store.ts';

export interface DeliveryParts {
  readonly db: Database;
  readonly sealer: Sealer;
  readonly allowed: Allowed;
  readonly log: Logger;
  readonly metrics: Pick<Metrics, 'delivered'>;
  readonly changes: Pick<Changes, 'on'>;
}

/** Events under way at once in one process. */
const AT_ONCE = 16;
/** What is due is looked for so often, should nobody have told of it. */
const LOOK_MS = 5000;
const FORGET_MS = 3_600_000;

export class Deliveries {
  private readonly underWay = new Set<Promise<void>>();
  private ended = false;
  private wake: () => void = () => {};
  private dirty = true;
  private running: Promise<void> | undefined;

  /** @param waits seconds before each try again, after the last of which it is given up */
  constructor(
    private readonly parts: DeliveryParts,
    private readonly waits: readonly number[] = WAITS,
    private readonly lookMs = LOOK_MS,
  ) {}

  start(): void {
    this.running = this.run();
  }

  async close(): Promise<void> {
    this.ended = true;
    this.wake();
    await this.running;
    await Promise.all(this.underWay);
  }

  private async run(): Promise<void> {
    const { db, changes, log } = this.parts;
    const off = changes.on('webhook', 0, () => {
      this.dirty = true;
      this.wake();
    });
    let forgot = 0;
    while (!this.ended) {
      this.dirty = false;
      try {
        const room = AT_ONCE - this.underWay.size;
        const due = room > 0 ? await takeDue(db, room) : [];
        for (const each of due) this.begin(each);
        if (due.length === room && room > 0) continue;
        if (Date.now() - forgot > FORGET_MS) {
          forgot = Date.now();
          await forgetOld(db);
        }
      } catch (error) {
        log.debug({ err: forTheLog(error) }, 'events could not be looked for; tried again');
      }
      if (this.dirty || this.ended) continue;
      const over = new AbortController();
      this.wake = () => over.abort();
      await pause(this.lookMs, undefined, { signal: over.signal }).catch(() => {});
    }
    off();
  }

  private begin(due: Due): void {
    const going = this.send(due)
      .catch((error: unknown) =>
        this.parts.log.error({ err: forTheLog(error) }, 'an event could not be sent'),
      )
      .finally(() => {
        this.underWay.delete(going);
        this.wake();
      });
    this.underWay.add(going);
  }

  private async send({ id, webhookId, topologyId, tries, event }: Due): Promise<void> {
    const { db, sealer, allowed, metrics } = this.parts;
    let said: string;
    let status = 0;
    try {
      const receiver = await receiverOf(db, sealer, topologyId, webhookId);
      // removed meanwhile, and its events with it
      if (!receiver) return;
      ({ status } = await deliver(receiver, allowed, event));
      said = `it answered ${status}`;
    } catch (error) {
      if (!(error instanceof NotReached)) throw error;
      said = error.message;
    }
    const taken = status >= 200 && status < 300;
    const how = taken ? 'taken' : (this.waits[tries - 1] ?? 'given up');
    await whenReached(
      () => settle(db, id, said, how),
      () => {
        if (this.ended) throw new Error('ending');
      },
    );
    metrics.delivered(typeof how === 'number' ? 'refused' : how);
    // gone (RFC 9110 §15.5.11): it wants no more, ever
    if (status === 410 || how === 'given up') await endWebhook(db, webhookId);
  }
}
