/** Two topologies compared: what is declared otherwise, who may what, what is wrong, which promises hold. */
import { comparisonMarkdown, countsOf } from '../../formats/comparison/index.ts';
import { demo } from '../../testing/demo.ts';
import { randomTopology, topologies } from '../../testing/random-topology.ts';
import { uglyYaml } from '../../testing/ugly-yaml.ts';
import type { Json } from '../../syntax/render.ts';
import { readTopology } from '../../topology/read.ts';
import fc from 'fast-check';
import { load } from 'js-yaml';
import { compareDeclared, declaredText } from './settings.ts';
import { compareTopologies } from './whole.ts';

const read = (...texts: string[]) => readTopology(texts.map((text, i) => ({ name: `${i}.yaml`, text })));
const BASE = `
tenant: auklet
tenants: { auklet: {}, northquay: {} }
parameters: { ttl: { default: 5m } }
apps:
  desk: { publishes: [ { message: sailing, to: m/boats } ] }
  board: { consumes: [ { from: m/board } ] }
messages: { sailing: { key: boat.left } }
brokers:
  m:
    kind: amqp
    access: controlled
    exchanges: { boats: { type: topic } }
    queues:
      board: { ttl: 5m, deadLetter: { to: log, key: late } }
      log: { tenant: northquay }
    bindings:
      - { from: boats, to: board, key: "boat.*" }
access:
  - { name: ours, allow: [publish, consume], who: [app:desk, app:board], on: "m/*" }
expectations:
  - { name: boards hear, given: { message: sailing }, reaches: [m/board] }
`;
const changed = (...edits: [string, string][]) =>
  edits.reduce((text, [from, to]) => {
    if (!text.includes(from)) throw new Error(from);
    return text.replace(from, to);
  }, BASE);
const told = (text: string, base = BASE) => compareDeclared(read(base), read(text)).map(declaredText);

describe('what is declared otherwise', () => {
  test('settings, old and new, at any depth', () => {
    expect(told(changed(['ttl: 5m,', 'ttl: 6m, maxLength: 3,'], ['key: late', 'key: lost']))).toEqual([
      'queue m/board: ttl 5m → 6m, maxLength 3 is new, deadLetter.key late → lost',
    ]);
    expect(told(changed(['{ ttl: 5m, deadLetter: { to: log, key: late } }', '{}']))).toEqual([
      'queue m/board: ttl 5m is gone, deadLetter.to log is gone, deadLetter.key late is gone',
    ]);
    expect(told(changed(['kind: amqp', 'kind: amqp\n    transit: encrypted']))).toEqual([
      'broker m: transit encrypted is new',
    ]);
    expect(told(changed(['tenant: auklet\n', 'tenant: northquay\n']))).toEqual([
      'topology topology: tenant auklet → northquay',
    ]);
    expect(told(changed(['default: 5m', 'default: 7m']))).toEqual(['parameter ttl: default 5m → 7m']);
  });

  test('things that came and went, bindings and statements too', () => {
    expect(
      told(
        changed(
          ['      log:', '      new: {}\n      log:'],
          ['key: "boat.*"', 'key: "boat.#"'],
          ['name: ours', 'name: theirs, when: { tenant: auklet }'],
        ),
      ),
    ).toEqual([
      'statement theirs: called ours before, name ours → theirs, when.tenant auklet is new',
      'queue m/new is new',
      'binding m: from boats, to board, key boat.# is new',
      'binding m: from boats, to board, key boat.* is gone',
    ]);
  });

  test('a thing that is called otherwise is the same thing', () => {
    expect(
      told(
        changed(
          ['      board:', '      screens:'],
          ['to: board', 'to: screens'],
          ['m/board } ]', 'm/screens } ]'],
          ['[m/board]', '[m/screens]'],
        ),
      ),
    ).toContain('queue m/screens: called m/board before');
  });

  test('is not where a declaration stands, nor how it is written', () => {
    const [head, rest] = BASE.split('brokers:') as [string, string];
    expect(compareDeclared(read(BASE), read(`brokers:${rest}`, head))).toEqual([]);
    fc.assert(
      fc.property(topologies, fc.integer({ min: 1, max: 2 ** 31 - 1 }), (seed, style) => {
        const text = randomTopology(seed);
        const ugly = uglyYaml(load(text) as Json, style);
        const changes = compareDeclared(read(text), read(ugly));
        // what a truth value is written as is how it is written
        expect(
          changes.filter(
            ({ settings }) =>
              !settings.every(({ before, after }) => before?.toLowerCase() === after?.toLowerCase()),
          ),
        ).toEqual([]);
      }),
      { numRuns: 30 },
    );
  });

  test('says whose it is and where it stands', () => {
    const [change] = compareDeclared(
      read(BASE),
      read(changed(['{ tenant: northquay }', '{ tenant: auklet }'])),
    );
    expect(change).toMatchObject({ tenants: ['northquay', 'auklet'], documents: ['0.yaml'] });
  });

  test('of what cannot be read is nothing', () => {
    expect(() => told('brokers: [')).not.toThrow();
    expect(told('', '')).toEqual([]);
  });
});

describe('the rest', () => {
  test('who gained and lost what', () => {
    const { access } = compareTopologies(
      read(BASE),
      read(changed(['who: [app:desk, app:board], on: "m/*"', 'who: [app:board], on: [m/board, m/boats]'])),
    );
    expect(access!.map(({ kind, who, action, on }) => `${kind} ${who} ${action} ${on.join()}`)).toEqual(
      expect.arrayContaining(['lost app:desk publish m/boats,m/board,m/log', 'lost app:board consume m/log']),
    );
    expect(access!.filter(({ kind }) => kind === 'gained')).toEqual([]);
  });

  test('an open broker is told in one line', () => {
    const open = changed(['access: controlled', 'access: open']);
    const { access } = compareTopologies(read(BASE), read(open));
    expect(access!.filter(({ kind }) => kind === 'gained')).toMatchObject([{ who: 'everybody', on: ['m'] }]);
  });

  test('what is wrong now, and what is cured; which promises break', () => {
    const broken = changed(['key: "boat.*"', 'key: "ship.*"']);
    const there = compareTopologies(read(BASE), read(broken));
    expect(there.promises).toEqual([{ kind: 'broken', name: 'boards hear' }]);
    expect(
      there.findings.some(({ kind, message }) => kind === 'new' && message.includes('boards hear')),
    ).toBe(true);
    const back = compareTopologies(read(broken), read(BASE));
    expect(back.promises).toEqual([{ kind: 'kept', name: 'boards hear' }]);
    expect(back.findings.every(({ kind }) => kind === 'cured')).toBe(true);
    const more = changed([
      'expectations:\n',
      'expectations:\n  - { name: log hears not, given: { message: sailing }, never: [m/log] }\n',
    ]);
    expect(compareTopologies(read(BASE), read(more)).promises).toEqual([
      { kind: 'added', name: 'log hears not' },
    ]);
    expect(compareTopologies(read(more), read(BASE)).promises).toEqual([
      { kind: 'removed', name: 'log hears not' },
    ]);
  });

  test('as Markdown, with signs that would be taken for others made harmless', () => {
    const [before, after] = [read(BASE), read(changed(['ttl: 5m,', 'ttl: "6|m",']))];
    const compared = compareTopologies(before, after);
    const text = comparisonMarkdown({ ...compared, from: 'r1', to: 'the draft', messages: ['all <b> go'] });
    expect(text).toContain('## the draft against r1\n\n### What messages do otherwise\n\n- all \\<b\\> go\n');
    expect(text).toContain('ttl 5m → 6\\|m');
    expect(text).not.toContain('### Who may what');
    const same = compareTopologies(before, before);
    expect(comparisonMarkdown({ ...same, from: 'r1', to: 'r1', messages: [] })).toContain('Nothing differs.');
  });

  test('of the demo', () => {
    const [before, after] = [readTopology(demo('r3')), readTopology(demo('draft'))];
    const { declared, findings } = compareTopologies(before, after);
    expect(countsOf(declared)).toBe('15 added');
    expect(findings.filter(({ severity }) => severity === 'error')).toHaveLength(4);
  });
});
