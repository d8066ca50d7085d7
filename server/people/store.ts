import { and, desc, eq, gt, inArray, lt, ne, sql } from 'drizzle-orm';
import { record, type Database, type Transaction } from '../db/connect.ts';
import { Problem } from '../http/problem.ts';
import type { Scope } from '@vondle/api';
import { identities, people, sessions, tokens } from '../db/schema.ts';
import { hashOf, newKey } from './keys.ts';

export interface Person {
  readonly id: number;
  readonly handle: string;
  readonly name: string;
  /** What a program that asks for them may do, and where; none for themselves in a browser. */
  readonly limits?: { readonly topologyId: number; readonly scope: Scope };
}

const SESSION_DAYS = 14;
/** Signed-in browsers a person may have; the oldest is signed out for one more. */
const MOST_SESSIONS = 50;

/** Opens a session. @returns the token for the cookie and when it ends */
export async function openSession(
  tx: Transaction,
  personId: number,
): Promise<{ token: string; expiresAt: Date }> {
  const token = newKey();
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

/** @returns for whom a token asks, while it lasts */
export async function personOfToken(db: Database, key: string): Promise<Person | undefined> {
  const now = new Date();
  const [found] = await db
    .update(tokens)
    .set({ usedAt: now })
    .from(people)
    .where(and(eq(tokens.keyHash, hashOf(key)), gt(tokens.expiresAt, now), eq(people.id, tokens.personId)))
    .returning({
      id: people.id,
      handle: people.handle,
      name: people.name,
      topologyId: tokens.topologyId,
      scope: tokens.scope,
    });
  if (!found) return undefined;
  const { topologyId, scope, ...person } = found;
  return { ...person, limits: { topologyId, scope } };
}

/** Makes an account. @returns whose it is, or undefined where the handle is taken */
export async function insertPerson(
  tx: Transaction,
  row: { handle: string; name: string; password: string },
): Promise<Person | undefined> {
  const [made] = await tx
    .insert(people)
    .values(row)
    .onConflictDoNothing()
    .returning({ id: people.id, handle: people.handle, name: people.name });
  return made;
}

/** Gives somebody another password, and ends all their sessions but one. */
export async function changePassword(
  tx: Transaction,
  personId: number,
  password: string,
  keep: string,
): Promise<void> {
  await tx.update(people).set({ password }).where(eq(people.id, personId));
  await closeOthers(tx, personId, keep);
}

/** Ends all sessions of somebody but one. @returns how many */
export async function closeOthers(tx: Transaction, personId: number, keep: string): Promise<number> {
  const ended = await tx
    .delete(sessions)
    .where(and(eq(sessions.personId, personId), ne(sessions.tokenHash, hashOf(keep))))
    .returning({ hash: sessions.tokenHash });
  return ended.length;
}

/** @returns when each session of somebody was opened, and which is the one that asks; the newest first */
export async function sessionsOf(
  db: Database,
  personId: number,
  own: string,
): Promise<{ openedAt: Date; expiresAt: Date; own: boolean }[]> {
  const rows = await db
    .select()
    .from(sessions)
    .where(and(eq(sessions.personId, personId), gt(sessions.expiresAt, new Date())))
    .orderBy(desc(sessions.openedAt));
  return rows.map(({ openedAt, expiresAt, tokenHash }) => ({
    openedAt,
    expiresAt,
    own: tokenHash === hashOf(own),
  }));
}

/** How often another handle is tried where one is taken. */
const MOST_HANDLES = 100;

/**
 * @param names what to call somebody who was not here before
 * @returns whom an issuer means; an account is made where there is none, with no password
 */
export async function openPerson(
  db: Database,
  { issuer, subject }: { readonly issuer: string; readonly subject: string },
  names: { readonly handle: string; readonly name: string },
): Promise<Person> {
  return db.transaction(async (tx) => {
    // two that come at once are one
    await tx.execute(sql`select pg_advisory_xact_lock(hashtext(${`${issuer} ${subject}`}))`);
    const [known] = await tx
      .select({ id: people.id, handle: people.handle, name: people.name })
      .from(identities)
      .innerJoin(people, eq(people.id, identities.personId))
      .where(and(eq(identities.issuer, issuer), eq(identities.subject, subject)));
    if (known) return known;
    for (let i = 1; i <= MOST_HANDLES; i++) {
      const handle = i === 1 ? names.handle : `${names.handle}-${i}`;
      const made = await insertPerson(tx, { handle, name: names.name, password: '' });
      if (!made) continue;
      await tx.insert(identities).values({ issuer, subject, personId: made.id });
      await record(tx, 'make account', { personId: made.id, details: { issuer } });
      return made;
    }
    throw new Problem(409, 'Taken', `Too many people are called ${names.handle}.`);
  });
}
