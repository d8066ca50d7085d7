import { createPinia, setActivePinia } from 'pinia';
import type { TextDocument } from '@vondle/core/base';
import { api, ApiProblem, Unreachable, type DraftData } from '../api.ts';
import { core } from '../workers/client.ts';
import { PROTOCOL } from '../workers/protocol.ts';
import { readKept, sendingOf } from './kept.ts';
import { useWorkspace } from './workspace.ts';

// the worker finds nothing: what it is asked is what counts here
jest.mock('../workers/client.ts', () => {
  const analysis = () => ({
    name: 'ferries',
    findings: [],
    news: [],
    counts: { error: 0, warning: 0, advice: 0 },
  });
  return {
    core: {
      protocol: jest.fn(
        async () => jest.requireActual<{ PROTOCOL: number }>('../workers/protocol.ts').PROTOCOL,
      ),
      beginFrom: jest.fn(async () => undefined),
      analyse: jest.fn(async () => analysis()),
      change: jest.fn(async () => analysis()),
      prove: jest.fn(async () => ({ proofs: [], findings: [] })),
      accepted: jest.fn(async () => []),
      lists: jest.fn(async () => ({})),
      drawing: jest.fn(async () => undefined),
      mend: jest.fn(),
    },
  };
});
jest.mock('./kept.ts', () => ({
  ...jest.requireActual('./kept.ts'),
  keep: jest.fn(),
  forget: jest.fn(),
  readKept: jest.fn(() => undefined),
}));

const mocked = core as unknown as Record<string, jest.Mock>;
const A: TextDocument = { name: 'a.yaml', text: 'vondle: 1\n' };
const B: TextDocument = { name: 'b.yaml', text: 'apps: {}\n' };
const draft = (documents: readonly TextDocument[] = [A, B], version = 7): DraftData =>
  ({ documents: documents.map((each) => ({ ...each })), base: 0, version }) as unknown as DraftData;

async function opened(role = 'writer') {
  setActivePinia(createPinia());
  jest.spyOn(api, 'topology').mockResolvedValue({
    slug: 'ferries',
    name: 'Ferries',
    role,
    draft: draft(),
  } as never);
  jest.spyOn(api, 'revisions').mockResolvedValue([]);
  jest.spyOn(api, 'targets').mockResolvedValue([] as never);
  jest.spyOn(api, 'rollouts').mockResolvedValue([] as never);
  const workspace = useWorkspace();
  await workspace.open('ferries');
  return workspace;
}
const settled = async () => {
  for (let i = 0; i < 20; i++) await Promise.resolve();
};
const type = (workspace: ReturnType<typeof useWorkspace>, text: string, start = 0) =>
  workspace.typeIn('a.yaml', [{ start, end: start, text }]);

beforeEach(() => {
  jest.useFakeTimers();
});
afterEach(() => {
  jest.useRealTimers();
  jest.restoreAllMocks();
  for (const each of Object.values(mocked)) each.mockClear();
});

describe('what is typed', () => {
  test('goes to the worker as edits, and while it works only once more with all that came meanwhile', async () => {
    const workspace = await opened();
    expect(mocked['analyse']).toHaveBeenCalledTimes(1);
    let done = () => {};
    mocked['change']!.mockImplementationOnce(
      () =>
        new Promise((resolve) => {
          done = () =>
            resolve({ name: '', findings: [], news: [], counts: { error: 0, warning: 0, advice: 0 } });
        }),
    );
    type(workspace, 'x');
    type(workspace, 'y', 1);
    type(workspace, 'z', 2);
    await settled();
    done();
    await settled();
    expect(mocked['change']!.mock.calls.map(([edits]) => edits)).toEqual([
      [{ doc: 'a.yaml', start: 0, end: 0, text: 'x' }],
      [{ doc: 'a.yaml', start: 1, end: 1, text: 'yz' }],
    ]);
    expect(workspace.documents[0]!.text).toBe('xyzvondle: 1\n');
    expect(workspace.documents[1]).toBe(workspace.documents.find(({ name }) => name === 'b.yaml'));
  });

  test('is undone and made again, a document that is made or removed too', async () => {
    const workspace = await opened();
    type(workspace, 'x');
    expect(workspace.addDocument('c.yaml')).toBeUndefined();
    expect(workspace.addDocument('c.yaml')).toContain('c.yaml already');
    workspace.removeDocument('b.yaml');
    expect(workspace.names).toEqual(['a.yaml', 'c.yaml']);
    workspace.undo();
    expect(workspace.names).toEqual(['a.yaml', 'b.yaml', 'c.yaml']);
    workspace.undo();
    workspace.undo();
    expect(workspace.documents.map(({ text }) => text)).toEqual([A.text, B.text]);
    expect(workspace.canUndo).toBe(false);
    workspace.redo();
    expect(workspace.documents[0]!.text).toBe('xvondle: 1\n');
  });

  test('documents that are put in place of all are one step, which is undone; the same ones are none', async () => {
    const workspace = await opened();
    workspace.putInstead([{ ...A }, { ...B }]);
    expect([workspace.canUndo, workspace.saveState]).toEqual([false, 'saved']);
    workspace.putInstead([{ name: 'old.yaml', text: 'tenant: t\n' }, A]);
    expect(workspace.names).toEqual(['old.yaml', 'a.yaml']);
    expect(workspace.saveState).toBe('unsaved');
    workspace.undo();
    expect(workspace.documents.map(({ name, text }) => [name, text])).toEqual([
      ['a.yaml', A.text],
      ['b.yaml', B.text],
    ]);
    workspace.redo();
    expect(workspace.names).toEqual(['old.yaml', 'a.yaml']);
    // who may only read changes nothing
    const reading = await opened('reader');
    reading.putInstead([A]);
    expect(reading.names).toEqual(['a.yaml', 'b.yaml']);
  });

  test('an edit that was worked out for an older text is asked for again', async () => {
    const workspace = await opened();
    let asked = 0;
    const answer = await workspace.edit(async () => {
      if (++asked === 1) type(workspace, '# above\n');
      return { ok: true, edits: [{ doc: 'b.yaml', start: 0, end: 0, text: '# b\n' }] };
    });
    expect(answer.ok).toBe(true);
    expect(asked).toBe(2);
    expect(workspace.documents.map(({ text }) => text)).toEqual(['# above\nvondle: 1\n', '# b\napps: {}\n']);
  });

  test('a reader writes nothing', async () => {
    const workspace = await opened('reader');
    workspace.make([{ doc: 'a.yaml', start: 0, end: 0, text: 'x' }]);
    expect(workspace.documents[0]!.text).toBe(A.text);
  });
});

describe('keeping it safe', () => {
  const pause = async () => {
    await jest.advanceTimersByTimeAsync(600);
    await settled();
  };

  test('after a pause what changed is sent, from the version that the server has', async () => {
    const workspace = await opened();
    const change = jest.spyOn(api, 'changeDraft').mockResolvedValue({ version: 8 } as never);
    type(workspace, 'x');
    expect(workspace.saveState).toBe('unsaved');
    await pause();
    expect(change.mock.calls).toEqual([
      ['ferries', 7, ['a.yaml', 'b.yaml'], [{ name: 'a.yaml', text: 'xvondle: 1\n' }]],
    ]);
    expect(workspace.saveState).toBe('saved');
    type(workspace, 'y');
    await pause();
    expect(change.mock.calls[1]![1]).toBe(8);
  });

  test('a server that is away is tried again, and nothing is lost', async () => {
    const workspace = await opened();
    const change = jest.spyOn(api, 'changeDraft').mockRejectedValueOnce(new Unreachable());
    change.mockResolvedValue({ version: 8 } as never);
    type(workspace, 'x');
    await pause();
    expect(workspace.saveState).toBe('offline');
    await jest.advanceTimersByTimeAsync(3500);
    await settled();
    expect(workspace.saveState).toBe('saved');
  });

  test('a draft that went on elsewhere is shown beside one’s own, and either is taken', async () => {
    const workspace = await opened();
    const conflict = new ApiProblem(409, 'Moved on', 'Somebody else wrote.', {});
    jest.spyOn(api, 'changeDraft').mockRejectedValueOnce(conflict);
    type(workspace, 'x');
    const theirs = draft([{ ...A, text: 'theirs: 1\n' }, B], 9);
    jest.spyOn(api, 'topology').mockResolvedValue({ slug: 'ferries', draft: theirs } as never);
    await pause();
    expect(workspace.saveState).toBe('moved');
    expect(workspace.theirs!.version).toBe(9);
    workspace.settle('mine');
    expect(workspace.documents[0]!.text).toBe('xvondle: 1\n');
    const change = jest.spyOn(api, 'changeDraft').mockResolvedValue({ version: 10 } as never);
    await pause();
    expect(change.mock.calls.at(-1)![1]).toBe(9);
    expect(workspace.saveState).toBe('saved');
  });

  test('what the server refuses is told in its words', async () => {
    const workspace = await opened();
    const refused = new ApiProblem(413, 'Too large', 'A draft has at most 32 MiB.', {});
    jest.spyOn(api, 'changeDraft').mockRejectedValueOnce(refused);
    type(workspace, 'x');
    await pause();
    expect(workspace.saveState).toBe('refused');
    expect(workspace.saveTrouble).toContain('32 MiB');
  });
});

test('what one sent oneself, and had no answer to, is not shown as somebody else’s', async () => {
  const sent = [{ ...A, text: 'sent: 1\n' }, B];
  const typedSince = [{ ...A, text: 'typed: 1\n' }, B];
  const kept = (sending: unknown) => ({ version: 7, documents: typedSince, sending });
  const open = async (there: readonly TextDocument[], version: number) => {
    setActivePinia(createPinia());
    const entry = { slug: 'ferries', name: 'Ferries', role: 'writer', draft: draft(there, version) };
    jest.spyOn(api, 'topology').mockResolvedValue(entry as never);
    const workspace = useWorkspace();
    await workspace.open('ferries');
    return workspace;
  };
  await opened();
  const read = readKept as jest.Mock;
  read.mockReturnValue(kept(sendingOf(sent, [sent[0]!])));
  const own = await open(sent, 8);
  expect([own.saveState, own.documents[0]!.text]).toEqual(['unsaved', 'typed: 1\n']);
  // another text, or another save since, is somebody else's
  expect((await open([{ ...A, text: 'other: 1\n' }, B], 8)).saveState).toBe('moved');
  expect((await open(sent, 9)).saveState).toBe('moved');
  read.mockReturnValue(kept(undefined));
  expect((await open(sent, 8)).saveState).toBe('moved');
  read.mockReturnValue(undefined);
});

test('a worker of another version is told, and asked nothing more', async () => {
  mocked['protocol']!.mockResolvedValueOnce(PROTOCOL + 1);
  const workspace = await opened();
  expect(workspace.trouble).toContain('Load the page again');
  expect(mocked['analyse']).not.toHaveBeenCalled();
});
