/** Edits with a purpose, on topologies written in every style YAML has. */
import fc from 'fast-check';
import { load } from 'js-yaml';
import { changeSetting, settingsOf } from '../assist/settings.ts';
import { type Edited, applyEdits, undoOf } from '../base/edits.ts';
import { acceptFinding } from './accept.ts';
import { declare } from '../assist/forms/forms.ts';
import { findingsOf, mendAll, tryMend } from './mend.ts';
import { rename } from './rename.ts';
import { type Thing, thing } from '../language/thing.ts';
import { buildGraph } from '../routing/graph.ts';
import type { Json } from '../syntax/render.ts';
import { demo } from '../testing/demo.ts';
import { randomTopology, topologies } from '../testing/random-topology.ts';
import { uglyYaml } from '../testing/ugly-yaml.ts';
import { declarationsIn } from '../topology/declarations.ts';
import { readTopology } from '../topology/read.ts';
import type { Topology } from '../topology/topology.ts';

const RUNS = Number(process.env['FUZZ'] ?? 1) * 12;

const one = (text: string): Topology => readTopology([{ name: 'a.yaml', text }]);

/** The text after an edit, which undone gives the same bytes. */
function after(topology: Topology, edited: Edited): string {
  if (!edited.ok) throw new Error(edited.message);
  const { documents } = topology;
  const made = applyEdits(documents, edited.edits);
  expect(applyEdits(made, undoOf(documents, edited.edits))).toEqual(documents);
  return made.map(({ text }) => text).join('');
}

const ugly = (text: string, seed: number) => uglyYaml(load(text) as Json, seed);

/** Which topology, and in which style. */
const written = fc.record({
  seed: topologies,
  style: fc.integer({ min: 1, max: 2 ** 31 - 1 }),
  made: fc.boolean(),
});

/** The demo's documents, or one made up at random, in whatever style. */
const topologyOf = ({ seed, style, made }: { seed: number; style: number; made: boolean }): Topology =>
  readTopology(
    made
      ? [{ name: 'a.yaml', text: ugly(randomTopology(seed), style) }]
      : demo('draft').map(({ name, text }, i) => ({ name, text: ugly(text, style + i) })),
  );

test('whatever the style, the same is read', () => {
  fc.assert(
    fc.property(topologies, fc.integer({ min: 1, max: 2 ** 31 - 1 }), (seed, style) => {
      const plain = one(randomTopology(seed));
      const styled = one(ugly(randomTopology(seed), style));
      const messages = ({ findings }: Topology) => findings.map(({ message }) => message).sort();
      expect(messages(styled)).toEqual(messages(plain));
      expect(buildGraph(styled).edges.map(({ id }) => id)).toEqual(
        buildGraph(plain).edges.map(({ id }) => id),
      );
    }),
    { numRuns: RUNS },
  );
});

const NAMES = [
  'zulu',
  '${zulu}',
  'x: y',
  'a # b',
  '"q"',
  "it's",
  '- d',
  '*',
  'q1',
  'in',
  't',
  'm',
  'é⛴',
  '1',
  'queue:q1',
];

/** Every way of a graph, with one thing called otherwise. */
function waysOf(topology: Topology, from: string, to: string): string[] {
  const name = (id: string) => {
    const [, kind, rest] = /^(\w+):([^]*)$/.exec(id)!;
    const plain = `${kind === 'publisher' || kind === 'taker' ? 'app' : kind}:${rest}`;
    if (plain === from) return to;
    // and what an app subscribes to by MQTT after the app
    const session = from.startsWith('app:') && kind === 'subscription' ? `/${from.slice(4)}:` : '';
    if (session && rest!.includes(session)) return plain.replace(session, `/${to.slice(4)}:`);
    // what is on a broker is called after it
    if (from.startsWith('broker:') && rest!.startsWith(`${from.slice(7)}/`))
      return `${kind}:${to.slice(7)}/${rest!.slice(from.length - 6)}`;
    return plain;
  };
  return buildGraph(topology)
    .edges.map((edge) => `${edge.kind} ${name(edge.from)} ${name(edge.to)}`)
    .sort();
}

test('a rename leaves every reference meaning what it meant, or is refused', () => {
  let [made, refused] = [0, 0];
  fc.assert(
    fc.property(written, fc.nat(), fc.constantFrom(...NAMES), (which, nth, name) => {
      const topology = topologyOf(which);
      const all = [...declarationsIn(topology)];
      const { of } = all[nth % all.length]!;
      // a topology that does not read right names nothing for sure
      if (topology.findings.length) return;
      const edited = rename(topology, of, name);
      if (!edited.ok) {
        expect(edited.message).toMatch(/\.$/);
        refused++;
        return;
      }
      after(topology, edited);
      const now = readTopology(applyEdits(topology.documents, edited.edits));
      const to: Thing = thing(of.kind, name, of.broker);
      expect({ of: of.id, name, says: now.findings.map(({ message }) => message) }).toEqual({
        of: of.id,
        name,
        says: [],
      });
      expect({ of: of.id, name, ways: waysOf(now, '', '') }).toEqual({
        of: of.id,
        name,
        ways: waysOf(topology, of.id, to.id),
      });
      made++;
    }),
    { numRuns: RUNS * 6 },
  );
  expect(made).toBeGreaterThan(refused / 2);
});

test('a setting written back changes nothing, and another value changes nothing else', () => {
  fc.assert(
    fc.property(
      written,
      fc.nat(),
      fc.nat(),
      fc.constantFrom('5m', '100', 'true', '.inf', '8.2MB', 'a: b', '${x}', '~', "it's", ' # x', '[1]'),
      (which, nth, setting, words) => {
        const topology = topologyOf(which);
        const all = [...declarationsIn(topology)].map(({ of }) => of);
        const of = all[nth % all.length]!;
        const settings = settingsOf(topology, of);
        for (const { name, written: as } of settings)
          expect(changeSetting(topology, of, name, as ?? '')).toEqual({ ok: true, edits: [] });
        const chosen = settings[setting % settings.length];
        if (!chosen) return;
        const edited = changeSetting(topology, of, chosen.name, words);
        if (!edited.ok) return;
        after(topology, edited);
        const now = readTopology(applyEdits(topology.documents, edited.edits));
        // what another value makes of the thing, or of a name, is another matter
        for (const each of all) {
          const then = settingsOf(topology, each).filter(({ name }) => each !== of || name !== chosen.name);
          const is = new Map(settingsOf(now, each).map(({ name, written: as }) => [name, as]));
          if (is.size === 0) continue;
          for (const { name, written: as } of then)
            if (is.has(name)) expect([each.id, name, is.get(name)]).toEqual([each.id, name, as]);
        }
      },
    ),
    { numRuns: RUNS },
  );
});

test('mends, acceptances and beginnings can be made and undone in any style', () => {
  let made = 0;
  let refused = 0;
  fc.assert(
    fc.property(written, (which) => {
      const topology = topologyOf(which);
      const findings = findingsOf(topology);
      for (const finding of findings.slice(0, 6)) {
        const accepted = acceptFinding(topology, finding, 'it is meant: # so');
        if (accepted.ok) after(topology, accepted);
        for (const mend of finding.mends ?? []) {
          const edited = mend.edit(topology);
          if (edited.ok) {
            made++;
            after(topology, edited);
          } else if (/text itself/.test(edited.message)) refused++;
        }
      }
      for (const [broker, { value }] of topology.declared.brokers ?? []) {
        const from =
          value.variant === 'amqp'
            ? [...(value.exchanges?.keys() ?? [])][0]
            : [...(value.topics?.keys() ?? [])][0];
        const begun = declare(topology, {
          kind: 'queue',
          on: broker,
          name: 'fresh ${one}: #',
          given: from === undefined ? {} : { 'fed by': from },
        });
        if (!begun.ok) {
          refused++;
          continue;
        }
        after(topology, begun);
        const now = readTopology(applyEdits(topology.documents, begun.edits));
        expect(now.declared.brokers!.get(broker)!.value.queues!.has('fresh ${one}: #')).toBe(true);
        expect(now.findings.length).toBeLessThanOrEqual(topology.findings.length);
        made++;
      }
    }),
    { numRuns: RUNS },
  );
  expect(refused / (made + refused)).toBeLessThan(0.05);
});

describe('what ordinary YAML once broke', () => {
  const queues = (text: string) =>
    one(`brokers:\n  m:\n    kind: amqp\n    exchanges: { e: { type: topic } }\n    queues:\n${text}`);
  const queue = (name: string) => thing('queue', name, 'm');

  test('a thing whose last value is a block text is taken away alone, and such a value is set on its line', () => {
    const topology = queues('      a:\n        note: |\n          one\n          two\n      b: {}\n');
    expect(after(topology, changeSetting(topology, queue('a'), 'note', 'three'))).toContain(
      '        note: three\n      b: {}\n',
    );
    expect(after(topology, changeSetting(topology, queue('a'), 'note', ''))).toContain(
      '      a: {}\n      b: {}\n',
    );
  });

  test('an acceptance is added to an item whose dash has a comment behind it, or that is a map of one key', () => {
    for (const item of ['- # why: - so\n        from: e\n        to: a', '- from: e\n        to: a']) {
      const topology = queues(`      a: {}\n    bindings:\n      ${item}\n`);
      const finding = {
        check: 'match/never',
        severity: 'error' as const,
        message: 'x',
        place:
          topology.declared.brokers!.get('m')!.value.variant === 'amqp'
            ? bindingOf(topology)
            : bindingOf(topology),
      };
      const text = after(topology, acceptFinding(topology, finding, 'so'));
      expect(text).toContain('accept: [{ check: match/never, because: so }]');
      expect(one(text).findings).toEqual([]);
    }
  });
  const bindingOf = (topology: Topology) => {
    const broker = topology.declared.brokers!.get('m')!.value;
    if (broker.variant !== 'amqp') throw new Error('no AMQP broker');
    return broker.bindings!.items[0]!.place;
  };

  test('renaming a broker renames it in patterns', () => {
    const topology = one(
      'brokers:\n  m: { kind: amqp, queues: { q: {} } }\napps: { a: { consumes: [{ from: m/q }] } }\naccess:\n  - { allow: [consume], who: any, on: "m/*" }\n  - { allow: [publish], who: "broker:m", on: [m/q, "queue:m/*"] }\n',
    );
    const text = after(topology, rename(topology, thing('broker', 'm'), 'main'));
    expect(text).toContain('on: "main/*" }');
    expect(text).toContain('who: "broker:main", on: [main/q, "queue:main/*"]');
  });

  test('a name that another kind has already is written with its kind', () => {
    const topology = queues(
      '      q: {}\n      r: {}\n    bindings:\n      - { from: e, to: q }\n      - { from: e, to: r }\n',
    );
    const text = after(topology, rename(topology, queue('q'), 'e'));
    expect(text).toContain('{ from: e, to: queue:e }');
    expect(one(text).findings).toEqual([]);
    const back = one(text);
    expect(after(back, rename(back, queue('e'), 'q'))).toContain('to: queue:q }');
  });

  test('a pattern that would no longer cover a thing keeps it from being renamed', () => {
    const topology = one(
      'brokers:\n  m: { kind: amqp, queues: { board-1: {}, board-2: {} } }\naccess:\n  - { allow: [consume], who: any, on: "m/board-*" }\n',
    );
    expect(rename(topology, queue('board-1'), 'panel')).toMatchObject({
      ok: false,
      message: expect.stringContaining('`m/board-*`'),
    });
    expect(rename(topology, queue('board-1'), 'board-9')).toMatchObject({ ok: true });
  });

  test('a name that looks like a parameter stands for itself where it is used', () => {
    const topology = queues('      q: {}\n    bindings:\n      - { from: e, to: q }\n');
    const text = after(topology, rename(topology, queue('q'), '${zulu}'));
    expect(text).toContain('to: "$${zulu}"');
    expect(one(text).findings).toEqual([]);
    expect(buildGraph(one(text)).nodes.has('queue:m/${zulu}')).toBe(true);
  });

  test('a misspelt attribute is mended where it is asked for, not in texts that look like it', () => {
    const text = `messages:
  n: { headers: { level: { type: integer }, s: { type: string } } }
apps: { a: { publishes: [{ message: n, to: s/t }], consumes: [{ from: s/k }] } }
brokers:
  s:
    kind: pubsub
    access: open
    topics: { t: {} }
    subscriptions:
      k:
        topic: t
        filter:
          selector: "s = 'levle' AND levle > 2" # levle
`;
    const topology = one(text);
    const findings = findingsOf(topology);
    const finding = findings.find(({ check }) => check === 'match/undeclared-attribute')!;
    const outcome = tryMend(topology, findings, finding, finding.mends![0]!);
    expect(outcome).toMatchObject({ ok: true });
    expect(after(topology, outcome as Edited)).toBe(text.replace('AND levle', 'AND level'));
  });

  test('all mends are tried before one is written: no key is made twice', () => {
    const text = 'brokers:\n  m:\n    kind: amqp\n    queues:\n      q: { ttl: 5m, tll: 6m, tlt: 7m }\n';
    const { edits } = mendAll([{ name: 'a.yaml', text }], { check: 'language/unknown-key' });
    expect(edits).toEqual([]);
    const other = text.replace('ttl: 5m, tll: 6m, tlt: 7m', 'tll: 6m, durabel: true');
    const mended = mendAll([{ name: 'a.yaml', text: other }], { check: 'language/unknown-key' });
    expect(applyEdits([{ name: 'a.yaml', text: other }], mended.edits)[0]!.text).toBe(
      other.replace('tll', 'ttl').replace('durabel', 'durable'),
    );
    expect(mended).toMatchObject({ mended: 2, left: 0 });
  });

  test('words that are no numbers are no numbers, and sizes are exact', () => {
    const topology = queues('      q: { maxBytes: 1MB }\n');
    expect(after(topology, changeSetting(topology, queue('q'), 'maxBytes', '8.2MB'))).toContain(
      'maxBytes: 8.2MB }',
    );
    const now = queues('      q: { maxBytes: 8.2MB }\n');
    const broker = now.declared.brokers!.get('m')!.value;
    expect(broker.variant === 'amqp' && broker.queues!.get('q')!.value.maxBytes?.value).toBe(8_200_000);
    const noted = one(after(topology, changeSetting(topology, queue('q'), 'note', '.inf')));
    expect(settingsOf(noted, queue('q')).find(({ name }) => name === 'note')!.written).toBe('.inf');
  });

  test('an entry is added beside a key alone', () => {
    const topology = one(
      'brokers:\n  m:\n    kind: amqp\n    exchanges: { e: { type: headers } }\n    queues: { q: {} }\n    bindings:\n      - { from: e, to: q, headers: { values: { route } } }\n',
    );
    const finding = {
      check: 'match/never',
      severity: 'error' as const,
      message: 'x',
      place: bindingOf(topology),
    };
    expect(after(topology, acceptFinding(topology, finding, 'so'))).toContain(
      'headers: { values: { route } }, accept:',
    );
  });
});
