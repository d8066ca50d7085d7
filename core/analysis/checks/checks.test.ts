import { CHECKS, checkAll } from './run.ts';
import { applyEdits } from '../../base/edits.ts';
import { buildGraph } from '../../routing/graph.ts';
import { writtenAt } from '../../syntax/place.ts';
import { CASES } from '../../testing/check-cases.ts';
import { readTopology } from '../../topology/read.ts';
import type { Finding, Topology } from '../../topology/topology.ts';

function read(text: string): { readonly topology: Topology; readonly findings: readonly Finding[] } {
  const topology = readTopology([{ name: 'a.yaml', text }]);
  // a parameter without a value is an error of the text too
  expect(topology.findings.filter((each) => each.check !== 'language/unknown-parameter')).toEqual([]);
  return { topology, findings: checkAll(buildGraph(topology)).findings };
}

describe.each(CASES)('$check: $what', ({ check, has, says, nearly, mend = 0, about }) => {
  test('is found where it is, with its place and its words', () => {
    const seen = read(has);
    const { findings } = seen;
    const found = findings.filter((finding) => finding.check === check);
    expect([found.map(({ message }) => message), findings.map((each) => each.check)]).toEqual([
      [expect.stringContaining(says)],
      expect.arrayContaining([check]),
    ]);
    const { place, about: thing } = found[0]!;
    expect(writtenAt(seen.topology, place)).not.toBe('');
    if (about) expect(thing).toBe(about);
  });

  test('is not found where it nearly is', () => {
    const text = has.replace(nearly[0], nearly[1]);
    expect(text).not.toBe(has);
    expect(read(text).findings.filter((finding) => finding.check === check)).toEqual([]);
  });

  if (mend === 'none') return;
  test('is gone after its mend', () => {
    const { topology, findings } = read(has);
    const edited = findings.find((finding) => finding.check === check)!.mends![mend]!.edit(topology);
    if (!edited.ok) throw new Error(edited.message);
    const text = applyEdits(topology.documents, edited.edits)[0]!.text;
    const after = read(text).findings.filter((finding) => finding.check === check);
    expect([text, after]).toEqual([text, []]);
  });
});

describe('the registry', () => {
  test('has a case for every check', () => {
    const tried = new Set(CASES.map(({ check }) => check));
    expect(CHECKS.map(({ id }) => id).filter((id) => !tried.has(id))).toEqual([]);
  });

  test('says of every check what it finds and why that matters', () => {
    expect(new Set(CHECKS.map(({ id }) => id)).size).toBe(CHECKS.length);
    for (const { id, finds, why } of CHECKS) {
      expect(id).toMatch(/^(nowhere|match|copies|loss|access|broker|names)\/[a-z-]+$/);
      expect([id, finds]).toEqual([id, expect.stringMatching(/^[A-Z].+\.$/s)]);
      expect([id, why]).toEqual([id, expect.stringMatching(/^[A-Z].+\.$/s)]);
    }
  });
});

describe('acceptances', () => {
  const TEXT = `brokers:
  m:
    kind: amqp
    exchanges:
      in:
        type: fanout
        accept: [{ check: nowhere/unserved-entry, because: not in use yet }]
`;
  test('take a finding out, with the reason', () => {
    const { findings, accepted } = checkAll(buildGraph(readTopology([{ name: 'a.yaml', text: TEXT }])));
    expect(findings).toEqual([]);
    expect(accepted.map(({ because, finding }) => [because, finding.check])).toEqual([
      ['not in use yet', 'nowhere/unserved-entry'],
    ]);
  });

  test('that accept nothing are findings, with a mend', () => {
    const text = `${TEXT}    queues: { q: {} }\n    bindings: [{ from: in, to: q }]\n`;
    const { topology, findings } = read(text);
    const [unused] = findings.filter(({ check }) => check === 'accept/unused');
    expect(unused!.message).toBe(
      '`nowhere/unserved-entry` finds nothing here, so there is nothing to accept.',
    );
    const edited = unused!.mends![0]!.edit(topology);
    expect(edited.ok && applyEdits(topology.documents, edited.edits)[0]!.text).toContain('accept: []');
  });

  test('that name no check are findings, with what was meant', () => {
    const { findings } = read(TEXT.replace('unserved-entry', 'unserved-enty'));
    const unknown = findings.find(({ check }) => check === 'accept/unknown-check')!;
    expect(unknown.message).toContain('Did you mean `nowhere/unserved-entry`?');
  });

  test('speak only of where they stand', () => {
    const { findings } = read(`${TEXT}      out: { type: fanout }\n`);
    expect(findings.map(({ check, about }) => [check, about])).toEqual([
      ['nowhere/unserved-entry', 'exchange:m/out'],
    ]);
  });
});

describe('one mistake is one finding', () => {
  const told = (text: string) => read(text).findings.map(({ check, message }) => `${check}: ${message}`);

  test('an unfed queue, its waiting taker and its unserved exchange', () => {
    expect(
      told(`messages: { m: { key: a.b } }
apps: { p: { publishes: [{ message: m, to: b/e }] }, t: { consumes: [{ from: b/q, expects: m }] } }
brokers: { b: { kind: amqp, access: open, exchanges: { e: { type: topic } }, queues: { q: {} } } }
`),
    ).toEqual([
      expect.stringContaining('nowhere/unreachable-store: Nothing leads to b/q; t will wait in vain'),
    ]);
  });

  test('one statement that is missing for fourteen ways', () => {
    const ways = Array.from(
      { length: 14 },
      (_, i) => `s${i}: { topic: t, to: q, filter: { match: { n: ${i} } } }`,
    );
    expect(
      told(`messages: { m: { headers: { n: { type: integer, minimum: 0, maximum: 13 } } } }
apps: { p: { publishes: [{ message: m, to: s/t }] }, x: { consumes: [{ from: s/q }] } }
brokers: { s: { kind: pubsub, topics: { t: {} }, queues: { q: {} }, subscriptions: { ${ways.join(', ')} } } }
access: [{ allow: [publish], who: app:p, on: s/t }, { allow: [consume], who: app:x, on: s/q }]
`),
    ).toEqual([
      expect.stringMatching(/^access\/missing-permission: .*The same is missing for 13 other ways\.$/),
    ]);
  });
});
