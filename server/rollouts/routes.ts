import { Hono } from 'hono';
import { applyInput, consentInput, newProbe, newRollout, type Want } from '@vondle/api';
import type { Message } from '@vondle/core/conditions';
import type { Database } from '../db/connect.ts';
import { Budget } from '../http/budget.ts';
import { body, numberIn } from '../http/input.ts';
import { notFound, Problem } from '../http/problem.ts';
import type { Env } from '../http/session.ts';
import type { Changes } from '../live/changes.ts';
import { watched } from '../live/stream.ts';
import type { Person } from '../people/store.ts';
import { allowed } from '../topologies/service.ts';
import type { Rollouts } from './service.ts';
import {
  countSteps,
  probesOf,
  rolloutOf,
  rolloutsOf,
  stepLines,
  stepsChangedAfter,
  type RolloutRow,
} from './store.ts';
import { togetherWith } from './together.ts';

/** Streams of what changes that one person may have open at once, and all together. */
const streams = new Budget({ all: 2000, each: 20 }, 'live views');
/** Whoever listens looks again after so long, should a telling have been lost. */
const LOOK_AGAIN_MS = 5000;

/** @returns what is told of a rollout: not by which number the database knows its topology */
const told = <R extends { readonly topologyId: number }>({
  topologyId: _,
  ...rest
}: R): Omit<R, 'topologyId'> => rest;

/** Rollouts of a topology's revisions, and the probes that prove them. */
export function rolloutRoutes(db: Database, service: Rollouts, changes: Changes): Hono<Env> {
  const find = async (person: Person, slug: string, id: string, want: Want) => {
    const topology = await allowed(db, person, slug, want);
    const rollout = await rolloutOf(db, topology.id, numberIn(id));
    if (!rollout) throw notFound('such rollout');
    return { topology, rollout };
  };

  return new Hono<Env>()
    .get('/:slug/rollouts', async (c) => {
      const topology = await allowed(db, c.get('person'), c.req.param('slug'), 'read');
      return c.json((await rolloutsOf(db, topology.id)).map(told));
    })
    .post('/:slug/rollouts', async (c) => {
      const person = c.get('person');
      const topology = await allowed(db, person, c.req.param('slug'), 'operate');
      const { target, environment, revision, tearDown = false } = await body(c, newRollout);
      if (tearDown === (revision !== undefined))
        throw new Problem(422, 'Invalid input', 'Say either a `revision`, or `tearDown`.');
      if ((target === undefined) === (environment === undefined))
        throw new Problem(422, 'Invalid input', 'Say either a `target`, or an `environment`.');
      const wanted = tearDown ? 'tear down' : revision!;
      if (target === undefined)
        return c.json(
          { id: await service.planAll(topology, person, { environment: environment!, wanted }) },
          201,
        );
      const id = await service.plan(topology, person, {
        targetId: target,
        wanted,
      });
      return c.json({ id }, 201);
    })
    .get('/:slug/rollouts/:id', async (c) => {
      const { rollout } = await find(c.get('person'), c.req.param('slug'), c.req.param('id'), 'read');
      const [count, steps, probes, all] = await Promise.all([
        countSteps(db, rollout.id),
        stepLines(db, rollout.id, 0),
        probesOf(db, rollout.id),
        togetherWith(db, rollout),
      ]);
      const sum = (row: RolloutRow, of: 'messages' | 'takers') =>
        row.destroys.reduce((whole, each) => whole + each[of], 0);
      const group = await Promise.all(
        all.map(async (each) => ({
          id: each.id,
          broker: each.broker,
          state: each.state,
          verified: each.verified,
          waits: each.startsAfter !== null,
          steps: (await countSteps(db, each.id)).all,
          destroys: sum(each, 'messages'),
          cutsOff: sum(each, 'takers'),
        })),
      );
      return c.json({ ...told(rollout), count, steps, probes, group });
    })
    .get('/:slug/rollouts/:id/steps', async (c) => {
      const { rollout } = await find(c.get('person'), c.req.param('slug'), c.req.param('id'), 'read');
      return c.json(await stepLines(db, rollout.id, numberIn(c.req.query('from') ?? '0')));
    })
    .get('/:slug/rollouts/:id/live', async (c) => {
      const person = c.get('person');
      const slug = c.req.param('slug');
      const { rollout } = await find(person, slug, c.req.param('id'), 'read');
      const release = streams.take(`person ${person.id}`, 1);
      // a browser that reconnects says what it heard last
      let heard = numberIn(c.req.header('last-event-id') ?? c.req.query('after') ?? '0');
      return watched(c, {
        hear: (again) => changes.on('rollout', rollout.id, again),
        async look(stream) {
          // who is no member any more hears nothing any more
          const topology = await allowed(db, person, slug, 'read');
          const now = await rolloutOf(db, topology.id, rollout.id);
          if (!now) return 'over';
          for (;;) {
            const steps = await stepsChangedAfter(db, now.id, heard);
            const page = steps.at(-1);
            if (steps.length === 0 && now.change <= heard) break;
            const more = steps.length > 0 && page !== undefined && page.change < now.change;
            heard = Math.max(heard, page?.change ?? 0, more ? 0 : now.change);
            const count = await countSteps(db, now.id);
            await stream.writeSSE({
              id: String(heard),
              data: JSON.stringify({ rollout: told(now), count, steps }),
            });
            if (!more) break;
          }
          if (now.state === 'applying' || now.state === 'planned') return;
          await stream.writeSSE({ event: 'over', data: '' });
          return 'over';
        },
        ended: release,
        againMs: LOOK_AGAIN_MS,
      });
    })
    .post('/:slug/rollouts/:id/consent', async (c) => {
      const person = c.get('person');
      const { topology, rollout } = await find(person, c.req.param('slug'), c.req.param('id'), 'approve');
      const { words } = await body(c, consentInput, { optional: true });
      await service.consent(topology, person, rollout, words ?? '');
      return c.body(null, 204);
    })
    .post('/:slug/rollouts/:id/apply', async (c) => {
      const person = c.get('person');
      const { topology, rollout } = await find(person, c.req.param('slug'), c.req.param('id'), 'operate');
      await service.apply(topology, person, rollout, await body(c, applyInput, { optional: true }));
      return c.body(null, 202);
    })
    .post('/:slug/rollouts/:id/stop', async (c) => {
      const person = c.get('person');
      const { topology, rollout } = await find(person, c.req.param('slug'), c.req.param('id'), 'operate');
      await service.stop(topology, person, rollout);
      return c.body(null, 202);
    })
    .get('/:slug/rollouts/:id/probe-set', async (c) => {
      const person = c.get('person');
      const { rollout } = await find(person, c.req.param('slug'), c.req.param('id'), 'operate');
      const of = c.req.query('of') ?? 'samples';
      if (of !== 'samples' && of !== 'classes')
        throw new Problem(400, 'No such set', 'A set is `of=samples` or `of=classes`.');
      return c.json(await service.probeSet(person, rollout, of));
    })
    .post('/:slug/rollouts/:id/probes', async (c) => {
      const person = c.get('person');
      const { topology, rollout } = await find(person, c.req.param('slug'), c.req.param('id'), 'operate');
      const input = await body(c, newProbe);
      const made = await service.probe(topology, person, rollout, {
        ...input,
        via: input.via as 'amqp' | 'mqtt' | undefined,
        sample: (input.sample ?? {}) as Partial<Message>,
      });
      return c.json(await probesOf(db, rollout.id, made), 201);
    });
}
