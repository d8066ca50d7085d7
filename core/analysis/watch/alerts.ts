/** Which alerts of a topology go off, from looks at an environment. */
import { formatDuration } from '../../base/values.ts';
import type { AlertAt } from './declared.ts';
import { type EntryNow, type Look, type StoreNow, cameBetween, rate, storesIn } from './look.ts';

/** An alert whose condition holds at a place. */
export interface Alert {
  readonly rule: string;
  /** The topology's id of what it is about. */
  readonly about: string;
  readonly broker: string;
  /** As the broker calls it. */
  readonly name: string;
  /** How it stands, in words. */
  readonly words: string;
  /** Since when all of it holds, in milliseconds since 1970. */
  readonly since: number;
  /** When it goes off, or went off: once it has held for as long as it must. */
  readonly offAt: number;
  readonly off: boolean;
}

/** @returns what an alert is told apart by from others of its environment */
export const alertKey = ({ rule, broker, name }: Pick<Alert, 'rule' | 'broker' | 'name'>): string =>
  JSON.stringify([rule, broker, name]);

const many = (count: number) => count.toLocaleString('en', { maximumFractionDigits: 1 });

/**
 * @param looks of one environment, the oldest first, the last of now
 * @param before what this said at the look before
 * @returns those whose condition holds; where a broker is away, or an alert rests on a rate that is not known yet, what held goes on
 */
export function alertsNow(
  alerts: readonly AlertAt[],
  looks: readonly Look[],
  before: readonly Alert[],
): Alert[] {
  const now = looks.at(-1);
  if (!now) return [];
  const then = looks.at(-2);
  const ms = then ? now.at - then.at : 0;
  const held = new Map(before.map((each) => [alertKey(each), each]));
  const away = new Set(now.brokers.flatMap(({ broker, away: why }) => (why === undefined ? [] : [broker])));
  const there = new Set(now.brokers.map(({ broker }) => broker));
  const [stores, entries] = [storesIn(now), entriesIn(now)];
  const [storesThen, entriesThen] = then ? [storesIn(then), entriesIn(then)] : [undefined, undefined];
  return alerts.flatMap((alert): Alert[] => {
    if (!there.has(alert.broker)) return [];
    const old = held.get(alertKey(alert));
    const key = `${alert.broker}/${alert.name}`;
    const store = alert.isStore ? stores.get(key) : undefined;
    const words = away.has(alert.broker)
      ? undefined
      : alert.isStore
        ? ofStore(alert, store, came(storesThen?.get(key), store, ms), now.at)
        : ofComing(alert, rate(entriesThen?.get(key)?.came, entries.get(key)?.came, ms));
    if (words === null) return [];
    if (words === undefined) return old ? [old] : [];
    const since = old?.since ?? now.at;
    return [
      {
        rule: alert.rule,
        about: alert.id,
        broker: alert.broker,
        name: alert.name,
        words: `${alert.title}: ${words}`,
        since,
        offAt: since + alert.forMs,
        off: now.at >= since + alert.forMs,
      },
    ];
  });
}

const came = (old: StoreNow | undefined, store: StoreNow | undefined, ms: number): number | undefined => {
  const count = old && store && ms > 0 ? cameBetween(old, store) : undefined;
  return count === undefined ? undefined : (count * 1000) / ms;
};

const entriesIn = ({ brokers }: Look): Map<string, EntryNow> =>
  new Map(
    brokers.flatMap(({ broker, entries }) =>
      entries.map((each) => [`${broker}/${each.name}`, each] as const),
    ),
  );

/** How it stands in words; null where some part does not hold, undefined where that cannot be known. */
type Standing = string | null | undefined;

function ofStore(
  alert: AlertAt,
  store: StoreNow | undefined,
  comes: number | undefined,
  at: number,
): Standing {
  // a queue that is not there holds nothing and has no takers
  const { waiting, inHand, takers, oldestAt } = store ?? {
    waiting: 0,
    inHand: 0,
    takers: [],
    oldestAt: undefined,
  };
  const said: string[] = [];
  const holds = (asked: number | undefined, is: boolean, words: string) => {
    if (asked === undefined) return true;
    said.push(words);
    return is;
  };
  const oldestMs = oldestAt === undefined ? undefined : at - Date.parse(oldestAt);
  if (
    !holds(alert.waiting, waiting > alert.waiting!, `${many(waiting)} ${waiting === 1 ? 'waits' : 'wait'}`) ||
    !holds(
      alert.inHand,
      inHand > alert.inHand!,
      `${many(inHand)} ${inHand === 1 ? 'is' : 'are'} being processed`,
    ) ||
    !holds(
      alert.takers,
      takers.length < alert.takers!,
      `${takers.length || 'nobody'} ${takers.length > 1 ? 'take' : 'takes'}`,
    )
  )
    return null;
  if (alert.oldestMs !== undefined) {
    if (waiting === 0) return null;
    // brokers tell the age of what carries a time of its own only
    if (oldestMs === undefined) return undefined;
    if (oldestMs <= alert.oldestMs) return null;
    said.push(`the oldest waits for ${formatDuration(Math.floor(oldestMs / 1000) * 1000)}`);
  }
  if (alert.comes === undefined && !alert.quiet) return said.join(', ');
  if (!store) return alert.quiet ? [...said, 'it is not there'].join(', ') : null;
  const coming = ofComing(alert, comes);
  return coming ? [...said, coming].join(', ') : coming;
}

function ofComing({ comes: most, quiet }: AlertAt, comes: number | undefined): Standing {
  if (comes === undefined) return undefined;
  if (quiet && comes > 0) return null;
  if (most !== undefined && comes <= most) return null;
  return comes > 0 ? `${many(comes)} come a second` : 'none come';
}
