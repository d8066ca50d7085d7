/**
 * Carries one link: takes from its queue, publishes at its far end, and acknowledges only what the far end has
 * confirmed. Whatever falls, a message is in one of both, or for a moment in both: at least once, and none lost.
 */
import { setTimeout as pause } from 'node:timers/promises';
import type { CarriedLink, LinkEnd } from '@vondle/core/analysis';
import { wordsMatch, wordsOf } from '@vondle/core/conditions';
import { LINK_MARK } from '../targets/amqp/names.ts';
import { BrokerTrouble, brokerTrouble } from '../targets/amqp/trouble.ts';
import type { Place, Sink, Taken, Travelling } from './ends/end.ts';

/** So many that its keys do not let through are held by, so that those behind them travel. */
export const MOST_HELD = 1000;
const FIRST_WAIT_MS = 200;
const LONGEST_WAIT_MS = 30_000;
/** How long what is on its way may take to be confirmed once the link is told to end. */
const LAST_MS = 5000;

/** Milliseconds after which a message that the far end has not confirmed means that the link carries nothing. */
const CONFIRM_MS = 10_000;
/** How often that is looked at, in milliseconds. */
const LOOK_MS = 1000;
/** What a wait ends with when the link is to end. */
const ENDED = Symbol('ended');

/** How a link stands. */
export interface Standing {
  /** Whether messages can pass: both ends are reached, and the far end confirms what it gets. */
  readonly runs: boolean;
  /** Why none can, in words; none where the link is only just beginning. */
  readonly why?: string;
  /** Messages carried since this process took it up. */
  readonly carried: number;
  /** Messages that stay in its queue, since its keys do not let them through. */
  readonly held: number;
}

export class LinkCarrier {
  private readonly ended = new AbortController();
  /** Resolves once the link is told to end. */
  private readonly told: Promise<typeof ENDED>;
  private readonly over: Promise<void>;
  private runs = false;
  private why: string | undefined;
  private carried = 0;
  private held = 0;

  constructor(
    private readonly link: CarriedLink,
    /** The brokers of its ends and of its aliases' ends. */
    private readonly places: ReadonlyMap<string, Place>,
    private readonly firstWaitMs = FIRST_WAIT_MS,
    /** Told when what is in its way changes; undefined where nothing is any more. */
    private readonly tell: (why: string | undefined) => void = () => {},
  ) {
    this.told = new Promise((done) =>
      this.ended.signal.addEventListener('abort', () => done(ENDED), { once: true }),
    );
    this.over = this.run();
  }

  get standing(): Standing {
    const { runs, why, carried, held } = this;
    return { runs, carried, held, ...(why === undefined ? {} : { why }) };
  }

  /** Ends once what is on its way is confirmed and acknowledged, or after a few seconds whatever the brokers do. */
  async close(): Promise<void> {
    this.ended.abort();
    await this.over;
  }

  private async run(): Promise<void> {
    const { signal } = this.ended;
    for (let wait = this.firstWaitMs; !signal.aborted; wait = Math.min(2 * wait, LONGEST_WAIT_MS)) {
      const before = this.carried;
      try {
        await this.carry(signal);
      } catch (error) {
        this.inTheWay(`${brokerTrouble(error).message}; tried again`);
      }
      this.runs = false;
      this.held = 0;
      // what went well in between counts anew
      if (this.carried > before) wait = this.firstWaitMs;
      if (!signal.aborted) await pause(wait, undefined, { signal }).catch(() => {});
    }
  }

  private async carry(signal: AbortSignal): Promise<void> {
    const { link } = this;
    const open: { cut(): void }[] = [];
    let fail: (error: unknown) => void = () => {};
    const broken = new Promise<never>((_, reject) => (fail = reject));
    broken.catch(() => {});
    /** Waits for a broker no longer than until the link breaks or is to end; what is opened later than that is cut. */
    const opened = async <T extends { cut(): void }>(opening: Promise<T>): Promise<T | undefined> => {
      let late = false;
      opening.then(
        (each) => (late ? each.cut() : open.push(each)),
        () => {},
      );
      try {
        const first = await Promise.race([opening, broken, this.told]);
        if (first !== ENDED) return first;
      } catch (error) {
        late = true;
        throw error;
      }
      late = true;
      return undefined;
    };
    const blocked = new Map<string, string>();
    /** When each message on its way was published; the oldest is first. */
    const under = new Map<object, number>();
    let idle: () => void = () => {};
    let taking = false;
    const look = () => {
      const [oldest] = under.values();
      const [refusal] = blocked.values();
      const silent = oldest !== undefined && performance.now() - oldest > CONFIRM_MS;
      if (!taking) return;
      this.runs = refusal === undefined && !silent;
      if (this.runs) {
        if (this.held <= MOST_HELD) this.inTheWay(undefined);
      } else
        this.inTheWay(
          refusal ?? `the far end has not confirmed a message for more than ${CONFIRM_MS / 1000} seconds`,
        );
    };
    let watching: NodeJS.Timeout | undefined;
    try {
      const source = await opened(
        this.placeOf(link.from.broker).source(link.from.queue, (error) => fail(error)),
      );
      if (!source) return;
      const far = new Map<string, Sink>();
      for (const broker of new Set([link.to, ...Object.values(link.aliases)].map((each) => each.broker))) {
        const sink = await opened(
          this.placeOf(broker).sink(
            (error) => fail(error),
            (why) => {
              if (why === undefined) blocked.delete(broker);
              else blocked.set(broker, `${broker} accepts no messages now: ${why}`);
              look();
            },
          ),
        );
        if (!sink) return;
        far.set(broker, sink);
      }
      const take = (message: Taken): void => {
        // what comes once it is told to end goes back with the channel
        if (signal.aborted) return;
        const to = destinationOf(link, message);
        if (!to) {
          this.held++;
          if (this.held > MOST_HELD)
            this.inTheWay(
              `more than ${MOST_HELD} messages that its keys do not let through stand before the others`,
            );
          return;
        }
        under.set(message, performance.now());
        far.get(to.broker)!.publish(to, unmarked(message), (error) => {
          if (error) return fail(error instanceof BrokerTrouble ? error : new Error(NOT_TAKEN));
          try {
            message.settle();
            this.carried++;
          } catch (late) {
            fail(late);
          }
          under.delete(message);
          if (under.size === 0) idle();
        });
      };
      const begun = source.take(link.keys ? link.batch + MOST_HELD : link.batch, take);
      begun.catch(() => {});
      if ((await Promise.race([begun, broken, this.told])) === ENDED) return;
      taking = true;
      look();
      watching = setInterval(look, LOOK_MS);
      await Promise.race([this.told, broken]);
      await Promise.race([source.stop(), broken, pause(LAST_MS)]);
      const last = new Promise<void>((done) => (idle = done));
      if (under.size > 0) await Promise.race([last, broken, pause(LAST_MS)]);
      await Promise.race([source.close(), pause(LAST_MS)]).catch(() => {});
    } finally {
      clearInterval(watching);
      for (const each of open) each.cut();
    }
  }

  private inTheWay(why: string | undefined): void {
    if (why === this.why) return;
    this.why = why;
    this.tell(why);
  }

  private placeOf(name: string): Place {
    const place = this.places.get(name);
    if (!place) throw new Error(`nothing is connected for ${name}`);
    return place;
  }
}

const NOT_TAKEN = 'the far end did not take a message';

/** @returns where a message of a link's queue goes; undefined where the link does not carry it */
export function destinationOf(
  { to, keys, aliases }: CarriedLink,
  { key, properties }: Pick<Travelling, 'key' | 'properties'>,
): LinkEnd | undefined {
  const mark: unknown = (properties.headers as Record<string, unknown> | undefined)?.[LINK_MARK];
  // what an alias sends goes where that leads, whatever its key; a mark that none has leads nowhere
  if (mark !== undefined)
    return typeof mark === 'string' && Object.hasOwn(aliases, mark) ? aliases[mark] : undefined;
  if (!keys) return to;
  const words = wordsOf(key);
  return keys.some((pattern) => wordsMatch(pattern, words)) ? to : undefined;
}

/** All that a message came with, but for the mark that has served its turn. */
function unmarked({ key, content, properties }: Travelling): Travelling {
  const { [LINK_MARK]: _mark, ...headers } = (properties.headers ?? {}) as Record<string, unknown>;
  return { key, content, properties: { ...properties, headers } };
}
