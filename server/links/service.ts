/**
 * Carries every link of every environment in which something stands. Of several processes each link is carried by
 * one, held by a lock that goes with its connection to the database: where a process falls, another takes it up.
 */
import { ELSEWHERE } from '@vondle/core/analysis';
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
import { Rounds } from '../work/rounds.ts';
import { LinkCarrier, type Standing } from './carrier.ts';
import { amqpPlace } from './ends/amqp.ts';
import type { Place } from './ends/end.ts';
import { hostedPlace } from './ends/hosted.ts';
import { environmentsStanding, type LinksThere, type StandingLink } from './standing.ts';

/** How often is looked at what stands. */
const LOOK_MS = 3000;

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

/** What is not carried by this process is by another, or will be in a moment. */
const CARRIED_ELSEWHERE: Standing = { runs: false, why: ELSEWHERE, carried: 0, held: 0 };

const idOf = ({ topologyId, environment, link }: StandingLink) => `${topologyId} ${environment} ${link.name}`;

export class Links {
  private readonly carried = new Map<string, Carried>();
  /** Links of each environment, for as long as the same stands there. */
  private readonly known = new Map<string, { signature: string; there: LinksThere }>();
  /** Why links that this process has tried to take up cannot be. */
  private readonly shut = new Map<string, string>();
  private readonly held: Held;
  private readonly rounds: Rounds;

  constructor(private readonly parts: LinkParts) {
    this.rounds = new Rounds(
      parts.lookMs ?? LOOK_MS,
      () => this.look(),
      parts.log,
      'links could not be looked at',
    );
    this.held = new Held(parts.databaseUrl, LOCK, 'vondle links', () => {
      for (const [each, { carrier }] of this.carried) {
        this.carried.delete(each);
        void carrier.close();
      }
    });
  }

  start(): void {
    this.rounds.start();
  }

  /** @returns how the links that this process carries stand */
  standing(): (Standing & { topologyId: number; environment: string; link: string })[] {
    return [...this.carried.values()].map(({ of: { topologyId, environment, link }, carrier }) => ({
      topologyId,
      environment,
      link: link.name,
      ...carrier.standing,
    }));
  }

  /** @returns how the links of a topology stand, as far as this process knows */
  of(topologyId: number): {
    environment: string;
    link: string;
    runs: boolean;
    why: string | null;
    carried: number;
    held: number;
  }[] {
    const found = [];
    for (const [key, { there }] of this.known) {
      const space = key.indexOf(' ');
      if (Number(key.slice(0, space)) !== topologyId) continue;
      const environment = key.slice(space + 1);
      for (const of of there.links) {
        const id = idOf(of);
        const why = this.shut.get(id);
        const standing =
          this.carried.get(id)?.carrier.standing ?? (why ? { ...CARRIED_ELSEWHERE, why } : CARRIED_ELSEWHERE);
        found.push({ environment, link: of.link.name, why: null, ...standing });
      }
      for (const { name, why } of there.left)
        found.push({
          environment,
          link: name,
          runs: false,
          why: `it is not carried: ${why}`,
          carried: 0,
          held: 0,
        });
    }
    return found;
  }

  async close(): Promise<void> {
    await this.rounds.close();
    await Promise.all([...this.carried.values()].map(({ carrier }) => carrier.close()));
    this.carried.clear();
    await this.held.close();
  }

  private async look(): Promise<void> {
    const { db } = this.parts;
    const stand = await environmentsStanding(db);
    const wanted = new Map<string, StandingLink>();
    const seen = new Set<string>();
    for (const each of stand) {
      const key = `${each.topologyId} ${each.environment}`;
      seen.add(key);
      const signature = JSON.stringify(each);
      let known = this.known.get(key);
      if (known?.signature !== signature)
        known = {
          signature,
          // a link has two ends
          there:
            each.brokers.length < 2
              ? { links: [], left: [] }
              : await this.parts.work.run('linksStanding', each),
        };
      this.known.set(key, known);
      for (const link of known.there.links) wanted.set(idOf(link), link);
    }
    for (const key of this.known.keys()) if (!seen.has(key)) this.known.delete(key);
    await this.carryThese(wanted);
  }

  private async carryThese(wanted: ReadonlyMap<string, StandingLink>): Promise<void> {
    const { log } = this.parts;
    for (const [id, { said, carrier }] of this.carried) {
      const now = wanted.get(id);
      if (now && JSON.stringify(now) === said) continue;
      await carrier.close();
      this.carried.delete(id);
    }
    for (const id of this.shut.keys()) if (!wanted.has(id)) this.shut.delete(id);
    // another process may be able to carry what this one is not: it can take it between two rounds
    await this.held.keepOnly({ has: (id) => wanted.has(id) && !this.shut.has(id) });
    for (const [id, of] of wanted) {
      if (this.carried.has(id) || this.rounds.closed || !(await this.held.take(id))) continue;
      // one whose addresses cannot be opened holds up no other
      const about = { topology: of.topologyId, environment: of.environment, link: of.link.name };
      const places = await this.placesOf(of).catch((error: unknown) => {
        const why = whyNot(error);
        if (this.shut.get(id) !== why)
          log.warn({ ...about, err: forTheLog(error) }, 'a link cannot be taken up');
        this.shut.set(id, why);
        return undefined;
      });
      if (!places) continue;
      this.shut.delete(id);
      const tell = (why: string | undefined) =>
        why === undefined ? log.info(about, 'a link runs') : log.warn({ ...about, why }, 'a link stands');
      this.carried.set(id, {
        of,
        said: JSON.stringify(of),
        carrier: new LinkCarrier(of.link, places, undefined, tell),
      });
    }
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
