/** Memory and work that requests may have at once, all together and each address. */
import { tooMuchAtOnce, Problem } from './problem.ts';

/** Gives back what was taken; more than once is as good as once. */
export type Release = () => void;

export interface BudgetSize {
  /** Units in use at once, by everybody. */
  readonly all: number;
  /** Units in use at once by one holder. */
  readonly each: number;
}

/**
 * A number of units (bytes, requests) that are taken and given back. Nobody waits: who would exceed
 * what there is, is told so, and may come again.
 */
export class Budget {
  private used = 0;
  private readonly by = new Map<string, number>();

  constructor(
    private readonly size: BudgetSize,
    /** What the units are, in words for people: `requests that are not finished`. */
    private readonly what: string,
  ) {}

  /**
   * Takes units for a holder.
   * @throws Problem 429 when the holder has too many already, 503 when all together do
   */
  take(holder: string, units: number): Release {
    const mine = this.by.get(holder) ?? 0;
    // the first may always be served, however large: it is bounded elsewhere
    if (mine > 0 && mine + units > this.size.each)
      throw tooMuchAtOnce(`There are too many ${this.what} of yours at once; wait for some of them.`);
    if (this.used > 0 && this.used + units > this.size.all)
      throw new Problem(
        503,
        'Busy',
        `There are too many ${this.what} at once; try again in a moment.`,
        {},
        1,
      );
    this.used += units;
    this.by.set(holder, mine + units);
    let held = true;
    return () => {
      if (!held) return;
      held = false;
      this.used -= units;
      const left = (this.by.get(holder) ?? 0) - units;
      if (left > 0) this.by.set(holder, left);
      else this.by.delete(holder);
    };
  }

  /** Units in use now. */
  get inUse(): number {
    return this.used;
  }
}
