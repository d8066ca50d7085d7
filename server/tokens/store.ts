import { and, count, desc, eq, gt } from 'drizzle-orm';
import type { Database, Transaction } from '../db/connect.ts';
import type { Scope } from '@vondle/api';
import { tokens, topologies } from '../db/schema.ts';
import { hashOf } from '../people/keys.ts';

/** Tokens a person may have. */
export const MOST_TOKENS = 50;

export interface TokenRow {
  readonly id: number;
  readonly name: string;
  readonly slug: string;
  readonly topology: string;
  readonly scope: Scope;
  readonly createdAt: Date;
  readonly expiresAt: Date;
  readonly usedAt: Date | null;
}

/** @returns somebody's tokens that have not expired, the newest first */
export function tokensOf(db: Database, personId: number): Promise<TokenRow[]> {
  return db
    .select({
      id: tokens.id,
      name: tokens.name,
      slug: topologies.slug,
      topology: topologies.name,
      scope: tokens.scope,
      createdAt: tokens.createdAt,
      expiresAt: tokens.expiresAt,
      usedAt: tokens.usedAt,
    })
    .from(tokens)
    .innerJoin(topologies, eq(topologies.id, tokens.topologyId))
    .where(and(eq(tokens.personId, personId), gt(tokens.expiresAt, new Date())))
    .orderBy(desc(tokens.id))
    .limit(MOST_TOKENS);
}

export async function countTokens(db: Transaction, personId: number): Promise<number> {
  const [found] = await db
    .select({ count: count() })
    .from(tokens)
    .where(and(eq(tokens.personId, personId), gt(tokens.expiresAt, new Date())));
  return found!.count;
}

export async function insertToken(
  tx: Transaction,
  row: { personId: number; topologyId: number; name: string; scope: Scope; expiresAt: Date },
  key: string,
): Promise<number> {
  const [made] = await tx
    .insert(tokens)
    .values({ ...row, keyHash: hashOf(key) })
    .returning({ id: tokens.id });
  return made!.id;
}

/** Ends a token. @returns which topology it was for, or undefined where it is not theirs */
export async function removeToken(
  tx: Transaction,
  personId: number,
  id: number,
): Promise<{ topologyId: number; name: string } | undefined> {
  const [gone] = await tx
    .delete(tokens)
    .where(and(eq(tokens.personId, personId), eq(tokens.id, id)))
    .returning({ topologyId: tokens.topologyId, name: tokens.name });
  return gone;
}
