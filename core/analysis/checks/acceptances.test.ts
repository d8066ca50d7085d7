import fc from 'fast-check';
import { checkAll } from './run.ts';
import { type TextDocument, applyEdits } from '../../base/edits.ts';
import { acceptFinding } from '../../change/accept.ts';
import { buildGraph } from '../../routing/graph.ts';
import { demo } from '../../testing/demo.ts';
import { randomTopology, topologies } from '../../testing/random-topology.ts';
import { readTopology } from '../../topology/read.ts';

const look = (documents: readonly TextDocument[]) => {
  const topology = readTopology(documents);
  return { topology, ...checkAll(buildGraph(topology)) };
};

/** Accepts every finding, each on its own, and tells what did not come out as it should. */
function misfits(documents: readonly TextDocument[]): unknown[] {
  const { topology, findings, accepted } = look(documents);
  return findings.flatMap((finding) => {
    if (finding.check.startsWith('accept/')) return [];
    const edited = acceptFinding(topology, finding, 'it is meant');
    if (!edited.ok) return [[finding.message, edited.message]];
    const after = look(applyEdits(documents, edited.edits));
    const before = new Set(topology.findings.map(({ message }) => message));
    const wrong = after.topology.findings.filter(({ message }) => !before.has(message));
    // the same may be wrong twice, and be accepted once
    const times = (all: typeof findings) =>
      all.filter((each) => each.check === finding.check && each.message === finding.message).length;
    const still = times(after.findings) >= times(findings);
    const fresh = after.findings.filter(
      ({ check }) => check.startsWith('accept/') && !findings.some((each) => each.check === check),
    );
    const told = after.accepted.find((each) => each.finding.message === finding.message);
    const fits = wrong.length === 0 && !still && fresh.length === 0 && told?.because === 'it is meant';
    return fits && after.accepted.length > accepted.length
      ? []
      : [[finding.check, finding.message, { wrong, still, fresh }]];
  });
}

describe('accepting', () => {
  test('takes each finding of the demo’s draft out, with the reason', () => {
    expect(misfits(demo('draft'))).toEqual([]);
  });

  test('works wherever a finding stands in topologies made up at random', () => {
    fc.assert(
      fc.property(topologies, (seed) => {
        const text = randomTopology(seed);
        // what stands in no declaration cannot carry one, and says so
        const found = misfits([{ name: 'a.yaml', text }]).filter(
          (each) => !String((each as unknown[])[1]).startsWith('Nothing here can carry'),
        );
        expect([seed, found]).toEqual([seed, []]);
      }),
      { numRuns: 25 * Number(process.env['FUZZ'] ?? 1) },
    );
  });

  test('wants a reason', () => {
    const { topology, findings } = look(demo('draft'));
    expect(acceptFinding(topology, findings[0]!, '  ')).toEqual({
      ok: false,
      message: 'Say in a few words why it is meant.',
    });
  });

  test('adds to what is accepted there already', () => {
    const text = `brokers:
  m:
    kind: amqp
    queues: { q: { maxLength: 3, accept: [{ check: loss/silent-limit, because: small }] } }
`;
    const documents = [{ name: 'a.yaml', text }];
    const { topology, findings } = look(documents);
    expect(findings.map(({ check }) => check)).toEqual(['nowhere/unreachable-store']);
    const edited = acceptFinding(topology, findings[0]!, 'later');
    const after = look(applyEdits(documents, edited.ok ? edited.edits : []));
    expect(after.findings).toEqual([]);
    expect(after.accepted.map(({ because }) => because).sort()).toEqual(['later', 'small']);
  });

  test('one by what a check was called before still counts', () => {
    const text = (check: string) =>
      `apps: { a: { publishes: [{ message: n, to: m/q, accept: [{ check: ${check}, because: so }] }] } }\nmessages: { n: {} }\nbrokers: { m: { kind: amqp, queues: { q: {} } } }\n`;
    for (const check of ['access/missing-permission', 'access/missing-leave']) {
      const { findings, accepted } = look([{ name: 'a.yaml', text: text(check) }]);
      expect(accepted.map(({ finding }) => finding.check)).toEqual(['access/missing-permission']);
      expect(findings.filter(({ check: id }) => id.startsWith('accept/'))).toEqual([]);
    }
  });
});
