/**
 * The server answers as it is described. Every answer of every test is held against the description (testing/described.ts);
 * here each route that needs no broker gives its right answer at least once, and what is not as described is found out.
 */
import { openapi } from '@vondle/api';
import { answered, mustBeDescribed } from './testing/described.ts';
import { asker, harness, PASSWORD, type Ask, type Harness } from './testing/harness.ts';

let server: Harness;
let mara: Ask;
let odo: Ask;
const T = '/topologies/harbour';
const DOCUMENT = {
  name: 'a.yaml',
  text: 'vondle: 1\nenvironments: { live: {} }\nbrokers: { m: { kind: amqp } }\n',
};
beforeAll(async () => {
  server = await harness();
  await server.topology('harbour', { mara: 'owner', odo: 'approver' });
  [mara, odo] = [await server.as('mara'), await server.as('odo')];
});
afterAll(() => server.close());

/** Writes a draft of one document. @returns its version */
async function write(draft: number, text: string): Promise<number> {
  const at = (await mara('GET', `${T}?draft=${draft}`)).data.draft as { version: number };
  const body = { version: at.version, documents: [{ ...DOCUMENT, text }] };
  return (await mara('PUT', `${T}/draft?draft=${draft}`, body)).data.version as number;
}

test('every route that needs no broker answers as it is described', async () => {
  const nobody = asker(server.app);
  for (const path of ['/health', '/ready', '/openapi.json']) await nobody('GET', path);
  for (const path of ['/session', '/session/ways', '/session/all', '/topologies', '/inbox'])
    await mara('GET', path);
  const twice = await server.as('mara');
  await twice('DELETE', '/session/others');
  mara = await server.as('mara');
  await mara('POST', '/tokens', { slug: 'harbour', name: 'ci', scope: 'read' });
  const [token] = (await mara('GET', '/tokens')).data as { id: number }[];
  await mara('DELETE', `/tokens/${token!.id}`);
  await mara('POST', '/topologies', { name: 'Quay' });
  await mara('POST', '/topologies/taken-in?name=Quay', { version: 0, documents: [DOCUMENT] });

  const { version } = (await mara('GET', T)).data.draft as { version: number };
  const put = await mara('PUT', `${T}/draft`, { version, documents: [DOCUMENT] });
  const change = { version: put.data.version as number, names: ['a.yaml'], changed: [] };
  const patched = await mara('PATCH', `${T}/draft`, change);
  await mara('POST', `${T}/draft/merge`, { base: 0, documents: [DOCUMENT] });
  await mara('POST', `${T}/revisions`, { version: patched.data.version as number, words: 'first' });
  for (const path of [
    'glance',
    'classes',
    'drafts',
    'members',
    'audit',
    'audit.ndjson',
    'revisions',
    'targets',
  ])
    await mara('GET', `${T}/${path}`);
  for (const path of [
    'revisions/1',
    'revisions/1/glance',
    'blame?doc=a.yaml',
    'targets/places',
    'links',
    'credentials',
    'watch/live/alerts',
    'watch/live/apps',
    'taps/live',
    'passed/live',
    'watch/live/course?broker=m&store=q&minutes=60',
    'messages/live/operations',
    'protections',
  ])
    await mara('GET', `${T}/${path}`);
  await mara('PUT', `${T}/protections/live`, { protected: true });

  const draft = (await mara('POST', `${T}/drafts`, { name: 'next' })).data.id as number;
  await mara('PATCH', `${T}/drafts/${draft}`, { name: 'soon' });
  const text = `${DOCUMENT.text}# more\n`;
  const now = await write(draft, text);
  const number = (await mara('POST', `${T}/proposals`, { draft, title: 'more' })).data.number as number;
  const at = `${T}/proposals/${number}`;
  await odo('POST', `${at}/verdict`, { verdict: 'approve', version: now });
  const thread = (await odo('POST', `${at}/threads`, { about: { kind: 'all' }, words: 'why?' })).data
    .id as number;
  await mara('POST', `${at}/threads/${thread}`, { words: 'for more' });
  await odo('PUT', `${at}/threads/${thread}`, { resolved: true });
  await mara('GET', `${T}/proposals`);
  for (const path of ['', '/agreement', '/verdicts/odo']) await mara('GET', `${at}${path}`);
  await mara('POST', `${at}/keep`, { version: now });
  const other = (await mara('POST', `${T}/drafts`, { name: 'other' })).data.id as number;
  await write(other, DOCUMENT.text);
  const second = (await mara('POST', `${T}/proposals`, { draft: other, title: 'less' })).data
    .number as number;
  await mara('POST', `${T}/proposals/${second}/withdraw`, {});
  await mara('DELETE', `${T}/drafts/${other}`);

  await mara('PUT', `${T}/members/odo`, { role: 'reader' });
  await mara('DELETE', `${T}/members/odo`);
  const { id, key } = (await mara('POST', `${T}/invitations`, { role: 'author' })).data as {
    id: number;
    key: string;
  };
  await mara('GET', `${T}/invitations`);
  await nobody('GET', `/invitations/${key}`);
  await odo('POST', `/invitations/${key}/join`);
  await mara('DELETE', `${T}/invitations/${id}`);
  const third = await mara('POST', `${T}/invitations`, { role: 'author' });
  const fourth = await mara('POST', `${T}/invitations`, { role: 'author' });
  await mara('DELETE', `${T}/invitations/${fourth.data.id as number}`);
  await nobody('POST', `/invitations/${third.data.key as string}/account`, {
    handle: 'new-one',
    name: 'New',
    password: PASSWORD,
  });
  await mara('PUT', '/session/password', { old: PASSWORD, password: `${PASSWORD} anew` });
  await mara('DELETE', '/session');

  const routes = Object.values(openapi('0').paths).flatMap((each) => Object.values(each));
  const silent = routes
    .filter(({ operationId }) => !answered.has(operationId))
    .map(({ operationId }) => operationId);
  // streams go on and on; what is of a broker, a receiver or an issuer is tried with one
  const BROKER =
    /Live$|Rollouts|Targets|Credentials|Webhooks|Oidc|WatchEnvironment(Drift)?$|put.*EnvironmentApps$|MessagesEnvironment(Send|Take)?$|^post.*Operations/;
  expect(silent.filter((id) => !BROKER.test(id))).toEqual([]);
});

test('the description is served to everybody, with the server’s version', async () => {
  const { data, status } = await asker(server.app)('GET', '/openapi.json');
  expect(status).toBe(200);
  expect(data).toEqual(openapi(data.info.version as string));
  expect(data.info.version).toMatch(/^\d+\.\d+\.\d+$/);
});

describe('an answer that is not as it is described is found out', () => {
  const json = (status: number, type = 'application/json') =>
    new Response(null, { status, headers: { 'content-type': type } });
  const member = { handle: 'odo', name: 'ODO', role: 'approver', reads: 'nothing' };
  const say = (data: unknown, response = json(200)) => mustBeDescribed('GET', `${T}/members`, response, data);

  test('and one that is passes', () => say([member]));
  test.each([
    ['a member more', [{ ...member, password: 'x' }]],
    ['a member less', [{ handle: 'odo', name: 'ODO', reads: 'nothing' }]],
    ['another kind', [{ ...member, name: null }]],
    ['another word', [{ ...member, role: 'king' }]],
    ['no list', member],
  ])('%s', (_, data) => expect(() => say(data)).toThrow('does not answer as it is described'));
  test('another status', () => expect(() => say([member], json(201))).toThrow('not described'));
  test('another type', () => expect(() => say([member], json(200, 'text/html'))).toThrow('described is'));
  test('a problem without words', () =>
    expect(() => say({ status: 404 }, json(404, 'application/problem+json'))).toThrow('as it is described'));
});
