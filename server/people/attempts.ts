/**
 * Wrong passwords, counted in the database so that all processes count together. Three things are
 * limited: an address (whatever it tries), a handle tried from an address, and a handle tried from
 * anywhere. The last would let anybody lock an owner out; so it only makes tries wait a few seconds,
 * and a browser somebody signed in from before, which shows by a sealed cookie, is not asked to.
 */
import { createHmac, randomBytes, timingSafeEqual } from 'node:crypto';
import type { Pool } from 'pg';
import { RateLimiterPostgres, RateLimiterRes } from 'rate-limiter-flexible';
import { Problem } from '../http/problem.ts';

/** How many wrong passwords are let through before waiting begins, and within what time they count. */
const LIMITS = {
  address: { points: 60, seconds: 60 },
  pair: { points: 5, seconds: 600 },
  handle: { points: 30, seconds: 600 },
} as const;
/** The longest a try has to wait, by what is limited. */
const LONGEST_WAIT = { pair: 60, handle: 5 } as const;

/** Who tries. */
export interface Trying {
  readonly handle: string;
  readonly address: string;
  /** The value of the device cookie, if there is one. */
  readonly device: string | undefined;
}

export class Attempts {
  private readonly limiters;

  /** @param secret what device cookies are sealed with */
  constructor(
    pool: Pool,
    private readonly secret: string,
  ) {
    const limiter = (of: keyof typeof LIMITS) =>
      new RateLimiterPostgres({
        storeClient: pool,
        tableName: 'attempts',
        tableCreated: true,
        keyPrefix: of,
        points: LIMITS[of].points,
        duration: LIMITS[of].seconds,
      });
    const wait = new RateLimiterPostgres({
      storeClient: pool,
      tableName: 'attempts',
      tableCreated: true,
      keyPrefix: 'wait',
      points: 1,
      duration: 60,
    });
    this.limiters = { address: limiter('address'), pair: limiter('pair'), handle: limiter('handle'), wait };
  }

  /**
   * Counts a try before its password is looked at, so that tries made at once are all counted.
   * @returns what to call once the password was right, or was not looked at after all
   * @throws Problem 429 with the seconds to wait
   */
  async begin(who: Trying): Promise<(how: 'right' | 'not looked at') => Promise<void>> {
    const { address, pair, handle, wait } = this.limiters;
    const known = this.isDeviceOf(who);
    const pairKey = hashed(`${who.handle} ${known ? who.device : who.address}`);
    const handleKey = hashed(who.handle);
    // once there were many, one try at a time, the next after a wait that grows
    await refuseOver(address, hashed(who.address));
    const [ofPair, ofHandle] = await Promise.all([pair.get(pairKey), handle.get(handleKey)]);
    await this.slow(`p ${pairKey}`, ofPair, LIMITS.pair.points, LONGEST_WAIT.pair);
    if (!known) await this.slow(`h ${handleKey}`, ofHandle, LIMITS.handle.points, LONGEST_WAIT.handle);
    await Promise.all([
      address.penalty(hashed(who.address)),
      pair.penalty(pairKey),
      ...(known ? [] : [handle.penalty(handleKey)]),
    ]);
    return async (how) => {
      await Promise.all([
        address.reward(hashed(who.address)),
        ...(how === 'right' ? [pair.delete(pairKey), wait.delete(`p ${pairKey}`)] : [pair.reward(pairKey)]),
        ...(known ? [] : [handle.reward(handleKey)]),
      ]);
    };
  }

  /** Lets one try through, then none for a while that doubles with each. */
  private async slow(
    key: string,
    counted: RateLimiterRes | null,
    free: number,
    longest: number,
  ): Promise<void> {
    const over = (counted?.consumedPoints ?? 0) - free;
    if (over < 0) return;
    const seconds = Math.min(longest, 2 ** Math.min(over, 10));
    await refuseWhile(() => this.limiters.wait.consume(key, 1, { customDuration: seconds }));
  }

  /** @returns the value of a cookie that says that this handle signed in from there before */
  deviceFor(handle: string): string {
    const nonce = randomBytes(12).toString('base64url');
    return `${nonce}.${this.seal(handle, nonce)}`;
  }

  private isDeviceOf({ handle, device }: Trying): boolean {
    const [nonce, seal] = device?.split('.') ?? [];
    if (!nonce || !seal) return false;
    const right = Buffer.from(this.seal(handle, nonce));
    const given = Buffer.from(seal);
    return right.length === given.length && timingSafeEqual(right, given);
  }

  private seal(handle: string, nonce: string): string {
    return createHmac('sha256', this.secret).update(`device\n${handle}\n${nonce}`).digest('base64url');
  }
}

const hashed = (text: string) =>
  createHmac('sha256', 'attempts').update(text).digest('base64url').slice(0, 32);

async function refuseOver(limiter: RateLimiterPostgres, key: string): Promise<void> {
  const counted = await limiter.get(key);
  if (counted && counted.consumedPoints >= limiter.points) throw tooMany(counted.msBeforeNext);
}

async function refuseWhile(consume: () => Promise<unknown>): Promise<void> {
  try {
    await consume();
  } catch (refused) {
    if (refused instanceof RateLimiterRes) throw tooMany(refused.msBeforeNext);
    throw refused;
  }
}

function tooMany(ms: number): Problem {
  const seconds = Math.max(1, Math.ceil(ms / 1000));
  return new Problem(
    429,
    'Too many tries',
    `Wait ${seconds} ${seconds === 1 ? 'second' : 'seconds'}, then try again.`,
    {},
    seconds,
  );
}
