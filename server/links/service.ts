/**
 * Carries every link of every environment in which something stands. Of several processes each link is carried by
 * one, held by a lock that goes with its connection to the database: where a process falls, another takes it up.
 */
import { setTimeout as pause } from 'node:timers/promises';
import type { Logger } from 'pino';
import type { Database } from '../db/connect.ts';
import { Held } from '../db/held.ts';
import { forTheLog, isAway } from '../db/trouble.ts';
import { openTarget, type Openers } from '../environments/store.ts';
import { WrongKey } from '../secrets.ts';
import { NotAllowed } from '../targets/allowed.ts';
import { AmqpTarget } from '../targets/amqp/target.ts';
import { HostedTarget } from '../targets/hosted/target.ts';
import type { Work } from '../work/pool.ts';
import { Rounds, type RoundHealth } from '../work/rounds.ts';
import { LinkCarrier } from './carrier.ts';
import { amqpPlace } from './ends/amqp.ts';
import type { Place } from './ends/end.ts';
import { hostedPlace } from './ends/hosted.ts';
import { environmentsStanding, linksIn, type LinksThere, type StandingLink } from './standing.ts';
import { keepStandings, type LinkStanding } from './store.ts';

/** How often is looked at what stands. */
const LOOK_MS = 3000;
/** Milliseconds a link may take to end; longer than all the waits of its carrier together. */
const ABANDON_MS = 30_000;

interface Carried {
  readonly of: StandingLink;
  readonly said: string;
  readonly carrier: LinkCarrier;
}

export interface LinkParts {
  readonly db: Database;
  readonly databaseUrl: string;
  readonly openers: Openers;
  readonly work: Pick<Work, 'run'>;
  readonly log: Logger;
  readonly lookMs?: number;
}

const NOTHING = { runs: false, carried: 0, held: 0 } as const;

const placeOf = ({ topologyId, environment, link }: StandingLink) => ({
  topologyId,
  environment,
  link: link.name,
});
const idOf = ({ topologyId, environment, link }: StandingLink) => `${topologyId} ${environment} ${link.name}`;

export class Links {
  private readonly carried = new Map<string, Carried>();
  /** Links of each environment, for as long as the same stands there. */
  private readonly known = new Map<string, { signature: string; there: LinksThere }>();
  /** Links that are ending. */
  private readonly leaving = new Map<string, Promise<void>>();
  /** Why links that this process has tried to take up cannot be. */
  private readonly shut = new Map<string, { of: StandingLink; why: string }>();
  private readonly held: Held;
  private readonly rounds: Rounds;

  constructor(private readonly parts: LinkParts) {
    this.rounds = new Rounds({
      name: 'links',
      everyMs: parts.lookMs ?? LOOK_MS,
      turn: (signal) => this.look(signal),
      log: parts.log,
    });
    this.held = new Held(parts.databaseUrl, LOCK, 'vondle links', () => {
      for (const [id, each] of this.carried) this.leave(id, each);
    });
  }

  start(): void {
    this.rounds.start();
  }

  get health(): RoundHealth {
    return this.rounds.health;
  }

  /** @returns how the links stand that this process carries, or cannot take up */
  standing(): LinkStanding[] {
    const carried = [...this.carried.values()].map(({ of, carrier }) => ({
      ...placeOf(of),
      ...carrier.standing,
    }));
    const shut = [...this.shut.values()].map(({ of, why }) => ({ ...placeOf(of), ...NOTHING, why }));
    return [...carried, ...shut];
  }

  async close(): Promise<void> {
    await this.rounds.close();
    for (const [id, each] of this.carried) this.leave(id, each);
    await Promise.all(this.leaving.values());
    await this.held.close();
  }

  private async look(signal: AbortSignal): Promise<void> {
    const { db, work } = this.parts;
    const stand = await environmentsStanding(db);
    const wanted = new Map<string, StandingLink>();
    const left: LinkStanding[] = [];
    const seen = new Set<string>();
    for (const each of stand) {
      signal.throwIfAborted();
      const { topologyId, environment } = each;
      const key = `${topologyId} ${environment}`;
      seen.add(key);
      const signature = JSON.stringify(each);
      let known = this.known.get(key);
      if (known?.signature !== signature) {
        known = { signature, there: await linksIn(work, each) };
        this.known.set(key, known);
      }
      for (const link of known.there.links) wanted.set(idOf(link), link);
      for (const { name, why } of known.there.left)
        left.push({ topologyId, environment, link: name, ...NOTHING, why: `it is not carried: ${why}` });
    }
    for (const key of this.known.keys()) if (!seen.has(key)) this.known.delete(key);
    await this.carryThese(wanted, signal);
    signal.throwIfAborted();
    const all = [...[...wanted.values()].map(placeOf), ...left];
    await keepStandings(db, [...this.standing(), ...left], all);
  }

  private async carryThese(wanted: ReadonlyMap<string, StandingLink>, signal: AbortSignal): Promise<void> {
    for (const [id, each] of this.carried) {
      const now = wanted.get(id);
      if (!now || JSON.stringify(now) !== each.said) this.leave(id, each);
    }
    for (const id of this.shut.keys()) if (!wanted.has(id)) this.shut.delete(id);
    // another process may be able to carry what this one is not: it can take it between two turns
    await this.held.keepOnly({
      has: (id) => this.leaving.has(id) || (wanted.has(id) && !this.shut.has(id)),
    });
    for (const [id, of] of wanted) {
      signal.throwIfAborted();
      if (this.carried.has(id) || this.leaving.has(id) || this.rounds.closed) continue;
      if (await this.held.take(id)) await this.takeUp(id, of);
      // another process can, so it is that one's to say how it stands
      else this.shut.delete(id);
    }
  }

  /** Begins to carry a link; one whose addresses cannot be opened holds up no other. */
  private async takeUp(id: string, of: StandingLink): Promise<void> {
    const { log } = this.parts;
    const about = { topology: of.topologyId, environment: of.environment, link: of.link.name };
    const places = await this.placesOf(of).catch((error: unknown) => {
      const why = whyNot(error);
      if (this.shut.get(id)?.why !== why)
        log.warn({ ...about, err: forTheLog(error) }, 'a link cannot be taken up');
      this.shut.set(id, { of, why });
      return undefined;
    });
    if (!places) return;
    this.shut.delete(id);
    const tell = (why: string | undefined) =>
      why === undefined ? log.info(about, 'a link runs') : log.warn({ ...about, why }, 'a link stands');
    this.carried.set(id, {
      of,
      said: JSON.stringify(of),
      carrier: new LinkCarrier(of.link, places, undefined, tell),
    });
  }

  /** Ends a link without waiting for it. Until it has ended, or is abandoned, it is not begun anew. */
  private leave(id: string, { of, carrier }: Carried): void {
    this.carried.delete(id);
    let over = false;
    const abandoned = pause(ABANDON_MS, undefined, { ref: false }).then(() => {
      if (!over) this.parts.log.error({ ...placeOf(of) }, 'a link could not be ended; it is abandoned');
    });
    const ended = Promise.race([carrier.close(), abandoned]).finally(() => {
      over = true;
      this.leaving.delete(id);
    });
    this.leaving.set(id, ended);
  }

  private async placesOf({
    topologyId,
    targets,
    link,
  }: StandingLink): Promise<Map<string, Place> | undefined> {
    const places = new Map<string, Place>();
    const ends = new Set([
      link.from.broker,
      link.to.broker,
      ...Object.values(link.aliases).map((each) => each.broker),
    ]);
    for (const name of ends) {
      const target = await openTarget(this.parts.db, this.parts.openers, topologyId, targets[name]!);
      const reached = target?.reached;
      if (reached instanceof AmqpTarget) places.set(name, amqpPlace(reached.broker));
      else if (reached instanceof HostedTarget) places.set(name, hostedPlace(reached.service, link));
      else return undefined;
    }
    return places;
  }
}

/** Why a link's ends cannot be opened, in words for whoever looks at it. */
function whyNot(error: unknown): string {
  const why =
    error instanceof WrongKey
      ? 'the addresses of its brokers were sealed under a key not known here'
      : error instanceof NotAllowed
        ? `of a broker of it: ${error.message}`
        : isAway(error)
          ? 'the database is away'
          : 'the addresses of its brokers cannot be opened: set its targets anew';
  return `it cannot be taken up: ${why}`;
}

/** Told apart by it from other locks of the database. */
const LOCK = 5693;
