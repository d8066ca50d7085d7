/** What stands beside the stores of a broker while a probe is on its way, whatever kind of broker it is. */

/** When copies came, by store, as `performance.now()` counts. */
export type Arrivals = ReadonlyMap<string, readonly number[]>;

export interface OpenTaps {
  /** Makes sure that all that had come when this was asked is seen. @throws BrokerTrouble */
  settle(): Promise<void>;
  /** What was seen so far. */
  seen(): Arrivals;
  /** Takes everything away again. */
  close(): Promise<void>;
}

/** How sending it went. */
export interface SentHow {
  /** When it was sent. */
  readonly at: number;
  /** No store wanted it, and it came back. */
  readonly returned: boolean;
  readonly refused: boolean;
  /** In the broker's words, why. */
  readonly why?: string;
}
