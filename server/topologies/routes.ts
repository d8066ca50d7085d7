import { randomBytes } from 'node:crypto';
import { Hono } from 'hono';
import { newTopology, whichClasses } from '@vondle/api';
import { record, type Database } from '../db/connect.ts';
import { Budget } from '../http/budget.ts';
import { body, check, LARGEST_DRAFT, numberIn } from '../http/input.ts';
import { forbidden, Problem } from '../http/problem.ts';
import { jsonList, sentInPieces } from '../http/pieces.ts';
import type { Env } from '../http/session.ts';
import type { Person } from '../people/store.ts';
import type { Work } from '../work/pool.ts';
import { sentAsTold } from './told.ts';
import type { ReadDocuments } from '../drafts/documents.ts';
import { alone, askedDraft } from '../drafts/routes.ts';
import { draftFor, draftJson, draftSize, putDocuments, type DraftHead } from '../drafts/store.ts';
import type { Glance } from './glance.ts';
import { allowed } from './service.ts';
import { addMember, insertTopology, topologiesOf, topologyEntries } from './store.ts';

/** So many glances are kept, those asked for last. */
const MOST_GLANCES = 300;

/** Topologies a person may belong to. */
const MOST_TOPOLOGIES = 500;

/**
 * A name as it stands in an address: letters and digits of any script, hyphens between, and a few
 * letters by chance, so that nobody can learn from it which addresses there are.
 */
export function slugFor(name: string): string {
  const words = name
    .normalize('NFKC')
    .toLowerCase()
    .normalize('NFKD')
    // accents of scripts that also go without; elsewhere marks belong to their letters
    .replace(/(\p{Script=Latin})\p{M}+/gu, '$1')
    .normalize('NFC')
    .replace(/[^\p{L}\p{M}\p{N}]+/gu, '-')
    .replace(/^-+|-+$/g, '');
  const short = [...words].slice(0, 60).join('').replace(/-+$/, '');
  return `${short || 'topology'}-${randomBytes(4).toString('hex').slice(0, 6)}`;
}

/** What a new topology begins with: words on how to begin, and nothing that is in the way of it. */
export const starter = (name: string): string => `# ${name.replace(/\s+/g, ' ')}
#
# Declare here what travels, who sends and takes it, and the brokers
# between. It is checked as you type; Ctrl Space says what may stand
# where. For example:
#
# messages:
#   boat-left: { key: "boat.{pier}.left" }
# apps:
#   harbour: { publishes: [{ message: boat-left, to: main/boats }] }
#   board: { consumes: [{ from: main/board }] }
# brokers:
#   main:
#     kind: amqp
#     access: open
#     exchanges: { boats: { type: topic } }
#     queues: { board: {} }
#     bindings: [{ from: boats, to: board, key: "boat.*.left" }]

vondle: 1
topology: ${idFor(name)}

`;

/** An id of the language made of a name. */
const idFor = (name: string): string =>
  slugFor(name)
    .replace(/-[0-9a-f]{6}$/, '')
    .replace(/[^a-z0-9-]+/g, '')
    .replace(/^[^a-z]+/, '')
    .replace(/-+$/, '') || 'topology';

const firstDocument = (name: string): Buffer =>
  Buffer.from(JSON.stringify({ documents: [{ name: 'topology.yaml', text: starter(name) }] }));

/** @returns a person who asks themselves. @throws Problem 403 for a program with a token, which is for one topology */
function themselves(person: Person): Person {
  if (person.limits) throw forbidden('A token is for one topology, and for no other.');
  return person;
}

/**
 * Topologies and their drafts.
 * @param sending what large texts that are being sent count against
 */
export function topologyRoutes(db: Database, work: Work, sending: Budget): Hono<Env> {
  const telling = new Budget({ all: 4, each: 1 }, 'topologies whose messages are told');
  const looking = new Budget({ all: 32, each: 8 }, 'topologies being looked through');
  /** Makes a topology with a draft of some documents. @returns its address */
  async function begin(
    person: Person,
    name: string,
    { names, came }: Pick<ReadDocuments, 'names' | 'came'>,
    documents: Buffer,
  ): Promise<string> {
    if ((await topologiesOf(db, person.id)).length >= MOST_TOPOLOGIES)
      throw new Problem(
        409,
        'Too many',
        `You belong to ${MOST_TOPOLOGIES} topologies, the most there may be.`,
      );
    for (;;) {
      const slug = slugFor(name);
      const made = await db.transaction(async (tx) => {
        const id = await insertTopology(tx, { slug, name });
        if (id === undefined) return false;
        const draft = await draftFor(tx, id, undefined);
        await putDocuments(tx, draft!.id, { names, came }, documents, 'documents');
        await addMember(tx, id, person.id, 'owner');
        await record(tx, 'create topology', { personId: person.id, topologyId: id });
        return true;
      });
      if (made) return slug;
    }
  }

  /** What was found of drafts, by topology: worked out once for each version. */
  const glances = new Map<number, { readonly version: number; readonly glance: Promise<Glance> }>();
  function glance({ id, version }: DraftHead): Promise<Glance> {
    const known = glances.get(id);
    if (known?.version === version) return known.glance;
    const found = work.run('glance', { draftId: id });
    glances.delete(id);
    glances.set(id, { version, glance: found });
    // what failed may go through the next time
    found.catch(() => glances.get(id)?.glance === found && glances.delete(id));
    const [oldest] = glances.keys();
    if (glances.size > MOST_GLANCES) glances.delete(oldest!);
    return found;
  }

  return new Hono<Env>()
    .get('/', async (c) => c.json(await topologyEntries(db, themselves(c.get('person')).id)))
    .post('/', async (c) => {
      const person = themselves(c.get('person'));
      const { name } = await body(c, newTopology);
      const names = ['topology.yaml'];
      const slug = await begin(person, name, { names, came: names }, firstDocument(name));
      return c.json({ slug }, 201);
    })
    .post('/taken-in', async (c) => {
      const person = themselves(c.get('person'));
      const { name } = check(newTopology, { name: c.req.query('name') });
      const { bytes, release } = await c.get('intake').read(c, c.get('address'), LARGEST_DRAFT);
      try {
        const moving = alone(bytes);
        const { read, back } = await work.run('documents', { bytes: moving, how: 'whole' }, [moving]);
        if (read.names.length === 0)
          throw new Problem(422, 'Nothing to take in', 'There are no documents in it.');
        return c.json({ slug: await begin(person, name, read, Buffer.from(back)) }, 201);
      } finally {
        release();
      }
    })
    .get('/:slug/glance', async (c) => {
      const topology = await allowed(db, c.get('person'), c.req.param('slug'), 'read');
      const draft = await askedDraft(c, db, topology);
      const done = looking.take(`person ${c.get('person').id}`, 1);
      try {
        return c.json({ version: draft.version, ...(await glance(draft)) });
      } finally {
        done();
      }
    })
    .get('/:slug/classes', async (c) => {
      const topology = await allowed(db, c.get('person'), c.req.param('slug'), 'read');
      const revision = c.req.query('revision');
      const asked = {
        ...check(whichClasses, { environment: c.req.query('environment') }),
        ...(revision === undefined ? {} : { revision: numberIn(revision) }),
      };
      const done = telling.take(`person ${c.get('person').id}`, 1);
      return sentAsTold(c, work, { topologyId: topology.id, ...asked }, done);
    })
    .get('/:slug', async (c) => {
      const topology = await allowed(db, c.get('person'), c.req.param('slug'), 'read');
      const { slug, name, role } = topology;
      const { id } = await askedDraft(c, db, topology);
      const release = sending.take(`person ${c.get('person').id}`, 3 * (await draftSize(db, id)));
      try {
        const { head, documents } = await draftJson(db, id);
        const draft = JSON.stringify(head).slice(0, -1);
        const before = `${JSON.stringify({ slug, name, role }).slice(0, -1)},"draft":${draft}`;
        return sentInPieces(c, jsonList(before, documents, '}}'), release);
      } catch (error) {
        release();
        throw error;
      }
    });
}
