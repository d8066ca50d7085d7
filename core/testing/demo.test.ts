import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { runChecks } from '../analysis/checks/run.ts';
import { proveAll } from '../analysis/expectations/prove.ts';
import { sendingOf } from '../analysis/samples/kept.ts';
import { samplesOf } from '../analysis/samples/samples.ts';
import { summarise } from '../analysis/trace/narrate.ts';
import { applyEdits } from '../base/edits.ts';
import { findingsOf, tryMend } from '../change/mend.ts';
import { buildGraph } from '../routing/graph.ts';
import { trace } from '../routing/trace.ts';
import { readTopology } from '../topology/read.ts';

const documents = (folder: string) => {
  const path = join(__dirname, '../../demo', folder);
  return readdirSync(path)
    .sort()
    .map((name) => ({ name, text: readFileSync(join(path, name), 'utf8') }));
};

describe('the demo', () => {
  test.each(['r1', 'r2', 'r3'])('%s is clean', (folder) => {
    const topology = readTopology(documents(folder));
    expect(topology.findings).toEqual([]);
    expect(runChecks(buildGraph(topology))).toEqual([]);
  });

  test('the draft reads, and has the planted mistakes alone', () => {
    const topology = readTopology(documents('draft'));
    expect(topology.findings).toEqual([]);
    const found = runChecks(buildGraph(topology)).map(({ check, about }) => `${check} ${about}`);
    expect(found.sort()).toEqual([
      'access/everyone subscription:shore/night-desk',
      'access/missing-permission queue:shore/texting-in',
      'copies/shared-store queue:mainland/quay-screens',
      'match/never queue:mainland/delay-desk',
      'match/undeclared-attribute subscription:shore/night-desk',
      'nowhere/unreachable-store queue:mainland/rostering',
    ]);
  });

  test('every mistake of the draft has a mend, and after all of them nothing is left', () => {
    let now = documents('draft');
    for (let i = 0; i < 6; i++) {
      const topology = readTopology(now);
      const findings = findingsOf(topology);
      const finding = findings.find(({ mends }) => mends?.length)!;
      const outcome = tryMend(topology, findings, finding, finding.mends![0]!);
      if (!outcome.ok) throw new Error(`${finding.check}: ${outcome.message}`);
      now = applyEdits(now, outcome.edits);
    }
    expect(findingsOf(readTopology(now))).toEqual([]);
    const left = proveAll(buildGraph(readTopology(now))).filter(({ verdict }) => verdict !== 'kept');
    expect(left.map(({ name }) => name)).toEqual([]);
  });

  test.each(['r1', 'r2', 'r3'])('%s keeps its expectations', (folder) => {
    const proofs = proveAll(buildGraph(readTopology(documents(folder))));
    expect(
      proofs
        .map(({ name, verdict, broken }) => [name, verdict, broken?.why])
        .filter(([, verdict]) => verdict !== 'kept'),
    ).toEqual([]);
    expect(proofs.length).toBe({ r1: 0, r2: 3, r3: 20 }[folder]);
  });

  test('a severe closure fans out as the line expects', () => {
    const graph = buildGraph(readTopology(documents('draft')));
    const type = graph.topology.messages.get('closure-announced')!;
    const severe = samplesOf(type)[0]!.message;
    expect(severe.key).toBe('closure.outer.berth');
    const officer = graph.topology.declared.apps!.get('duty-officer')!.value;
    const [toMainland, toShore] = officer.publishes!.items.map((publish) =>
      summarise(graph, trace(graph, severe, sendingOf('duty-officer', publish)).trace),
    );
    expect(toMainland!.text).toBe('1 message becomes 8 copies in 3 stores for 3 apps');
    expect(toShore!.text).toBe('1 message becomes 1 copy in 1 store for 1 app');
    expect(toShore!.trouble[0]!.text).toContain('refused at shore/texting-in');
  });

  test('every declared publish of every type ends as it should in the newest revision', () => {
    const graph = buildGraph(readTopology(documents('r3')));
    for (const [id, { value: app }] of graph.topology.declared.apps!) {
      for (const publish of app.publishes?.items ?? []) {
        for (const { message } of samplesOf(graph.topology.messages.get(publish.message!.value)!)) {
          const outcomes = trace(graph, message, sendingOf(id, publish)).trace.ends.map(
            ({ end }) => end.outcome,
          );
          expect(outcomes.filter((outcome) => outcome === 'refused' || outcome === 'unresolved')).toEqual([]);
        }
      }
    }
  });
});
