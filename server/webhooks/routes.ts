import { Hono, type Context } from 'hono';
import { newWebhook } from '@vondle/api';
import { record, type Database } from '../db/connect.ts';
import { Budget } from '../http/budget.ts';
import { body, numberIn } from '../http/input.ts';
import { notFound, Problem } from '../http/problem.ts';
import type { Env } from '../http/session.ts';
import type { Openers } from '../environments/store.ts';
import { allowed } from '../topologies/service.ts';
import { lockTopology } from '../topologies/store.ts';
import { agrees, deliver, NotReached } from './post.ts';
import {
  deliveriesOf,
  hasWebhook,
  insertWebhook,
  MOST_WEBHOOKS,
  receiverOf,
  removeWebhook,
  trialEvent,
  webhooksOf,
} from './store.ts';

const DELIVERIES = 50;

/**
 * Webhooks of a topology: who else is told of what goes on in it.
 * @param origin by which receivers know this server
 */
export function webhookRoutes(
  db: Database,
  { sealer, allowed: mayReach }: Openers,
  origin: string,
): Hono<Env> {
  const asking = new Budget({ all: 16, each: 2 }, 'receivers being asked');
  async function find(c: Context<Env>) {
    const topology = await allowed(db, c.get('person'), c.req.param('slug') ?? '', 'manage');
    const id = numberIn(c.req.param('id'));
    if (!(await hasWebhook(db, topology.id, id))) throw notFound('such webhook');
    return { topology, id };
  }
  return new Hono<Env>()
    .get('/:slug/webhooks', async (c) => {
      const topology = await allowed(db, c.get('person'), c.req.param('slug'), 'manage');
      return c.json(await webhooksOf(db, topology.id));
    })
    .post('/:slug/webhooks', async (c) => {
      const person = c.get('person');
      const topology = await allowed(db, person, c.req.param('slug'), 'manage');
      const { url, events, token = '' } = await body(c, newWebhook);
      const done = asking.take(`person ${person.id}`, 1);
      try {
        const why = await agrees({ url, token }, mayReach, origin);
        if (why !== undefined)
          throw new Problem(422, 'Not agreed', `The receiver has not agreed to be told: ${why}.`);
      } finally {
        done();
      }
      const id = await db.transaction(async (tx) => {
        await lockTopology(tx, topology.id);
        const row = {
          topologyId: topology.id,
          url,
          events: [...new Set(events)],
          createdBy: person.id,
          token,
        };
        const made = await insertWebhook(tx, sealer, row);
        if (made === undefined)
          throw new Problem(
            409,
            'Too many',
            `A topology has at most ${MOST_WEBHOOKS} webhooks; remove one first.`,
          );
        await record(tx, 'add webhook', {
          personId: person.id,
          topologyId: topology.id,
          details: { host: new URL(url).host, events },
        });
        return made;
      });
      return c.json({ id }, 201);
    })
    .delete('/:slug/webhooks/:id', async (c) => {
      const { topology, id } = await find(c);
      await db.transaction(async (tx) => {
        const url = await removeWebhook(tx, topology.id, id);
        if (url === undefined) throw notFound('such webhook');
        await record(tx, 'remove webhook', {
          personId: c.get('person').id,
          topologyId: topology.id,
          details: { host: new URL(url).host },
        });
      });
      return c.body(null, 204);
    })
    .post('/:slug/webhooks/:id/try', async (c) => {
      const { topology, id } = await find(c);
      const person = c.get('person');
      const done = asking.take(`person ${person.id}`, 1);
      try {
        const receiver = await receiverOf(db, sealer, topology.id, id);
        if (!receiver) throw notFound('such webhook');
        const { status } = await deliver(receiver, mayReach, trialEvent(topology.slug, person.handle));
        return c.json({ taken: status >= 200 && status < 300, said: `it answered ${status}` });
      } catch (error) {
        if (!(error instanceof NotReached)) throw error;
        return c.json({ taken: false, said: error.message });
      } finally {
        done();
      }
    })
    .get('/:slug/webhooks/:id/deliveries', async (c) => {
      const { id } = await find(c);
      return c.json(await deliveriesOf(db, id, DELIVERIES));
    });
}
