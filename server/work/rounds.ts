/** Something that is looked after again and again, one round after the other. */
import type { Logger } from 'pino';
import { forTheLog } from '../db/trouble.ts';

export class Rounds {
  private timer: NodeJS.Timeout | undefined;
  private round: Promise<void> = Promise.resolve();
  private over = false;

  /**
   * @param everyMs from the beginning of one round to that of the next, or at once where one takes longer
   * @param does one round; where it fails the next is tried all the same
   * @param failed what is logged then
   */
  constructor(
    private readonly everyMs: number,
    private readonly does: () => Promise<void>,
    private readonly log: Logger,
    private readonly failed: string,
  ) {}

  /** Whether no further round is to begin. */
  get closed(): boolean {
    return this.over;
  }

  start(): void {
    if (this.over) return;
    const began = performance.now();
    this.round = this.does().catch((error: unknown) => this.log.warn({ err: forTheLog(error) }, this.failed));
    void this.round.then(() => {
      const left = this.everyMs - (performance.now() - began);
      if (!this.over) this.timer = setTimeout(() => this.start(), Math.max(0, left));
    });
  }

  /** Begins no other round, and waits for the one that goes on. */
  async close(): Promise<void> {
    this.over = true;
    clearTimeout(this.timer);
    await this.round;
  }
}
