import { Hono } from 'hono';
import { array, number, object, string } from 'yup';
import { record, type Database } from '../db/connect.ts';
import { body } from '../http/input.ts';
import { Problem } from '../http/problem.ts';
import type { Env } from '../http/session.ts';
import { allowed } from './service.ts';
import { addMember, draftOf, insertTopology, topologiesOf, writeDraft } from './store.ts';

const documentName = string()
  .required('a document needs a name')
  .max(200)
  .matches(/^[^/\\\p{Cc}][^\\\p{Cc}]*\.(ya?ml|json)$/u, 'a document name ends in .yaml, .yml or .json');

/** Documents as they travel: at most a thousand, each name once. */
export const documents = array()
  .of(
    object({
      name: documentName,
      text: string()
        .defined()
        .max(16 * 1024 * 1024),
    }).noUnknown(),
  )
  .required('documents are missing')
  .max(1000)
  .test(
    'names',
    'two documents have the same name',
    (list) => new Set(list?.map(({ name }) => name)).size === list?.length,
  );

const draftInput = object({
  version: number().integer().required('version is missing'),
  documents,
}).noUnknown();

/** What changed of a draft: all names there are to be, in order, and the documents that are not as they were. */
const draftChange = object({
  version: number().integer().required('version is missing'),
  names: array().of(documentName).required('names are missing').max(1000),
  changed: documents.defined(),
}).noUnknown();

const newTopology = object({
  name: string().trim().required('name is missing').max(100),
}).noUnknown();

/** @returns a name as it stands in an address: small letters, digits, hyphens. */
function slugOf(name: string): string {
  const plain = name
    .normalize('NFKD')
    .toLowerCase()
    .replace(/[\u0300-\u036f]/g, '');
  return plain.replace(/[^a-z0-9]+/g, '-').replace(/^[-\d]+|-+$/g, '') || 'topology';
}

/** Topologies and their drafts. */
export function topologyRoutes(db: Database): Hono<Env> {
  return new Hono<Env>()
    .get('/', async (c) => c.json(await topologiesOf(db, c.get('person').id)))
    .post('/', async (c) => {
      const { name } = await body(c, newTopology);
      const person = c.get('person');
      const slug = slugOf(name);
      await db.transaction(async (tx) => {
        const text = `vondle: 1\ntopology: ${slug}\n\nmessages: {}\n\napps: {}\n\nbrokers: {}\n`;
        const id = await insertTopology(tx, { slug, name, documents: [{ name: 'topology.yaml', text }] });
        if (id === undefined)
          throw new Problem(409, 'Name taken', `There is a topology \`${slug}\` already.`);
        await addMember(tx, id, person.id, 'architect');
        await record(tx, 'create topology', { personId: person.id, topologyId: id });
      });
      return c.json({ slug }, 201);
    })
    .get('/:slug', async (c) => {
      const topology = await allowed(db, c.get('person'), c.req.param('slug'), 'read');
      const { slug, name, role } = topology;
      return c.json({ slug, name, role, draft: await draftOf(db, topology.id) });
    })
    .put('/:slug/draft', async (c) => {
      const person = c.get('person');
      const topology = await allowed(db, person, c.req.param('slug'), 'write');
      const input = await body(c, draftInput);
      const version = await db.transaction(async (tx) => {
        const written = await writeDraft(tx, topology.id, person.id, input.version, {
          documents: input.documents,
        });
        if (written === undefined) throw moved(await draftOf(tx, topology.id));
        return written;
      });
      return c.json({ version });
    })
    .patch('/:slug/draft', async (c) => {
      const person = c.get('person');
      const topology = await allowed(db, person, c.req.param('slug'), 'write');
      const { version: from, names, changed } = await body(c, draftChange);
      const version = await db.transaction(async (tx) => {
        const draft = await draftOf(tx, topology.id);
        if (draft.version !== from) throw moved(draft);
        const known = new Map([...draft.documents, ...changed].map((document) => [document.name, document]));
        const missing = names.find((name) => !known.has(name));
        if (missing !== undefined || new Set(names).size !== names.length) {
          const why = missing === undefined ? 'A name is there twice.' : `There is no document ${missing}.`;
          throw new Problem(422, 'Not a draft', `${why} Send the whole draft instead.`);
        }
        const documents = names.map((name) => known.get(name)!);
        const written = await writeDraft(tx, topology.id, person.id, from, { documents });
        if (written === undefined) throw moved(await draftOf(tx, topology.id));
        return written;
      });
      return c.json({ version });
    });
}

/** The draft was written by somebody else meanwhile: nothing is overwritten, both sides are shown. */
export function moved(theirs: unknown): Problem {
  return new Problem(409, 'The draft has moved', 'Somebody else changed this draft since you opened it.', {
    theirs,
  });
}
