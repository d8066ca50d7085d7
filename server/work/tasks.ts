/** What runs on threads: each task by its name, with what it is given and what it gives. */
import type { Problem } from '../http/problem.ts';
import { declared, goOn, lookAgain, plan, readBack, type Planning } from '../rollouts/planning.ts';
import { takeIn } from '../environments/take-in.ts';
import { expectedProbe, probeSet } from '../probes/plan.ts';
import { driftIn } from '../watch/drift.ts';
import { expectedThere, lookAt } from '../watch/look.ts';
import { browse, planSend, storesOn, takeOne } from '../messages/plan.ts';
import { keptOf } from '../taps/kept.ts';
import { tapsThere } from '../taps/plan.ts';
import { linksStanding, type Stands } from '../links/standing.ts';
import { mergedDraft } from '../drafts/merge.ts';
import { blameOf } from '../revisions/blame.ts';
import { agreement, ruled } from '../proposals/agreement.ts';
import { readDocuments, type ReadDocuments } from '../drafts/documents.ts';
import { tellClasses, type AskedClasses } from '../topologies/classes.ts';
import { glanceAt, glanceAtRevision } from '../topologies/glance.ts';

/** What a thread is given once. */
export interface ThreadSettings {
  readonly databaseUrl: string;
  readonly secret: string;
  readonly olderSecrets: readonly string[];
  /** The operator's list of addresses that may be connected to. */
  readonly allowed: string;
}

export interface Answered<T> {
  readonly ok: true;
  readonly value: T;
}
export interface Refused {
  readonly ok: false;
  /** The database was away. */
  readonly away: boolean;
  readonly problem: Pick<Problem, 'status' | 'title' | 'detail' | 'more'>;
}
/** A task's answer as it crosses between threads, which would strip an error of its kind. */
export type Answer<T> = Answered<T> | Refused;

/** The tasks, each with what it works on. */
export const tasks = (planning: Planning) => ({
  /** Reads a body that carries documents, and gives its bytes back. */
  documents: async ({
    bytes,
    how,
  }: {
    bytes: ArrayBuffer;
    how: 'whole' | 'change';
  }): Promise<{ read: ReadDocuments; back: ArrayBuffer }> => ({
    read: readDocuments(new Uint8Array(bytes), how),
    back: bytes,
  }),
  /** Does nothing: once it is done, its thread has begun. */
  nothing: async () => undefined,
  plan: (input: Parameters<typeof plan>[1]) => plan(planning, input),
  lookAgain: (input: Parameters<typeof lookAgain>[1]) => lookAgain(planning, input),
  goOn: (input: Parameters<typeof goOn>[1]) => goOn(planning, input),
  readBack: (input: Parameters<typeof readBack>[1]) => readBack(planning, input),
  probeSet: (input: Parameters<typeof probeSet>[1]) => probeSet(planning, input),
  expectProbe: (input: Parameters<typeof expectedProbe>[1]) => expectedProbe(planning, input),
  linksStanding: (input: Stands) => linksStanding(planning.db, input),
  lookAt: (input: Stands) => lookAt(planning, input),
  driftIn: (input: Stands) => driftIn(planning, input),
  expectedThere: (input: Stands) => expectedThere(planning.db, input),
  takeIn: (input: Parameters<typeof takeIn>[1]) => takeIn(planning, input),
  browse: (input: Parameters<typeof browse>[1]) => browse(planning, input),
  planSend: (input: Parameters<typeof planSend>[1]) => planSend(planning, input),
  takeOne: (input: Parameters<typeof takeOne>[1]) => takeOne(planning, input),
  storesOn: (input: Parameters<typeof storesOn>[1]) => storesOn(planning, input),
  tapsThere: (input: Stands) => tapsThere(planning.db, input),
  keptOf: (input: Parameters<typeof keptOf>[1]) => keptOf(planning.db, input),
  declared: (input: Parameters<typeof declared>[1]) => declared(planning, input),
  classes: (input: AskedClasses) => tellClasses(planning.db, input),
  agreement: (input: Parameters<typeof agreement>[1]) => agreement(planning.db, input),
  blame: (input: Parameters<typeof blameOf>[1]) => blameOf(planning.db, input),
  ruled: (input: Parameters<typeof ruled>[1]) => ruled(planning.db, input),
  merge: (input: Parameters<typeof mergedDraft>[1]) => mergedDraft(planning.db, input),
  glanceRevision: ({ topologyId, number }: { topologyId: number; number: number }) =>
    glanceAtRevision(planning.db, topologyId, number),
  glance: ({ draftId }: { draftId: number }) => glanceAt(planning.db, draftId),
});

export type Tasks = ReturnType<typeof tasks>;
export type TaskName = keyof Tasks;
