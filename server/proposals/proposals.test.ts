/** A draft proposed, talked about, approved by whom the topology says, and made a revision. */
import { harness, type Ask, type Harness } from '../testing/harness.ts';

let server: Harness;
let mara: Ask;
let odo: Ask;
let ines: Ask;
let wen: Ask;
const T = '/topologies/harbour';
const RULES = `review:
  approvals: 1
  owners: [ { of: tenant:northquay, who: [ines] } ]
`;
const MAIN = `vondle: 1
topology: harbour
tenant: auklet
tenants: { auklet: {}, northquay: {} }
brokers:
  quay:
    kind: amqp
    access: open
    queues: { board: {}, theirs: { tenant: northquay } }
`;
const documents = (main: string, rules = RULES) => [
  { name: 'main.yaml', text: main },
  { name: 'rules.yaml', text: rules },
];
const head = async (draft?: number) =>
  (await mara('GET', `${T}${draft === undefined ? '' : `?draft=${draft}`}`)).data.draft as {
    id: number;
    version: number;
    base: number;
  };
async function write(main: string, draft?: number, rules = RULES, base?: number): Promise<number> {
  const { version } = await head(draft);
  const put = await mara('PUT', `${T}/draft${draft === undefined ? '' : `?draft=${draft}`}`, {
    version,
    ...(base === undefined ? {} : { base }),
    documents: documents(main, rules),
  });
  expect(put.status).toBe(200);
  return put.data.version as number;
}
/** Begins a draft with a text, and proposes it. */
async function propose(name: string, main: string) {
  const { id } = (await mara('POST', `${T}/drafts`, { name })).data as { id: number };
  const version = await write(main, id);
  const made = await mara('POST', `${T}/proposals`, { draft: id, title: `For ${name}`, words: 'Why not.' });
  expect(made.status).toBe(201);
  return {
    id,
    version,
    number: made.data.number as number,
    at: `${T}/proposals/${made.data.number as number}`,
  };
}
const lacking = async (at: string) => (await mara('GET', `${at}/agreement`)).data.lacking as string[];
const longer = MAIN.replace('board: {}', 'board: { maxLength: 5 }');

beforeAll(async () => {
  server = await harness();
  await server.topology('harbour', { mara: 'owner', odo: 'approver', ines: 'approver', wen: 'reader' });
  [mara, odo, ines, wen] = await Promise.all([
    server.as('mara'),
    server.as('odo'),
    server.as('ines'),
    server.as('wen'),
  ]);
  // the first revision brings the rules, and goes on from none
  const version = await write(MAIN);
  expect((await mara('POST', `${T}/revisions`, { version, words: 'the rules' })).status).toBe(201);
});
afterAll(() => server.close());

test('where others have to agree, a draft is not saved but proposed', async () => {
  const version = await write(longer);
  const saved = await mara('POST', `${T}/revisions`, { version, words: 'alone' });
  expect(saved).toMatchObject({ status: 409, data: { title: 'Has to be proposed' } });
  await write(MAIN);
  const same = await mara('POST', `${T}/proposals`, { draft: (await head()).id, title: 'nothing' });
  expect(same).toMatchObject({ status: 409, data: { title: 'Nothing to propose' } });
});

test('a proposal becomes a revision once whom the rules name approves it as it is', async () => {
  const { id, version, number, at } = await propose('longer boards', longer);
  expect((await mara('POST', `${T}/proposals`, { draft: id, title: 'again' })).status).toBe(409);
  expect(await lacking(at)).toEqual(['1 more approval is needed, by others than mara.']);
  expect((await mara('POST', `${at}/keep`, { version })).data.title).toBe('Not agreed yet');
  expect((await mara('POST', `${at}/verdict`, { verdict: 'approve', version })).status).toBe(403);
  expect((await odo('POST', `${at}/verdict`, { verdict: 'approve', version: version - 1 })).status).toBe(409);
  expect((await odo('POST', `${at}/verdict`, { verdict: 'approve', version })).status).toBe(204);
  expect(await lacking(at)).toEqual([]);
  const kept = await mara('POST', `${at}/keep`, { version });
  expect(kept.status).toBe(201);
  const [newest] = (await wen('GET', `${T}/revisions`)).data as object[];
  expect(newest).toMatchObject({
    number: kept.data.number as number,
    words: 'For longer boards',
    author: 'MARA',
  });
  expect((await wen('GET', at)).data).toMatchObject({
    number,
    state: 'kept',
    revision: kept.data.number as number,
  });
  for (const path of ['keep', 'withdraw'])
    expect((await mara('POST', `${at}/${path}`, { version })).data.title).toBe('Closed');
});

test('a proposal that changes loses its approvals, and what was approved can be seen', async () => {
  const { number: base } = (await wen('GET', `${T}/revisions`)).data[0] as { number: number };
  const { id, version, at } = await propose('theirs', longer.replace('theirs: {', 'theirs: { maxLength: 9,'));
  await odo('POST', `${at}/verdict`, { verdict: 'approve', version });
  expect(await lacking(at)).toEqual(['It touches tenant:northquay, for which ines has to approve.']);
  await ines('POST', `${at}/verdict`, { verdict: 'changes', version, words: 'Nine is few.' });
  expect(await lacking(at)).toHaveLength(1);
  expect((await mara('GET', '/inbox')).data).toContainEqual(
    expect.objectContaining({ what: 'changes', by: 'INES', title: 'For theirs' }),
  );
  // what waits for its author does not wait for others as well
  expect((await mara('GET', '/inbox')).data).not.toContainEqual(expect.objectContaining({ what: 'others' }));
  const next = await write(longer.replace('theirs: {', 'theirs: { maxLength: 90,'), id, RULES, base);
  expect((await mara('GET', '/inbox')).data).toContainEqual(
    expect.objectContaining({ what: 'others', by: 'INES, ODO', title: 'For theirs' }),
  );
  const { verdicts } = (await wen('GET', at)).data as { verdicts: { handle: string; holds: boolean }[] };
  expect(verdicts).toMatchObject([
    { handle: 'odo', verdict: 'approve', holds: false },
    { handle: 'ines', verdict: 'changes', holds: false, words: 'Nine is few.' },
  ]);
  expect(await lacking(at)).toHaveLength(2);
  const then = (await wen('GET', `${at}/verdicts/odo`)).data.documents as { text: string }[];
  expect(then[0]!.text).toContain('maxLength: 9,');
  expect((await odo('GET', '/inbox')).data).toContainEqual(
    expect.objectContaining({ what: 'review', by: 'MARA', title: 'For theirs', slug: 'harbour' }),
  );
  for (const ask of [odo, ines]) await ask('POST', `${at}/verdict`, { verdict: 'approve', version: next });
  expect(((await odo('GET', '/inbox')).data as { title: string }[]).map(({ title }) => title)).not.toContain(
    'For theirs',
  );
  expect((await mara('POST', `${at}/keep`, { version: next })).status).toBe(201);
});

test('rules cannot be taken away by what is held to them, and errors stand in the way', async () => {
  const { id, at } = await propose('no rules', longer);
  const { number: base } = (await wen('GET', `${T}/revisions`)).data[0] as { number: number };
  const wrong = `${longer}links: { l: { from: quay/board, to: quay/nowhere } }\n`;
  const version = await write(wrong, id, '# none\n', base);
  const words = await lacking(at);
  expect(words[0]).toContain('1 more approval');
  expect(words.some((line) => /errors? ha(s|ve) to be mended/.test(line))).toBe(true);
  await odo('POST', `${at}/verdict`, { verdict: 'approve', version });
  await ines('POST', `${at}/verdict`, { verdict: 'approve', version });
  expect((await mara('POST', `${at}/keep`, { version })).data.lacking).toHaveLength(1);
  expect((await odo('POST', `${at}/withdraw`)).status).toBe(403);
  expect((await mara('POST', `${at}/withdraw`)).status).toBe(204);
  expect((await odo('POST', `${at}/verdict`, { verdict: 'approve', version })).data.title).toBe('Closed');
  // withdrawn, its draft can be proposed again
  expect((await mara('POST', `${T}/proposals`, { draft: id, title: 'once more' })).status).toBe(201);
});

test('a proposal behind the newest revision brings that in first', async () => {
  const early = await propose('early', longer.replace('maxLength: 5', 'maxLength: 6'));
  const { id, version, at } = await propose('late', longer.replace('maxLength: 5', 'maxLength: 7'));
  for (const { at: each, version: own } of [early, { at, version }])
    for (const ask of [odo, ines]) await ask('POST', `${each}/verdict`, { verdict: 'approve', version: own });
  expect((await mara('POST', `${early.at}/keep`, { version: early.version })).status).toBe(201);
  const late = await mara('POST', `${at}/keep`, { version });
  expect(late).toMatchObject({ status: 409, data: { title: 'The base has moved' } });
  expect((await head(id)).version).toBe(version);
});

describe('what is said', () => {
  test('about all, a thing, a line, a route or a finding; answered, resolved and opened again', async () => {
    const { at } = await propose('talked about', `${longer}# talk\n`);
    const say = (about: object, words = 'Why?', ask = wen) => ask('POST', `${at}/threads`, { about, words });
    const abouts = [
      { kind: 'all' },
      { kind: 'thing', id: 'queue:quay/board' },
      { kind: 'line', doc: 'main.yaml', line: 3, text: 'tenant: auklet' },
      { kind: 'route', text: 'sailing from desk to quay/boats' },
      { kind: 'finding', text: 'Nothing takes from quay/board.' },
    ];
    const ids: number[] = [];
    for (const about of abouts) {
      const made = await say(about);
      expect(made.status).toBe(201);
      ids.push(made.data.id as number);
    }
    for (const wrong of [
      {},
      { kind: 'toString' },
      { kind: 'line', doc: 'x' },
      { kind: 'thing', id: 'x', more: 1 },
    ])
      expect((await say(wrong)).status).toBe(422);
    expect((await say({ kind: 'all' }, ' ')).status).toBe(422);
    const thread = `${at}/threads/${ids[1]!}`;
    expect((await mara('POST', thread, { words: 'Because.' })).status).toBe(204);
    expect((await mara('PUT', thread, { resolved: true })).status).toBe(204);
    const found = async () =>
      (await wen('GET', at)).data.threads as { resolved: string | null; comments: unknown[] }[];
    expect((await found()).map(({ resolved }) => resolved)).toEqual([null, 'MARA', null, null, null]);
    // whoever says something more opens it again
    await wen('POST', thread, { words: 'And yet.' });
    expect((await found())[1]).toMatchObject({
      about: abouts[1],
      resolved: null,
      comments: [{ name: 'WEN', words: 'Why?' }, { name: 'MARA', words: 'Because.' }, { words: 'And yet.' }],
    });
    const other = await propose('another', `${longer}# other\n`);
    expect((await wen('POST', `${other.at}/threads/${ids[0]!}`, { words: 'astray' })).status).toBe(404);
  });

  test('in no more words, and no more of them, than there is room for', async () => {
    const { at } = await propose('much talked about', `${longer}# much\n`);
    const made = await wen('POST', `${at}/threads`, { about: { kind: 'all' }, words: 'x'.repeat(4001) });
    expect(made.status).toBe(422);
    const { id } = (await wen('POST', `${at}/threads`, { about: { kind: 'all' }, words: 'x' })).data as {
      id: number;
    };
    await server.db.execute(
      `insert into comments (thread_id, person_id, words) select ${id}, 1, 'x' from generate_series(1, 199)`,
    );
    expect((await wen('POST', `${at}/threads/${id}`, { words: 'one more' })).status).toBe(409);
    await server.db.execute(
      `insert into threads (proposal_id, about) select proposal_id, about from threads, generate_series(1, 499) where id = ${id}`,
    );
    expect((await wen('POST', `${at}/threads`, { about: { kind: 'all' }, words: 'x' })).status).toBe(409);
  });
});
