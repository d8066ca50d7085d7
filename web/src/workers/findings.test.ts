import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { CHECKS } from '@vondle/core/analysis';
import type { TextDocument } from '@vondle/core/base';
import {
  labelReach,
  matrixOf,
  matrixText,
  missingPermission,
  routePermissions,
  statementsOf,
} from './access.ts';
import { closeUpOf } from './close-up.ts';
import {
  acceptedViews,
  baselineOf,
  curedSince,
  changesOf,
  checkViews,
  findAgain,
  findingViews,
  mendView,
  proofViews,
} from './findings.ts';
import { Workspace } from './workspace.ts';

const demo = (folder: string): TextDocument[] => {
  const path = join(__dirname, '../../../demo', folder);
  return readdirSync(path)
    .sort()
    .map((name) => ({ name, text: readFileSync(join(path, name), 'utf8') }));
};
const draft = demo('draft');
const names = draft.map(({ name }) => name);
function hold(documents: readonly TextDocument[] = draft): Workspace {
  const workspace = new Workspace();
  workspace.take(documents, names);
  return workspace;
}

describe('findings on the screen', () => {
  test('say where they stand, what they are about, and what the draft adds', () => {
    const workspace = hold();
    const base = baselineOf(demo('r3'));
    const views = findingViews(workspace, workspace.findings, base);
    expect(views).toHaveLength(6);
    expect(views.every(({ fresh }) => fresh)).toBe(true);
    const permission = views.find(({ check }) => check === 'access/missing-permission')!;
    expect(permission).toMatchObject({
      severity: 'error',
      about: 'queue:shore/texting-in',
      also: expect.arrayContaining(['topic:shore/notices', 'subscription:shore/texting']),
      mends: ['Give the narrowest permission'],
      spot: { doc: 'shore.yaml', line: 23 },
    });
    // against itself a draft adds nothing
    const own = baselineOf(draft);
    expect(findingViews(workspace, workspace.findings, own).some(({ fresh }) => fresh)).toBe(false);
    expect(curedSince(own, workspace)).toEqual([]);
    expect(curedSince(base, workspace)).toEqual([]);
    // and what was mended since is told
    const mended = hold(demo('r3'));
    expect(curedSince(own, mended).map(({ check }) => check)).toEqual(views.map(({ check }) => check));
  });

  test('are told with everything they are about', () => {
    const workspace = hold();
    const views = findingViews(workspace, workspace.findings, undefined);
    for (const id of ['queue:shore/texting-in', 'topic:shore/notices', 'subscription:shore/texting'])
      expect(closeUpOf(workspace, id, views)!.findings.map(({ check }) => check)).toContain(
        'access/missing-permission',
      );
    expect(closeUpOf(workspace, 'queue:mainland/boards', views)!.findings).toEqual([]);
  });

  test('keep their places after an edit above them', () => {
    const workspace = hold();
    const before = findingViews(workspace, workspace.findings, undefined);
    workspace.take(
      draft
        .filter(({ name }) => name === 'shore.yaml')
        .map(({ name, text }) => ({ name, text: `# one line more\n${text}` })),
      names,
    );
    const after = findingViews(workspace, workspace.findings, undefined);
    expect(after.map(({ message }) => message)).toEqual(before.map(({ message }) => message));
    for (const [i, { spot }] of after.entries())
      expect(spot.line - before[i]!.spot.line).toBe(spot.doc === 'shore.yaml' ? 1 : 0);
  });

  test('are mended as a change that was tried', () => {
    const workspace = hold();
    const finding = workspace.findings.find(({ check }) => check === 'copies/shared-store')!;
    const [id] = [...workspace.findingsById].find(([, each]) => each === finding)!;
    const view = mendView(workspace, id, 0);
    if (!view.ok) throw new Error(view.message);
    expect(view.changes).toEqual([
      {
        doc: 'storm-season.yaml',
        line: expect.any(Number),
        lines: [
          { mark: ' ', text: '    queues:' },
          { mark: '−', text: '      quay-screens: {}' },
          { mark: '+', text: '      quay-screens: { perInstanceOf: quay-screens }' },
          { mark: ' ', text: expect.any(String) },
        ],
      },
    ]);
    expect([view.cures, view.brings]).toEqual([[], []]);
    expect(mendView(workspace, 'copies/shared-store at nothing', 0)).toEqual({
      ok: false,
      message: 'This finding is no longer there.',
    });
    expect(findAgain(workspace, id)).toBe(finding);
  });

  test('that are accepted come with their reasons', () => {
    expect(acceptedViews(hold()).map(({ because }) => because)).toContain('one team runs all of them');
  });

  test('know of every check why it matters', () => {
    const ids = checkViews().map(({ id }) => id);
    for (const { id } of CHECKS) expect(ids).toContain(id);
    expect(ids).toContain('expectation/broken');
  });

  test('changes of several documents are told one by one', () => {
    const documents = [
      { name: 'a', text: 'one\ntwo\nthree\n' },
      { name: 'b', text: 'x\n' },
    ];
    const edits = [
      { doc: 'a', start: 4, end: 7, text: 'zwei' },
      { doc: 'b', start: 2, end: 2, text: 'y\n' },
    ];
    expect(changesOf(documents, edits)).toEqual([
      {
        doc: 'a',
        line: 1,
        lines: [
          { mark: ' ', text: 'one' },
          { mark: '−', text: 'two' },
          { mark: '+', text: 'zwei' },
          { mark: ' ', text: 'three' },
        ],
      },
      {
        doc: 'b',
        line: 1,
        lines: [
          { mark: ' ', text: 'x' },
          { mark: '+', text: 'y' },
        ],
      },
    ]);
  });
});

describe('expectations on the screen', () => {
  test('join the findings when they are broken', () => {
    const workspace = hold(
      draft.map(({ name, text }) => ({
        name,
        text: text.replace('to: boards, key: "sailing.#"', 'to: boards, key: "sailing.*.arrived"'),
      })),
    );
    const broken = workspace.prove();
    expect(broken.map(({ check }) => check)).toEqual(['expectation/broken', 'expectation/broken']);
    expect(workspace.findings.filter(({ check }) => check === 'expectation/broken')).toHaveLength(2);
    // proving again puts them there once
    workspace.prove();
    expect(workspace.findings.filter(({ check }) => check === 'expectation/broken')).toHaveLength(2);
    const view = proofViews(workspace).find(({ verdict }) => verdict === 'broken')!;
    expect(view).toMatchObject({
      name: 'every departure reaches the boards and the archive',
      basis: 'refuted by this message, of 3 messages tried',
      broken: { type: 'sailing-departed', app: 'bridge-console' },
    });
  });

  test('wait while a document cannot be read', async () => {
    const workspace = hold(
      draft.map((each) => (each.name === 'apps.yaml' ? { ...each, text: 'apps: {' } : each)),
    );
    expect(workspace.prove()).toEqual([]);
    expect(new Set(workspace.findings.map(({ check }) => check))).toEqual(
      new Set([
        'language/syntax',
        ...workspace.findings.map(({ check }) => check).filter((check) => check.startsWith('language/')),
      ]),
    );
  });
});

describe('access on the screen', () => {
  test('the matrix of a broker has each cell with its reason and the ways that need it', async () => {
    const { who, on, cells } = matrixOf(hold(), 'shore');
    expect(who.map(({ name }) => name)).toEqual(expect.arrayContaining(['bridge-console', 'shore/notices']));
    expect(on.find(({ name }) => name === 'quay-closures')).toMatchObject({ owner: 'northquay' });
    const missing = cells.filter(({ state }) => state === 'missing');
    expect(missing).toEqual([
      expect.objectContaining({
        who: 'topic:shore/notices',
        on: 'queue:shore/texting-in',
        action: 'publish',
        needs: [
          {
            words: 'subscription texting hands messages to it',
            spot: expect.objectContaining({ doc: 'shore.yaml' }),
          },
        ],
      }),
    ]);
    expect(await matrixText(hold())).toContain('topic:shore/notices,auklet,publish,shore/texting-in');
  });

  test('what is missing, what a route needs, and what nobody uses', () => {
    const workspace = hold();
    expect(missingPermission(workspace).map(({ title }) => title)).toEqual([
      'shore/notices publishes to shore/texting-in',
    ]);
    const route = routePermissions(workspace, 'duty-officer', 'closure-announced');
    expect(route.filter(({ met }) => !met).map(({ title }) => title)).toEqual([
      'shore/notices publishes to shore/texting-in',
    ]);
    const wide = statementsOf(workspace)
      .filter(({ beyond }) => beyond)
      .map(({ title }) => title);
    expect(wide).toEqual(
      expect.arrayContaining(['our apps on the mainland', 'our apps on the islet', 'night desk reads']),
    );
    expect(statementsOf(workspace).find(({ title }) => title === 'customs read hazards')).toMatchObject({
      beyond: '',
      uses: 1,
    });
  });

  test('who can come to a label', () => {
    const personal = labelReach(hold(), 'personal');
    expect(
      personal
        .filter(({ takes }) => takes)
        .map(({ app, store }) => `${app} ${store}`)
        .sort(),
    ).toEqual(['manifest-builder islet/manifests', 'manifest-builder mainland/manifests']);
  });
});
