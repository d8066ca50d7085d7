import { Hono } from 'hono';
import { mixed, number, object, string } from 'yup';
import type { Message } from '@vondle/core';
import type { Database } from '../db/connect.ts';
import { body, numberIn } from '../http/input.ts';
import { notFound, Problem } from '../http/problem.ts';
import type { Env } from '../http/session.ts';
import type { Person } from '../people/store.ts';
import { allowed, type Want } from '../topologies/service.ts';
import type { Rollouts } from './service.ts';
import { probesOf, rolloutOf, rolloutsOf, stepsOf } from './store.ts';

const planInput = object({
  target: number().integer().required('target is missing'),
  revision: number().integer().positive().required('revision is missing'),
}).noUnknown();

const applyInput = object({ override: string().max(2000) }).noUnknown();

const map = () =>
  mixed<Record<string, unknown>>((value): value is Record<string, unknown> => {
    return typeof value === 'object' && value !== null && !Array.isArray(value);
  });

const probeInput = object({
  app: string().required('app is missing'),
  message: string().required('message is missing'),
  to: string().required('to is missing'),
  sample: object({
    key: string().max(255),
    headers: map(),
    properties: map(),
    body: mixed(),
  }).noUnknown(),
}).noUnknown();

/** Rollouts of a topology's revisions, and the probes that prove them. */
export function rolloutRoutes(db: Database, service: Rollouts): Hono<Env> {
  const find = async (person: Person, slug: string, id: string, want: Want) => {
    const topology = await allowed(db, person, slug, want);
    const rollout = await rolloutOf(db, topology.id, numberIn(id));
    if (!rollout) throw notFound(`rollout ${id}`);
    return { topology, rollout };
  };

  return new Hono<Env>()
    .get('/:slug/rollouts', async (c) => {
      const topology = await allowed(db, c.get('person'), c.req.param('slug'), 'read');
      return c.json(await rolloutsOf(db, topology.id));
    })
    .post('/:slug/rollouts', async (c) => {
      const person = c.get('person');
      const topology = await allowed(db, person, c.req.param('slug'), 'write');
      const { target, revision } = await body(c, planInput);
      return c.json({ id: await service.plan(topology, person, revision, target) }, 201);
    })
    .get('/:slug/rollouts/:id', async (c) => {
      const { rollout } = await find(c.get('person'), c.req.param('slug'), c.req.param('id'), 'read');
      const [steps, probes] = await Promise.all([stepsOf(db, rollout.id), probesOf(db, rollout.id)]);
      return c.json({ ...rollout, steps, probes });
    })
    .post('/:slug/rollouts/:id/apply', async (c) => {
      const person = c.get('person');
      const { topology, rollout } = await find(person, c.req.param('slug'), c.req.param('id'), 'write');
      const { override } = await body(c, applyInput, { optional: true });
      await service.apply(topology, person, rollout, override);
      return c.body(null, 202);
    })
    .post('/:slug/rollouts/:id/stop', async (c) => {
      const { rollout } = await find(c.get('person'), c.req.param('slug'), c.req.param('id'), 'write');
      if (!service.stop(rollout.id))
        throw new Problem(409, 'Not running', 'This rollout is not being carried out here.');
      return c.body(null, 202);
    })
    .post('/:slug/rollouts/:id/probes', async (c) => {
      const person = c.get('person');
      const { topology, rollout } = await find(person, c.req.param('slug'), c.req.param('id'), 'write');
      const input = await body(c, probeInput);
      await service.probe(topology, person, rollout, {
        ...input,
        sample: (input.sample ?? {}) as Partial<Message>,
      });
      return c.json(await probesOf(db, rollout.id), 201);
    });
}
