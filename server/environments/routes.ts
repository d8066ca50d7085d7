import { Hono } from 'hono';
import {
  newTarget,
  protectedEnvironment,
  protection,
  takeIn,
  triedTarget,
  type AmqpAddresses,
  type HostedAddresses,
} from '@vondle/api';
import { record, type Database } from '../db/connect.ts';
import { Budget } from '../http/budget.ts';
import { body, check, numberIn } from '../http/input.ts';
import { notFound, Problem } from '../http/problem.ts';
import type { Env } from '../http/session.ts';
import { placeOn, type BuiltIn } from '../targets/amqp/built-in.ts';
import { BrokerTrouble } from '../targets/amqp/trouble.ts';
import { spaceOn, type BuiltInHosted } from '../targets/hosted/built-in.ts';
import { allowed } from '../topologies/service.ts';
import type { Work } from '../work/pool.ts';
import {
  isInUse,
  openTarget,
  protect,
  protectedEnvironments,
  removeTarget,
  reachedBy,
  setTarget,
  type Addressed,
  targetsOf,
  unprotect,
  type Openers,
} from './store.ts';

const IN_USE = (environment: string, broker: string) =>
  new Problem(
    409,
    'In use',
    `A rollout is being carried out on ${broker} in ${environment}; wait for its end, or stop it.`,
  );

/**
 * Broker connections of a topology's environments. Addresses go in and never come out again.
 * @param builtIn the broker, and the publish-subscribe service, that came with the installation, if they did
 */
export function targetRoutes(
  db: Database,
  openers: Openers,
  work: Work,
  { builtIn, builtInHosted }: { builtIn?: BuiltIn; builtInHosted?: BuiltInHosted },
): Hono<Env> {
  const { sealer, allowed: mayReach } = openers;
  const trying = new Budget({ all: 8, each: 1 }, 'connections being tried out');
  async function place(vhost: string): Promise<AmqpAddresses> {
    if (!builtIn)
      throw new Problem(409, 'No such broker', 'There is no built-in broker here; say the addresses of one.');
    try {
      return await placeOn(builtIn, mayReach, vhost);
    } catch (error) {
      if (!(error instanceof BrokerTrouble)) throw error;
      throw new Problem(
        502,
        'Broker not reached',
        `The built-in broker could not be asked: ${error.message}.`,
      );
    }
  }
  async function space(name: string): Promise<HostedAddresses> {
    if (!builtInHosted)
      throw new Problem(
        409,
        'No such broker',
        'There is no built-in publish-subscribe service here; say the address of one.',
      );
    try {
      return await spaceOn(builtInHosted, mayReach, name);
    } catch (error) {
      if (!(error instanceof BrokerTrouble)) throw error;
      throw new Problem(
        502,
        'Broker not reached',
        `The built-in publish-subscribe service could not be asked: ${error.message}.`,
      );
    }
  }

  return new Hono<Env>()
    .get('/:slug/targets', async (c) => {
      const topology = await allowed(db, c.get('person'), c.req.param('slug'), 'read');
      return c.json(await targetsOf(db, topology.id));
    })
    .get('/:slug/targets/places', async (c) => {
      const topology = await allowed(db, c.get('person'), c.req.param('slug'), 'read');
      const declared = await work.run('declared', { topologyId: topology.id });
      return c.json({
        ...declared,
        builtIn: builtIn !== undefined,
        builtInHosted: builtInHosted !== undefined,
      });
    })
    .put('/:slug/targets', async (c) => {
      const person = c.get('person');
      const topology = await allowed(db, person, c.req.param('slug'), 'operate');
      const input = await body(c, newTarget);
      const { environment, broker } = input;
      const declared = await work.run('declared', { topologyId: topology.id });
      const known = (what: string, given: string, names: readonly string[]) => {
        if (names.includes(given)) return;
        const are = names.length ? `those declared are ${names.slice(0, 20).join(', ')}` : 'none is declared';
        throw new Problem(
          422,
          `No such ${what}`,
          `Neither the draft nor the newest revision declares this ${what}; ${are}.`,
        );
      };
      known('environment', environment, declared.environments);
      known('broker', broker, declared.brokers);
      const isHosted = declared.hosted.includes(broker);
      if (isHosted !== (input.kind === 'hosted'))
        throw new Problem(
          422,
          'Another kind',
          `${broker} is declared as ${isHosted ? 'a publish-subscribe' : 'an AMQP 0-9-1'} broker; connect one of that kind.`,
        );
      const addressed: Addressed = isHosted
        ? {
            kind: 'hosted',
            addresses: input.hosted ?? (await space(`${topology.slug}.${environment}.${broker}`)),
          }
        : {
            kind: 'amqp',
            addresses: input.addresses ?? (await place(`${topology.slug}-${environment}-${broker}`)),
          };
      const target = await db.transaction(async (tx) => {
        if (await isInUse(tx, topology.id, input)) throw IN_USE(environment, broker);
        await record(tx, 'set target', {
          personId: person.id,
          topologyId: topology.id,
          details: { environment, broker },
        });
        return setTarget(tx, sealer, {
          topologyId: topology.id,
          environment,
          broker,
          ...addressed,
        });
      });
      return c.json({ id: target });
    })
    .post('/:slug/targets/try', async (c) => {
      const person = c.get('person');
      const topology = await allowed(db, person, c.req.param('slug'), 'operate');
      const { addresses, hosted, target } = await body(c, triedTarget);
      const done = trying.take(`person ${person.id}`, 1);
      try {
        const known = target === undefined ? undefined : await openTarget(db, openers, topology.id, target);
        if (target !== undefined && !known) throw notFound(`target ${target}`);
        const reached =
          known?.reached ??
          (addresses ? reachedBy('amqp', addresses, mayReach) : reachedBy('hosted', hosted, mayReach));
        return c.json({ tried: await reached.tryOut() });
      } finally {
        done();
      }
    })
    .post('/:slug/targets/:id/taken-in', async (c) => {
      const person = c.get('person');
      const topology = await allowed(db, person, c.req.param('slug'), 'operate');
      const done = trying.take(`person ${person.id}`, 1);
      try {
        const targetId = numberIn(c.req.param('id'));
        const { rights = false, sample = 0 } = await body(c, takeIn);
        const { bodies, ...taken } = await work.run('takeIn', {
          topologyId: topology.id,
          targetId,
          rights,
          sample,
          // what is of no type yet may carry anything
          bodies: topology.reads === 'guarded bodies',
        });
        await record(db, 'take in broker', {
          personId: person.id,
          topologyId: topology.id,
          details: { target: targetId, messages: taken.looked, bodies },
        });
        return c.json(taken);
      } finally {
        done();
      }
    })
    .delete('/:slug/targets/:id', async (c) => {
      const person = c.get('person');
      const topology = await allowed(db, person, c.req.param('slug'), 'operate');
      const id = numberIn(c.req.param('id'));
      await db.transaction(async (tx) => {
        const gone = await removeTarget(tx, topology.id, id);
        if (!gone) throw notFound(`target ${id}`);
        const { environment, broker } = gone;
        if (await isInUse(tx, topology.id, gone)) throw IN_USE(environment, broker);
        await record(tx, 'remove target', {
          personId: person.id,
          topologyId: topology.id,
          details: { environment, broker },
        });
      });
      return c.body(null, 204);
    })
    .get('/:slug/protections', async (c) => {
      const topology = await allowed(db, c.get('person'), c.req.param('slug'), 'read');
      return c.json(await protectedEnvironments(db, topology.id));
    })
    .put('/:slug/protections/:environment', async (c) => {
      const person = c.get('person');
      const topology = await allowed(db, person, c.req.param('slug'), 'approve');
      const { environment } = check(protectedEnvironment, {
        environment: c.req.param('environment'),
      });
      const { protected: wanted } = await body(c, protection);
      await db.transaction(async (tx) => {
        if (wanted) await protect(tx, topology.id, environment, person.id);
        else await unprotect(tx, topology.id, environment);
        await record(tx, wanted ? 'protect environment' : 'lift protection', {
          personId: person.id,
          topologyId: topology.id,
          details: { environment },
        });
      });
      return c.json({ environment, protected: wanted });
    });
}
