/**
 * Looks at every environment in which something stands, again and again. Of several processes one looks at each; where it
 * falls, another goes on.
 */
import type { DriftSeen } from '@vondle/api';
import type { Alert, Look } from '@vondle/core/analysis';
import { alertsNow, cameBetween, storesIn } from '@vondle/core/analysis';
import type { Logger } from 'pino';
import type { Database } from '../db/connect.ts';
import { Held } from '../db/held.ts';
import { forTheLog } from '../db/trouble.ts';
import { environmentsStanding, linksIn, type Stands } from '../links/standing.ts';
import { standingsIn } from '../links/store.ts';
import type { Work } from '../work/pool.ts';
import { Rounds, type RoundHealth } from '../work/rounds.ts';
import { forgetAlerts, keepAlerts } from './alerts.ts';
import type { ExpectedThere } from './look.ts';
import { alertsIn, alertsSeen, seenIn, type Since } from './seen.ts';
import { forgetLooks, forgetOld, keepLook, lastLook, type Counted } from './store.ts';

/** Told apart by it from other locks of the database. */
const LOCK = 5694;
/** How often is looked: a broker's own statistics are no fresher. */
const LOOK_MS = 5000;
/** So far back looks are remembered. */
const REMEMBER_MS = 90_000;
/** How often what is too old is forgotten. */
const FORGET_MS = 60_000;
/** How often is compared what the brokers have with what was applied. */
const COMPARE_MS = 60_000;
/** So many environments are looked at at once. */
const AT_ONCE = 4;

export interface WatchParts {
  readonly db: Database;
  readonly databaseUrl: string;
  readonly work: Pick<Work, 'run'>;
  readonly log: Logger;
  readonly lookMs?: number;
}

interface Watched {
  readonly signature: string;
  readonly expected: ExpectedThere;
  /** The names of the links that are to be carried there. */
  readonly links: readonly string[];
  readonly looks: Look[];
  readonly since: Since;
  /** What holds of the alerts. */
  alerts: readonly Alert[];
  /** What was found when it was last compared, and when that was. */
  drift?: DriftSeen;
  compared: number;
}

export class Watching {
  private readonly watched = new Map<string, Watched>();
  private readonly held: Held;
  private readonly rounds: Rounds;
  private forgotten = 0;

  constructor(private readonly parts: WatchParts) {
    this.rounds = new Rounds({
      name: 'watch',
      everyMs: parts.lookMs ?? LOOK_MS,
      turn: (signal) => this.look(signal),
      log: parts.log,
    });
    this.held = new Held(parts.databaseUrl, LOCK, 'vondle watch', () => this.watched.clear());
  }

  start(): void {
    this.rounds.start();
  }

  /** Compares now. @returns undefined where nothing of the topology stands in the environment */
  async drift(topologyId: number, environment: string): Promise<DriftSeen | undefined> {
    const stands = (await environmentsStanding(this.parts.db)).find(
      (each) => each.topologyId === topologyId && each.environment === environment,
    );
    if (!stands) return undefined;
    const found = await this.parts.work.run('driftIn', stands);
    const watched = this.watched.get(`${topologyId} ${environment}`);
    if (watched) [watched.drift, watched.compared] = [found, performance.now()];
    return found;
  }

  /** @returns the newest look at each environment that this process looks at */
  newest(): { topologyId: number; environment: string; look: Look; alerts: readonly Alert[] }[] {
    return [...this.watched].flatMap(([key, { looks, alerts }]) => {
      const look = looks.at(-1);
      const space = key.indexOf(' ');
      return look
        ? [{ topologyId: Number(key.slice(0, space)), environment: key.slice(space + 1), look, alerts }]
        : [];
    });
  }

  async close(): Promise<void> {
    await this.rounds.close();
    await this.held.close();
  }

  get health(): RoundHealth {
    return this.rounds.health;
  }

  private async look(signal: AbortSignal): Promise<void> {
    const { db } = this.parts;
    const stand = await environmentsStanding(db);
    signal.throwIfAborted();
    const wanted = new Map(stand.map((each) => [`${each.topologyId} ${each.environment}`, each]));
    for (const key of this.watched.keys()) if (!wanted.has(key)) this.watched.delete(key);
    await this.held.keepOnly(wanted);
    const mine: [string, Stands][] = [];
    for (const [key, each] of wanted)
      if (!this.rounds.closed && (await this.held.take(key))) mine.push([key, each]);
    const queue = mine.values();
    await Promise.all(
      Array.from({ length: AT_ONCE }, async () => {
        for (const [key, each] of queue) {
          if (this.rounds.closed || signal.aborted) return;
          await this.lookAt(key, each).catch((error: unknown) =>
            this.parts.log.warn(
              { environment: key, err: forTheLog(error) },
              'an environment could not be looked at',
            ),
          );
        }
      }),
    );
    if (performance.now() - this.forgotten > FORGET_MS && (await this.held.take('forget'))) {
      this.forgotten = performance.now();
      await forgetLooks(db, stand);
      await forgetOld(db);
      await forgetAlerts(db, stand);
    }
  }

  private async lookAt(key: string, stands: Stands): Promise<void> {
    const { db, work } = this.parts;
    const signature = JSON.stringify(stands);
    let watched = this.watched.get(key);
    if (watched?.signature !== signature) {
      const expected = await work.run('expectedThere', stands);
      watched = {
        signature,
        expected,
        links: (await linksIn(work, stands)).links.map(({ link }) => link.name),
        // what stands there changed; how it stood before is still true
        looks: watched?.looks ?? [],
        since: watched?.since ?? new Map(),
        // what held while another process looked goes on
        alerts: watched?.alerts ?? alertsIn(await lastLook(db, stands)),
        // what stands there is another thing now: it is compared at once
        compared: -Infinity,
      };
      this.watched.set(key, watched);
    }
    const { looks, expected, since } = watched;
    const brokers = await work.run('lookAt', stands);
    const now: Look = {
      at: Date.now(),
      brokers,
      links: (await standingsIn(db, stands, watched.links)).map(({ link, runs, why, carried }) => ({
        link,
        runs,
        why,
        carried,
      })),
    };
    if (performance.now() - watched.compared > COMPARE_MS) {
      watched.compared = performance.now();
      watched.drift = await work.run('driftIn', stands).catch(() => watched?.drift);
    }
    const before = looks.at(-1);
    looks.push(now);
    while (looks.length > 2 && looks[0]!.at < now.at - REMEMBER_MS) looks.shift();
    watched.alerts = alertsNow(expected.alerts, looks, watched.alerts);
    const { alerts } = watched;
    const seen = {
      ...seenIn(stands, expected, looks, since),
      ...alertsSeen(alerts),
      drift: watched.drift ?? null,
    };
    await db.transaction(async (tx) => {
      await keepLook(tx, stands, seen, countedIn(now, before));
      await keepAlerts(tx, stands, alerts);
    });
  }
}

const busy = ({ waiting, inHand, delayed, takers, came, went }: Counted) =>
  waiting + inHand + delayed + takers + came + went;

/** @returns what there is to count, the stores in which most is first */
export function countedIn(now: Look, before: Look | undefined): Counted[] {
  const then = before && storesIn(before);
  const since = (old: number | undefined, value: number | undefined) =>
    old === undefined || value === undefined || value < old ? 0 : value - old;
  return now.brokers
    .flatMap(({ broker, stores }) =>
      stores.map((store): Counted => {
        const { name, waiting, inHand, delayed, takers, went } = store;
        const old = then?.get(`${broker}/${name}`);
        return {
          broker,
          store: name,
          waiting,
          inHand,
          delayed,
          takers: takers.length,
          came: (old && cameBetween(old, store)) ?? 0,
          went: since(old?.went, went),
        };
      }),
    )
    .sort((a, b) => busy(b) - busy(a));
}
