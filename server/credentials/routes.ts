import { Hono } from 'hono';
import { record, type Database } from '../db/connect.ts';
import { openTarget, targetsOf, type Openers } from '../environments/store.ts';
import { Budget } from '../http/budget.ts';
import { numberIn } from '../http/input.ts';
import { notFound, Problem } from '../http/problem.ts';
import type { Env } from '../http/session.ts';
import { AmqpTarget } from '../targets/amqp/target.ts';
import { brokerTrouble } from '../targets/amqp/trouble.ts';
import { allowed } from '../topologies/service.ts';
import { anotherPassword, credentialOf, credentialsOf, handOut, openPassword } from './store.ts';

/** The users of apps: who they are, and their passwords, once. */
export function credentialRoutes(db: Database, openers: Openers): Hono<Env> {
  const renewing = new Budget({ all: 4, each: 1 }, 'passwords being changed');
  return new Hono<Env>()
    .get('/:slug/credentials', async (c) => {
      const topology = await allowed(db, c.get('person'), c.req.param('slug'), 'read');
      return c.json(await credentialsOf(db, topology.id));
    })
    .post('/:slug/credentials/:id/hand-out', async (c) => {
      const person = c.get('person');
      const topology = await allowed(db, person, c.req.param('slug'), 'operate');
      const id = numberIn(c.req.param('id'));
      const answer = await db.transaction(async (tx) => {
        const found = await credentialOf(tx, topology.id, id);
        if (!found) throw notFound(`user ${id}`);
        if (found.sealedPassword === null)
          throw new Problem(
            409,
            'Handed out already',
            `The password of ${found.name} was handed out before, and is not known here any more. Give it another one.`,
          );
        const password = openPassword(openers.sealer, found);
        await handOut(tx, id, person.id);
        const { app, environment, broker } = found;
        const details = { app, environment, broker };
        await record(tx, 'hand out password', { personId: person.id, topologyId: topology.id, details });
        return { user: found.name, password };
      });
      return c.json(answer);
    })
    .post('/:slug/credentials/:id/renew', async (c) => {
      const person = c.get('person');
      const topology = await allowed(db, person, c.req.param('slug'), 'operate');
      const id = numberIn(c.req.param('id'));
      const done = renewing.take(`person ${person.id}`, 1);
      const answer = await db
        .transaction(async (tx) => {
          const found = await credentialOf(tx, topology.id, id);
          if (!found) throw notFound(`user ${id}`);
          const { app, environment, broker, name, mark } = found;
          const target = (await targetsOf(db, topology.id)).find(
            (each) => each.environment === environment && each.broker === broker,
          );
          const opened = target && (await openTarget(tx, openers, topology.id, target.id));
          if (!(opened?.reached instanceof AmqpTarget))
            throw new Problem(409, 'No target', `${broker} in ${environment} is not connected any more.`);
          const { password, hash } = anotherPassword();
          const details = { app, environment, broker };
          await record(tx, 'renew password', { personId: person.id, topologyId: topology.id, details });
          await handOut(tx, id, person.id, hash);
          // the broker last: what it refuses is not written down either
          await opened.reached.putUser({ name, mark, hash }).catch((error: unknown) => {
            const { message } = brokerTrouble(error);
            throw new Problem(502, 'Broker not reached', `${broker} in ${environment}: ${message}.`);
          });
          return { user: name, password };
        })
        .finally(done);
      return c.json(answer);
    });
}
