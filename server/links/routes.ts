import { Hono } from 'hono';
import type { Database } from '../db/connect.ts';
import type { Env } from '../http/session.ts';
import { allowed } from '../topologies/service.ts';
import type { Links } from './service.ts';

/** How the links of a topology are carried. @param links undefined where this server carries none */
export function linkRoutes(db: Database, links: Pick<Links, 'of'> | undefined): Hono<Env> {
  return new Hono<Env>().get('/:slug/links', async (c) => {
    const topology = await allowed(db, c.get('person'), c.req.param('slug'), 'read');
    return c.json(links?.of(topology.id) ?? []);
  });
}
