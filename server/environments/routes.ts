import { Hono } from 'hono';
import { object, string } from 'yup';
import { record, type Database } from '../db/connect.ts';
import { body } from '../http/input.ts';
import type { Env } from '../http/session.ts';
import type { Sealer } from '../secrets.ts';
import { amqpAddresses } from '../targets/amqp/address.ts';
import { allowed } from '../topologies/service.ts';
import { setTarget, targetsOf } from './store.ts';

const id = string().matches(
  /^[a-z][a-z0-9-]*$/,
  '${path} is small letters, digits and hyphens, a letter first',
);

const targetInput = object({
  environment: id.required('environment is missing'),
  broker: id.required('broker is missing'),
  kind: string()
    .oneOf(['amqp'] as const)
    .required('kind is missing'),
  addresses: amqpAddresses.required('addresses are missing'),
}).noUnknown();

/** Broker connections of a topology's environments. Addresses go in and never come out again. */
export function targetRoutes(db: Database, sealer: Sealer): Hono<Env> {
  return new Hono<Env>()
    .get('/:slug/targets', async (c) => {
      const topology = await allowed(db, c.get('person'), c.req.param('slug'), 'read');
      return c.json(await targetsOf(db, topology.id));
    })
    .put('/:slug/targets', async (c) => {
      const person = c.get('person');
      const topology = await allowed(db, person, c.req.param('slug'), 'write');
      const input = await body(c, targetInput);
      const target = await db.transaction(async (tx) => {
        const { environment, broker } = input;
        await record(tx, 'set target', {
          personId: person.id,
          topologyId: topology.id,
          details: { environment, broker },
        });
        return setTarget(tx, sealer, { topologyId: topology.id, ...input });
      });
      return c.json({ id: target });
    });
}
