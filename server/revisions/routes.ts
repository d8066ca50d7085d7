import { Hono } from 'hono';
import { blamed, newRevision } from '@vondle/api';
import { record, type Database } from '../db/connect.ts';
import { Budget } from '../http/budget.ts';
import { body, check, numberIn } from '../http/input.ts';
import { jsonList, sentInPieces } from '../http/pieces.ts';
import { notFound, Problem } from '../http/problem.ts';
import type { Env } from '../http/session.ts';
import type { Glance } from '../topologies/glance.ts';
import type { Work } from '../work/pool.ts';
import { askedDraft, moved } from '../drafts/routes.ts';
import { draftFor, takeDraft } from '../drafts/store.ts';
import { tell } from '../live/changes.ts';
import { allowed } from '../topologies/service.ts';
import { lockTopology } from '../topologies/store.ts';
import {
  insertRevision,
  isSameAsDraft,
  keepGlance,
  knownGlance,
  newestRevision,
  revisionDocumentsJson,
  revisionOf,
  revisionSize,
  revisionsOf,
} from './store.ts';

/**
 * Immutable revisions of a topology, made from its draft.
 * @param sending what large texts that are being sent count against
 */
export function revisionRoutes(db: Database, work: Work, sending: Budget): Hono<Env> {
  const looking = new Budget({ all: 32, each: 8 }, 'revisions being looked through');
  /** Revisions that are looked through now, each once for whoever asks. */
  const underWay = new Map<string, Promise<Glance | undefined>>();
  /** @returns how a revision stood: worked out once, and kept with it */
  async function glance(topologyId: number, number: number): Promise<Glance | undefined> {
    const known = await knownGlance(db, topologyId, number);
    if (known === 'none') return undefined;
    if (known) return known;
    const id = `${topologyId} ${number}`;
    const other = underWay.get(id);
    if (other) return other;
    const found = work.run('glanceRevision', { topologyId, number });
    underWay.set(id, found);
    try {
      const made = await found;
      if (made) await keepGlance(db, topologyId, number, made);
      return made;
    } finally {
      underWay.delete(id);
    }
  }
  return new Hono<Env>()
    .get('/:slug/blame', async (c) => {
      const topology = await allowed(db, c.get('person'), c.req.param('slug'), 'read');
      const { doc } = check(blamed, { doc: c.req.query('doc') });
      const draft = await askedDraft(c, db, topology);
      const done = looking.take(`person ${c.get('person').id}`, 1);
      try {
        return c.json(await work.run('blame', { draftId: draft.id, doc }));
      } finally {
        done();
      }
    })
    .get('/:slug/revisions/:number/glance', async (c) => {
      const topology = await allowed(db, c.get('person'), c.req.param('slug'), 'read');
      const number = numberIn(c.req.param('number'));
      const done = looking.take(`person ${c.get('person').id}`, 1);
      try {
        const found = await glance(topology.id, number);
        if (!found) throw notFound(`revision ${number}`);
        return c.json(found);
      } finally {
        done();
      }
    })
    .get('/:slug/revisions', async (c) => {
      const topology = await allowed(db, c.get('person'), c.req.param('slug'), 'read');
      return c.json(await revisionsOf(db, topology.id));
    })
    .get('/:slug/revisions/:number', async (c) => {
      const topology = await allowed(db, c.get('person'), c.req.param('slug'), 'read');
      const number = numberIn(c.req.param('number'));
      const revision = await revisionOf(db, topology.id, number);
      if (!revision) throw notFound(`revision ${number}`);
      const release = sending.take(`person ${c.get('person').id}`, 3 * (await revisionSize(db, revision.id)));
      try {
        const documents = await revisionDocumentsJson(db, revision.id);
        return sentInPieces(c, jsonList(`{"number":${number}`, documents, '}'), release);
      } catch (error) {
        release();
        throw error;
      }
    })
    .post('/:slug/revisions', async (c) => {
      const person = c.get('person');
      const topology = await allowed(db, person, c.req.param('slug'), 'write');
      const { version, words } = await body(c, newRevision);
      const asked = await askedDraft(c, db, topology);
      if (await work.run('ruled', { topologyId: topology.id }))
        throw new Problem(
          409,
          'Has to be proposed',
          'The topology says that others have to agree first: propose this draft, and it becomes a revision once they do.',
        );
      const saved = await db.transaction(async (tx) => {
        // two drafts that are saved at once queue up behind each other, and so do two saves of one
        await lockTopology(tx, topology.id);
        const written = await takeDraft(tx, asked.id, person.id, version);
        const draft = (await draftFor(tx, topology.id, asked.id)) ?? asked;
        if (written === undefined) throw moved(draft);
        const newest = await newestRevision(tx, topology.id);
        if (draft.base !== newest)
          throw new Problem(
            409,
            'The base has moved',
            `Revision ${newest} was saved meanwhile, and this draft goes on from ${draft.base ? `revision ${draft.base}` : 'nothing'}. Bring it in first: saved as it is, the draft would undo it.`,
            { newest },
          );
        if (draft.base && (await isSameAsDraft(tx, draft.id, topology.id, draft.base)))
          throw new Problem(409, 'Nothing to save', `The draft is the same as revision ${draft.base}.`);
        const number = await insertRevision(tx, draft.id, {
          topologyId: topology.id,
          savedBy: person.id,
          words,
          parent: draft.base || null,
        });
        const next = await takeDraft(tx, draft.id, person.id, written, number);
        await record(tx, 'save revision', {
          personId: person.id,
          topologyId: topology.id,
          details: { number, words, draft: draft.name },
        });
        await tell(tx, 'topology', topology.id);
        return { number, version: next };
      });
      // how it stands is known by the time that somebody looks; where that fails it is worked out then
      glance(topology.id, saved.number).catch(() => undefined);
      return c.json(saved, 201);
    });
}
