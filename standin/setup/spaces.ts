/** Spaces as this process knows them: read again as soon as any process changes them. */
import { createHash, timingSafeEqual } from 'node:crypto';
import { and, eq } from 'drizzle-orm';
import type { Connection } from '../db/connect.ts';
import { spaces, things, users } from '../db/schema.ts';
import { readSpace, type Signed, type Space } from './space.ts';

/** So old a reading may be where nobody told of a change: a word may be lost with a connection. */
const OLDEST_MS = 2000;

export const secretHash = (secret: string): Buffer => createHash('sha256').update(secret).digest();

/** @returns whether a secret is the one whose hash is kept; no sooner told the more of it is right */
export function isSecret(secret: string, hash: Buffer | undefined): boolean {
  const other = hash ?? Buffer.alloc(32);
  return timingSafeEqual(secretHash(secret), other) && hash !== undefined;
}

interface Known {
  readonly space: Promise<Space | undefined>;
  /** What it came to be, once it was read. */
  read?: Space | undefined;
  checkedAt: number;
  checking?: Promise<void>;
}

export class Spaces {
  private readonly known = new Map<string, Known>();

  constructor(private readonly connection: Connection) {}

  /** @returns a space as it is now, or was at most two seconds ago; undefined where there is none */
  async get(name: string): Promise<Space | undefined> {
    const known = this.known.get(name);
    if (!known) return this.load(name);
    if (Date.now() - known.checkedAt > OLDEST_MS) {
      // one look for all who ask at once
      known.checking ??= this.check(name, known).finally(() => delete known.checking);
      await known.checking;
    }
    return this.known.get(name)?.space ?? this.load(name);
  }

  /** @returns a space as `get` would tell it, where that needs no reading */
  now(name: string): Space | undefined {
    const known = this.known.get(name);
    return known && Date.now() - known.checkedAt <= OLDEST_MS ? known.read : undefined;
  }

  /** Forgets what is known of a space: it was changed. */
  forget(name: string): void {
    this.known.delete(name);
  }

  /** @returns who signs in as `space/user` with a secret; undefined where nobody does */
  async signIn(name: string, secret: string, encrypted: boolean): Promise<Signed | undefined> {
    const slash = name.indexOf('/');
    if (slash < 1 || name.length > 600) return undefined;
    const [space, user] = [name.slice(0, slash), name.slice(slash + 1)];
    const [found] = await this.connection.db
      .select()
      .from(users)
      .where(and(eq(users.space, space), eq(users.name, user)));
    if (!isSecret(secret, found?.secret) || !found) return undefined;
    // so that what is first asked can be answered at once
    await this.get(space);
    return { space, user, tenant: found.tenant, actsAs: found.actsAs, encrypted };
  }

  /** @returns whether a user who signed in may still be here */
  async isStill({ space, user, actsAs, tenant }: Signed): Promise<boolean> {
    const [found] = await this.connection.db
      .select({ actsAs: users.actsAs, tenant: users.tenant })
      .from(users)
      .where(and(eq(users.space, space), eq(users.name, user)));
    return found?.actsAs === actsAs && found.tenant === tenant;
  }

  private load(name: string): Promise<Space | undefined> {
    const space = this.read(name);
    const known: Known = { space, checkedAt: Date.now() };
    this.known.set(name, known);
    space.then(
      (found) => {
        known.read = found;
        if (!found) this.drop(name, known);
      },
      () => this.drop(name, known),
    );
    return space;
  }

  private drop(name: string, known: Known): void {
    if (this.known.get(name) === known) this.known.delete(name);
  }

  private async check(name: string, known: Known): Promise<void> {
    const space = await known.space.catch(() => undefined);
    const [row] = await this.connection.db
      .select({ change: spaces.change })
      .from(spaces)
      .where(eq(spaces.name, name));
    if (!row || !space || row.change !== space.change) this.drop(name, known);
    else known.checkedAt = Date.now();
  }

  private read(name: string): Promise<Space | undefined> {
    return this.connection.db.transaction(
      async (tx) => {
        const [row] = await tx.select().from(spaces).where(eq(spaces.name, name));
        if (!row) return undefined;
        const kept = await tx.select().from(things).where(eq(things.space, name)).orderBy(things.id);
        return readSpace(row, kept);
      },
      { isolationLevel: 'repeatable read', accessMode: 'read only' },
    );
  }
}
