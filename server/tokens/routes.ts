import { Hono } from 'hono';
import { newToken } from '@vondle/api';
import { record, type Database } from '../db/connect.ts';
import { body, numberIn } from '../http/input.ts';
import { notFound, Problem } from '../http/problem.ts';
import type { Env } from '../http/session.ts';
import { newKey } from '../people/keys.ts';
import { allowed } from '../topologies/service.ts';
import { countTokens, insertToken, MOST_TOKENS, removeToken, tokensOf } from './store.ts';

/** Tokens: keys for programs, each for one topology, with a scope and an end, shown once. */
export function tokenRoutes(db: Database): Hono<Env> {
  return new Hono<Env>()
    .get('/', async (c) => c.json(await tokensOf(db, c.get('person').id)))
    .post('/', async (c) => {
      const person = c.get('person');
      const { slug, name, scope, days = 90 } = await body(c, newToken);
      // a token lets nobody do what they may not do themselves
      const topology = await allowed(db, person, slug, scope);
      const key = newKey();
      const expiresAt = new Date(Date.now() + days * 86_400_000);
      const id = await db.transaction(async (tx) => {
        if ((await countTokens(tx, person.id)) >= MOST_TOKENS)
          throw new Problem(409, 'Too many', `You have ${MOST_TOKENS} tokens, the most there may be.`);
        await record(tx, 'make token', {
          personId: person.id,
          topologyId: topology.id,
          details: { name, scope, days },
        });
        return insertToken(tx, { personId: person.id, topologyId: topology.id, name, scope, expiresAt }, key);
      });
      return c.json({ id, token: `vondle_${key}`, expiresAt }, 201);
    })
    .delete('/:id', async (c) => {
      const person = c.get('person');
      const id = numberIn(c.req.param('id'));
      await db.transaction(async (tx) => {
        const gone = await removeToken(tx, person.id, id);
        if (!gone) throw notFound('such token');
        const { topologyId, name } = gone;
        await record(tx, 'end token', { personId: person.id, topologyId, details: { name } });
      });
      return c.body(null, 204);
    });
}
