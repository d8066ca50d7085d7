import { Hono } from 'hono';
import { number, object, string } from 'yup';
import { record, type Database } from '../db/connect.ts';
import { Budget } from '../http/budget.ts';
import { body, numberIn } from '../http/input.ts';
import { jsonList, sentInPieces } from '../http/pieces.ts';
import { notFound, Problem } from '../http/problem.ts';
import type { Env } from '../http/session.ts';
import type { Glance } from '../topologies/glance.ts';
import type { Work } from '../work/pool.ts';
import { LARGEST_INTEGER } from '../topologies/documents.ts';
import { moved } from '../topologies/routes.ts';
import { allowed } from '../topologies/service.ts';
import { draftHeadOf, takeDraft } from '../topologies/store.ts';
import {
  insertRevision,
  isSameAsDraft,
  revisionDocumentsJson,
  revisionOf,
  revisionSize,
  revisionsOf,
} from './store.ts';

/** So many glances at revisions are kept. */
const MOST_GLANCES = 2000;

const newRevision = object({
  version: number().integer().min(0).max(LARGEST_INTEGER).required(),
  words: string().trim().required('say in a sentence what this revision changes').max(1000),
}).noUnknown();

/**
 * Immutable revisions of a topology, made from its draft.
 * @param sending what large texts that are being sent count against
 */
export function revisionRoutes(db: Database, work: Work, sending: Budget): Hono<Env> {
  const looking = new Budget({ all: 32, each: 8 }, 'revisions being looked through');
  /** What was found of revisions, which never change: those asked for last. */
  const glances = new Map<string, Promise<Glance | undefined>>();
  function glance(topologyId: number, number: number): Promise<Glance | undefined> {
    const id = `${topologyId} ${number}`;
    const known = glances.get(id);
    if (known) return known;
    const found = work.run('glanceRevision', { topologyId, number });
    glances.set(id, found);
    // what failed may go through the next time, and what is not there may come
    const forget = () => glances.get(id) === found && glances.delete(id);
    found.then((value) => value ?? forget(), forget);
    const [oldest] = glances.keys();
    if (glances.size > MOST_GLANCES) glances.delete(oldest!);
    return found;
  }
  return new Hono<Env>()
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
      const saved = await db.transaction(async (tx) => {
        // taking the draft's row first makes two saves at once queue up behind each other
        const written = await takeDraft(tx, topology.id, person.id, version);
        const draft = await draftHeadOf(tx, topology.id);
        if (written === undefined) throw moved(draft);
        if (draft.base && (await isSameAsDraft(tx, topology.id, draft.base)))
          throw new Problem(409, 'Nothing to save', `The draft is the same as revision ${draft.base}.`);
        const number = await insertRevision(tx, {
          topologyId: topology.id,
          authorId: person.id,
          words,
          parent: draft.base || null,
        });
        const next = await takeDraft(tx, topology.id, person.id, written, number);
        await record(tx, 'save revision', {
          personId: person.id,
          topologyId: topology.id,
          details: { number, words },
        });
        return { number, version: next };
      });
      return c.json(saved, 201);
    });
}
