/** Keys that are shown once: sessions, invitations and tokens. What is kept of one is its hash. */
import { createHash, randomBytes } from 'node:crypto';

/** @returns a key of 32 random bytes, which nobody guesses */
export const newKey = (): string => randomBytes(32).toString('base64url');

/** @returns what is kept of a key: from it the key cannot be told */
export const hashOf = (key: string): string => createHash('sha256').update(key).digest('base64url');

/** Whether a text is of the form of a key. */
export const isKey = (text: string): boolean => /^[\w-]{43}$/.test(text);
