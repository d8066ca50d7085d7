/** What is told of an environment: the last look, with what it means beside the ones before and what is declared. */
import type { AlertSeen, LookSeen, StoreSeen } from '@vondle/api';
import {
  appBehind,
  cameBetween,
  contradictions,
  rate,
  storesIn,
  type Alert,
  type EntryNow,
  type Expected,
  type Look,
} from '@vondle/core/analysis';
import type { Stands } from '../links/standing.ts';

/** So many stores are told; those in which something is, first. */
const MOST_STORES = 5000;
/** So many alerts are told. */
const MOST_ALERTS = 500;
/** So many takers of a store are named. */
const MOST_TAKERS = 100;

/** Since when each contradiction holds, by its id: milliseconds since 1970. */
export type Since = Map<string, number>;

/**
 * @param looks the oldest first
 * @param since is brought up to date
 */
export function seenIn(
  stands: Stands,
  expected: Expected,
  looks: readonly Look[],
  since: Since,
): Omit<LookSeen, 'drift' | 'alerts' | 'moreAlerts'> {
  const now = looks.at(-1)!;
  const before = looks.at(-2);
  const then = before && storesIn(before);
  const ms = before ? now.at - before.at : 0;
  const declared = new Map(expected.stores.map((each) => [`${each.broker}/${each.name}`, each.id]));
  const stores = now.brokers.flatMap(({ broker, stores: there }) =>
    there.map((each): StoreSeen => {
      const old = then?.get(`${broker}/${each.name}`);
      return {
        broker,
        name: each.name,
        id: declared.get(`${broker}/${each.name}`) ?? null,
        waiting: each.waiting,
        inHand: each.inHand,
        delayed: each.delayed,
        takers: each.takers.slice(0, MOST_TAKERS).map((taker) => ({
          name: taker.name,
          user: taker.user,
          app: appBehind(expected.apps, taker) ?? null,
          atOnce: taker.atOnce ?? null,
          inHand: taker.inHand ?? null,
        })),
        comes: old && ms > 0 ? aSecond(cameBetween(old, each), ms) : null,
        goes: rate(old?.went, each.went, ms) ?? null,
        oldestAt: each.oldestAt ?? null,
        node: each.node ?? null,
      };
    }),
  );
  stores.sort((a, b) => weight(b) - weight(a) || (a.broker + a.name < b.broker + b.name ? -1 : 1));
  const old = new Map<string, EntryNow>(
    before?.brokers.flatMap(({ broker, entries }) =>
      entries.map((each) => [`${broker}/${each.name}`, each] as const),
    ),
  );
  const ids = new Map<string, string>(
    expected.entries.map((each) => [`${each.broker}/${each.name}`, each.id]),
  );
  const said = contradictions(expected, looks);
  const holding = new Set(said.map(({ id }) => id));
  for (const id of since.keys()) if (!holding.has(id)) since.delete(id);
  for (const id of holding) if (!since.has(id)) since.set(id, now.at);
  return {
    at: new Date(now.at).toISOString(),
    brokers: now.brokers.map(({ broker, away }) => ({
      broker,
      revision: stands.brokers.find((each) => each.broker === broker)?.revision ?? 0,
      away: away ?? null,
    })),
    stores: stores.slice(0, MOST_STORES),
    entries: now.brokers.flatMap(({ broker, entries }) =>
      entries
        // of what the broker has by itself only what is declared, or used
        .filter(({ name, came }) => ids.has(`${broker}/${name}`) || (came ?? 0) > 0)
        .slice(0, MOST_STORES)
        .map((each) => {
          const key = `${broker}/${each.name}`;
          return {
            broker,
            name: each.name,
            id: ids.get(key) ?? null,
            comes: rate(old.get(key)?.came, each.came, ms) ?? null,
            goes: rate(old.get(key)?.went, each.went, ms) ?? null,
          };
        }),
    ),
    links: now.links.map((each) => ({ ...each })),
    said: said.map(({ kind, about, id, words, app, store }) => ({
      kind,
      about,
      id,
      words,
      app: app ?? null,
      store: store ?? null,
      since: new Date(since.get(id)!).toISOString(),
    })),
    more: Math.max(0, stores.length - MOST_STORES),
  };
}

const aSecond = (count: number | undefined, ms: number): number | null =>
  count === undefined ? null : (count * 1000) / ms;

const weight = ({ waiting, inHand, delayed, takers, id }: StoreSeen): number =>
  waiting + inHand + delayed + (takers.length ? 1 : 0) + (id === null ? 0 : 0.5);

/** What is told of alerts: those that went off first. */
export function alertsSeen(alerts: readonly Alert[]): { alerts: AlertSeen[]; moreAlerts: number } {
  const told = [...alerts].sort((a, b) => Number(b.off) - Number(a.off) || a.since - b.since);
  return {
    alerts: told.slice(0, MOST_ALERTS).map(({ rule, about, broker, name, words, since, offAt, off }) => ({
      rule,
      about,
      place: `${broker}/${name}`,
      words,
      since: new Date(since).toISOString(),
      offAt: new Date(offAt).toISOString(),
      off,
    })),
    moreAlerts: Math.max(0, told.length - MOST_ALERTS),
  };
}

/** What a look says of alerts is taken to hold still when it is no older than this. */
const STILL_MS = 60_000;

/** @returns the alerts that a last look tells of, as they go on; one that only began is begun anew after a gap */
export function alertsIn(look: LookSeen | undefined): Alert[] {
  const recent = look !== undefined && Date.now() - Date.parse(look.at) < STILL_MS;
  return (look?.alerts ?? [])
    .filter(({ off }) => off || recent)
    .map(({ rule, about, place, words, since, offAt, off }) => {
      const slash = place.indexOf('/');
      return {
        rule,
        about,
        broker: place.slice(0, slash),
        name: place.slice(slash + 1),
        words,
        since: Date.parse(since),
        offAt: Date.parse(offAt),
        off,
      };
    });
}
