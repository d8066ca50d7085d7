import { askedCourse } from '@vondle/api';
import { Hono } from 'hono';
import type { Database } from '../db/connect.ts';
import { check } from '../http/input.ts';
import { Problem } from '../http/problem.ts';
import type { Env } from '../http/session.ts';
import { allowed } from '../topologies/service.ts';
import { courseOf, lastLook } from './store.ts';

/** How environments stand, and stood. */
export function watchRoutes(db: Database): Hono<Env> {
  const app = new Hono<Env>();
  app.get('/:slug/watch/:environment', async (c) => {
    const topology = await allowed(db, c.get('person'), c.req.param('slug'), 'read');
    const environment = c.req.param('environment');
    const look = await lastLook(db, { topologyId: topology.id, environment });
    if (!look)
      throw new Problem(
        404,
        'Nothing to watch',
        `Nothing of this topology stands in ${environment.slice(0, 100)}, or it has not been looked at yet. Roll a revision out there first.`,
      );
    return c.json(look);
  });
  app.get('/:slug/watch/:environment/course', async (c) => {
    const topology = await allowed(db, c.get('person'), c.req.param('slug'), 'read');
    const asked = check(askedCourse, { ...c.req.query(), minutes: Number(c.req.query('minutes') ?? 60) });
    return c.json(
      await courseOf(db, { topologyId: topology.id, environment: c.req.param('environment') }, asked),
    );
  });
  return app;
}
