/** What a target leads to, whatever kind of broker it is: what it has, and what can be done there. */
import type { BrokerNow, Inventory, Step } from '@vondle/core/analysis';

/** What was tried, and how that went, in words for those who set targets. */
export interface Tried {
  readonly what: string;
  readonly ok: boolean;
  readonly said: string;
}

export interface Reached {
  /** @returns which broker this is by its own word, hashed: one for all its addresses. @throws BrokerTrouble */
  identity(): Promise<string>;
  /** @returns what it has. @throws BrokerTrouble */
  inventory(): Promise<Inventory>;
  /** @returns how its stores and entries stand at this moment. @throws BrokerTrouble */
  standing(): Promise<Omit<BrokerNow, 'broker'>>;
  /** Opens what steps are carried out on. @throws BrokerTrouble */
  open(stepMs?: number): Promise<Runner>;
  /** Tries the connection and the rights; what rests on something that failed is not tried. */
  tryOut(): Promise<Tried[]>;
}

/** What steps are carried out on. Each may be carried out again: what is so already stays. */
export interface Runner {
  /**
   * @param agreed of a store that is replaced or removed: how many messages may go with it
   * @returns what there is to know of how it went
   * @throws BrokerTrouble; `slow` and `gone` leave open whether it was done
   */
  run(step: Step, agreed: number): Promise<string | null>;
  /** Tries that what is to be made anew can be made, before anything is taken away. @throws BrokerTrouble where not */
  tryOut(steps: readonly Step[]): Promise<void>;
  /** Removes what a process that ended in the midst of it left behind. */
  tidy(): Promise<void>;
  /** @returns how many messages wait in a store at this moment; undefined where there is no such */
  waiting(store: string): Promise<number | undefined>;
  /** Ends at once, whatever is going on. */
  abort(): void;
  close(): Promise<void>;
}
