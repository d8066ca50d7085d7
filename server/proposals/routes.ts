import { Hono, type Context } from 'hono';
import {
  keepInput,
  newComment,
  newProposal,
  newThread,
  resolvedInput,
  verdictInput,
  type Want,
} from '@vondle/api';
import { draftWritersOf, revisionWritersOf } from '../authorship/store.ts';
import { record, type Database, type Transaction } from '../db/connect.ts';
import { moved } from '../drafts/routes.ts';
import { draftFor, draftSize, takeDraft } from '../drafts/store.ts';
import type { Budget } from '../http/budget.ts';
import { body, numberIn } from '../http/input.ts';
import { jsonList, sentInPieces } from '../http/pieces.ts';
import { forbidden, notFound, Problem } from '../http/problem.ts';
import type { Env } from '../http/session.ts';
import { tell } from '../live/changes.ts';
import { insertRevision, isSameAsDraft, newestRevision } from '../revisions/store.ts';
import { allowed } from '../topologies/service.ts';
import { lockTopology } from '../topologies/store.ts';
import type { Work } from '../work/pool.ts';
import {
  beginThread,
  closeProposal,
  comment,
  hasThread,
  insertProposal,
  proposalOf,
  proposalsOf,
  resolve,
  setVerdict,
  threadsOf,
  verdictDocumentsJson,
  verdictsOf,
  waitingFor,
} from './store.ts';

const CLOSED = new Problem(409, 'Closed', 'This proposal is closed.');

/**
 * Proposals: drafts that are to become revisions, looked at and agreed to by others.
 * @param sending what large texts that are being sent count against
 */
export function proposalRoutes(db: Database, work: Work, sending: Budget): Hono<Env> {
  async function find(c: Context<Env>, want: Want) {
    const person = c.get('person');
    const topology = await allowed(db, person, c.req.param('slug') ?? '', want);
    const number = numberIn(c.req.param('number'));
    const proposal = await proposalOf(db, topology.id, number);
    if (!proposal) throw notFound(`proposal ${number}`);
    return { person, topology, proposal };
  }
  async function open(c: Context<Env>, want: Want) {
    const found = await find(c, want);
    const { draft } = found.proposal;
    if (found.proposal.state !== 'open' || draft === null) throw CLOSED;
    return { ...found, draftId: draft };
  }
  const approvers = (given: Awaited<ReturnType<typeof verdictsOf>>) =>
    given.flatMap(({ handle, verdict, holds }) => (holds && verdict === 'approve' ? [handle] : []));

  /** Whose proposal it is, for the rules of review: everyone who wrote into the draft, and who proposed it. */
  async function voicesOn(tx: Transaction, { author, draftId }: { author: string; draftId: number }) {
    const writers = (await draftWritersOf(tx, draftId)).map(({ handle }) => handle);
    return { authors: [...new Set([...writers, author])], last: writers.at(-1) ?? author };
  }

  return new Hono<Env>()
    .get('/:slug/proposals', async (c) => {
      const topology = await allowed(db, c.get('person'), c.req.param('slug'), 'read');
      const found = await proposalsOf(db, topology.id);
      return c.json(found.map(({ authorId: _, ...told }) => told));
    })
    .post('/:slug/proposals', async (c) => {
      const person = c.get('person');
      const topology = await allowed(db, person, c.req.param('slug'), 'write');
      const { draft, title, words: why = '' } = await body(c, newProposal);
      const made = await db.transaction(async (tx) => {
        await lockTopology(tx, topology.id);
        const of = await draftFor(tx, topology.id, draft);
        if (!of) throw notFound(`draft ${draft}`);
        if (of.base && (await isSameAsDraft(tx, of.id, topology.id, of.base)))
          throw new Problem(409, 'Nothing to propose', `The draft is the same as revision ${of.base}.`);
        const row = { topologyId: topology.id, draftId: of.id, title, words: why, authorId: person.id };
        const number = await insertProposal(tx, row);
        if (number === 'proposed')
          throw new Problem(409, 'Proposed already', 'This draft is proposed already.');
        if (number === 'many')
          throw new Problem(409, 'Too many', 'There are too many open proposals; withdraw one first.');
        await record(tx, 'propose', {
          personId: person.id,
          topologyId: topology.id,
          details: { proposal: number, title, draft: of.name },
        });
        await tell(tx, 'topology', topology.id);
        return number;
      });
      return c.json({ number: made }, 201);
    })
    .get('/:slug/proposals/:number', async (c) => {
      const { topology, proposal } = await find(c, 'read');
      const [verdicts, threads, writers] = await Promise.all([
        verdictsOf(db, proposal.id, proposal.draft),
        threadsOf(db, proposal.id),
        proposal.revision !== null
          ? revisionWritersOf(db, topology.id, proposal.revision)
          : proposal.draft === null
            ? []
            : draftWritersOf(db, proposal.draft),
      ]);
      const { authorId: _, ...told } = proposal;
      return c.json({
        ...told,
        verdicts,
        threads,
        writers: writers.map(({ handle, name }) => ({ handle, name })),
      });
    })
    .get('/:slug/proposals/:number/agreement', async (c) => {
      const { topology, proposal, draftId } = await open(c, 'read');
      const approvedBy = approvers(await verdictsOf(db, proposal.id, draftId));
      const voices = await voicesOn(db, { author: proposal.author, draftId });
      const asked = { topologyId: topology.id, draftId, ...voices, approvedBy };
      return c.json(await work.run('agreement', asked));
    })
    .get('/:slug/proposals/:number/verdicts/:handle', async (c) => {
      const { person, proposal } = await find(c, 'read');
      const size = proposal.draft === null ? 0 : await draftSize(db, proposal.draft);
      const release = sending.take(`person ${person.id}`, 3 * size);
      try {
        const documents = await verdictDocumentsJson(db, proposal.id, c.req.param('handle'));
        return sentInPieces(c, jsonList(`{"number":${proposal.number}`, documents, '}'), release);
      } catch (error) {
        release();
        throw error;
      }
    })
    .post('/:slug/proposals/:number/verdict', async (c) => {
      const { person, topology, proposal, draftId } = await open(c, 'approve');
      const input = await body(c, verdictInput);
      if (proposal.author === person.handle) throw forbidden('You proposed this. Others review it.');
      await db.transaction(async (tx) => {
        // what was looked at is what is said something to
        const draft = await draftFor(tx, topology.id, draftId);
        if (draft?.version !== input.version) throw moved(draft!);
        const writers = await draftWritersOf(tx, draftId);
        if (writers.some(({ id }) => id === person.id))
          throw forbidden(
            `You wrote into this draft. ${writers.length === 1 ? 'Others review it' : 'Members who did not write into it review it'}.`,
          );
        await setVerdict(
          tx,
          { proposalId: proposal.id, personId: person.id, verdict: input.verdict, words: input.words ?? '' },
          draftId,
        );
        await record(tx, input.verdict === 'approve' ? 'approve' : 'ask for changes', {
          personId: person.id,
          topologyId: topology.id,
          details: { proposal: proposal.number },
        });
        await tell(tx, 'topology', topology.id);
      });
      return c.body(null, 204);
    })
    .post('/:slug/proposals/:number/keep', async (c) => {
      const { person, topology, proposal, draftId } = await open(c, 'write');
      const input = await body(c, keepInput);
      // whatever is written from here on moves the version, and nothing is saved
      const looked = await draftFor(db, topology.id, draftId);
      if (looked?.version !== input.version) throw moved(looked!);
      const approvedBy = approvers(await verdictsOf(db, proposal.id, draftId));
      const { lacking } = await work.run('agreement', {
        topologyId: topology.id,
        draftId,
        ...(await voicesOn(db, { author: proposal.author, draftId })),
        approvedBy,
      });
      if (lacking.length)
        throw new Problem(409, 'Not agreed yet', lacking.slice(0, 20).join(' '), { lacking });
      const saved = await db.transaction(async (tx) => {
        await lockTopology(tx, topology.id);
        const written = await takeDraft(tx, draftId, person.id, input.version);
        const draft = await draftFor(tx, topology.id, draftId);
        if (written === undefined || !draft) throw moved(draft!);
        const newest = await newestRevision(tx, topology.id);
        if (draft.base !== newest)
          throw new Problem(
            409,
            'The base has moved',
            `Revision ${newest} was saved meanwhile. Bring it into the draft first; then it has to be approved as it is with that.`,
            { newest },
          );
        // an approval that was lost since it was counted does not count
        const still = approvers(await verdictsOf(tx, proposal.id, draftId));
        if (approvedBy.some((handle) => !still.includes(handle))) throw moved(draft);
        const revision = await insertRevision(tx, draftId, {
          topologyId: topology.id,
          savedBy: person.id,
          proposedBy: proposal.authorId,
          words: proposal.title,
          parent: draft.base || null,
        });
        if (!(await closeProposal(tx, proposal.id, { state: 'kept', revision }))) throw CLOSED;
        const next = await takeDraft(tx, draftId, person.id, written, revision);
        await record(tx, 'save revision', {
          personId: person.id,
          topologyId: topology.id,
          details: { number: revision, words: proposal.title, proposal: proposal.number, approvedBy },
        });
        await tell(tx, 'topology', topology.id);
        return { number: revision, version: next };
      });
      return c.json(saved, 201);
    })
    .post('/:slug/proposals/:number/withdraw', async (c) => {
      const { person, topology, proposal } = await open(c, 'write');
      if (proposal.author !== person.handle && topology.role !== 'owner')
        throw forbidden(`${proposal.authorName} proposed this; only they, or an owner, withdraw it.`);
      await db.transaction(async (tx) => {
        if (!(await closeProposal(tx, proposal.id, { state: 'withdrawn' }))) throw CLOSED;
        await record(tx, 'withdraw proposal', {
          personId: person.id,
          topologyId: topology.id,
          details: { proposal: proposal.number },
        });
        await tell(tx, 'topology', topology.id);
      });
      return c.body(null, 204);
    })
    .post('/:slug/proposals/:number/threads', async (c) => {
      const { person, topology, proposal } = await open(c, 'read');
      const { about, words } = await body(c, newThread);
      const id = await db.transaction(async (tx) => {
        const row = { proposalId: proposal.id, about, personId: person.id, words };
        const made = await beginThread(tx, row);
        if (made === undefined)
          throw new Problem(409, 'Too many', 'There are too many threads here; say it in one of them.');
        await record(tx, 'comment', {
          personId: person.id,
          topologyId: topology.id,
          details: { proposal: proposal.number, thread: made },
        });
        await tell(tx, 'topology', topology.id);
        return made;
      });
      return c.json({ id }, 201);
    })
    .post('/:slug/proposals/:number/threads/:thread', async (c) => {
      const { person, topology, proposal } = await open(c, 'read');
      const threadId = numberIn(c.req.param('thread'));
      const input = await body(c, newComment);
      if (!(await hasThread(db, proposal.id, threadId))) throw notFound('such thread');
      await db.transaction(async (tx) => {
        if (!(await comment(tx, { threadId, personId: person.id, words: input.words })))
          throw new Problem(409, 'Too many', 'So much was said in this thread; begin another.');
        await record(tx, 'comment', {
          personId: person.id,
          topologyId: topology.id,
          details: { proposal: proposal.number, thread: threadId },
        });
        await tell(tx, 'topology', topology.id);
      });
      return c.body(null, 204);
    })
    .put('/:slug/proposals/:number/threads/:thread', async (c) => {
      const { person, topology, proposal } = await open(c, 'read');
      const threadId = numberIn(c.req.param('thread'));
      const { resolved } = await body(c, resolvedInput);
      if (!(await hasThread(db, proposal.id, threadId))) throw notFound('such thread');
      await db.transaction(async (tx) => {
        await resolve(tx, threadId, resolved ? person.id : null);
        await tell(tx, 'topology', topology.id);
      });
      return c.body(null, 204);
    });
}

/** What waits for whoever asks, in all their topologies. */
export const inboxRoutes = (db: Database): Hono<Env> =>
  new Hono<Env>().get('/', async (c) => c.json(await waitingFor(db, c.get('person').id)));
