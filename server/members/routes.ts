import { Hono } from 'hono';
import { newInvitation, roleInput } from '@vondle/api';
import { record, type Database } from '../db/connect.ts';
import { body, numberIn } from '../http/input.ts';
import { notFound, Problem } from '../http/problem.ts';
import type { Env } from '../http/session.ts';
import { tell } from '../live/changes.ts';
import { newKey } from '../people/keys.ts';
import { allowed } from '../topologies/service.ts';
import { lockTopology } from '../topologies/store.ts';
import {
  countOwners,
  insertInvitation,
  invitationsOf,
  memberCalled,
  membersOf,
  MOST_INVITATIONS,
  removeInvitation,
  removeMember,
  setMember,
  setReads,
} from './store.ts';

const LAST_OWNER = new Problem(
  409,
  'The last owner',
  'A topology needs an owner: make somebody else one first.',
);

/** Who belongs to a topology, as what; and invitations, which are links that let one person in, once. */
export function memberRoutes(db: Database): Hono<Env> {
  return new Hono<Env>()
    .get('/:slug/members', async (c) => {
      const topology = await allowed(db, c.get('person'), c.req.param('slug'), 'read');
      return c.json(await membersOf(db, topology.id));
    })
    .put('/:slug/members/:handle', async (c) => {
      const person = c.get('person');
      const topology = await allowed(db, person, c.req.param('slug'), 'manage');
      const { role, reads } = await body(c, roleInput);
      await db.transaction(async (tx) => {
        await lockTopology(tx, topology.id);
        const member = await memberCalled(tx, topology.id, c.req.param('handle'));
        // who is no member is let in by an invitation that they take
        if (!member) throw notFound('such member');
        const wanted = role ?? member.role;
        if (member.role === 'owner' && wanted !== 'owner' && (await countOwners(tx, topology.id)) === 1)
          throw LAST_OWNER;
        if (wanted !== member.role) {
          await setMember(tx, topology.id, member.id, wanted);
          await record(tx, 'change role', {
            personId: person.id,
            topologyId: topology.id,
            details: { member: member.handle, from: member.role, to: wanted },
          });
        }
        if (reads && reads !== member.reads) {
          await setReads(tx, topology.id, member.id, reads);
          await record(tx, 'change what is read', {
            personId: person.id,
            topologyId: topology.id,
            details: { member: member.handle, from: member.reads, to: reads },
          });
        }
        await tell(tx, 'topology', topology.id);
      });
      return c.body(null, 204);
    })
    .delete('/:slug/members/:handle', async (c) => {
      const person = c.get('person');
      const handle = c.req.param('handle');
      // everybody may leave
      const topology = await allowed(
        db,
        person,
        c.req.param('slug'),
        handle === person.handle && !person.limits ? 'read' : 'manage',
      );
      await db.transaction(async (tx) => {
        await lockTopology(tx, topology.id);
        const member = await memberCalled(tx, topology.id, handle);
        if (!member) throw notFound('such member');
        if (member.role === 'owner' && (await countOwners(tx, topology.id)) === 1) throw LAST_OWNER;
        await removeMember(tx, topology.id, member.id);
        await record(tx, 'end membership', {
          personId: person.id,
          topologyId: topology.id,
          details: { member: member.handle, role: member.role },
        });
        await tell(tx, 'topology', topology.id);
      });
      return c.body(null, 204);
    })
    .get('/:slug/invitations', async (c) => {
      const topology = await allowed(db, c.get('person'), c.req.param('slug'), 'manage');
      return c.json(await invitationsOf(db, topology.id));
    })
    .post('/:slug/invitations', async (c) => {
      const person = c.get('person');
      const topology = await allowed(db, person, c.req.param('slug'), 'manage');
      const { role: wanted, words = '', days = 7 } = await body(c, newInvitation);
      const key = newKey();
      const expiresAt = new Date(Date.now() + days * 86_400_000);
      const id = await db.transaction(async (tx) => {
        await lockTopology(tx, topology.id);
        if ((await invitationsOf(tx, topology.id)).length >= MOST_INVITATIONS)
          throw new Problem(409, 'Too many', 'There are too many open invitations; take one back first.');
        await record(tx, 'invite', {
          personId: person.id,
          topologyId: topology.id,
          details: { role: wanted, words, days },
        });
        return insertInvitation(
          tx,
          { topologyId: topology.id, role: wanted, words, createdBy: person.id, expiresAt },
          key,
        );
      });
      // told this once: only its hash is kept
      return c.json({ id, key, expiresAt }, 201);
    })
    .delete('/:slug/invitations/:id', async (c) => {
      const person = c.get('person');
      const topology = await allowed(db, person, c.req.param('slug'), 'manage');
      const id = numberIn(c.req.param('id'));
      await db.transaction(async (tx) => {
        if (!(await removeInvitation(tx, topology.id, id))) throw notFound('such invitation');
        await record(tx, 'take invitation back', {
          personId: person.id,
          topologyId: topology.id,
          details: { invitation: id },
        });
      });
      return c.body(null, 204);
    });
}
