import { Hono } from 'hono';
import { tabName } from '@vondle/api';
import type { Database } from '../db/connect.ts';
import { absent, draftsOf, present, presentIn } from '../drafts/store.ts';
import { askedDraft } from '../drafts/routes.ts';
import { Budget } from '../http/budget.ts';
import { check } from '../http/input.ts';
import type { Env } from '../http/session.ts';
import { proposalsMark } from '../proposals/store.ts';
import { newestRevision } from '../revisions/store.ts';
import { newestApplied } from '../rollouts/store.ts';
import { allowed } from '../topologies/service.ts';
import { tell, type Changes } from './changes.ts';
import { watched } from './stream.ts';

/**
 * What goes on in a topology, as it happens: who works on what, which drafts moved, which revisions came. Each
 * event tells how all of it stands, so that nothing is missed by who was away for a moment.
 */
export function liveRoutes(db: Database, changes: Changes): Hono<Env> {
  const streams = new Budget({ all: 2000, each: 20 }, 'topologies being watched');
  return new Hono<Env>().get('/:slug/live', async (c) => {
    const person = c.get('person');
    const slug = c.req.param('slug');
    const topology = await allowed(db, person, slug, 'read');
    const draft = await askedDraft(c, db, topology);
    const tab = check(tabName, c.req.query('tab'));
    const release = streams.take(`person ${person.id}`, 1);
    const seen = () =>
      db.transaction(async (tx) => {
        await present(tx, { tab, draftId: draft.id, personId: person.id });
        await tell(tx, 'topology', topology.id);
      });
    try {
      await seen();
    } catch (error) {
      release();
      throw error;
    }
    let told = '';
    let said = Date.now();
    return watched(c, {
      hear: (heard) => changes.on('topology', topology.id, heard),
      async look(stream) {
        // who is no member any more hears nothing any more
        const { role } = await allowed(db, person, slug, 'read');
        if (Date.now() - said > 12_000) {
          said = Date.now();
          await db.transaction((tx) => present(tx, { tab, draftId: draft.id, personId: person.id }));
        }
        const [drafts, revision, applied, people, proposals] = await Promise.all([
          draftsOf(db, topology.id),
          newestRevision(db, topology.id),
          newestApplied(db, topology.id),
          presentIn(db, topology.id),
          proposalsMark(db, topology.id),
        ]);
        const data = JSON.stringify({ role, drafts, revision, applied, people, proposals });
        if (data === told) return;
        told = data;
        await stream.writeSSE({ data });
      },
      ended() {
        release();
        db.transaction(async (tx) => {
          await absent(tx, tab, person.id);
          await tell(tx, 'topology', topology.id);
        }).catch(() => undefined);
      },
    });
  });
}
