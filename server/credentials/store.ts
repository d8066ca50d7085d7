/**
 * The users that stand for apps on real brokers: named and given a password by this server, which the password leaves
 * once, for whoever runs the app.
 */
import { createHash, randomBytes, randomUUID } from 'node:crypto';
import { and, asc, eq, sql } from 'drizzle-orm';
import { whenReached, type Database, type Transaction } from '../db/connect.ts';
import { credentials, people, topologies } from '../db/schema.ts';
import type { Sealer } from '../secrets.ts';
import type { AppUsers, Credential } from '../targets/amqp/rights.ts';

/** Where an app's user stands. */
export interface Standing {
  readonly topologyId: number;
  readonly environment: string;
  readonly broker: string;
}

/** What a sealed password is bound to. */
const rowOf = ({ topologyId, environment, broker }: Standing, app: string) =>
  `password ${JSON.stringify([topologyId, environment, broker, app])}`;

const newPassword = (): string => randomBytes(24).toString('base64url');

/** @returns what a broker is told instead of a password: 32 bits of salt, and the SHA-256 of both (in base64) */
function hashOf(password: string): string {
  const salt = randomBytes(4);
  return Buffer.concat([salt, createHash('sha256').update(salt).update(password, 'utf8').digest()]).toString(
    'base64',
  );
}

/** @returns the users of a target's apps: what they are called, and what the broker is to be told of each */
export function usersAt(db: Transaction, sealer: Sealer, slug: string, at: Standing): AppUsers {
  // none of these has a dot in its name, so that what an app is called can be told from what stands before it
  const prefix = `${slug}.${at.environment}.${at.broker}.`;
  const isIts = (app: string) =>
    and(
      eq(credentials.topologyId, at.topologyId),
      eq(credentials.environment, at.environment),
      eq(credentials.broker, at.broker),
      eq(credentials.app, app),
    );
  return {
    prefix,
    async known() {
      const rows = await whenReached(() =>
        db
          .select({ app: credentials.app, mark: credentials.mark })
          .from(credentials)
          .where(
            and(
              eq(credentials.topologyId, at.topologyId),
              eq(credentials.environment, at.environment),
              eq(credentials.broker, at.broker),
            ),
          ),
      );
      return new Map(rows.map(({ app, mark }) => [app, mark]));
    },
    async of(app): Promise<Credential> {
      const password = newPassword();
      await whenReached(() =>
        db
          .insert(credentials)
          .values({
            ...at,
            app,
            name: prefix + app,
            mark: `vondle-${randomUUID()}`,
            hash: hashOf(password),
            sealedPassword: sealer.seal(password, rowOf(at, app)),
          })
          .onConflictDoNothing(),
      );
      const [found] = await whenReached(() =>
        db
          .select({ name: credentials.name, mark: credentials.mark, hash: credentials.hash })
          .from(credentials)
          .where(isIts(app)),
      );
      return found!;
    },
    async forget(app) {
      await whenReached(() => db.delete(credentials).where(isIts(app)));
    },
  };
}

/** @returns the address part of a topology */
export async function slugOf(db: Transaction, topologyId: number): Promise<string> {
  const [found] = await db
    .select({ slug: topologies.slug })
    .from(topologies)
    .where(eq(topologies.id, topologyId));
  return found!.slug;
}

/** @returns the users of a topology's apps, without their passwords */
export function credentialsOf(db: Database, topologyId: number) {
  return db
    .select({
      id: credentials.id,
      environment: credentials.environment,
      broker: credentials.broker,
      app: credentials.app,
      user: credentials.name,
      handedOutAt: credentials.handedOutAt,
      handedOutTo: people.handle,
    })
    .from(credentials)
    .leftJoin(people, eq(people.id, credentials.handedOutTo))
    .where(eq(credentials.topologyId, topologyId))
    .orderBy(asc(credentials.environment), asc(credentials.broker), asc(credentials.app))
    .limit(5000);
}

export type CredentialRow = typeof credentials.$inferSelect;

/** @returns one of them, held until the transaction ends; undefined where there is none */
export async function credentialOf(
  tx: Transaction,
  topologyId: number,
  id: number,
): Promise<CredentialRow | undefined> {
  const [found] = await tx
    .select()
    .from(credentials)
    .where(and(eq(credentials.id, id), eq(credentials.topologyId, topologyId)))
    .for('update');
  return found;
}

/** @returns a password that was not handed out yet. @throws WrongKey */
export const openPassword = (sealer: Sealer, { sealedPassword, ...row }: CredentialRow): string =>
  sealer.open(sealedPassword!, rowOf(row, row.app));

/** Notes that a password is handed out: from now on it is known to the broker and to whom it was given. */
export async function handOut(tx: Transaction, id: number, personId: number, hash?: string): Promise<void> {
  await tx
    .update(credentials)
    .set({ sealedPassword: null, handedOutTo: personId, handedOutAt: sql`now()`, ...(hash ? { hash } : {}) })
    .where(eq(credentials.id, id));
}

/** @returns a new password with what a broker is told of it */
export function anotherPassword(): { password: string; hash: string } {
  const password = newPassword();
  return { password, hash: hashOf(password) };
}

/** Seals passwords anew that are not sealed under the newest key. @returns how many were, of how many */
export async function sealPasswordsAgain(
  tx: Transaction,
  sealer: Sealer,
): Promise<{ sealed: number; of: number }> {
  const all = await tx.select().from(credentials).for('update');
  let sealed = 0;
  for (const each of all) {
    if (each.sealedPassword === null || sealer.isCurrent(each.sealedPassword)) continue;
    const sealedPassword = sealer.seal(openPassword(sealer, each), rowOf(each, each.app));
    await tx.update(credentials).set({ sealedPassword }).where(eq(credentials.id, each.id));
    sealed++;
  }
  return { sealed, of: all.filter(({ sealedPassword }) => sealedPassword !== null).length };
}
