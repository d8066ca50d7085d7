import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import fc from 'fast-check';
import { applyEdits } from '../language/edit.ts';
import { readTopology, type TopologyDocument } from '../language/read.ts';
import type { Finding, Severity } from '../model/finding.ts';
import { randomTopology, topologies } from '../testing/random-topology.ts';
import { findingsOf, mendAll, tryMend } from './mend.ts';
import { CASES } from './testing/cases.ts';

const WEIGHT: Record<Severity, number> = { error: 3, warning: 2, advice: 1 };
const RUNS = 150 * Number(process.env['FUZZ'] ?? 1);

const demo = (folder: string): TopologyDocument[] => {
  const path = join(__dirname, '../../demo', folder);
  return readdirSync(path)
    .sort()
    .map((name) => ({ name, text: readFileSync(join(path, name), 'utf8') }));
};

function findingsIn(documents: readonly TopologyDocument[]) {
  const topology = readTopology(documents);
  return { topology, findings: findingsOf(topology) };
}

/** A finding by what it says, wherever it stands. */
const sign = ({ check, message, severity }: Finding) => `${severity} ${check}: ${message}`;

/** The mends that would do harm, or do not cure: by themselves, or as they are tried before they are written. */
function harmOf(documents: readonly TopologyDocument[]): unknown[] {
  const { topology, findings } = findingsIn(documents);
  return findings.flatMap((finding) =>
    (finding.mends ?? []).flatMap((mend) => {
      const outcome = tryMend(topology, findings, finding, mend);
      const cannot = !outcome.ok && !mend.edit(topology).ok;
      return outcome.ok || cannot ? [] : [[mend.title, sign(finding), outcome.message]];
    }),
  );
}

describe('mends', () => {
  test.each(['r1', 'r2', 'r3', 'draft'])('cure, and do no harm, in the demo’s %s', (folder) => {
    expect(harmOf(demo(folder))).toEqual([]);
  });

  test.each(CASES.filter(({ mend }) => mend !== 'none'))('cure, and do no harm: $what', ({ has }) => {
    expect(harmOf([{ name: 'a.yaml', text: has }])).toEqual([]);
  });

  test('as they are written, cure and do no harm in topologies made up at random', () => {
    let tried = 0;
    let refused = 0;
    fc.assert(
      fc.property(topologies, (seed) => {
        const documents = [{ name: 'a.yaml', text: randomTopology(seed) }];
        const { topology, findings } = findingsIn(documents);
        const weight = (all: readonly Finding[], least: number) =>
          new Map(
            all
              .filter(({ severity }) => WEIGHT[severity] >= least)
              .map((each) => [`${each.check} ${each.about}`, sign(each)]),
          );
        for (const finding of findings) {
          for (const mend of finding.mends ?? []) {
            const outcome = tryMend(topology, findings, finding, mend);
            tried++;
            if (!outcome.ok) {
              refused++;
              continue;
            }
            const after = findingsIn(applyEdits(documents, outcome.edits)).findings;
            const times = (all: readonly Finding[]) =>
              all.filter((each) => sign(each) === sign(finding)).length;
            expect([seed, mend.title, times(after) < times(findings)]).toEqual([seed, mend.title, true]);
            const least = WEIGHT[finding.severity];
            const known = weight(findings, 0);
            const fresh = [...weight(after, least)]
              .filter(([id]) => !known.has(id))
              .map(([, words]) => words);
            expect([seed, mend.title, fresh]).toEqual([seed, mend.title, []]);
          }
        }
      }),
      { numRuns: RUNS },
    );
    // where ways are opened, what was wrong behind them shows; that is not most of them
    expect(refused / tried).toBeLessThan(0.25);
  });

  test('of one kind can all be made at once', () => {
    const access = 'access:\n  - { name: nobody, allow: [browse], who: app:night-desk, on: shore/* }\n';
    const documents = demo('draft').map((each) =>
      each.name === 'access.yaml' ? { ...each, text: access } : each,
    );
    const before = findingsIn(documents).findings.filter(({ check }) => check === 'access/missing-leave');
    expect(before.length).toBeGreaterThan(20);
    const { documents: after, mended, left } = mendAll(documents, 'access/missing-leave');
    expect([mended, left]).toEqual([before.length, 0]);
    expect(findingsIn(after).findings.filter(({ check }) => check === 'access/missing-leave')).toEqual([]);
    expect(findingsIn(after).findings.filter(({ check }) => check === 'access/too-wide')).toEqual([]);
  });
});
