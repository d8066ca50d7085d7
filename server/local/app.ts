/**
 * The interface on a folder of documents, for whoever has the folder: no database, nobody to sign in, on loopback
 * alone. What lets one in is a key that is told where it is started, kept by the browser as a cookie.
 */
import { timingSafeEqual } from 'node:crypto';
import { basename } from 'node:path';
import { Hono } from 'hono';
import { getCookie, setCookie } from 'hono/cookie';
import { secureHeaders } from 'hono/secure-headers';
import { Intake, LARGEST_DRAFT, parsed } from '../http/input.ts';
import { builtInterface } from '../http/interface.ts';
import { notFound, Problem, problemResponse } from '../http/problem.ts';
import { CONTENT_POLICY, sameOrigin } from '../http/session.ts';
import { readDocuments } from '../drafts/documents.ts';
import { glanceOf } from '../topologies/glance.ts';
import type { Folder } from './folder.ts';

const COOKIE = 'vondle_folder';
/** The address of the only topology there is here. */
const SLUG = 'folder';

/**
 * @param key what lets a browser in
 * @param hosts the names it may be asked by: any other would be another site's name for this address
 * @param web the folder of the built interface
 */
export function localApp(folder: Folder, key: string, hosts: readonly string[], web: string): Hono {
  const intake = new Intake();
  const name = basename(folder.root);
  const row = { slug: SLUG, name, role: 'owner', local: folder.root };
  const notHere = (what: string) =>
    new Problem(
      409,
      'A folder',
      `${what} Open the topology on a Vondle server for that; here its files are edited.`,
    );

  const app = new Hono();
  app.onError((error, c) =>
    problemResponse(c, error instanceof Problem ? error : new Problem(500, 'Something broke', String(error))),
  );
  app.use(secureHeaders({ contentSecurityPolicy: CONTENT_POLICY }));
  app.use(async (c, next) => {
    if (!hosts.includes(c.req.header('host') ?? ''))
      throw new Problem(421, 'Not here', 'Nothing of that name is here.');
    await next();
  });
  app.get('/open/:key', (c) => {
    if (!isKey(c.req.param('key'), key)) throw notFound('such key');
    setCookie(c, COOKIE, key, { httpOnly: true, sameSite: 'Strict', path: '/' });
    return c.redirect(`/t/${SLUG}/declare`);
  });
  app.use('/api/*', async (c, next) => {
    c.header('cache-control', 'no-store');
    if (!isKey(getCookie(c, COOKIE) ?? '', key))
      throw new Problem(401, 'Not let in', 'Open the address that was printed where this was started.');
    await next();
  });
  app.use('/api/*', sameOrigin);
  app.get('/api/session', (c) => c.json({ handle: 'you', name: 'you' }));
  app.delete('/api/session', (c) => c.body(null, 204));
  app.get('/api/topologies', (c) => {
    const { version } = folder.read();
    const entry = { ...row, version, updatedAt: new Date(), updatedBy: null, revision: null };
    return c.json([{ ...entry, people: ['you'], environments: [] }]);
  });
  app.post('/api/topologies', () => {
    throw notHere('One folder is open here, and no other topology can be begun.');
  });
  app.post('/api/topologies/taken-in', () => {
    throw notHere('One folder is open here, and no other topology can be begun.');
  });
  app.get(`/api/topologies/${SLUG}`, (c) => {
    const { documents, version } = folder.read();
    return c.json({ ...row, draft: { base: 0, version, documents, updatedAt: new Date(), updatedBy: null } });
  });
  app.get(`/api/topologies/${SLUG}/glance`, (c) => {
    const { documents, version } = folder.read();
    return c.json({ version, ...glanceOf(documents) });
  });
  for (const how of ['whole', 'change'] as const) {
    app.on(how === 'whole' ? 'PUT' : 'PATCH', `/api/topologies/${SLUG}/draft`, async (c) => {
      const { bytes, release } = await intake.read(c, 'local', LARGEST_DRAFT);
      try {
        const { version, names } = readDocuments(bytes, how);
        const sent = parsed(bytes) as Record<string, { name: string; text: string }[]>;
        const changed = sent[how === 'whole' ? 'documents' : 'changed']!;
        return c.json({ version: folder.write(version, names, changed) });
      } finally {
        release();
      }
    });
  }
  for (const list of ['revisions', 'targets', 'rollouts', 'protections'])
    app.get(`/api/topologies/${SLUG}/${list}`, (c) => c.json([]));
  app.get(`/api/topologies/${SLUG}/targets/places`, (c) =>
    c.json({ environments: [], brokers: [], builtIn: false }),
  );
  app.post(`/api/topologies/${SLUG}/revisions`, () => {
    throw notHere('Revisions of a folder are kept by whatever keeps the folder.');
  });
  app.all('/api/*', () => {
    throw notFound('such route');
  });
  app.use(builtInterface(web));
  return app;
}

function isKey(given: string, key: string): boolean {
  const [a, b] = [Buffer.from(given), Buffer.from(key)];
  return a.byteLength === b.byteLength && timingSafeEqual(a, b);
}
