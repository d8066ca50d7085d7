import { madeUpApps } from '@vondle/api';
import { Hono } from 'hono';
import { record, type Database } from '../db/connect.ts';
import { body } from '../http/input.ts';
import type { Env } from '../http/session.ts';
import { allowed } from '../topologies/service.ts';
import type { AppsOf, MadeUpApps } from './made-up.ts';
import { Problem } from '../http/problem.ts';

/**
 * The made-up apps of an environment.
 * @param apps where there are none, none may run
 */
export function madeUpRoutes(db: Database, apps: MadeUpApps | undefined): Hono<Env> {
  const standing = async (of: AppsOf) => ({
    may: (await apps?.may(of)) ?? false,
    run: apps?.runs(of) ?? false,
  });
  return new Hono<Env>()
    .get('/:slug/watch/:environment/apps', async (c) => {
      const topology = await allowed(db, c.get('person'), c.req.param('slug'), 'read');
      return c.json(await standing({ topologyId: topology.id, environment: c.req.param('environment') }));
    })
    .put('/:slug/watch/:environment/apps', async (c) => {
      const person = c.get('person');
      const topology = await allowed(db, person, c.req.param('slug'), 'operate');
      const { run } = await body(c, madeUpApps);
      const of = { topologyId: topology.id, environment: c.req.param('environment') };
      if (!apps) throw new Problem(409, 'Not here', 'No brokers came with this installation.');
      if (run) await apps.start(of);
      else apps.stop(of);
      await record(db, run ? 'begin made-up apps' : 'end made-up apps', {
        personId: person.id,
        topologyId: topology.id,
        details: { environment: of.environment },
      });
      return c.json(await standing(of));
    });
}
