/** The demo: people, the ferry line's topology with its history, and a rehearsal target on the built-in broker. */
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import type { TextDocument } from '@vondle/core/base';
import { eq, sql } from 'drizzle-orm';
import { record, type Database, type Transaction } from '../db/connect.ts';
import type { About, HostedAddresses } from '@vondle/api';
import { drafts, people } from '../db/schema.ts';
import { setTarget, type Openers } from '../environments/store.ts';
import { hashPassword } from '../people/passwords.ts';
import { wrote } from '../authorship/store.ts';
import { insertRevision } from '../revisions/store.ts';
import { placeOn, type BuiltIn } from '../targets/amqp/built-in.ts';
import { spaceOn, type BuiltInHosted } from '../targets/hosted/built-in.ts';
import { HostedService } from '../targets/hosted/service.ts';
import type { Rollouts } from '../rollouts/service.ts';
import { rolloutOf, rolloutsOf } from '../rollouts/store.ts';
import { draftFor, insertDraft, putDocuments } from '../drafts/store.ts';
import { beginThread, comment, insertProposal, proposalOf } from '../proposals/store.ts';
import { addMember, insertTopology, topologyFor } from '../topologies/store.ts';

const PEOPLE = [
  { handle: 'mara', name: 'Mara Okell', role: 'owner', reads: 'guarded bodies' },
  { handle: 'odo', name: 'Odo Finch', role: 'approver', reads: 'nothing' },
  { handle: 'wen', name: 'Wen Tarr', role: 'reader', reads: 'nothing' },
  { handle: 'ines', name: 'Ines Quill', role: 'author', reads: 'nothing' },
  { handle: 'tam', name: 'Tam Breck', role: 'operator', reads: 'bodies' },
] as const;

const SLUG = 'auklet-ferries';

interface History {
  readonly name: string;
  readonly revisions: readonly { readonly folder: string; readonly words: string }[];
  readonly draft: string;
  /** Drafts that go on from the newest revision, as edits of it. */
  readonly drafts: readonly DraftOfDemo[];
}

interface DraftOfDemo {
  readonly name: string;
  readonly owner: string;
  readonly edits: readonly { readonly doc: string; readonly find: string; readonly put: string }[];
  readonly proposal?: {
    readonly title: string;
    readonly words: string;
    readonly threads: readonly {
      readonly about: About;
      readonly comments: readonly { readonly by: string; readonly words: string }[];
    }[];
  };
}

function documentsIn(folder: string): TextDocument[] {
  return readdirSync(folder)
    .filter((file) => file.endsWith('.yaml'))
    .sort()
    .map((name) => ({ name, text: readFileSync(join(folder, name), 'utf8') }));
}

/** Loads the demo where there is nobody yet. */
export async function seedDemo(db: Database, folder: string, password: string): Promise<void> {
  const history = JSON.parse(readFileSync(join(folder, 'history.json'), 'utf8')) as History;
  const hash = await hashPassword(password);
  await db.transaction(async (tx) => {
    // several processes may begin at once
    await tx.execute(sql`select pg_advisory_xact_lock(4581)`);
    const [somebody] = await tx.select({ id: people.id }).from(people).limit(1);
    if (somebody) return;
    const ids: number[] = [];
    for (const { handle, name } of PEOPLE) {
      const [made] = await tx.insert(people).values({ handle, name, password: hash }).returning({ id: people.id });
      ids.push(made!.id);
    }
    const topologyId = (await insertTopology(tx, { slug: SLUG, name: history.name }))!;
    for (const [i, { role, reads }] of PEOPLE.entries())
      await addMember(tx, topologyId, ids[i]!, role, reads);
    const { id: draftId } = (await draftFor(tx, topologyId, undefined))!;
    const put = (from: string) => putAll(tx, draftId, documentsIn(join(folder, from)));
    let parent: number | null = null;
    for (const { folder: revision, words } of history.revisions) {
      await put(revision);
      parent = await insertRevision(tx, draftId, { topologyId, savedBy: ids[0]!, words, parent });
    }
    await put(history.draft);
    await wrote(tx, draftId, ids[0]!);
    await tx
      .update(drafts)
      .set({ base: parent ?? 0, updatedBy: ids[0]! })
      .where(eq(drafts.id, draftId));
    const newest = documentsIn(join(folder, history.revisions.at(-1)!.folder));
    const idOf = (handle: string) => ids[PEOPLE.findIndex((each) => each.handle === handle)]!;
    for (const each of history.drafts) await putDraft(tx, topologyId, each, newest, parent ?? 0, idOf);
    await record(tx, 'load demo', { topologyId });
  });
}

/** Makes a draft of the newest revision with edits, and where it is proposed, what is said to it. */
async function putDraft(
  tx: Transaction,
  topologyId: number,
  { name, owner, edits, proposal }: DraftOfDemo,
  newest: readonly TextDocument[],
  base: number,
  idOf: (handle: string) => number,
): Promise<void> {
  const draftId = await insertDraft(tx, { topologyId, name, ownerId: idOf(owner), base });
  if (typeof draftId !== 'number') throw new Error(`the demo has no room for the draft ${name}`);
  const edited = newest.map((document) =>
    edits
      .filter(({ doc }) => doc === document.name)
      .reduce(({ name: of, text }, { find, put }) => {
        if (!text.includes(find)) throw new Error(`${of} of the demo has no ${JSON.stringify(find)}`);
        return { name: of, text: text.replace(find, () => put) };
      }, document),
  );
  await putAll(tx, draftId, edited);
  await wrote(tx, draftId, idOf(owner));
  if (!proposal) return;
  const { title, words, threads } = proposal;
  const number = await insertProposal(tx, { topologyId, draftId, title, words, authorId: idOf(owner) });
  const { id: proposalId } = (await proposalOf(tx, topologyId, Number(number)))!;
  for (const { about, comments: all } of threads) {
    const [first, ...rest] = all;
    const said = { personId: idOf(first!.by), words: first!.words };
    const threadId = (await beginThread(tx, { proposalId, about, ...said }))!;
    for (const each of rest) await comment(tx, { threadId, personId: idOf(each.by), words: each.words });
  }
}

/** Puts documents in place of a draft's. */
async function putAll(tx: Transaction, draftId: number, documents: readonly TextDocument[]): Promise<void> {
  const names = documents.map(({ name }) => name);
  await putDocuments(tx, draftId, { names, came: names }, Buffer.from(JSON.stringify({ documents })), 'documents');
}

/** The revision that the demo's live environment has: one behind the newest. */
const LIVE_REVISION = 2;

/**
 * Points the demo's environments at the built-in broker and service: each AMQP broker of the topology has a virtual
 * host of its own there for each, each publish-subscribe broker a space, where there is such a service. Run at every start, since ports may have moved. Where nothing was ever
 * carried out, live is brought to the revision before the newest, by real rollouts: the approver, who
 * wrote none of it, consents, and the architect begins them.
 */
export async function connectDemo(
  db: Database,
  { sealer, allowed }: Openers,
  broker: BuiltIn,
  service: Rollouts,
  hosted?: BuiltInHosted,
): Promise<{ topologyId: number; environment: string } | undefined> {
  const somebody = async (handle: string) => (await db.select().from(people).where(eq(people.handle, handle)))[0];
  const [architect, approver] = [await somebody('mara'), await somebody('odo')];
  const topology = architect && (await topologyFor(db, SLUG, architect.id));
  const approved = approver && (await topologyFor(db, SLUG, approver.id));
  if (!topology || !approved) return undefined;
  const live = { topologyId: topology.id, environment: 'live' };
  const targets: { readonly environment: string; readonly id: number }[] = [];
  for (const [environment, name] of PLACES) {
    const vhost = `${environment}-${name}`;
    const addresses = await placeOn(broker, allowed, vhost);
    const id = await db.transaction((tx) =>
      setTarget(tx, sealer, { topologyId: topology.id, environment, broker: name, kind: 'amqp', addresses }),
    );
    targets.push({ environment, id });
  }
  let liveShore: HostedAddresses | undefined;
  for (const [environment, name] of hosted ? HOSTED_PLACES : []) {
    const addresses = await spaceOn(hosted!, allowed, `${SLUG}.${environment}.${name}`);
    const id = await db.transaction((tx) =>
      setTarget(tx, sealer, { topologyId: topology.id, environment, broker: name, kind: 'hosted', addresses }),
    );
    targets.push({ environment, id });
    if (environment === 'live') liveShore = addresses;
  }
  const tried = await rolloutsOf(db, topology.id);
  if (tried.some(({ environment, state }) => environment === 'live' && state !== 'failed')) return live;
  for (const { environment, id } of targets) {
    if (environment !== 'live') continue;
    const planned = await service.plan(topology, architect, { targetId: id, wanted: LIVE_REVISION });
    const rollout = async () => (await rolloutOf(db, topology.id, planned))!;
    if ((await rollout()).needsConsent)
      await service.consent(approved, approver, await rollout(), 'The first state of the demo, as it is told.');
    await service.apply(topology, architect, await rollout());
    // whichever process carries it out
    while ((await rollout()).state === 'applying') await pause(100);
  }
  if (liveShore) await drift(new HostedService(liveShore, allowed));
  return live;
}

/** Changes something behind the topology's back, as somebody in a hurry does by hand: for the demo to have something to find. */
async function drift(shore: HostedService): Promise<void> {
  const kiosks = (await shore.things()).find(({ kind, name }) => kind === 'subscription' && name === 'kiosks');
  if (kiosks) await shore.ask('PUT', shore.path(kiosks), { ...kiosks.settings, leaseMs: 5000 });
}

const ENVIRONMENTS = ['rehearsal', 'live'];
const PLACES = ENVIRONMENTS.flatMap((environment) =>
  ['mainland', 'islet'].map((name) => [environment, name] as const),
);
const HOSTED_PLACES = ENVIRONMENTS.map((environment) => [environment, 'shore'] as const);
