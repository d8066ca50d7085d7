import { askedMessages, askedTaking, MOST_LOOKED, newOperation, newProbe } from '@vondle/api';
import type { Message } from '@vondle/core/conditions';
import { Hono } from 'hono';
import type { Database } from '../db/connect.ts';
import { body, check, numberIn } from '../http/input.ts';
import type { Env } from '../http/session.ts';
import { allowed } from '../topologies/service.ts';
import type { Messages } from './service.ts';

/** So many are looked at where nobody says how many. */
const LOOKED = 20;

/** Messages on the brokers of an environment. */
export function messageRoutes(db: Database, messages: Messages): Hono<Env> {
  return new Hono<Env>()
    .get('/:slug/messages/:environment', async (c) => {
      const person = c.get('person');
      const topology = await allowed(db, person, c.req.param('slug'), 'operate');
      const { most = LOOKED, ...asked } = check(askedMessages, {
        ...c.req.query(),
        ...(c.req.query('most') === undefined ? {} : { most: Number(c.req.query('most')) }),
      });
      const where = { topologyId: topology.id, environment: c.req.param('environment') };
      return c.json(
        await messages.look(person.id, where, {
          ...asked,
          most: Math.min(most, MOST_LOOKED),
          reads: topology.reads,
        }),
      );
    })
    .post('/:slug/messages/:environment/take', async (c) => {
      const person = c.get('person');
      const topology = await allowed(db, person, c.req.param('slug'), 'operate');
      const asked = await body(c, askedTaking);
      const where = { topologyId: topology.id, environment: c.req.param('environment') };
      return c.json(await messages.take(person.id, where, { ...asked, reads: topology.reads }));
    })
    .post('/:slug/messages/:environment/send', async (c) => {
      const person = c.get('person');
      const topology = await allowed(db, person, c.req.param('slug'), 'operate');
      const { sample, ...input } = await body(c, newProbe);
      return c.json(
        await messages.send(
          person.id,
          { topologyId: topology.id, environment: c.req.param('environment') },
          {
            ...input,
            via: input.via as 'amqp' | 'mqtt' | undefined,
            sample: (sample ?? {}) as Partial<Message>,
          },
        ),
      );
    })
    .get('/:slug/messages/:environment/operations', async (c) => {
      const topology = await allowed(db, c.get('person'), c.req.param('slug'), 'read');
      return c.json(
        await messages.operations({ topologyId: topology.id, environment: c.req.param('environment') }),
      );
    })
    .post('/:slug/messages/:environment/operations', async (c) => {
      const person = c.get('person');
      const topology = await allowed(db, person, c.req.param('slug'), 'operate');
      const asked = await body(c, newOperation);
      const where = { topologyId: topology.id, environment: c.req.param('environment') };
      return c.json({ id: await messages.begin(person.id, where, asked) }, 202);
    })
    .post('/:slug/messages/:environment/operations/:id/stop', async (c) => {
      const topology = await allowed(db, c.get('person'), c.req.param('slug'), 'operate');
      const where = { topologyId: topology.id, environment: c.req.param('environment') };
      await messages.stop(where, numberIn(c.req.param('id')));
      return c.body(null, 204);
    });
}
