/**
 * Work that is done again and again, one turn after the other, for as long as the process runs.
 *
 * A turn has a deadline. One that passes it is abandoned: its signal is aborted, the log names it, and the next turn
 * begins. A turn must therefore look at its signal after it has waited for something.
 */
import type { Logger } from 'pino';
import { forTheLog } from '../db/trouble.ts';

export interface RoundSettings {
  /** What these rounds look after, in one word: `links`. */
  readonly name: string;
  /** Milliseconds from the beginning of one turn to that of the next, or none where a turn takes longer. */
  readonly everyMs: number;
  /** Milliseconds a turn may take. */
  readonly deadlineMs?: number;
  /** Does one turn; where it fails, the next one is tried all the same. */
  readonly turn: (signal: AbortSignal) => Promise<void>;
  readonly log: Logger;
}

/** How rounds are doing. */
export interface RoundHealth {
  readonly name: string;
  /** Seconds since a turn ended, well or not. */
  readonly seconds: number;
  /** Whether no turn has ended for longer than a turn may take. */
  readonly stuck: boolean;
}

const DEADLINE_MS = 60_000;
/** Turns that may be abandoned and not over yet; with more, no further turn begins until one ends. */
const MOST_ABANDONED = 8;

export class Rounds {
  private timer: NodeJS.Timeout | undefined;
  private current: Promise<void> = Promise.resolve();
  private readonly turns = new Set<AbortController>();
  private over = false;
  private ended = performance.now();
  private readonly deadlineMs: number;

  constructor(private readonly settings: RoundSettings) {
    this.deadlineMs = settings.deadlineMs ?? DEADLINE_MS;
  }

  /** Whether no further turn is to begin. */
  get closed(): boolean {
    return this.over;
  }

  get health(): RoundHealth {
    const { name, everyMs } = this.settings;
    const ms = performance.now() - this.ended;
    return { name, seconds: ms / 1000, stuck: !this.over && ms > everyMs + this.deadlineMs };
  }

  start(): void {
    if (this.over) return;
    this.ended = performance.now();
    this.next();
  }

  /** Begins no other turn, and waits for the one that is going on, but not beyond its deadline. */
  async close(): Promise<void> {
    this.over = true;
    clearTimeout(this.timer);
    await this.current;
  }

  private next(): void {
    const began = performance.now();
    this.current = this.turns.size > MOST_ABANDONED ? Promise.resolve() : this.turn();
    void this.current.then(() => {
      const left = this.settings.everyMs - (performance.now() - began);
      if (!this.over) this.timer = setTimeout(() => this.next(), Math.max(0, left));
    });
  }

  /** Does one turn. Resolves when it is over or has passed its deadline; never rejects. */
  private async turn(): Promise<void> {
    const { name, turn, log } = this.settings;
    const control = new AbortController();
    this.turns.add(control);
    let late: NodeJS.Timeout | undefined;
    const deadline = new Promise<void>((done) => {
      late = setTimeout(() => {
        log.error(
          { round: name, seconds: this.deadlineMs / 1000 },
          'a round is stuck; its turn is abandoned',
        );
        control.abort();
        done();
      }, this.deadlineMs);
    });
    const whole = turn(control.signal)
      .catch((error: unknown) => {
        if (!control.signal.aborted) log.warn({ round: name, err: forTheLog(error) }, 'a round failed');
      })
      .then(() => {
        clearTimeout(late);
        this.turns.delete(control);
        this.ended = performance.now();
      });
    await Promise.race([whole, deadline]);
  }
}
