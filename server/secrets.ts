/** Secrets at rest: AES-256-GCM under a key derived from the server's own secret. */
import { createCipheriv, createDecipheriv, randomBytes, scryptSync } from 'node:crypto';

export interface Sealer {
  seal(text: string): string;
  /** @throws when the text was sealed under another secret or has been changed */
  open(sealed: string): string;
}

/** @param secret at least 16 characters; the same at every start, or nothing can be opened again */
export function sealer(secret: string): Sealer {
  if (secret.length < 16) throw new Error('VONDLE_SECRET needs at least 16 characters');
  const key = scryptSync(secret, 'vondle targets', 32);
  return {
    seal(text) {
      const iv = randomBytes(12);
      const cipher = createCipheriv('aes-256-gcm', key, iv);
      const sealed = Buffer.concat([cipher.update(text, 'utf8'), cipher.final()]);
      return [iv, cipher.getAuthTag(), sealed].map((part) => part.toString('base64url')).join('.');
    },
    open(text) {
      const [iv, tag, sealed] = text.split('.').map((part) => Buffer.from(part, 'base64url'));
      const decipher = createDecipheriv('aes-256-gcm', key, iv!);
      decipher.setAuthTag(tag!);
      return Buffer.concat([decipher.update(sealed!), decipher.final()]).toString('utf8');
    },
  };
}
