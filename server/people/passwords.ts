import { randomBytes, scrypt as scryptWithCallback, timingSafeEqual, type ScryptOptions } from 'node:crypto';
import { promisify } from 'node:util';

const scrypt = promisify(scryptWithCallback) as (
  password: string,
  salt: Buffer,
  length: number,
  options: ScryptOptions,
) => Promise<Buffer>;

const N = 2 ** 15;
const options = (n: number): ScryptOptions => ({ N: n, r: 8, p: 1, maxmem: 128 * n * 8 * 2 });

/** @returns a password's hash with everything needed to check it: `scrypt$N$salt$hash`. */
export async function hashPassword(password: string): Promise<string> {
  const salt = randomBytes(16);
  const hash = await scrypt(password, salt, 32, options(N));
  return `scrypt$${N}$${salt.toString('base64url')}$${hash.toString('base64url')}`;
}

/** @returns whether a password is the hashed one; compared in constant time. */
export async function passwordIs(password: string, stored: string): Promise<boolean> {
  const [scheme, n, salt, hash] = stored.split('$');
  if (scheme !== 'scrypt' || !n || !salt || !hash) return false;
  const expected = Buffer.from(hash, 'base64url');
  const actual = await scrypt(password, Buffer.from(salt, 'base64url'), expected.length, options(Number(n)));
  return timingSafeEqual(actual, expected);
}
