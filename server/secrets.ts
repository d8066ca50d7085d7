/**
 * Secrets at rest: AES-256-GCM under a key derived from the server's own secret. A sealed value names
 * the key it was sealed under, so that several may be known while they are changed, and is bound to the
 * row it belongs to: copied into another, it does not open.
 */
import { createCipheriv, createDecipheriv, createHash, randomBytes, scryptSync } from 'node:crypto';

export interface Sealer {
  /** @param row what the value belongs to; only with the same it opens again */
  seal(text: string, row: string): string;
  /** @throws WrongKey, or Error when the value has been changed or belongs to another row */
  open(sealed: string, row: string): string;
  /** Whether a value is sealed under the newest key, in the newest way. */
  isCurrent(sealed: string): boolean;
}

/** A value was sealed under a key that is not known here. */
export class WrongKey extends Error {
  constructor(readonly key: string) {
    super(
      `this was sealed under the key ${key}, which this server does not have: start it with the secret of that time in VONDLE_OLD_SECRETS`,
    );
  }
}

interface Key {
  readonly name: string;
  readonly bytes: Buffer;
}

function keyOf(secret: string): Key {
  if (secret.length < 16)
    throw new Error('VONDLE_SECRET and each of VONDLE_OLD_SECRETS need at least 16 characters');
  const bytes = scryptSync(secret, 'vondle targets', 32);
  return { name: createHash('sha256').update('name').update(bytes).digest('hex').slice(0, 8), bytes };
}

/**
 * @param secret at least 16 characters; what is sealed from now on is sealed under it
 * @param older secrets of before, under which values may still be sealed
 */
export function sealer(secret: string, older: readonly string[] = []): Sealer {
  const newest = keyOf(secret);
  const keys = [newest, ...older.map(keyOf)];
  const opened = (key: Key, [iv, tag, data]: readonly string[], row?: string): string => {
    const decipher = createDecipheriv('aes-256-gcm', key.bytes, Buffer.from(iv!, 'base64url'));
    if (row !== undefined) decipher.setAAD(Buffer.from(row));
    decipher.setAuthTag(Buffer.from(tag!, 'base64url'));
    return Buffer.concat([decipher.update(Buffer.from(data!, 'base64url')), decipher.final()]).toString(
      'utf8',
    );
  };
  return {
    seal(text, row) {
      const iv = randomBytes(12);
      const cipher = createCipheriv('aes-256-gcm', newest.bytes, iv);
      cipher.setAAD(Buffer.from(row));
      const sealed = Buffer.concat([cipher.update(text, 'utf8'), cipher.final()]);
      return [
        '2',
        newest.name,
        ...[iv, cipher.getAuthTag(), sealed].map((part) => part.toString('base64url')),
      ].join('.');
    },
    open(text, row) {
      const parts = text.split('.');
      if (parts[0] === '2' && parts.length === 5) {
        const key = keys.find(({ name }) => name === parts[1]);
        if (!key) throw new WrongKey(parts[1]!);
        return opened(key, parts.slice(2), row);
      }
      // as older servers sealed: no key is named, and no row
      for (const key of keys) {
        try {
          return opened(key, parts);
        } catch {
          // another key may fit
        }
      }
      throw new WrongKey('of an older server');
    },
    isCurrent: (text) => text.startsWith(`2.${newest.name}.`),
  };
}
