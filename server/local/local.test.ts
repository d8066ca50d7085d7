import {
  existsSync,
  mkdirSync,
  mkdtempSync,
  readFileSync,
  readdirSync,
  rmSync,
  symlinkSync,
  writeFileSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { localApp } from './app.ts';
import { Folder } from './folder.ts';

const KEY = 'a-key-for-this-test-alone-0123456789';
const HOST = '127.0.0.1:4999';
let base: string;
let root: string;
let web: string;
let folder: Folder;

beforeEach(() => {
  base = mkdtempSync(join(tmpdir(), 'vondle-local-'));
  root = join(base, 'line');
  web = join(base, 'web');
  mkdirSync(join(root, 'sub'), { recursive: true });
  mkdirSync(join(root, '.git'));
  mkdirSync(web);
  writeFileSync(join(web, 'index.html'), '<title>page</title>');
  writeFileSync(join(root, 'a.yaml'), 'topology: line\n');
  writeFileSync(join(root, 'sub/b.yaml'), 'brokers: { m: { kind: amqp } }\n');
  writeFileSync(join(root, 'readme.md'), 'no document');
  writeFileSync(join(root, '.git/c.yaml'), 'no: document');
  folder = new Folder(root);
});
afterEach(() => rmSync(base, { recursive: true }));

const ask = (path: string, init: RequestInit & { host?: string; cookie?: string | null } = {}) => {
  const { host = HOST, cookie = `vondle_folder=${KEY}`, ...rest } = init;
  return localApp(folder, KEY, [HOST], web).request(`http://${host}${path}`, {
    ...rest,
    headers: { host, ...(cookie ? { cookie } : {}), 'content-type': 'application/json', ...rest.headers },
  });
};
const draft = async () =>
  (
    (await (await ask('/api/topologies/folder')).json()) as {
      draft: { version: number; documents: { name: string; text: string }[] };
    }
  ).draft;
const patch = (body: unknown, init: RequestInit = {}) =>
  ask('/api/topologies/folder/draft', { method: 'PATCH', body: JSON.stringify(body), ...init });

test('a folder is a topology of its documents, and nothing else of it is told', async () => {
  const { documents, version } = await draft();
  expect(version).toBe(1);
  expect(documents.map(({ name }) => name)).toEqual(['a.yaml', 'sub/b.yaml']);
  const glance = (await (await ask('/api/topologies/folder/glance')).json()) as {
    counts: { brokers: number };
  };
  expect(glance.counts.brokers).toBe(1);
});

test('edits go to the files, whole, and nothing is left beside them', async () => {
  const names = ['a.yaml', 'new/c.yaml', 'sub/b.yaml'];
  const changed = [
    { name: 'a.yaml', text: 'topology: other\n' },
    { name: 'new/c.yaml', text: 'apps: {}\n' },
  ];
  expect(await (await patch({ version: 1, names, changed })).json()).toEqual({ version: 2 });
  expect(readFileSync(join(root, 'a.yaml'), 'utf8')).toBe('topology: other\n');
  expect(readFileSync(join(root, 'new/c.yaml'), 'utf8')).toBe('apps: {}\n');
  expect(readdirSync(root).sort()).toEqual(['.git', 'a.yaml', 'new', 'readme.md', 'sub']);
  // one that is named no more goes, and what is no document stays
  expect((await patch({ version: 2, names: ['a.yaml', 'new/c.yaml'], changed: [] })).status).toBe(200);
  expect(existsSync(join(root, 'sub/b.yaml'))).toBe(false);
  expect(existsSync(join(root, 'readme.md'))).toBe(true);
});

test('what somebody else wrote meanwhile is not written over', async () => {
  writeFileSync(join(root, 'a.yaml'), 'topology: theirs\n');
  const names = ['a.yaml', 'sub/b.yaml'];
  const mine = await patch({ version: 1, names, changed: [{ name: 'a.yaml', text: 'topology: mine\n' }] });
  expect(mine.status).toBe(200);
  // it was read before it moved: from then on a version that is old is refused
  await draft();
  writeFileSync(join(root, 'a.yaml'), 'topology: theirs again\n');
  const late = await patch({ version: 2, names, changed: [{ name: 'a.yaml', text: 'topology: mine\n' }] });
  expect(late.status).toBe(409);
  expect(readFileSync(join(root, 'a.yaml'), 'utf8')).toBe('topology: theirs again\n');
});

test.each([
  ['../out.yaml', 422],
  ['/etc/x.yaml', 422],
  ['.git/x.yaml', 422],
  ['sub/.hidden.yaml', 422],
  ['a.txt', 422],
  ['link/x.yaml', 422],
  ['away.yaml', 422],
])('a document called %s is refused', async (name, status) => {
  mkdirSync(join(base, 'elsewhere'));
  writeFileSync(join(base, 'elsewhere/y.yaml'), 'theirs: 1');
  symlinkSync(join(base, 'elsewhere'), join(root, 'link'));
  symlinkSync(join(base, 'elsewhere/y.yaml'), join(root, 'away.yaml'));
  const { version, documents } = await draft();
  expect(documents.map((each) => each.name)).toEqual(['a.yaml', 'sub/b.yaml']);
  const names = ['a.yaml', 'sub/b.yaml', name];
  expect((await patch({ version, names, changed: [{ name, text: 'x: 1' }] })).status).toBe(status);
  expect(readdirSync(join(base, 'elsewhere'))).toEqual(['y.yaml']);
  expect(readFileSync(join(base, 'elsewhere/y.yaml'), 'utf8')).toBe('theirs: 1');
});

test('nobody is let in without the key, by another name, or from another site', async () => {
  expect((await ask('/api/topologies/folder', { cookie: null })).status).toBe(401);
  expect((await ask('/api/topologies/folder', { cookie: 'vondle_folder=other' })).status).toBe(401);
  expect((await ask('/api/topologies/folder', { host: 'evil.example:4999' })).status).toBe(421);
  const body = { version: 1, names: ['a.yaml', 'sub/b.yaml'], changed: [] };
  expect((await patch(body, { headers: { origin: 'http://evil.example' } })).status).toBe(403);
  expect((await ask('/open/wrong', { cookie: null })).status).toBe(404);
  const opened = await ask(`/open/${KEY}`, { cookie: null });
  expect(opened.status).toBe(302);
  expect(opened.headers.get('set-cookie')).toMatch(/HttpOnly; SameSite=Strict/);
});

test('what a folder has not is said, and what it has is bounded', async () => {
  expect((await ask('/api/topologies', { method: 'POST', body: '{"name":"x"}' })).status).toBe(409);
  expect((await ask('/api/topologies/folder/revisions', { method: 'POST', body: '{}' })).status).toBe(409);
  expect(await (await ask('/api/topologies/folder/targets')).json()).toEqual([]);
  expect((await ask('/api/nothing')).status).toBe(404);
  expect(await (await ask('/t/folder/declare')).text()).toContain('page');
  writeFileSync(join(root, 'bytes.yaml'), new Uint8Array([0xff, 0xfe]));
  expect((await ask('/api/topologies/folder')).status).toBe(422);
  rmSync(join(root, 'bytes.yaml'));
  for (let i = 0; i < 1001; i++) writeFileSync(join(root, `many-${i}.yaml`), '');
  expect((await ask('/api/topologies/folder')).status).toBe(413);
  expect(() => new Folder(join(root, 'a.yaml'))).toThrow('no folder');
  expect(() => new Folder(join(root, 'none'))).toThrow();
});
