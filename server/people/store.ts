import { createHash, randomBytes } from 'node:crypto';
import { and, desc, eq, gt, inArray, lt } from 'drizzle-orm';
import type { Database, Transaction } from '../db/connect.ts';
import { people, sessions } from '../db/schema.ts';

export interface Person {
  readonly id: number;
  readonly handle: string;
  readonly name: string;
}

const SESSION_DAYS = 14;
/** Signed-in browsers a person may have; the oldest is signed out for one more. */
const MOST_SESSIONS = 50;

const hashOf = (token: string) => createHash('sha256').update(token).digest('base64url');

/** Opens a session. @returns the token for the cookie and when it ends */
export async function openSession(
  tx: Transaction,
  personId: number,
): Promise<{ token: string; expiresAt: Date }> {
  const token = randomBytes(32).toString('base64url');
  const expiresAt = new Date(Date.now() + SESSION_DAYS * 86_400_000);
  await tx.delete(sessions).where(lt(sessions.expiresAt, new Date()));
  await tx.insert(sessions).values({ tokenHash: hashOf(token), personId, expiresAt });
  const older = tx
    .select({ tokenHash: sessions.tokenHash })
    .from(sessions)
    .where(eq(sessions.personId, personId))
    .orderBy(desc(sessions.expiresAt))
    .offset(MOST_SESSIONS);
  await tx.delete(sessions).where(inArray(sessions.tokenHash, older));
  return { token, expiresAt };
}

export async function closeSession(tx: Transaction, token: string): Promise<void> {
  await tx.delete(sessions).where(eq(sessions.tokenHash, hashOf(token)));
}

/** @returns whose session a token is, while it lasts. */
export async function personOf(db: Database, token: string): Promise<Person | undefined> {
  const [found] = await db
    .select({ id: people.id, handle: people.handle, name: people.name })
    .from(sessions)
    .innerJoin(people, eq(people.id, sessions.personId))
    .where(and(eq(sessions.tokenHash, hashOf(token)), gt(sessions.expiresAt, new Date())));
  return found;
}

export async function findPerson(
  db: Database,
  handle: string,
): Promise<(Person & { password: string }) | undefined> {
  const [found] = await db
    .select({ id: people.id, handle: people.handle, name: people.name, password: people.password })
    .from(people)
    .where(eq(people.handle, handle));
  return found;
}
