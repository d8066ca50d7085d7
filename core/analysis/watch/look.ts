/** What a broker tells of itself at a moment, whatever kind it is. */

/** Somebody who takes from a store at this moment. */
export interface TakerNow {
  /** By what it is told apart: its connection's name where it gave one, otherwise its tag. */
  readonly name: string;
  /** Who it signed in as. */
  readonly user: string;
  /** How many it is given before it settles any (prefetch, credit); 0 is without limit, undefined not known. */
  readonly atOnce?: number;
  /** How many it has in hand; undefined where the broker does not tell. */
  readonly inHand?: number;
  /** Counts up with each that it settles; undefined where the broker does not tell. */
  readonly settled?: number;
}

export interface StoreNow {
  /** As the broker calls it. */
  readonly name: string;
  readonly waiting: number;
  readonly inHand: number;
  readonly delayed: number;
  readonly takers: readonly TakerNow[];
  /** Count up with each message that comes, and each that is settled; undefined where the broker does not tell. */
  readonly came?: number;
  readonly went?: number;
  /** When what waits longest came, where that can be known (RFC 3339). */
  readonly oldestAt?: string;
  /** Which of several nodes of the broker has it. */
  readonly node?: string;
}

export interface EntryNow {
  readonly name: string;
  readonly came?: number;
  readonly went?: number;
}

export interface BrokerNow {
  readonly broker: string;
  readonly stores: readonly StoreNow[];
  readonly entries: readonly EntryNow[];
  /** Why nothing is known, in words; then there is nothing else. */
  readonly away?: string;
}

/** How a link is carried. */
export interface LinkNow {
  readonly link: string;
  readonly runs: boolean;
  readonly why: string | null;
  readonly carried: number;
}

/** All brokers of an environment at a moment. */
export interface Look {
  /** Milliseconds since 1970. */
  readonly at: number;
  readonly brokers: readonly BrokerNow[];
  readonly links: readonly LinkNow[];
}

/** What one counter did between two looks, a second; undefined where either does not tell, or it began anew. */
export function rate(before: number | undefined, now: number | undefined, ms: number): number | undefined {
  if (before === undefined || now === undefined || ms <= 0 || now < before) return undefined;
  return ((now - before) * 1000) / ms;
}

/**
 * How many messages came to a store between two looks. What a broker itself brings there, as dead letters, some do not
 * count: then what lies there and what went tells.
 * @returns undefined where neither is known
 */
export function cameBetween(before: StoreNow, now: StoreNow): number | undefined {
  const since = (old: number | undefined, value: number | undefined) =>
    old === undefined || value === undefined || value < old ? undefined : value - old;
  const lying = ({ waiting, inHand, delayed }: StoreNow) => waiting + inHand + delayed;
  const [counted, went] = [since(before.came, now.came), since(before.went, now.went)];
  if (counted === undefined && went === undefined) return undefined;
  return Math.max(counted ?? 0, went === undefined ? 0 : lying(now) - lying(before) + went, 0);
}

/** @returns an environment's stores by broker and name */
export function storesIn({ brokers }: Look): Map<string, StoreNow> {
  return new Map(
    brokers.flatMap(({ broker, stores }) => stores.map((each) => [`${broker}/${each.name}`, each] as const)),
  );
}
