import fc from 'fast-check';
import { signsOf } from '../analysis/checks/identity.ts';
import { type TextDocument, applyEdits } from '../base/edits.ts';
import { findingsOf, mendAll, tryMend } from './mend.ts';
import type { Severity } from '../language/finding.ts';
import { CASES } from '../testing/check-cases.ts';
import { demo } from '../testing/demo.ts';
import { randomTopology, topologies } from '../testing/random-topology.ts';
import { readTopology } from '../topology/read.ts';
import type { Finding } from '../topology/topology.ts';

const WEIGHT: Record<Severity, number> = { error: 3, warning: 2, advice: 1 };
const RUNS = 30 * Number(process.env['FUZZ'] ?? 1);

function findingsIn(documents: readonly TextDocument[]) {
  const topology = readTopology(documents);
  return { topology, findings: findingsOf(topology) };
}

/** A finding by what it says, wherever it stands. */
const sign = ({ check, message, severity }: Finding) => `${severity} ${check}: ${message}`;

/** The mends that would do harm, or do not cure: by themselves, or as they are tried before they are written. */
function harmOf(documents: readonly TextDocument[]): unknown[] {
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
        const known = new Set(findings.flatMap((each) => signsOf(topology, each)));
        for (const finding of findings) {
          for (const mend of finding.mends ?? []) {
            const outcome = tryMend(topology, findings, finding, mend);
            tried++;
            if (!outcome.ok) {
              refused++;
              continue;
            }
            const { topology: then, findings: after } = findingsIn(applyEdits(documents, outcome.edits));
            const times = (all: readonly Finding[]) =>
              all.filter((each) => sign(each) === sign(finding)).length;
            expect([seed, mend.title, times(after) < times(findings)]).toEqual([seed, mend.title, true]);
            // nothing as bad comes: of the same check about another thing, and at another place
            const least = WEIGHT[finding.severity];
            const fresh = after
              .filter(({ severity }) => WEIGHT[severity] >= least)
              .filter((each) => !signsOf(then, each).some((one) => known.has(one)))
              .map(sign);
            expect([seed, mend.title, fresh]).toEqual([seed, mend.title, []]);
          }
        }
      }),
      { numRuns: RUNS },
    );
    // where ways are opened, what was wrong behind them shows; that is not most of them
    expect(refused / tried).toBeLessThan(0.25);
  });

  test('the same trouble in two states is known by what it is about, or by where it stands', () => {
    const { has } = CASES.find(({ check }) => check === 'access/everyone')!;
    const signs = (text: string) => {
      const { topology, findings } = findingsIn([{ name: 'a.yaml', text }]);
      return findings.map((each) => signsOf(topology, each));
    };
    const before = signs(has);
    expect(before.length).toBeGreaterThan(0);
    // further down, among others: still the same
    expect(signs(`# a line more\n\n${has}`)).toEqual(before);
    expect(signs(has.replaceAll('m/', 'n/').replace('  m:', '  n:'))).not.toEqual(before);
  });

  test('of one kind can all be made at once', () => {
    const access = 'access:\n  - { name: nobody, allow: [browse], who: app:night-desk, on: shore/* }\n';
    const documents = demo('draft').map((each) =>
      each.name === 'access.yaml' ? { ...each, text: access } : each,
    );
    const before = findingsIn(documents).findings.filter(
      ({ check }) => check === 'access/missing-permission',
    );
    expect(before.length).toBeGreaterThan(20);
    const { edits, mended, left } = mendAll(documents, { check: 'access/missing-permission' });
    const after = applyEdits(documents, edits);
    expect([mended, left]).toEqual([before.length, 0]);
    expect(findingsIn(after).findings.filter(({ check }) => check === 'access/missing-permission')).toEqual(
      [],
    );
    expect(findingsIn(after).findings.filter(({ check }) => check === 'access/too-wide')).toEqual([]);
  });
});
