import { randomBytes, scrypt as scryptWithCallback, timingSafeEqual, type ScryptOptions } from 'node:crypto';
import { promisify } from 'node:util';
import { tooMuchAtOnce } from '../http/problem.ts';

const scrypt = promisify(scryptWithCallback) as (
  password: string,
  salt: Buffer,
  length: number,
  options: ScryptOptions,
) => Promise<Buffer>;

const N = 2 ** 15;
const options = (n: number): ScryptOptions => ({ N: n, r: 8, p: 1, maxmem: 128 * n * 8 * 2 });

/** Each takes 32 MiB and a thread of the few that files and names are looked up with. */
const MOST_AT_ONCE = 2;
let atWork = 0;

/** Does hashing work, of which little may go on at once. @throws Problem 429 */
async function hashing<T>(work: () => Promise<T>): Promise<T> {
  if (atWork >= MOST_AT_ONCE) throw tooMuchAtOnce('Others are signing in at this very moment; try again.');
  atWork++;
  try {
    return await work();
  } finally {
    atWork--;
  }
}

/** @returns a password's hash with everything needed to check it: `scrypt$N$salt$hash`. @throws Problem 429 */
export function hashPassword(password: string): Promise<string> {
  return hashing(async () => {
    const salt = randomBytes(16);
    const hash = await scrypt(password, salt, 32, options(N));
    return `scrypt$${N}$${salt.toString('base64url')}$${hash.toString('base64url')}`;
  });
}

/** A hash that no password has, which takes as long to compare with: what nobody's handle is tried against. */
export const NOBODYS = `scrypt$${N}$${randomBytes(16).toString('base64url')}$${randomBytes(32).toString('base64url')}`;

/** @returns whether a password is the hashed one; compared in constant time. @throws Problem 429 */
export function passwordIs(password: string, stored: string): Promise<boolean> {
  return hashing(async () => {
    const [scheme, n, salt, hash] = stored.split('$');
    if (scheme !== 'scrypt' || !n || !salt || !hash) return false;
    const expected = Buffer.from(hash, 'base64url');
    const actual = await scrypt(
      password,
      Buffer.from(salt, 'base64url'),
      expected.length,
      options(Number(n)),
    );
    return timingSafeEqual(actual, expected);
  });
}
