/** Several drafts of one topology, many who write at once, and what each of them hears of the others. */
import { harness, type Ask, type Harness } from '../testing/harness.ts';

let server: Harness;
let mara: Ask;
let odo: Ask;
let wen: Ask;
beforeAll(async () => {
  server = await harness();
  await server.topology('harbour', { mara: 'owner', odo: 'author', wen: 'reader' });
  [mara, odo, wen] = await Promise.all([server.as('mara'), server.as('odo'), server.as('wen')]);
});
afterAll(() => server.close());

const QUEUES = `vondle: 1
topology: harbour
brokers:
  quay:
    kind: amqp
    exchanges: { boats: { type: topic } }
    queues:
${Array.from({ length: 50 }, (_, i) => `      q${i}: { maxLength: 1 } # the ${i}th\n`).join('')}`;
const one = (text: string) => [{ name: 'topology.yaml', text }];
const textOf = async (draft?: number): Promise<string> =>
  (
    (await mara('GET', `/topologies/harbour${draft === undefined ? '' : `?draft=${draft}`}`)).data.draft
      .documents[0] as { text: string }
  ).text;

/** Puts a text into the main draft and saves it. @returns the revision's number */
async function save(text: string): Promise<number> {
  const { version } = (await mara('GET', '/topologies/harbour')).data.draft as { version: number };
  const put = await mara('PUT', '/topologies/harbour/draft', { version, documents: one(text) });
  const saved = await mara('POST', '/topologies/harbour/revisions', {
    version: put.data.version as number,
    words: 'for a test',
  });
  expect(saved.status).toBe(201);
  return saved.data.number as number;
}

describe('drafts', () => {
  test('begin from a revision, have a name and an owner, and leave each other alone', async () => {
    const number = await save(QUEUES);
    const made = await odo('POST', '/topologies/harbour/drafts', { name: 'longer queues', revision: number });
    expect(made.status).toBe(201);
    const id = made.data.id as number;
    expect(await textOf(id)).toBe(QUEUES);
    const put = await odo('PUT', `/topologies/harbour/draft?draft=${id}`, {
      version: 1,
      documents: one(QUEUES.replace('q7: { maxLength: 1 }', 'q7: { maxLength: 7 }')),
    });
    expect(put.data).toEqual({ version: 2 });
    expect(await textOf()).toBe(QUEUES);
    const { data } = await wen('GET', '/topologies/harbour/drafts');
    expect(data).toMatchObject([
      { name: 'main', main: true, owner: null, base: number },
      { id, name: 'longer queues', main: false, owner: 'odo', base: number, version: 2, updatedBy: 'ODO' },
    ]);
  });

  test('may begin with what another draft has', async () => {
    const drafts = (await mara('GET', '/topologies/harbour/drafts')).data as { id: number; name: string }[];
    const { id } = drafts.find(({ name }) => name === 'longer queues')!;
    const made = await mara('POST', '/topologies/harbour/drafts', { name: 'the same again', draft: id });
    expect(await textOf(made.data.id as number)).toContain('q7: { maxLength: 7 }');
  });

  test('are told apart by name, and there is no other of another topology', async () => {
    const taken = await odo('POST', '/topologies/harbour/drafts', { name: 'longer queues' });
    expect(taken).toMatchObject({ status: 409, data: { title: 'Taken' } });
    expect((await odo('GET', '/topologies/harbour?draft=999999')).status).toBe(404);
    await server.topology('elsewhere', { odo: 'owner' });
    const other = (await odo('GET', '/topologies/elsewhere/drafts')).data[0] as { id: number };
    expect((await odo('GET', `/topologies/harbour?draft=${other.id}`)).status).toBe(404);
    expect(
      (await odo('PUT', `/topologies/harbour/draft?draft=${other.id}`, { version: 1, documents: [] })).status,
    ).toBe(404);
  });

  test('are renamed and removed by whose they are, and the main one never', async () => {
    const { id } = (await mara('POST', '/topologies/harbour/drafts', { name: 'short lived' })).data as {
      id: number;
    };
    expect((await odo('DELETE', `/topologies/harbour/drafts/${id}`)).status).toBe(403);
    expect((await wen('PATCH', `/topologies/harbour/drafts/${id}`, { name: 'mine' })).status).toBe(403);
    expect((await mara('PATCH', `/topologies/harbour/drafts/${id}`, { name: 'longer queues' })).status).toBe(
      409,
    );
    expect((await mara('PATCH', `/topologies/harbour/drafts/${id}`, { name: 'long lived' })).status).toBe(
      204,
    );
    expect((await mara('DELETE', `/topologies/harbour/drafts/${id}`)).status).toBe(204);
    expect((await mara('GET', `/topologies/harbour?draft=${id}`)).status).toBe(404);
    const [main] = (await mara('GET', '/topologies/harbour/drafts')).data as { id: number }[];
    expect((await mara('DELETE', `/topologies/harbour/drafts/${main!.id}`)).status).toBe(409);
  });

  test('are as many as there may be', async () => {
    await server.topology('many', { odo: 'owner' });
    const begin = (name: string) => odo('POST', '/topologies/many/drafts', { name });
    for (let i = 1; i < 100; i++) expect((await begin(`draft ${i}`)).status).toBe(201);
    expect(await begin('one more')).toMatchObject({ status: 409, data: { title: 'Too many' } });
  });
});

describe('a revision', () => {
  test('is made of a draft that goes on from the newest one alone', async () => {
    const base = await save(`${QUEUES}# for the base\n`);
    const { id } = (await odo('POST', '/topologies/harbour/drafts', { name: 'slow' })).data as { id: number };
    const newest = await save(`${QUEUES}# saved meanwhile\n`);
    await odo('PUT', `/topologies/harbour/draft?draft=${id}`, {
      version: 1,
      documents: one(`# at the top\n${QUEUES}# for the base\n`),
    });
    const early = await odo('POST', `/topologies/harbour/revisions?draft=${id}`, {
      version: 2,
      words: 'too early',
    });
    expect(early).toMatchObject({ status: 409, data: { title: 'The base has moved', newest } });
    // brought in by the draft's writer, who says from which revision it goes on now
    const none = await odo('PUT', `/topologies/harbour/draft?draft=${id}`, {
      version: 2,
      base: newest + 1,
      documents: one(QUEUES),
    });
    expect(none.status).toBe(422);
    const put = await odo('PUT', `/topologies/harbour/draft?draft=${id}`, {
      version: 2,
      base: newest,
      documents: one(`# at the top\n${QUEUES}# saved meanwhile\n`),
    });
    expect(put.data).toEqual({ version: 3 });
    const saved = await odo('POST', `/topologies/harbour/revisions?draft=${id}`, {
      version: 3,
      words: 'in time',
    });
    expect(saved.data).toMatchObject({ number: newest + 1 });
    const [first] = (await odo('GET', '/topologies/harbour/revisions')).data as object[];
    expect(first).toMatchObject({ number: newest + 1, parent: newest, author: 'ODO' });
    expect(base).toBeLessThan(newest);
    // the main draft is behind now
    expect(
      await mara('POST', '/topologies/harbour/revisions', {
        version: ((await mara('GET', '/topologies/harbour')).data.draft as { version: number }).version,
        words: 'behind',
      }),
    ).toMatchObject({ status: 409, data: { title: 'The base has moved' } });
  });
});

describe('many who write at once', () => {
  const path = async (name: string) => {
    const drafts = (await mara('GET', '/topologies/harbour/drafts')).data as { id: number; name: string }[];
    return drafts.find((draft) => draft.name === name)!.id;
  };

  test('every acknowledged edit is there in the end', async () => {
    const { data } = await mara('GET', '/topologies/harbour/revisions');
    const base = (data as { number: number }[])[0]!.number;
    await mara('POST', '/topologies/harbour/drafts', { name: 'busy', revision: base });
    const id = await path('busy');
    const before = await textOf(id);
    const answers = await Promise.all(
      Array.from({ length: 50 }, (_, i) =>
        (i % 2 ? mara : odo)('POST', `/topologies/harbour/draft/merge?draft=${id}`, {
          base,
          documents: one(before.replace(`q${i}: { maxLength: 1 }`, `q${i}: { maxLength: ${100 + i} }`)),
        }),
      ),
    );
    const acknowledged = answers.flatMap(({ status }, i) => (status === 200 ? [i] : []));
    // whoever is told to come again does
    for (const i of answers.keys())
      if (!acknowledged.includes(i)) {
        expect([429, 503]).toContain(answers[i]!.status);
      }
    expect(acknowledged.length).toBeGreaterThan(10);
    const after = await textOf(id);
    for (const i of acknowledged) expect(after).toContain(`q${i}: { maxLength: ${100 + i} } # the ${i}th`);
    expect(after.split('\n')).toHaveLength(before.split('\n').length);
  });

  test('a value that both changed is told, and nothing is changed', async () => {
    const id = await path('busy');
    const { data } = await mara('GET', '/topologies/harbour/revisions');
    const base = (data as { number: number }[])[0]!.number;
    const other = (text: string) => ({ base, documents: one(text) });
    const from = (
      (await mara('GET', `/topologies/harbour/revisions/${base}`)).data.documents[0] as { text: string }
    ).text;
    const first = from.replace('q1: { maxLength: 1 }', 'q1: { maxLength: 5 }').replace('topic', 'fanout');
    await mara('POST', `/topologies/harbour/draft/merge?draft=${id}`, other(from.replace('topic', 'direct')));
    const before = await textOf(id);
    const answer = await odo('POST', `/topologies/harbour/draft/merge?draft=${id}`, other(first));
    expect(answer).toMatchObject({
      status: 409,
      data: {
        title: 'Conflicts',
        conflicts: expect.arrayContaining([
          expect.objectContaining({
            way: ['brokers', 'quay', 'exchanges', 'boats', 'type'],
            base: 'topic',
            mine: 'direct',
            theirs: 'fanout',
          }),
        ]) as unknown,
      },
    });
    expect(await textOf(id)).toBe(before);
  });

  test('what is no change writes nothing, and what is no revision or draft is refused', async () => {
    const id = await path('busy');
    const text = await textOf(id);
    const merge = (body: unknown, ask = odo) =>
      ask('POST', `/topologies/harbour/draft/merge?draft=${id}`, body);
    const { data } = await mara('GET', '/topologies/harbour/revisions');
    const base = (data as { number: number }[])[0]!.number;
    expect((await merge({ base, documents: one(text) })).data).toMatchObject({ changed: false });
    expect((await merge({ base: 9999, documents: one(text) })).status).toBe(404);
    expect((await merge({ documents: one(text) })).status).toBe(422);
    expect((await merge({ base, documents: one(text) }, wen)).status).toBe(403);
  });
});

describe('what goes on is heard', () => {
  /** Listens as somebody. @returns what waits for an event that fits, and what ends it */
  async function listen(handle: string, draft: number, tab: string) {
    const response = await server.app.request(`/api/session`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ handle, password: 'a password for tests' }),
    });
    const cookie = response.headers.get('set-cookie')!.split(';')[0]!;
    const stop = new AbortController();
    const live = await server.app.request(`/api/topologies/harbour/live?draft=${draft}&tab=${tab}`, {
      headers: { cookie },
      signal: stop.signal,
    });
    expect(live.status).toBe(200);
    const reader = live.body!.pipeThrough(new TextDecoderStream()).getReader();
    let read = '';
    // eslint-disable-next-line @typescript-eslint/no-explicit-any -- as the event has it
    const until = async (fits: (state: any) => boolean): Promise<void> => {
      for (;;) {
        for (const line of read.split('\n'))
          if (line.startsWith('data: {') && fits(JSON.parse(line.slice(6)))) return;
        const { value, done } = await reader.read();
        if (done) throw new Error('it ended');
        read += value;
      }
    };
    return { until, stop: () => reader.cancel() };
  }
  type State = {
    drafts: { name: string; version: number }[];
    people: { handle: string; draft: number }[];
    revision: number;
  };

  test('who is there, which draft moved, which revision came', async () => {
    const [main] = (await mara('GET', '/topologies/harbour/drafts')).data as {
      id: number;
      version: number;
    }[];
    const here = await listen('wen', main!.id, 'tab-of-wen');
    await here.until((state: State) => state.people.some(({ handle }) => handle === 'wen'));
    const other = await listen('odo', main!.id, 'tab-of-odo');
    await here.until((state: State) => state.people.some(({ handle }) => handle === 'odo'));
    const { version } = (await mara('GET', '/topologies/harbour')).data.draft as { version: number };
    const put = await mara('PUT', '/topologies/harbour/draft', { version, documents: one(QUEUES) });
    await here.until(({ drafts }: State) => drafts[0]!.version === put.data.version);
    await other.stop();
    await here.until(({ people }: State) => people.length === 1 && people[0]!.handle === 'wen');
    await here.stop();
  });

  test('by members alone, from tabs that have a name', async () => {
    const stranger = await server.as('stranger');
    expect((await stranger('GET', '/topologies/harbour/live?tab=some-tab')).status).toBe(404);
    expect((await mara('GET', '/topologies/harbour/live')).status).toBe(422);
    expect((await mara('GET', `/topologies/harbour/live?tab=${'x'.repeat(65)}`)).status).toBe(422);
  });
});

describe('blame', () => {
  test('says with which revision each line came, and which the draft itself changed', async () => {
    await server.topology('blamed', { mara: 'owner' });
    const at = '/topologies/blamed';
    const write = async (text: string, words?: string) => {
      const { version } = (await mara('GET', at)).data.draft as { version: number };
      const put = await mara('PUT', `${at}/draft`, { version, documents: one(text) });
      if (words) await mara('POST', `${at}/revisions`, { version: put.data.version as number, words });
    };
    await write('a: 1\nb: 1\n', 'one');
    await write('a: 1\nb: 2\n', 'two');
    await write('a: 1\nb: 2\nc: 3\n', 'three');
    await write('new: 0\na: 1\nb: 2\nc: 3\n');
    const { data } = await mara('GET', `${at}/blame?doc=topology.yaml`);
    expect(data.lines).toEqual([0, 1, 2, 3]);
    expect((await mara('GET', `${at}/blame?doc=other.yaml`)).status).toBe(404);
    expect((await mara('GET', `${at}/blame`)).status).toBe(422);
  });
});
