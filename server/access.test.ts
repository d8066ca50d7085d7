/**
 * Who may ask what: every route, asked by nobody, by whoever is no member, by each role, and with a token of each
 * scope. A route that is not described fails.
 */
import { ROUTES, type Role, type Route, type Scope, type Want } from '@vondle/api';
import { may } from './topologies/service.ts';
import { asker, harness, type Answer, type Ask, type Harness } from './testing/harness.ts';

/**
 * The routes as they are described to everybody. What leads nowhere is asked for, so that nothing is done: doors are
 * looked at before what is behind them.
 */
const ROWS = Object.entries<Route>(ROUTES).map(([name, { door, body }]) => {
  const [method, path] = name.split(' ') as [string, string];
  return [method, `/api${path}`, door, body ? {} : undefined] as const;
});

const PEOPLE: Readonly<Record<Role, string>> = {
  owner: 'mara',
  approver: 'odo',
  reader: 'wen',
  author: 'ines',
  operator: 'tam',
};
const SCOPES: Readonly<Record<Scope, readonly Want[]>> = {
  read: ['read'],
  write: ['read', 'write'],
  operate: ['read', 'operate'],
};

let server: Harness;
const asks = new Map<string, Ask>();
beforeAll(async () => {
  server = await harness();
  await server.topology(
    'harbour',
    Object.fromEntries(Object.entries(PEOPLE).map(([role, who]) => [who, role])) as Record<string, Role>,
  );
  asks.set('nobody', asker(server.app));
  for (const [role, handle] of Object.entries(PEOPLE)) asks.set(role, await server.as(handle));
  asks.set('stranger', await server.as('stranger'));
  for (const scope of Object.keys(SCOPES)) {
    const { data } = await asks.get('owner')!('POST', '/tokens', { slug: 'harbour', name: scope, scope });
    const nobody = asker(server.app);
    asks.set(`${scope} token`, (method, path, body, headers) =>
      nobody(method, path, body, { authorization: `Bearer ${data.token as string}`, ...headers }),
    );
  }
});
afterAll(() => server.close());

/** Asks a route of the table as somebody. */
function ask(who: string, [method, path, , body]: (typeof ROWS)[number]): Promise<Answer> {
  const at = path
    .slice(4)
    .replace(':slug', 'harbour')
    .replace(':handle', 'nobody-here')
    .replace(':environment', 'live')
    .replace(':key', 'x'.repeat(43))
    .replace(/:\w+/g, '999999');
  return asks.get(who)!(method, at, body);
}
const isClosed = ({ status, data }: Answer) =>
  status === 401 || status === 403 || (status === 404 && String(data?.detail).includes('such topology'));

test('every route is described, and nothing else', () => {
  const known = new Set(ROWS.map(([method, path]) => `${method} ${path}`));
  const routes = server.app.routes
    .filter(({ method, path }) => method !== 'ALL' && path.startsWith('/api/'))
    .map(({ method, path }) => `${method} ${path.replace(/\/$/, '')}`);
  expect(routes.filter((route) => !known.has(route))).toEqual([]);
  expect([...known].filter((route) => !routes.includes(route))).toEqual([]);
});

describe.each(ROWS.map((row) => [`${row[0]} ${row[1]}`, row] as const))('%s', (_, row) => {
  const [, , door] = row;

  test('nobody', async () => {
    const { status } = await ask('nobody', row);
    if (door === 'open') expect([403]).not.toContain(status);
    else expect(status).toBe(401);
  });

  if (door !== 'open' && door !== 'signed in')
    test('who is no member cannot tell it from what does not exist', async () => {
      expect(await ask('stranger', row)).toMatchObject({ status: 404, data: { title: 'Not found' } });
    });

  // signing oneself out would leave the others nobody to ask as
  if (door !== 'open')
    test.each(Object.keys(PEOPLE) as Role[])('%s', async (role) => {
      if (row[1].endsWith('/live') && !row[1].includes('rollouts')) return;
      const answer = await ask(role, row);
      const allowed = door === 'signed in' || may(role, door);
      expect({ closed: isClosed(answer), status: answer.status }).toMatchObject({ closed: !allowed });
      if (!allowed) expect(answer.status).toBe(403);
    });

  if (door !== 'open')
    test.each(Object.keys(SCOPES) as Scope[])('%s token', async (scope) => {
      if (row[1].endsWith('/live') && !row[1].includes('rollouts')) return;
      const answer = await ask(`${scope} token`, row);
      const allowed = door !== 'signed in' && SCOPES[scope].includes(door);
      expect({ closed: isClosed(answer), status: answer.status }).toMatchObject({ closed: !allowed });
    });
});

test('a token is for its topology alone, ends when it is ended, and with what its person may do', async () => {
  await server.topology('quay', { mara: 'owner' });
  expect((await asks.get('read token')!('GET', '/topologies/quay')).status).toBe(404);
  const made = await asks.get('author')!('POST', '/tokens', { slug: 'harbour', name: 'ci', scope: 'write' });
  const bearer = { authorization: `Bearer ${made.data.token as string}` };
  const nobody = asks.get('nobody')!;
  expect((await nobody('GET', '/topologies/harbour', undefined, bearer)).status).toBe(200);
  // more than one may oneself cannot be had
  expect(
    (await asks.get('author')!('POST', '/tokens', { slug: 'harbour', name: 'x', scope: 'operate' })).status,
  ).toBe(403);
  await asks.get('owner')!('PUT', '/topologies/harbour/members/ines', { role: 'reader' });
  expect((await nobody('POST', '/topologies/harbour/drafts', { name: 'x' }, bearer)).status).toBe(403);
  const [listed] = (await asks.get('author')!('GET', '/tokens')).data as { id: number; usedAt: string }[];
  expect(listed!.usedAt).not.toBeNull();
  expect(JSON.stringify(listed)).not.toContain((made.data.token as string).slice(7));
  expect((await asks.get('owner')!('DELETE', `/tokens/${listed!.id}`)).status).toBe(404);
  expect((await asks.get('author')!('DELETE', `/tokens/${listed!.id}`)).status).toBe(204);
  expect((await nobody('GET', '/topologies/harbour', undefined, bearer)).status).toBe(401);
  expect(
    (await nobody('GET', '/topologies/harbour', undefined, { authorization: 'Basic eDp5' })).status,
  ).toBe(401);
});
