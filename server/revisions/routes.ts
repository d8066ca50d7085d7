import { Hono } from 'hono';
import { number, object, string } from 'yup';
import { record, type Database } from '../db/connect.ts';
import { body, numberIn } from '../http/input.ts';
import { notFound, Problem } from '../http/problem.ts';
import type { Env } from '../http/session.ts';
import { moved } from '../topologies/routes.ts';
import { allowed } from '../topologies/service.ts';
import { draftOf, writeDraft } from '../topologies/store.ts';
import { documentsOf, insertRevision, revisionsOf } from './store.ts';

const newRevision = object({
  version: number().integer().required('version is missing'),
  words: string().trim().required('say in a sentence what this revision changes').max(2000),
}).noUnknown();

/** Immutable revisions of a topology, made from its draft. */
export function revisionRoutes(db: Database): Hono<Env> {
  return new Hono<Env>()
    .get('/:slug/revisions', async (c) => {
      const topology = await allowed(db, c.get('person'), c.req.param('slug'), 'read');
      return c.json(await revisionsOf(db, topology.id));
    })
    .get('/:slug/revisions/:number', async (c) => {
      const topology = await allowed(db, c.get('person'), c.req.param('slug'), 'read');
      const revision = numberIn(c.req.param('number'));
      const documents = await documentsOf(db, topology.id, revision);
      if (!documents) throw notFound(`revision ${revision}`);
      return c.json({ number: revision, documents });
    })
    .post('/:slug/revisions', async (c) => {
      const person = c.get('person');
      const topology = await allowed(db, person, c.req.param('slug'), 'write');
      const { version, words } = await body(c, newRevision);
      const saved = await db.transaction(async (tx) => {
        const draft = await draftOf(tx, topology.id);
        if (draft.version !== version) throw moved(draft);
        const before = draft.base ? await documentsOf(tx, topology.id, draft.base) : undefined;
        if (
          before &&
          JSON.stringify(before) === JSON.stringify(draft.documents.map(({ name, text }) => ({ name, text })))
        ) {
          throw new Problem(409, 'Nothing to save', `The draft is the same as revision ${draft.base}.`);
        }
        // taking the draft's row first makes two saves at once queue up behind each other
        const written = await writeDraft(tx, topology.id, person.id, version, {});
        if (written === undefined) throw moved(await draftOf(tx, topology.id));
        const number = await insertRevision(tx, {
          topologyId: topology.id,
          authorId: person.id,
          words,
          parent: draft.base || null,
          documents: draft.documents,
        });
        const next = await writeDraft(tx, topology.id, person.id, written, { base: number });
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
