import { Hono, type Context } from 'hono';
import { newDraft, renamedDraft } from '@vondle/api';
import { record, recordNowAndThen, type Database, type Transaction } from '../db/connect.ts';
import { body, LARGEST_DRAFT, numberIn } from '../http/input.ts';
import { forbidden, notFound, Problem } from '../http/problem.ts';
import type { Env } from '../http/session.ts';
import { copyWriters, wrote } from '../authorship/store.ts';
import { tell } from '../live/changes.ts';
import type { Person } from '../people/store.ts';
import { newestRevision, revisionOf } from '../revisions/store.ts';
import { allowed } from '../topologies/service.ts';
import type { TopologyRow } from '../topologies/store.ts';
import type { Work } from '../work/pool.ts';
import { Turns } from './turns.ts';
import {
  copyDocuments,
  draftFor,
  draftsOf,
  insertDraft,
  MOST_DRAFTS,
  putDocuments,
  removeDraft,
  renameDraft,
  takeDraft,
  type DraftHead,
} from './store.ts';

/** How often a merge is made again because the draft moved on another process meanwhile. */
const MOST_TRIES = 20;

/** @returns the draft that a request is about, the main one where it names none. @throws Problem 404 */
export async function askedDraft(
  c: Context<Env>,
  db: Transaction,
  topology: TopologyRow,
): Promise<DraftHead> {
  const asked = c.req.query('draft');
  const found = await draftFor(db, topology.id, asked === undefined ? undefined : numberIn(asked));
  if (!found) throw notFound(`draft ${asked}`);
  return found;
}

/** The draft was written by somebody else meanwhile: nothing is overwritten, and it is said by whom and when. */
export function moved(theirs: DraftHead): Problem {
  return new Problem(409, 'The draft has moved', 'Somebody else changed this draft since you opened it.', {
    theirs,
  });
}

const TAKEN = (name: string) => new Problem(409, 'Taken', `There is a draft called ${name} already.`);

/** Drafts of a topology: several, each with a name and the revision it goes on from. */
export function draftRoutes(db: Database, work: Work): Hono<Env> {
  const turns = new Turns();

  async function written(tx: Transaction, person: Person, topology: TopologyRow, draft: DraftHead) {
    await recordNowAndThen(tx, 'write draft', {
      personId: person.id,
      topologyId: topology.id,
      details: { draft: draft.name },
    });
    await tell(tx, 'topology', topology.id);
  }

  /** Takes the documents of a body in, on the version the body says. */
  async function write(c: Context<Env>, how: 'whole' | 'change'): Promise<Response> {
    const person = c.get('person');
    const topology = await allowed(db, person, c.req.param('slug') ?? '', 'write');
    const draft = await askedDraft(c, db, topology);
    const { bytes, release } = await c.get('intake').read(c, c.get('address'), LARGEST_DRAFT);
    try {
      // the bytes go to the thread and come back, and nobody here looks into them
      const moving = alone(bytes);
      const { read, back } = await work.run('documents', { bytes: moving, how }, [moving]);
      const version = await db.transaction(async (tx) => {
        if (read.base !== undefined && read.base > 0 && !(await revisionOf(tx, topology.id, read.base)))
          throw new Problem(
            422,
            'Not a draft',
            `There is no revision ${read.base} that it could go on from.`,
          );
        const taken = await takeDraft(tx, draft.id, person.id, read.version, read.base);
        if (taken === undefined) throw moved((await draftFor(tx, topology.id, draft.id)) ?? draft);
        const member = how === 'whole' ? 'documents' : 'changed';
        const missing = await putDocuments(tx, draft.id, read, Buffer.from(back), member);
        if (missing !== undefined)
          throw new Problem(
            422,
            'Not a draft',
            'The names have a document that is neither there nor sent. Send the whole draft instead.',
          );
        await wrote(tx, draft.id, person.id);
        await written(tx, person, topology, draft);
        return taken;
      });
      return c.json({ version });
    } finally {
      release();
    }
  }

  /** Puts documents that go on from a revision together with what the draft has by now. */
  async function mergeIn(c: Context<Env>): Promise<Response> {
    const person = c.get('person');
    const topology = await allowed(db, person, c.req.param('slug') ?? '', 'write');
    const draft = await askedDraft(c, db, topology);
    const { bytes, release } = await c.get('intake').read(c, c.get('address'), LARGEST_DRAFT);
    try {
      return await turns.take(draft.id, async () => {
        for (let tried = 0; tried < MOST_TRIES; tried++) {
          const moving = new Uint8Array(bytes).buffer;
          const merged = await work.run(
            'merge',
            { topologyId: topology.id, draftId: draft.id, bytes: moving },
            [moving],
          );
          if (merged.conflicts.length)
            throw new Problem(
              409,
              'Conflicts',
              `What you changed and what the draft ${draft.name} has by now differ in ${merged.conflicts.length === 1 ? 'one value' : `${merged.conflicts.length} values`}. Nothing was changed.`,
              { conflicts: merged.conflicts.slice(0, 100) },
            );
          if (!merged.documents) return c.json({ version: merged.version, changed: false });
          const documents = merged.documents;
          const version = await db.transaction(async (tx) => {
            const taken = await takeDraft(tx, draft.id, person.id, merged.version);
            if (taken === undefined) return undefined;
            const { names, came } = merged;
            await putDocuments(tx, draft.id, { names, came }, Buffer.from(documents), 'changed');
            await wrote(tx, draft.id, person.id);
            await written(tx, person, topology, draft);
            return taken;
          });
          if (version !== undefined) return c.json({ version, changed: true });
        }
        throw new Problem(503, 'Busy', 'The draft is being written by many at once; try again.', {}, 1);
      });
    } finally {
      release();
    }
  }

  /** @returns a draft by the number in the address, if this person may give it another name or take it away */
  async function own(c: Context<Env>) {
    const person = c.get('person');
    const topology = await allowed(db, person, c.req.param('slug') ?? '', 'write');
    const id = numberIn(c.req.param('draft'));
    const draft = await draftFor(db, topology.id, id);
    if (!draft) throw notFound(`draft ${id}`);
    if (draft.main) throw new Problem(409, 'The main draft', 'Every topology has its main draft.');
    if (draft.owner !== person.handle && topology.role !== 'owner')
      throw forbidden(`The draft ${draft.name} is ${draft.owner}’s.`);
    return { person, topology, draft };
  }

  return new Hono<Env>()
    .get('/:slug/drafts', async (c) => {
      const topology = await allowed(db, c.get('person'), c.req.param('slug'), 'read');
      return c.json(await draftsOf(db, topology.id));
    })
    .post('/:slug/drafts', async (c) => {
      const person = c.get('person');
      const topology = await allowed(db, person, c.req.param('slug'), 'write');
      const { name, revision, draft } = await body(c, newDraft);
      const id = await db.transaction(async (tx) => {
        const like = draft === undefined ? undefined : await draftFor(tx, topology.id, draft);
        if (draft !== undefined && !like) throw notFound(`draft ${draft}`);
        const base = like?.base ?? revision ?? (await newestRevision(tx, topology.id));
        const from = base ? await revisionOf(tx, topology.id, base) : undefined;
        if (base && !from) throw notFound(`revision ${base}`);
        const made = await insertDraft(tx, { topologyId: topology.id, name, ownerId: person.id, base });
        if (made === 'taken') throw TAKEN(name);
        if (made === 'many')
          throw new Problem(
            409,
            'Too many',
            `A topology has at most ${MOST_DRAFTS} drafts; remove one first.`,
          );
        if (like) {
          await copyDocuments(tx, made, { draft: like.id });
          await copyWriters(tx, made, like.id);
        }
        if (!like && from) await copyDocuments(tx, made, { revisionId: from.id });
        await record(tx, 'begin draft', {
          personId: person.id,
          topologyId: topology.id,
          details: { draft: name, base },
        });
        await tell(tx, 'topology', topology.id);
        return made;
      });
      return c.json({ id }, 201);
    })
    .patch('/:slug/drafts/:draft', async (c) => {
      const { person, topology, draft } = await own(c);
      const { name } = await body(c, renamedDraft);
      const taken = (await draftsOf(db, topology.id)).some(
        (each) => each.name === name && each.id !== draft.id,
      );
      if (taken) throw TAKEN(name);
      await db.transaction(async (tx) => {
        await renameDraft(tx, draft.id, name);
        await record(tx, 'rename draft', {
          personId: person.id,
          topologyId: topology.id,
          details: { draft: draft.name, name },
        });
        await tell(tx, 'topology', topology.id);
      });
      return c.body(null, 204);
    })
    .delete('/:slug/drafts/:draft', async (c) => {
      const { person, topology, draft } = await own(c);
      await db.transaction(async (tx) => {
        await removeDraft(tx, draft.id);
        await record(tx, 'remove draft', {
          personId: person.id,
          topologyId: topology.id,
          details: { draft: draft.name },
        });
        await tell(tx, 'topology', topology.id);
      });
      return c.body(null, 204);
    })
    .put('/:slug/draft', (c) => write(c, 'whole'))
    .patch('/:slug/draft', (c) => write(c, 'change'))
    .post('/:slug/draft/merge', mergeIn);
}

/** @returns the memory of some bytes that has nothing else in it, as it can move to a thread. */
export function alone(bytes: Buffer): ArrayBuffer {
  const whole = bytes.byteOffset === 0 && bytes.byteLength === bytes.buffer.byteLength;
  return (whole ? bytes.buffer : new Uint8Array(bytes).buffer) as ArrayBuffer;
}
