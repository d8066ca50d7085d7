import { randomBytes } from 'node:crypto';
import { Hono, type Context } from 'hono';
import { object, string } from 'yup';
import { record, type Database } from '../db/connect.ts';
import type { Budget } from '../http/budget.ts';
import { body, LARGEST_DRAFT } from '../http/input.ts';
import { Problem } from '../http/problem.ts';
import { jsonList, sentInPieces } from '../http/pieces.ts';
import type { Env } from '../http/session.ts';
import type { Work } from '../work/pool.ts';
import { allowed } from './service.ts';
import {
  addMember,
  draftJson,
  draftHeadOf,
  draftSize,
  insertTopology,
  putDocuments,
  takeDraft,
  topologiesOf,
  type DraftHead,
} from './store.ts';

/** Topologies a person may belong to. */
const MOST_TOPOLOGIES = 500;

const newTopology = object({
  name: string().trim().required().max(100),
}).noUnknown();

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

/** What a new topology begins with. */
function firstDocument(name: string): Buffer {
  const text = `vondle: 1\ntopology: ${JSON.stringify(name)}\n\nmessages: {}\n\napps: {}\n\nbrokers: {}\n`;
  return Buffer.from(JSON.stringify({ documents: [{ name: 'topology.yaml', text }] }));
}

/**
 * Topologies and their drafts.
 * @param sending what large texts that are being sent count against
 */
export function topologyRoutes(db: Database, work: Work, sending: Budget): Hono<Env> {
  /** Takes the documents of a body in, on the version the body says. */
  async function write(c: Context<Env>, how: 'whole' | 'change'): Promise<Response> {
    const person = c.get('person');
    const topology = await allowed(db, person, c.req.param('slug') ?? '', 'write');
    const { bytes, release } = await c.get('intake').read(c, c.get('address'), LARGEST_DRAFT);
    try {
      // the bytes go to the thread and come back, and nobody here looks into them
      const moving = alone(bytes);
      const { read, back } = await work.run('documents', { bytes: moving, how }, [moving]);
      const version = await db.transaction(async (tx) => {
        const written = await takeDraft(tx, topology.id, person.id, read.version);
        if (written === undefined) throw moved(await draftHeadOf(tx, topology.id));
        const member = how === 'whole' ? 'documents' : 'changed';
        const missing = await putDocuments(tx, topology.id, read, Buffer.from(back), member);
        if (missing !== undefined)
          throw new Problem(
            422,
            'Not a draft',
            'The names have a document that is neither there nor sent. Send the whole draft instead.',
          );
        return written;
      });
      return c.json({ version });
    } finally {
      release();
    }
  }

  return new Hono<Env>()
    .get('/', async (c) => c.json(await topologiesOf(db, c.get('person').id)))
    .post('/', async (c) => {
      const { name } = await body(c, newTopology);
      const person = c.get('person');
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
          const names = ['topology.yaml'];
          await putDocuments(tx, id, { names, came: names }, firstDocument(name), 'documents');
          await addMember(tx, id, person.id, 'architect');
          await record(tx, 'create topology', { personId: person.id, topologyId: id });
          return true;
        });
        if (made) return c.json({ slug }, 201);
      }
    })
    .get('/:slug', async (c) => {
      const topology = await allowed(db, c.get('person'), c.req.param('slug'), 'read');
      const { slug, name, role } = topology;
      const release = sending.take(`person ${c.get('person').id}`, 3 * (await draftSize(db, topology.id)));
      try {
        const { head, documents } = await draftJson(db, topology.id);
        const draft = JSON.stringify(head).slice(0, -1);
        const before = `${JSON.stringify({ slug, name, role }).slice(0, -1)},"draft":${draft}`;
        return sentInPieces(c, jsonList(before, documents, '}}'), release);
      } catch (error) {
        release();
        throw error;
      }
    })
    .put('/:slug/draft', (c) => write(c, 'whole'))
    .patch('/:slug/draft', (c) => write(c, 'change'));
}

/** @returns the memory of some bytes that has nothing else in it, as it can move to a thread. */
function alone(bytes: Buffer): ArrayBuffer {
  const whole = bytes.byteOffset === 0 && bytes.byteLength === bytes.buffer.byteLength;
  return (whole ? bytes.buffer : new Uint8Array(bytes).buffer) as ArrayBuffer;
}

/** The draft was written by somebody else meanwhile: nothing is overwritten, and it is said by whom and when. */
export function moved(theirs: DraftHead): Problem {
  return new Problem(409, 'The draft has moved', 'Somebody else changed this draft since you opened it.', {
    theirs,
  });
}
