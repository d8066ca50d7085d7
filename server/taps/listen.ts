/** What listens at a place and hands over what passes, whatever kind of broker it is on. */
import type { Peeked } from '../messages/peek.ts';

/** A copy of a message that passed. */
export interface Passing {
  readonly at: number;
  readonly message: Peeked;
  /** Lets the copy go; until then it may come again. */
  settle(): void;
}

export interface Listening {
  /** @returns copies that came since, at most so many */
  take(): Promise<readonly Passing[]>;
  /** Brings what listens in line with what leads to the place now. */
  align(): Promise<void>;
  /** Lets go of what was settled. */
  settled(): Promise<void>;
  /** @param forGood whether what listens is taken away too: others may go on with it otherwise */
  close(forGood: boolean): Promise<void>;
}

/** So many copies are handed over at once. */
export const AT_ONCE = 64;
/** Copies wait so long for somebody who listens, in milliseconds: longer they would be a burden to the broker. */
export const WAIT_MS = 60_000;
