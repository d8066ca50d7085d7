import { askedPassed } from '@vondle/api';
import { Hono } from 'hono';
import type { Database } from '../db/connect.ts';
import { isTooSlow } from '../db/trouble.ts';
import { check } from '../http/input.ts';
import { Problem } from '../http/problem.ts';
import type { Env } from '../http/session.ts';
import { allowed } from '../topologies/service.ts';
import type { Taps } from './service.ts';

/** So many are told where nobody says how many. */
const MOST = 100;

/** The taps of environments, and what they kept. */
export function tapRoutes(db: Database, taps: Pick<Taps, 'of' | 'find'>): Hono<Env> {
  return new Hono<Env>()
    .get('/:slug/taps/:environment', async (c) => {
      const topology = await allowed(db, c.get('person'), c.req.param('slug'), 'read');
      return c.json(taps.of(topology.id, c.req.param('environment')));
    })
    .get('/:slug/passed/:environment', async (c) => {
      const person = c.get('person');
      const topology = await allowed(db, person, c.req.param('slug'), 'operate');
      const { before, most, ...query } = c.req.query();
      const asked = check(askedPassed, {
        ...query,
        ...(before === undefined ? {} : { before: Number(before) }),
        most: Number(most ?? MOST),
      });
      for (const [name, time] of [
        ['from', asked.from],
        ['until', asked.until],
      ] as const)
        if (time !== undefined && !Number.isFinite(Date.parse(time)))
          throw new Problem(422, 'No time', `${name} is no time: write it as 2030-01-31T12:00:00Z.`);
      const where = { topologyId: topology.id, environment: c.req.param('environment') };
      return c.json(
        await taps.find(person.id, where, asked, topology.reads).catch((error: unknown) => {
          if (!isTooSlow(error)) throw error;
          throw new Problem(
            422,
            'Took too long',
            'Too much is kept for such a search: ask for one place, or for a shorter time.',
          );
        }),
      );
    });
}
