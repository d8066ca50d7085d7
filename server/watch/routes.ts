import { askedCourse } from '@vondle/api';
import { Hono } from 'hono';
import type { Database } from '../db/connect.ts';
import { Budget } from '../http/budget.ts';
import { check } from '../http/input.ts';
import { Problem } from '../http/problem.ts';
import type { Env } from '../http/session.ts';
import { allowed } from '../topologies/service.ts';
import { alertsThen } from './alerts.ts';
import type { Watching } from './service.ts';
import { courseOf, lastLook } from './store.ts';

const nothing = (environment: string) =>
  new Problem(
    404,
    'Nothing to watch',
    `Nothing of this topology stands in ${environment.slice(0, 100)}, or it has not been looked at yet. Roll a revision out there first.`,
  );

/** How environments stand, and stood. */
export function watchRoutes(db: Database, watching: Pick<Watching, 'drift'>): Hono<Env> {
  const looking = new Budget({ all: 4, each: 1 }, 'environments being compared');
  const app = new Hono<Env>();
  app.get('/:slug/watch/:environment', async (c) => {
    const topology = await allowed(db, c.get('person'), c.req.param('slug'), 'read');
    const environment = c.req.param('environment');
    const look = await lastLook(db, { topologyId: topology.id, environment });
    if (!look) throw nothing(environment);
    return c.json(look);
  });
  app.post('/:slug/watch/:environment/drift', async (c) => {
    const person = c.get('person');
    const topology = await allowed(db, person, c.req.param('slug'), 'read');
    const release = looking.take(`person ${person.id}`, 1);
    try {
      const drift = await watching.drift(topology.id, c.req.param('environment'));
      if (!drift) throw nothing(c.req.param('environment'));
      return c.json(drift);
    } finally {
      release();
    }
  });
  app.get('/:slug/watch/:environment/alerts', async (c) => {
    const topology = await allowed(db, c.get('person'), c.req.param('slug'), 'read');
    return c.json(await alertsThen(db, { topologyId: topology.id, environment: c.req.param('environment') }));
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
