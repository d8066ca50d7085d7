/** The demo: people, the ferry line's topology with its history, and a rehearsal target on the built-in broker. */
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import type { TopologyDocument } from '@vondle/core';
import { eq } from 'drizzle-orm';
import { record, type Database } from '../db/connect.ts';
import { drafts, people, topologies } from '../db/schema.ts';
import { setTarget } from '../environments/store.ts';
import { hashPassword } from '../people/passwords.ts';
import { insertRevision } from '../revisions/store.ts';
import type { Sealer } from '../secrets.ts';
import { askBroker } from '../targets/amqp/inventory.ts';
import { addMember, insertTopology } from '../topologies/store.ts';

const PEOPLE = [
  { handle: 'mara', name: 'Mara Okell', role: 'architect' },
  { handle: 'odo', name: 'Odo Finch', role: 'approver' },
  { handle: 'wen', name: 'Wen Tarr', role: 'reader' },
] as const;

const SLUG = 'auklet-ferries';

interface History {
  readonly name: string;
  readonly revisions: readonly { readonly folder: string; readonly words: string }[];
  readonly draft: string;
}

function documentsIn(folder: string): TopologyDocument[] {
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
    const [somebody] = await tx.select({ id: people.id }).from(people).limit(1);
    if (somebody) return;
    const ids: number[] = [];
    for (const { handle, name } of PEOPLE) {
      const [made] = await tx.insert(people).values({ handle, name, password: hash }).returning({ id: people.id });
      ids.push(made!.id);
    }
    const draft = documentsIn(join(folder, history.draft));
    const topologyId = (await insertTopology(tx, { slug: SLUG, name: history.name, documents: draft }))!;
    for (const [i, { role }] of PEOPLE.entries()) await addMember(tx, topologyId, ids[i]!, role);
    let parent: number | null = null;
    for (const { folder: revision, words } of history.revisions) {
      const documents = documentsIn(join(folder, revision));
      parent = await insertRevision(tx, { topologyId, authorId: ids[0]!, words, parent, documents });
    }
    await tx
      .update(drafts)
      .set({ base: parent ?? 0, updatedBy: ids[0]! })
      .where(eq(drafts.topologyId, topologyId));
    await record(tx, 'load demo', { topologyId });
  });
}

/**
 * Points the demo's rehearsal environment at the built-in broker: each AMQP broker of the topology
 * has a virtual host of its own there. Run at every start, since ports may have moved.
 */
export async function connectDemo(
  db: Database,
  sealer: Sealer,
  broker: { readonly amqp: string; readonly http: string },
): Promise<void> {
  const [topology] = await db.select({ id: topologies.id }).from(topologies).where(eq(topologies.slug, SLUG));
  if (!topology) return;
  for (const name of ['mainland', 'islet']) {
    const vhost = `rehearsal-${name}`;
    const addresses = { amqp: `${broker.amqp}/${vhost}`, http: broker.http };
    const user = encodeURIComponent(new URL(broker.amqp).username);
    await askBroker(addresses, `/api/vhosts/${vhost}`, { method: 'PUT' });
    await askBroker(addresses, `/api/permissions/${vhost}/${user}`, {
      method: 'PUT',
      body: JSON.stringify({ configure: '.*', write: '.*', read: '.*' }),
    });
    await db.transaction((tx) =>
      setTarget(tx, sealer, { topologyId: topology.id, environment: 'rehearsal', broker: name, kind: 'amqp', addresses }),
    );
  }
}
