/** Four eyes on proposals: who wrote, who proposed, who approves and who saves, in every order of three people. */
import { harness, type Ask, type Harness } from '../testing/harness.ts';

jest.setTimeout(120_000);
let server: Harness;
const PEOPLE = ['mara', 'odo', 'ines'] as const;
type Name = (typeof PEOPLE)[number];
const ask = new Map<Name, Ask>();
const as = (name: Name, ...args: Parameters<Ask>) => ask.get(name)!(...args);
const T = '/topologies/harbour';
const text = (queues: string) =>
  `vondle: 1\ntopology: harbour\nreview: { approvals: 1 }\nbrokers: { quay: { kind: amqp, access: open, queues: { ${queues} } } }\n`;
let count = 0;

const draftOf = async (draft: number) =>
  (await as('mara', 'GET', `${T}?draft=${draft}`)).data.draft as { version: number; base: number };
async function write(who: Name, draft: number, queues: string): Promise<void> {
  const { version } = await draftOf(draft);
  const documents = [{ name: 'main.yaml', text: text(queues) }];
  expect((await as(who, 'PUT', `${T}/draft?draft=${draft}`, { version, documents })).status).toBe(200);
}
/** @returns the id of a new draft that its writer wrote, and what is in it */
async function draftBy(owner: Name, writer: Name): Promise<{ id: number; queues: string }> {
  const name = `draft ${++count}`;
  const { id } = (await as(owner, 'POST', `${T}/drafts`, { name })).data as { id: number };
  const queues = `q${count}: {}`;
  await write(writer, id, queues);
  return { id, queues };
}
async function propose(who: Name, draft: number): Promise<string> {
  const made = await as(who, 'POST', `${T}/proposals`, { draft, title: `Queue ${count}` });
  expect(made.status).toBe(201);
  return `${T}/proposals/${made.data.number}`;
}
const approve = async (who: Name, at: string, draft: number) =>
  (await as(who, 'POST', `${at}/verdict`, { verdict: 'approve', version: (await draftOf(draft)).version }))
    .status;
const keep = async (who: Name, at: string, draft: number) =>
  (await as(who, 'POST', `${at}/keep`, { version: (await draftOf(draft)).version })).status;

beforeAll(async () => {
  server = await harness();
  await server.topology('harbour', { mara: 'owner', odo: 'owner', ines: 'owner' });
  for (const name of PEOPLE) ask.set(name, await server.as(name));
  const { draft } = (await as('mara', 'GET', T)).data;
  await write('mara', draft.id, 'first: {}');
  const { version } = await draftOf(draft.id);
  const saved = await as('mara', 'POST', `${T}/revisions`, { version, words: 'the rules' });
  expect(saved.status).toBe(201);
});
afterAll(() => server.close());

const ORDERS = PEOPLE.flatMap((writer) =>
  PEOPLE.flatMap((proposer) =>
    PEOPLE.flatMap((approver) => PEOPLE.map((saver) => ({ writer, proposer, approver, saver }))),
  ),
);
test.each(ORDERS)(
  '$writer writes, $proposer proposes, $approver approves, $saver saves',
  async ({ writer, proposer, approver, saver }) => {
    const { id } = await draftBy('mara', writer);
    const at = await propose(proposer, id);
    const counts = approver !== writer && approver !== proposer;
    expect(await approve(approver, at, id)).toBe(counts ? 204 : 403);
    expect(await keep(saver, at, id)).toBe(counts ? 201 : 409);
    if (!counts) return void (await as('mara', 'POST', `${at}/withdraw`));
    const [newest] = (await as('mara', 'GET', `${T}/revisions`)).data;
    expect(newest).toMatchObject({
      author: writer.toUpperCase(),
      proposedBy: proposer.toUpperCase(),
      savedBy: saver.toUpperCase(),
    });
  },
);

test('an approver who rewrites a proposal neither approves it nor saves it alone', async () => {
  const { id } = await draftBy('ines', 'ines');
  const at = await propose('ines', id);
  await write('odo', id, 'rewritten: {}');
  expect(await approve('odo', at, id)).toBe(403);
  expect(await keep('odo', at, id)).toBe(409);
  expect((await as('mara', 'GET', at)).data.writers.map(({ handle }: { handle: string }) => handle)).toEqual([
    'ines',
    'odo',
  ]);
  expect(await approve('mara', at, id)).toBe(204);
  expect(await keep('odo', at, id)).toBe(201);
});

test('an approval does not count once its giver has written, even where the text is the same again', async () => {
  const { id, queues } = await draftBy('ines', 'ines');
  const at = await propose('ines', id);
  expect(await approve('odo', at, id)).toBe(204);
  await write('odo', id, 'other: {}');
  await write('ines', id, queues);
  expect(await keep('ines', at, id)).toBe(409);
});

test('a copy of a draft keeps its writers, and so does a merge into another draft', async () => {
  const { id } = await draftBy('ines', 'ines');
  const copy = (await as('odo', 'POST', `${T}/drafts`, { name: 'a copy', draft: id })).data.id as number;
  const at = await propose('odo', copy);
  expect(await approve('ines', at, copy)).toBe(403);
  const { base } = await draftOf(copy);
  const documents = [{ name: 'main.yaml', text: text('merged: {}') }];
  expect((await as('mara', 'POST', `${T}/draft/merge?draft=${copy}`, { base, documents })).status).not.toBe(
    500,
  );
  const merged = (await as('mara', 'GET', at)).data.writers as { handle: string }[];
  expect(merged.map(({ handle }) => handle)).toContain('ines');
});

test('an approval does not count once its giver is no approver any more, and counts again when they are', async () => {
  const { id } = await draftBy('ines', 'ines');
  const at = await propose('ines', id);
  expect(await approve('odo', at, id)).toBe(204);
  await as('mara', 'PUT', `${T}/members/odo`, { role: 'author' });
  expect(await keep('ines', at, id)).toBe(409);
  expect((await as('mara', 'GET', at)).data.verdicts).toMatchObject([{ handle: 'odo', holds: false }]);
  await as('mara', 'PUT', `${T}/members/odo`, { role: 'approver' });
  expect(await keep('ines', at, id)).toBe(201);
});

test('whoever wrote into a proposal is not asked to review it', async () => {
  const { id } = await draftBy('ines', 'mara');
  await propose('ines', id);
  const title = `Queue ${count}`;
  const asked = async (who: Name) =>
    ((await as(who, 'GET', '/inbox')).data as { title: string; what: string }[]).some(
      (each) => each.title === title && each.what === 'review',
    );
  expect([await asked('mara'), await asked('odo'), await asked('ines')]).toEqual([false, true, false]);
});
