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

/** How a link stands. */
export interface Standing {
  /** Whether both ends are reached. */
  readonly runs: boolean;
  /** What is in its way, in words. */
  readonly why?: string;
  /** Messages carried since this process took it up. */
  readonly carried: number;
  /** Messages that stay in its queue, since its keys do not let them through. */
  readonly held: number;
}

export class LinkCarrier {
  private readonly ended = new AbortController();
  private readonly over: Promise<void>;
  private runs = false;
  private why: string | undefined = 'it has not begun';
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
    this.over = this.run();
  }

  get standing(): Standing {
    const { runs, why, carried, held } = this;
    return { runs, carried, held, ...(why === undefined ? {} : { why }) };
  }

  /** Ends once what is on its way is confirmed and acknowledged, or after a few seconds. */
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
    try {
      const source = await this.placeOf(link.from.broker).source(link.from.queue, (error) => fail(error));
      open.push(source);
      const far = new Map<string, Sink>();
      for (const broker of new Set([link.to, ...Object.values(link.aliases)].map((each) => each.broker))) {
        const sink = await this.placeOf(broker).sink((error) => fail(error));
        open.push(sink);
        far.set(broker, sink);
      }
      let under = 0;
      let idle: () => void = () => {};
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
        under++;
        far.get(to.broker)!.publish(to, unmarked(message), (error) => {
          if (error) return fail(error instanceof BrokerTrouble ? error : new Error(NOT_TAKEN));
          try {
            message.settle();
            this.carried++;
          } catch (late) {
            fail(late);
          }
          if (--under === 0) idle();
        });
      };
      await source.take(link.keys ? link.batch + MOST_HELD : link.batch, take);
      this.runs = true;
      this.inTheWay(undefined);
      const told = new Promise<void>((done) =>
        signal.addEventListener('abort', () => done(), { once: true }),
      );
      await Promise.race([told, broken]);
      await Promise.race([source.stop(), broken, pause(LAST_MS)]);
      const last = new Promise<void>((done) => (idle = done));
      if (under > 0) await Promise.race([last, broken, pause(LAST_MS)]);
      await Promise.race([source.close(), pause(LAST_MS)]).catch(() => {});
    } finally {
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
