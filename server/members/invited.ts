/** What an invitation's link leads to: who has an account joins, who has none makes one first. */
import { Hono, type Context } from 'hono';
import { newAccount } from '@vondle/api';
import { record, type Database, type Transaction } from '../db/connect.ts';
import { body } from '../http/input.ts';
import { notFound, Problem } from '../http/problem.ts';
import { COOKIE, giveCookie, signedIn, type Env } from '../http/session.ts';
import { tell } from '../live/changes.ts';
import type { Attempts } from '../people/attempts.ts';
import { isKey } from '../people/keys.ts';
import { hashPassword } from '../people/passwords.ts';
import { insertPerson, openSession, type Person } from '../people/store.ts';
import { invitationTo, memberCalled, membersOf, MOST_MEMBERS, setMember, useInvitation } from './store.ts';

const NOT_OPEN = new Problem(
  410,
  'Not open any more',
  'This invitation was used, taken back, or has expired. Ask whoever sent it for another.',
);

/**
 * Routes for whoever has the key of an invitation.
 * @param attempts what guesses count against, as wrong passwords do
 */
export function invitedRoutes(db: Database, attempts: Attempts): Hono<Env> {
  async function asked(c: Context<Env>) {
    const key = c.req.param('key') ?? '';
    if (!isKey(key)) throw notFound('such invitation');
    const settle = await attempts.begin({
      handle: 'an invitation',
      address: c.get('address'),
      device: undefined,
    });
    const found = await invitationTo(db, key);
    if (!found) throw NOT_OPEN;
    await settle('right');
    return found;
  }
  type Found = Awaited<ReturnType<typeof asked>>;

  async function join(tx: Transaction, person: Person, { id, topologyId, role }: Found): Promise<void> {
    if (await memberCalled(tx, topologyId, person.handle))
      throw new Problem(409, 'A member already', 'You belong to this topology already.');
    if ((await membersOf(tx, topologyId)).length >= MOST_MEMBERS)
      throw new Problem(409, 'Too many', `A topology has at most ${MOST_MEMBERS} members.`);
    if (!(await useInvitation(tx, id, person.id))) throw NOT_OPEN;
    await setMember(tx, topologyId, person.id, role);
    await record(tx, 'join', { personId: person.id, topologyId, details: { invitation: id, role } });
    await tell(tx, 'topology', topologyId);
  }

  return new Hono<Env>()
    .get('/:key', async (c) => {
      const { topology, role, words, by, expiresAt } = await asked(c);
      return c.json({ topology, role, words, by, expiresAt });
    })
    .post('/:key/join', signedIn(db), async (c) => {
      const found = await asked(c);
      await db.transaction((tx) => join(tx, c.get('person'), found));
      return c.json({ slug: found.slug });
    })
    .post('/:key/account', async (c) => {
      const { handle, name, password } = await body(c, newAccount);
      const found = await asked(c);
      const hash = await hashPassword(password);
      const { person, token, expiresAt } = await db.transaction(async (tx) => {
        const made = await insertPerson(tx, { handle, name, password: hash });
        if (!made) throw new Problem(409, 'Taken', `Somebody is called ${handle} already.`);
        await record(tx, 'make account', { personId: made.id });
        await join(tx, made, found);
        return { person: made, ...(await openSession(tx, made.id)) };
      });
      giveCookie(c, COOKIE, token, expiresAt);
      return c.json({ slug: found.slug, handle: person.handle, name: person.name }, 201);
    });
}
