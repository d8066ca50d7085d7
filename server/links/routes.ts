import { Hono } from 'hono';
import type { Database } from '../db/connect.ts';
import type { Env } from '../http/session.ts';
import { allowed } from '../topologies/service.ts';
import { standingsOf } from './store.ts';

/** How the links of a topology are carried, whichever process does. */
export function linkRoutes(db: Database): Hono<Env> {
  return new Hono<Env>().get('/:slug/links', async (c) => {
    const topology = await allowed(db, c.get('person'), c.req.param('slug'), 'read');
    return c.json(await standingsOf(db, topology.id));
  });
}
