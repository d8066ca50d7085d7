/** Work on one draft, one after the other: who merges into it waits for whoever does already. */
import { Problem } from '../http/problem.ts';

/** So many may wait for one draft. */
const MOST_WAITING = 100;

export class Turns {
  private readonly last = new Map<number, { readonly done: Promise<unknown>; readonly waiting: number }>();

  /**
   * Does work once all that was given before it for the same draft is done.
   * @throws Problem 503 where too many wait already
   */
  async take<T>(draft: number, work: () => Promise<T>): Promise<T> {
    const before = this.last.get(draft);
    const waiting = (before?.waiting ?? 0) + 1;
    if (waiting > MOST_WAITING)
      throw new Problem(503, 'Busy', 'Too many write this draft at once; try again in a moment.', {}, 2);
    const done = (before?.done ?? Promise.resolve()).then(work, work);
    // what one does wrong is no concern of the next
    const settled = done.catch(() => undefined);
    this.last.set(draft, { done: settled, waiting });
    try {
      return await done;
    } finally {
      const now = this.last.get(draft)!;
      if (now.waiting === 1) this.last.delete(draft);
      else this.last.set(draft, { ...now, waiting: now.waiting - 1 });
    }
  }
}
