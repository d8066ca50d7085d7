import { createPinia, setActivePinia } from 'pinia';
import type { TextDocument } from '@vondle/core/base';
import { api, ApiProblem, Unreachable, type DraftData } from '../api.ts';
import { core } from '../workers/client.ts';
import type { merged } from '../workers/merging.ts';
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
      merge: jest.fn((...all: Parameters<typeof merged>) =>
        jest.requireActual<{ merged: typeof merged }>('../workers/merging.ts').merged(...all),
      ),
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
const draft = (documents: readonly TextDocument[] = [A, B], version = 7): DraftData => ({
  id: 1,
  name: 'main',
  main: true,
  owner: null,
  documents: documents.map((each) => ({ ...each })),
  base: 0,
  version,
  updatedAt: '',
  updatedBy: 'Odo Finch',
});

async function opened(role = 'author') {
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
      [
        'ferries',
        { draft: undefined, version: 7, base: 0 },
        ['a.yaml', 'b.yaml'],
        [{ name: 'a.yaml', text: 'xvondle: 1\n' }],
      ],
    ]);
    expect(workspace.saveState).toBe('saved');
    type(workspace, 'y');
    await pause();
    expect(change.mock.calls[1]![1]).toMatchObject({ version: 8 });
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

  describe('a draft that went on elsewhere', () => {
    /** Somebody wrote meanwhile, which a save hears of. */
    async function overtaken(mine: (workspace: ReturnType<typeof useWorkspace>) => void, theirs: string) {
      const workspace = await opened();
      const conflict = new ApiProblem(409, 'Moved on', 'Somebody else wrote.', {});
      const change = jest.spyOn(api, 'changeDraft').mockRejectedValueOnce(conflict);
      change.mockResolvedValue({ version: 10 });
      mine(workspace);
      const there = draft([{ ...A, text: theirs }, B], 9);
      jest.spyOn(api, 'topology').mockResolvedValue({ slug: 'ferries', draft: there } as never);
      await pause();
      return { workspace, change };
    }

    test('is put together with what is here, and saved from there', async () => {
      const { workspace, change } = await overtaken(
        (it) => type(it, '# mine\n'),
        'vondle: 1\ntopology: ferries\n',
      );
      expect(workspace.documents[0]!.text).toBe('# mine\nvondle: 1\ntopology: ferries\n');
      expect(workspace.conflicts).toEqual([]);
      await pause();
      expect(change.mock.calls.at(-1)![1]).toMatchObject({ version: 9 });
      expect(workspace.saveState).toBe('saved');
      // one's own is undone, theirs is not
      workspace.undo();
      expect(workspace.documents[0]!.text).toBe('vondle: 1\ntopology: ferries\n');
      expect(workspace.canUndo).toBe(false);
    });

    test('in one value otherwise is not saved until that is decided', async () => {
      for (const [side, version] of [
        ['mine', '2'],
        ['theirs', '3'],
      ] as const) {
        const { workspace, change } = await overtaken(
          (it) => it.typeIn('a.yaml', [{ start: 8, end: 9, text: '2' }]),
          'vondle: 3\napps: {}\n',
        );
        expect(workspace.saveState).toBe('moved');
        expect(workspace.conflicts).toMatchObject([{ way: ['vondle'], base: '1', mine: '2', theirs: '3' }]);
        // what is typed meanwhile stays
        type(workspace, '# typed\n');
        await pause();
        expect(change).toHaveBeenCalledTimes(1);
        await workspace.choose(side, workspace.conflicts[0]!.id);
        expect(workspace.documents[0]!.text).toBe(`# typed\nvondle: ${version}\napps: {}\n`);
        await pause();
        expect(change.mock.calls.at(-1)![1]).toMatchObject({ version: 9 });
        expect(workspace.saveState).toBe('saved');
        jest.restoreAllMocks();
      }
    });

    test('is heard of without a save, and one’s own save is not taken for somebody else’s', async () => {
      const workspace = await opened();
      const there = draft([{ ...A, text: 'theirs: 1\n' }, B], 8);
      const asked = jest.spyOn(api, 'topology').mockResolvedValue({ slug: 'ferries', draft: there } as never);
      asked.mockClear();
      const state = (version: number) => ({
        role: 'author' as const,
        drafts: [{ ...there, version }],
        revision: 0,
        applied: 0,
        people: [],
        proposals: '',
      });
      await workspace.hear(state(7));
      expect(asked).not.toHaveBeenCalled();
      await workspace.hear(state(8));
      expect(workspace.documents[0]!.text).toBe('theirs: 1\n');
      expect(workspace.saveState).toBe('saved');
    });
  });

  test('a revision that was saved meanwhile is brought in, and the draft goes on from it', async () => {
    const workspace = await opened();
    type(workspace, '# mine\n');
    const change = jest.spyOn(api, 'changeDraft').mockResolvedValue({ version: 8 });
    jest.spyOn(api, 'revision').mockImplementation(async (_, number) => ({
      documents: [{ ...A, text: number === 3 ? 'vondle: 1\napps: {}\n' : A.text }, B],
    }));
    await workspace.bringIn(3);
    expect(workspace.documents[0]!.text).toBe('# mine\nvondle: 1\napps: {}\n');
    expect(workspace.base).toBe(3);
    await pause();
    expect(change.mock.calls.at(-1)![1]).toMatchObject({ version: 8, base: 3 });
  });

  test('a revision is looked at without a change of the draft', async () => {
    const workspace = await opened();
    type(workspace, '# mine\n');
    const change = jest.spyOn(api, 'changeDraft').mockRejectedValueOnce(new Unreachable());
    change.mockResolvedValue({ version: 8 });
    await pause();
    const old = [{ name: 'old.yaml', text: 'vondle: 1\n' }];
    jest.spyOn(api, 'revision').mockResolvedValue({ documents: old });
    await workspace.lookAt(2);
    expect([workspace.names, workspace.canWrite]).toEqual([['old.yaml'], false]);
    workspace.undo();
    workspace.make([{ doc: 'old.yaml', start: 0, end: 0, text: 'x' }]);
    expect(workspace.documents).toEqual(old);
    // what was not saved yet is the draft, not what is looked at
    await jest.advanceTimersByTimeAsync(3500);
    expect(change.mock.calls.at(-1)![3]).toEqual([{ name: 'a.yaml', text: '# mine\nvondle: 1\n' }]);
    await workspace.lookAt(undefined);
    expect([workspace.documents[0]!.text, workspace.canWrite]).toEqual(['# mine\nvondle: 1\n', true]);
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
    const entry = { slug: 'ferries', name: 'Ferries', role: 'author', draft: draft(there, version) };
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
  // another text, or another save since, is somebody else's: it is told where both say otherwise
  const nothing = [{ ...A, text: '' }, B];
  jest.spyOn(api, 'revision').mockResolvedValue({ documents: nothing });
  const other = await open([{ ...A, text: 'typed: 2\n' }, B], 8);
  expect([other.saveState, other.conflicts.length]).toEqual(['moved', 1]);
  // and put together where not
  const both = await open(sent, 9);
  expect([both.saveState, both.documents[0]!.text]).toEqual(['unsaved', 'typed: 1\nsent: 1\n']);
  read.mockReturnValue(undefined);
});

test('a worker of another version is told, and asked nothing more', async () => {
  mocked['protocol']!.mockResolvedValueOnce(PROTOCOL + 1);
  const workspace = await opened();
  expect(workspace.trouble).toContain('Load the page again');
  expect(mocked['analyse']).not.toHaveBeenCalled();
});
