import { readFileSync, readdirSync } from 'node:fs';
import { join } from 'node:path';
import type { TextDocument } from '@vondle/core/base';
import type { CoreWorker } from './core.worker.ts';
import { PROTOCOL } from './protocol.ts';
import type { FindingView, Showing } from './views.ts';

// what the worker hands to the page is all there is to it
const exposed: CoreWorker[] = [];
jest.mock('comlink', () => ({ expose: (worker: CoreWorker) => exposed.push(worker) }));

const folder = join(__dirname, '../../../demo/draft');
const documents: TextDocument[] = readdirSync(folder)
  .sort()
  .map((name) => ({ name, text: readFileSync(join(folder, name), 'utf8') }));
const names = documents.map(({ name }) => name);
const at = (doc: string, words: string) => documents.find(({ name }) => name === doc)!.text.indexOf(words);

let worker: CoreWorker;
/** The findings by number, as the page holds them. */
const held = new Map<number, FindingView>();
const hear = ({ findings, news }: Awaited<ReturnType<CoreWorker['change']>>): FindingView[] => {
  for (const { at: number, view } of news) held.set(number, view);
  return findings.map((number) => held.get(number)!);
};
const checks = (views: readonly FindingView[]) => views.map(({ check }) => check).sort();

beforeAll(async () => {
  await import('./core.worker.ts');
  [worker] = exposed as [CoreWorker];
});

test('one worker is exposed, and says which protocol it speaks', () => {
  expect(exposed).toHaveLength(1);
  expect(worker.protocol()).toBe(PROTOCOL);
});

describe('what the page is told', () => {
  let first: FindingView[];
  beforeAll(async () => {
    first = hear(await worker.analyse(documents, names));
  });

  test('every finding comes once, by number; a change brings only what is new', async () => {
    expect(first).toHaveLength(6);
    expect(new Set(first.map(({ id }) => id)).size).toBe(6);
    const start = at('mainland.yaml', 'to: fares-sold') + 'to: fares-sold'.length;
    const broken = await worker.change([{ doc: 'mainland.yaml', start: start - 1, end: start, text: '' }]);
    expect(broken.news).toHaveLength(4);
    expect(checks(hear(broken))).toEqual(
      [
        ...checks(first),
        'language/unknown-reference',
        'nowhere/unmatched',
        'nowhere/unreachable-store',
        'nowhere/unreceived-type',
      ].sort(),
    );
    expect(broken.counts).toEqual({ error: 5, warning: 5, advice: 0 });
    const back = await worker.change([{ doc: 'mainland.yaml', start: start - 1, end: start - 1, text: 'd' }]);
    expect(hear(back)).toEqual(first);
  });

  test('lists and the picture come where they are not what was told', () => {
    const lists = worker.lists();
    expect(lists.outline!.every((group) => typeof group === 'object')).toBe(true);
    expect(lists.messages!.map(({ id }) => id)).toContain('sailing-delayed');
    expect(worker.lists()).toEqual({});
    const showing: Showing = {
      ...{ folded: [], near: '', depth: 2, only: [], room: 0 },
      ...{ compared: false, unchanged: false, way: [] },
    };
    expect(worker.drawing(showing)!.nodes.length).toBeGreaterThan(30);
    expect(worker.drawing(showing)).toBeUndefined();
  });

  test('a finding is mended and accepted by what it is known by', async () => {
    const finding = first.find(({ check }) => check === 'copies/shared-store')!;
    const mend = worker.mend(finding.id, 0);
    if (!mend.ok) throw new Error(mend.message);
    expect(hear(await worker.change(mend.edits))).toHaveLength(5);
    expect(worker.mend(finding.id, 0)).toMatchObject({ ok: false });
    expect(hear(await worker.analyse(documents, names))).toEqual(first);
    expect(worker.accept(finding.id, 'it is meant')).toMatchObject({ ok: true });
    expect(worker.accept('copies/shared-store at nothing', 'it is meant')).toMatchObject({ ok: false });
  });

  test('a mend is tried against promises that are broken already, whether or not they were tried out since', async () => {
    hear(await worker.analyse(documents, names));
    const start = at('mainland.yaml', 'to: fares-sold') + 'to: fares-sold'.length;
    const broken = hear(
      await worker.change([{ doc: 'mainland.yaml', start: start - 1, end: start, text: '' }]),
    );
    const finding = broken.find(({ check }) => check === 'copies/shared-store')!;
    expect(worker.mend(finding.id, 0)).toMatchObject({ ok: true });
    expect(hear(await worker.analyse(documents, names))).toEqual(first);
  });

  test('what the draft brings and cures is told against what it began from', async () => {
    await worker.beginFrom([
      { name: 'a.yaml', text: 'brokers: { m: { kind: amqp, queues: { lonely: {} } } }\n' },
    ]);
    expect(hear(await worker.analyse(documents, names)).every(({ fresh }) => fresh)).toBe(true);
    expect(worker.cured().length).toBeGreaterThan(0);
    await worker.beginFrom(undefined);
    expect(worker.cured()).toEqual([]);
    expect(hear(await worker.analyse(documents, names))).toEqual(first);
  });

  test('everything that is told can be sent to the page', async () => {
    await worker.analyse(documents, names);
    for (const telling of [
      worker.prove(),
      worker.accepted(),
      worker.checks(),
      worker.statements(),
      worker.missingPermission(),
      worker.matrix('mainland'),
      worker.formKinds(),
      worker.form('queue', 'mainland'),
      worker.table({ kind: 'queue', words: '', sort: '', down: false, from: 0 }),
    ]) {
      const told: unknown = await telling;
      expect(structuredClone(told)).toEqual(told);
    }
  });
});
