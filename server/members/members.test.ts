/** Who belongs to a topology: invited by a link, given another role, sent away; and what is written down of it. */
import { asker, harness, PASSWORD, type Ask, type Harness } from '../testing/harness.ts';

let server: Harness;
let mara: Ask;
let odo: Ask;
let stranger: Ask;
beforeAll(async () => {
  server = await harness();
  await server.topology('harbour', { mara: 'owner', odo: 'approver' });
  [mara, odo, stranger] = await Promise.all([server.as('mara'), server.as('odo'), server.as('stranger')]);
});
afterAll(() => server.close());

const invite = async (more: object = {}) =>
  (await mara('POST', '/topologies/harbour/invitations', { role: 'author', words: 'for Ines', ...more }))
    .data as {
    id: number;
    key: string;
  };

describe('an invitation', () => {
  test('lets one person with an account in, once', async () => {
    const { key } = await invite();
    expect((await asker(server.app)('GET', `/invitations/${key}`)).data).toMatchObject({
      topology: 'harbour',
      role: 'author',
      words: 'for Ines',
      by: 'MARA',
    });
    // who belongs to it already does not use it up
    expect((await odo('POST', `/invitations/${key}/join`)).status).toBe(409);
    expect((await stranger('POST', `/invitations/${key}/join`)).data).toEqual({ slug: 'harbour' });
    expect((await stranger('GET', '/topologies/harbour')).data).toMatchObject({ role: 'author' });
    const ines = await server.as('ines');
    expect((await ines('POST', `/invitations/${key}/join`)).status).toBe(410);
    expect((await ines('GET', '/topologies/harbour')).status).toBe(404);
  });

  test('of which two take hold at once lets one of them in', async () => {
    const { key } = await invite();
    const both = await Promise.all(['ines', 'tam'].map((handle) => server.as(handle)));
    const answers = await Promise.all(both.map((ask) => ask('POST', `/invitations/${key}/join`)));
    expect(answers.map(({ status }) => status).sort()).toEqual([200, 410]);
  });

  test('makes an account for who has none', async () => {
    const { key } = await invite({ role: 'reader' });
    const nobody = asker(server.app);
    const account = { handle: 'fay', name: 'Fay Berth', password: 'long enough, one hopes' };
    const at = `/invitations/${key}/account`;
    expect((await nobody('POST', at, { ...account, password: 'short' })).status).toBe(422);
    expect((await nobody('POST', at, { ...account, handle: 'Fay Berth' })).status).toBe(422);
    expect((await nobody('POST', at, { ...account, handle: 'odo' })).status).toBe(409);
    const made = await nobody('POST', at, account);
    expect(made).toMatchObject({ status: 201, data: { slug: 'harbour', handle: 'fay' } });
    const fay = asker(server.app, made.headers.get('set-cookie')!.split(';')[0]);
    expect((await fay('GET', '/topologies/harbour')).data).toMatchObject({ role: 'reader' });
    expect((await nobody('POST', at, { ...account, handle: 'faye' })).status).toBe(410);
    expect((await nobody('POST', '/session', { handle: 'fay', password: account.password })).status).toBe(
      200,
    );
  });

  test('is taken back, expires, and is shown to nobody twice', async () => {
    const { id, key } = await invite();
    const listed = (await mara('GET', '/topologies/harbour/invitations')).data as object[];
    expect(listed).toContainEqual(expect.objectContaining({ id, role: 'author', by: 'MARA' }));
    expect(JSON.stringify(listed)).not.toContain(key);
    expect((await mara('DELETE', `/topologies/harbour/invitations/${id}`)).status).toBe(204);
    expect((await asker(server.app)('GET', `/invitations/${key}`)).status).toBe(410);
    const other = await invite();
    await server.db.execute(
      `update invitations set expires_at = now() - interval '1 second' where id = ${other.id}`,
    );
    expect((await asker(server.app)('GET', `/invitations/${other.key}`)).status).toBe(410);
    expect((await asker(server.app)('GET', '/invitations/short')).status).toBe(404);
    expect((await mara('POST', '/topologies/harbour/invitations', { role: 'king' })).status).toBe(422);
    expect((await mara('POST', '/topologies/harbour/invitations', { role: 'reader', days: 31 })).status).toBe(
      422,
    );
  });

  test('is one of as many as there may be', async () => {
    await server.topology('crowded', { mara: 'owner' });
    const answers = [];
    for (let i = 0; i < 51; i++)
      answers.push((await mara('POST', '/topologies/crowded/invitations', { role: 'reader' })).status);
    expect(answers.slice(0, 50).every((status) => status === 201)).toBe(true);
    expect(answers[50]).toBe(409);
  });
});

describe('members', () => {
  test('get another role, and are sent away or leave', async () => {
    expect((await mara('PUT', '/topologies/harbour/members/odo', { role: 'operator' })).status).toBe(204);
    expect((await odo('GET', '/topologies/harbour')).data).toMatchObject({ role: 'operator' });
    expect((await odo('PUT', '/topologies/harbour/members/odo', { role: 'owner' })).status).toBe(403);
    expect((await odo('DELETE', '/topologies/harbour/members/mara')).status).toBe(403);
    expect((await odo('DELETE', '/topologies/harbour/members/odo')).status).toBe(204);
    expect((await odo('GET', '/topologies/harbour')).status).toBe(404);
    expect((await mara('PUT', '/topologies/harbour/members/odo', { role: 'reader' })).status).toBe(404);
  });

  test('the last owner stays one', async () => {
    expect((await mara('PUT', '/topologies/harbour/members/mara', { role: 'reader' })).status).toBe(409);
    expect((await mara('DELETE', '/topologies/harbour/members/mara')).status).toBe(409);
  });
});

describe('one’s account', () => {
  test('another password ends the other sessions', async () => {
    const [here, there] = [await server.as('wen'), await server.as('wen')];
    const word = 'another, and as long';
    expect((await here('PUT', '/session/password', { old: 'wrong', password: word })).status).toBe(403);
    expect((await here('PUT', '/session/password', { old: PASSWORD, password: 'short' })).status).toBe(422);
    expect((await here('PUT', '/session/password', { old: PASSWORD, password: word })).status).toBe(204);
    expect((await here('GET', '/session')).status).toBe(200);
    expect((await there('GET', '/session')).status).toBe(401);
    const nobody = asker(server.app);
    expect((await nobody('POST', '/session', { handle: 'wen', password: PASSWORD })).status).toBe(401);
    expect((await nobody('POST', '/session', { handle: 'wen', password: word })).status).toBe(200);
    expect((await here('GET', '/session/all')).data).toMatchObject([{ own: false }, { own: true }]);
    expect((await here('DELETE', '/session/others')).data).toEqual({ ended: 1 });
  });
});

describe('the trail', () => {
  test('says who did what, is filtered, and goes on page by page', async () => {
    const { data } = await mara('GET', '/topologies/harbour/audit');
    const lines = data.lines as { action: string; who: string; details: Record<string, unknown> }[];
    expect(lines.map(({ action }) => action)).toEqual(
      expect.arrayContaining(['invite', 'join', 'change role', 'end membership', 'take invitation back']),
    );
    expect(JSON.stringify(lines)).not.toMatch(/[\w-]{43}/);
    const only = (await mara('GET', '/topologies/harbour/audit?who=stranger&action=join')).data;
    expect(only.lines).toMatchObject([{ who: 'stranger', action: 'join', details: { role: 'author' } }]);
    const newest = (data.lines as { id: number }[])[0]!.id;
    expect((await mara('GET', `/topologies/harbour/audit?before=${newest}`)).data.lines).toHaveLength(
      lines.length - 1,
    );
    expect((await mara('GET', '/topologies/harbour/audit?before=x')).status).toBe(422);
    expect((await mara('GET', '/topologies/harbour/audit?from=nonsense')).status).toBe(422);
    expect((await mara('GET', '/topologies/harbour/audit?to=2020-01-01')).data.lines).toEqual([]);
  });

  test('is exported whole, a line of JSON for each', async () => {
    await server.db.execute(
      `insert into audit (topology_id, action) select id, 'filled in' from topologies, generate_series(1, 1200) where slug = 'harbour'`,
    );
    const { data } = await mara('GET', '/topologies/harbour/audit.ndjson?action=filled%20in');
    const ids = (data as { id: number }[]).map(({ id }) => id);
    expect(new Set(ids).size).toBe(1200);
    expect((await mara('GET', '/topologies/harbour/audit')).data).toMatchObject({ more: true });
  });

  test('knows of failed sign-ins of whom there is, and of writes of drafts once in a while', async () => {
    const nobody = asker(server.app);
    await nobody('POST', '/session', { handle: 'mara', password: 'wrong' });
    await nobody('POST', '/session', { handle: 'nobody-at-all', password: 'wrong' });
    const failed = await server.db.execute(
      `select p.handle from audit a join people p on p.id = a.person_id where action = 'fail to sign in'`,
    );
    expect(failed.rows).toContainEqual({ handle: 'mara' });
    for (let version = 1; version < 4; version++)
      await mara('PUT', '/topologies/harbour/draft', {
        version,
        documents: [{ name: 'a.yaml', text: `# ${version}\n` }],
      });
    const writes = (await mara('GET', '/topologies/harbour/audit?action=write%20draft')).data
      .lines as object[];
    expect(writes).toMatchObject([{ who: 'mara', details: { draft: 'main' } }]);
  });
});
