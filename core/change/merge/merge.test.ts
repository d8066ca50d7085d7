/**
 * Two people's changes put together. The random tests write data in every style, change it in two ways and
 * expect both changes in what comes out.
 *
 * What their generator cannot make, and what is therefore written out below: documents that do not read, keys
 * that stand twice, aliases, comments that one side alone wrote, documents renamed, added and taken away, and
 * lists that a side put in another order.
 */
import fc from 'fast-check';
import { load } from 'js-yaml';
import { type TextDocument, applyEdits } from '../../base/edits.ts';
import type { Json } from '../../syntax/render.ts';
import { randomTopology, topologies } from '../../testing/random-topology.ts';
import { pickerOf, uglyYaml } from '../../testing/ugly-yaml.ts';
import { readTopology } from '../../topology/read.ts';
import { editsBetween, lastChanged } from './lines.ts';
import { type Choices, type Merged, merge } from './merge.ts';

const RUNS = Number(process.env['FUZZ'] ?? 1) * 8;

const one = (text: string): TextDocument[] => [{ name: 'a.yaml', text }];
const merged = (base: string, mine: string, theirs: string, choices?: Choices): Merged =>
  merge(one(base), one(mine), one(theirs), choices);
const textOf = ({ documents }: Merged): string => documents.map(({ text }) => text).join('');

/** What two changes make together; a conflict fails. */
function clean(base: string, mine: string, theirs: string): string {
  const found = merged(base, mine, theirs);
  expect(found.conflicts).toEqual([]);
  return textOf(found);
}

const BASE = `# the harbour
vondle: 1
topology: harbour
brokers:
  quay:
    kind: amqp
    exchanges:
      boats: { type: topic } # every boat
    queues:
      board: { maxLength: 10 }
      log:
        maxLength: 20
    bindings:
      - { from: boats, to: board, key: "boat.*" }
`;

describe('two changes of a document', () => {
  test('of different keys are both there, each as it was written', () => {
    const text = clean(
      BASE,
      BASE.replace('maxLength: 10', 'maxLength: 11 # more'),
      BASE.replace('topic }', 'fanout }').replace('# the harbour', '# our harbour'),
    );
    expect(text).toBe(
      BASE.replace('maxLength: 10', 'maxLength: 11 # more')
        .replace('topic }', 'fanout }')
        .replace('# the harbour', '# our harbour'),
    );
  });

  test('keep the comments of both where they wrote into the same lines', () => {
    const base = 'vondle: 1\n';
    const [mine, theirs] = ['# mine\nvondle: 1\n', 'vondle: 1\napps: {} # theirs\n'];
    expect(clean('', mine, theirs)).toBe('# mine\nvondle: 1\napps: {} # theirs\n');
    const found = merged(base, '# mine\nvondle: 2\n', 'vondle: 3\napps: {}\n');
    const choices: Choices = new Map([[found.conflicts[0]!.id, 'theirs']]);
    const chosen = merged(base, '# mine\nvondle: 2\n', 'vondle: 3\napps: {}\n', choices);
    expect(textOf(chosen)).toBe('# mine\nvondle: 3\napps: {}\n');
  });

  test('of one line are told apart by their keys', () => {
    const base = 'queues: { a: { maxLength: 1, durable: true }, b: {} } # both\n';
    const text = clean(base, base.replace('1', '2'), base.replace('true', 'false').replace('b: {}', 'c: {}'));
    expect(text).toBe('queues: { a: { maxLength: 2, durable: false }, c: {} } # both\n');
  });

  test('that add in the same place are both there, with the comments of both', () => {
    const at = '      log:\n';
    const text = clean(
      BASE,
      BASE.replace(at, `      mine: {} # of mine\n${at}`),
      BASE.replace(at, `      # of theirs\n      theirs: { maxLength: 5 }\n${at}`),
    );
    expect(text).toBe(
      BASE.replace(at, `      mine: {} # of mine\n      # of theirs\n      theirs: { maxLength: 5 }\n${at}`),
    );
  });

  test('that add to the end of one list, without a line break there', () => {
    const end = BASE.trimEnd();
    const text = clean(
      end,
      `${end}\n      - { from: boats, to: log }`,
      `${end}\n      - { from: boats, to: board, key: x }`,
    );
    expect(unordered(load(text))).toEqual(
      unordered(load(`${end}\n      - { from: boats, to: log }\n      - { from: boats, to: board, key: x }`)),
    );
  });

  test('that add the same are one', () => {
    const line = '      - { from: boats, to: log }\n';
    const other = '      - { to: log, from: boats } # as well\n';
    expect(clean(BASE, BASE + line, BASE + line)).toBe(BASE + line);
    expect(
      (load(clean(BASE, BASE + line, BASE + other)) as { brokers: { quay: { bindings: unknown[] } } }).brokers
        .quay.bindings,
    ).toHaveLength(2);
  });

  test('of two settings of one list item', () => {
    const text = clean(BASE, BASE.replace('boat.*', 'boat.#'), BASE.replace('to: board', 'to: log'));
    expect(text).toBe(BASE.replace('boat.*', 'boat.#').replace('to: board', 'to: log'));
  });

  test('to another order and to an item of it', () => {
    const base = 'list: [ a, b, c ]\n';
    expect(load(clean(base, 'list: [ c, b, a ]\n', 'list: [ a, b, c, d ]\n'))).toEqual({
      list: ['c', 'b', 'a', 'd'],
    });
    expect(merged(base, 'list: [ c, b, a ]\n', 'list: [ b, a, c ]\n').conflicts).toMatchObject([
      { way: ['list'], mine: expect.stringContaining('c') as string },
    ]);
  });

  test('where an alias repeats what is written elsewhere', () => {
    const base = 'a: &x { n: 1 }\nb: *x\nc: 1\n';
    // mine wrote the alias out, theirs changed a line beside it
    expect(load(clean(base, base.replace('*x', '{ n: 2 }'), base.replace('c: 1', 'c: 2')))).toEqual({
      a: { n: 1 },
      b: { n: 2 },
      c: 2,
    });
  });
});

describe('two changes of one value', () => {
  const mine = BASE.replace('maxLength: 10', 'maxLength: 11');
  const theirs = BASE.replace('maxLength: 10', 'maxLength: 12').replace('20', '21');

  test('are a conflict that says where and what; all else is put together', () => {
    const found = merged(BASE, mine, theirs);
    expect(found.conflicts).toEqual([
      {
        id: expect.any(String) as string,
        doc: 'a.yaml',
        way: ['brokers', 'quay', 'queues', 'board', 'maxLength'],
        base: '10',
        mine: '11',
        theirs: '12',
      },
    ]);
    expect(textOf(found)).toBe(mine.replace('20', '21'));
  });

  test('are as was chosen', () => {
    const { id } = merged(BASE, mine, theirs).conflicts[0]!;
    expect(textOf(merged(BASE, mine, theirs, new Map([[id, 'theirs']])))).toBe(theirs);
    expect(textOf(merged(BASE, mine, theirs, new Map([[id, 'mine']])))).toBe(mine.replace('20', '21'));
  });

  test('one taken away, the other changed', () => {
    const gone = BASE.replace('      board: { maxLength: 10 }\n', '');
    const found = merged(BASE, gone, theirs);
    expect(found.conflicts).toMatchObject([
      { way: ['brokers', 'quay', 'queues', 'board'], mine: undefined, theirs: '{ maxLength: 12 }' },
    ]);
    expect(textOf(found)).toBe(gone.replace('20', '21'));
    const chosen = textOf(merged(BASE, gone, theirs, new Map([[found.conflicts[0]!.id, 'theirs']])));
    expect(load(chosen)).toEqual(load(theirs));
  });
});

describe('documents', () => {
  const [a, b] = [
    { name: 'a.yaml', text: 'apps: { a: {} }\n# one\n' },
    { name: 'b.yaml', text: BASE },
  ];

  test('added, taken away and left alone', () => {
    const c = { name: 'c.yaml', text: 'apps: { c: {} }\n' };
    const d = { name: 'd.yaml', text: 'apps: { d: {} }\n' };
    expect(merge([a, b], [b, c], [a, b, d])).toEqual({ documents: [b, c, d], conflicts: [] });
  });

  test('renamed by one and changed by the other', () => {
    const changed = { ...b, text: BASE.replace('10', '12') };
    const renamed = { ...b, name: 'brokers.yaml' };
    const both = { documents: [a, { ...changed, name: 'brokers.yaml' }], conflicts: [] };
    expect(merge([a, b], [a, renamed], [a, changed])).toEqual(both);
    expect(merge([a, b], [a, changed], [a, renamed])).toEqual(both);
  });

  test('taken away by one and changed by the other', () => {
    const changed = { ...b, text: 'apps: {}\n' };
    const found = merge([a, b], [a], [a, changed]);
    expect(found.conflicts).toMatchObject([
      { doc: 'b.yaml', way: [], mine: undefined, theirs: 'apps: {}\n' },
    ]);
    expect(found.documents).toEqual([a]);
    const choices: Choices = new Map([[found.conflicts[0]!.id, 'theirs']]);
    expect(merge([a, b], [a], [a, changed], choices).documents).toEqual([a, changed]);
  });

  test('that both added under one name', () => {
    const [mine, theirs] = ['apps: { a: {} }\n', 'apps: { b: {} }\n'].map((text) => [
      { name: 'n.yaml', text },
    ]);
    expect(load(textOf(merge([], mine!, theirs!)))).toEqual({ apps: { a: {}, b: {} } });
  });
});

describe('what does not read', () => {
  test('is put together line by line', () => {
    const broken = BASE.replace('fanout', 'topic').replace('kind: amqp', 'kind: [amqp');
    expect(clean(BASE, broken, BASE.replace('20', '21'))).toBe(broken.replace('20', '21'));
  });

  test('and is chosen stretch by stretch where both wrote', () => {
    const mine = BASE.replace('maxLength: 10 }', 'maxLength: ');
    const theirs = BASE.replace('maxLength: 10', 'maxLength: 12');
    const found = merged(BASE, mine, theirs);
    expect(found.conflicts).toEqual([
      {
        id: expect.any(String) as string,
        doc: 'a.yaml',
        way: [],
        base: '      board: { maxLength: 10 }\n',
        mine: '      board: { maxLength: \n',
        theirs: '      board: { maxLength: 12 }\n',
      },
    ]);
    expect(textOf(merged(BASE, mine, theirs, new Map([[found.conflicts[0]!.id, 'theirs']])))).toBe(theirs);
  });

  test('nor does a key that stands twice', () => {
    const twice = `${BASE}brokers: {}\n`;
    expect(clean(BASE, twice, BASE.replace('20', '21'))).toBe(twice.replace('20', '21'));
  });
});

/** One change of data: a value set, added or taken away, an item added or taken away. */
interface Change {
  readonly path: readonly (string | number)[];
  readonly does: 'set' | 'enter' | 'remove' | 'add' | 'drop';
  readonly value: Json;
}

type Open = { [key: string]: Open } | Open[] | string | number | boolean | null;

/** Where something can be changed, and how. */
function* changesOf(data: Json, path: readonly string[] = []): Generator<Change> {
  if (typeof data !== 'object' || data === null) {
    yield { path, does: 'set', value: 'other' };
    return;
  }
  if (Array.isArray(data)) {
    yield { path, does: 'add', value: { fresh: 'item' } };
    for (const i of data.keys()) yield { path: [...path, i], does: 'drop', value: null };
    return;
  }
  yield { path: [...path, 'fresh'], does: 'enter', value: { a: 1 } };
  for (const [key, inner] of Object.entries(data)) {
    yield { path: [...path, key], does: 'remove', value: null };
    yield* changesOf(inner as Json, [...path, key]);
  }
}

function made(data: Json, changes: readonly Change[], mark: string): Json {
  const now = structuredClone(data) as Open;
  const gone = {} as Open;
  for (const { path, does, value } of changes) {
    let at = now as Open & object;
    for (const step of path.slice(0, -1)) at = (at as Record<string | number, Open>)[step] as Open & object;
    const last = path.at(-1);
    const inner = at as Record<string | number, Open>;
    if (does === 'set' || does === 'enter')
      inner[does === 'enter' ? `${String(last)}-${mark}` : last!] =
        typeof value === 'string' ? `${value} ${mark}` : (value as Open);
    else if (does === 'remove') delete inner[last!];
    else if (does === 'drop') inner[last!] = gone;
    else (last === undefined ? (now as Open[]) : (inner[last] as Open[])).push({ fresh: mark });
  }
  const kept = (value: Open): Open =>
    Array.isArray(value)
      ? value.filter((item) => item !== gone).map(kept)
      : typeof value === 'object' && value !== null
        ? Object.fromEntries(Object.entries(value).map(([key, inner]) => [key, kept(inner)]))
        : value;
  return kept(now) as Json;
}

/** Whether one path leads to or into where the other does. */
const meets = (a: Change, b: Change): boolean => {
  // two entries or items that come do not meet; whatever else shares its way does
  const fresh = ({ does }: Change) => does === 'add' || does === 'enter';
  const shared = Math.min(a.path.length, b.path.length);
  const along = a.path.slice(0, shared).every((step, i) => step === b.path[i]);
  if (!along) return false;
  if (a.path.length === b.path.length) return !(fresh(a) && fresh(b));
  const [short] = a.path.length < b.path.length ? [a] : [b];
  return short.does !== 'add' && short.does !== 'enter';
};

/** Data without what the order of a list says: items in the order of their texts. */
const unordered = (data: unknown): unknown =>
  Array.isArray(data)
    ? data.map(unordered).sort((a, b) => (JSON.stringify(a) < JSON.stringify(b) ? -1 : 1))
    : typeof data === 'object' && data !== null
      ? Object.fromEntries(
          Object.entries(data)
            .map(([key, value]) => [key, unordered(value)] as const)
            .sort(([a], [b]) => (a < b ? -1 : 1)),
        )
      : data;

const anySeed = fc.integer({ min: 1, max: 2 ** 31 - 1 });

describe('whatever is changed, in whatever style', () => {
  /** Picks changes for two sides that are not in each other's way. */
  function twoSides(data: Json, seed: number): [Change[], Change[]] {
    const pick = pickerOf(seed);
    const all = [...changesOf(data)];
    const sides: [Change[], Change[]] = [[], []];
    for (let i = pick(2, 4, 8); i > 0; i--) {
      const next = pick(...all);
      const side = pick(0, 1);
      const taken = [...sides[0], ...sides[1]];
      // the same entry or item may come to both
      if (!taken.some((each) => meets(each, next) || each === next)) sides[side].push(next);
    }
    return sides;
  }

  test('both changes are there, and nothing else', () => {
    let conflicts = 0;
    fc.assert(
      fc.property(topologies, anySeed, anySeed, fc.boolean(), (seed, style, which, restyled) => {
        const data = load(randomTopology(seed)) as Json;
        const [mine, theirs] = twoSides(data, which);
        const text = (side: readonly Change[], mark: string) =>
          uglyYaml(made(data, side, mark), restyled ? style + mark.length : style, { anchors: false });
        const found = merged(uglyYaml(data, style, { anchors: false }), text(mine, 'm'), text(theirs, 'tt'));
        conflicts += found.conflicts.length;
        if (found.conflicts.length) return;
        const both = together(data, mine, theirs);
        expect(unordered(load(textOf(found)))).toEqual(unordered(both));
      }),
      { numRuns: RUNS * 4 },
    );
    // items that look alike may be taken for each other and be said to clash: safe, but not often
    expect(conflicts).toBeLessThan(RUNS / 4);
  });

  test('what one side alone changed is as it wrote it, byte for byte', () => {
    fc.assert(
      fc.property(topologies, anySeed, anySeed, (seed, style, other) => {
        const data = load(randomTopology(seed)) as Json;
        const [base, changed] = [
          uglyYaml(data, style),
          uglyYaml(made(data, twoSides(data, other)[0], 'm'), other),
        ];
        expect(textOf(merged(base, changed, base))).toBe(changed);
        expect(textOf(merged(base, base, changed))).toBe(changed);
        expect(textOf(merged(base, changed, changed))).toBe(changed);
      }),
      { numRuns: RUNS },
    );
  });

  test('a conflict is as was chosen, whoever chooses', () => {
    fc.assert(
      fc.property(topologies, anySeed, anySeed, (seed, style, which) => {
        const data = load(randomTopology(seed)) as Json;
        const pick = pickerOf(which);
        const values = [...changesOf(data)].filter(({ does }) => does === 'set');
        const at = pick(...values);
        const [base, mine, theirs] = [data, made(data, [at], 'm'), made(data, [at], 't')].map((each) =>
          uglyYaml(each, style, { anchors: false }),
        ) as [string, string, string];
        const found = merged(base, mine, theirs);
        for (const [side, text] of [
          ['mine', mine],
          ['theirs', theirs],
        ] as const) {
          const choices: Choices = new Map(found.conflicts.map(({ id }) => [id, side]));
          const chosen = merged(base, mine, theirs, choices);
          expect(chosen.conflicts.map(({ id }) => id)).toEqual(found.conflicts.map(({ id }) => id));
          expect(load(textOf(chosen))).toEqual(load(text));
        }
      }),
      { numRuns: RUNS },
    );
  });
});

/** Both sides' changes made to the data itself: what is taken out of lists goes last, so that places stay right. */
function together(data: Json, mine: readonly Change[], theirs: readonly Change[]): Json {
  const rank = (side: readonly Change[]) => side.filter(({ does }) => does !== 'drop');
  const drops = [...mine, ...theirs].filter(({ does }) => does === 'drop');
  return made(made(made(data, rank(mine), 'm'), rank(theirs), 'tt'), drops, '');
}

test('what is put together reads as a topology', () => {
  const text = clean(BASE, BASE.replace('20', '21'), BASE.replace('10', '11'));
  expect(readTopology(one(text)).findings).toEqual([]);
});

describe('lines', () => {
  const texts = fc
    .array(fc.constantFrom('a', 'b', 'c', ''), { maxLength: 12 })
    .map((lines) => lines.join('\n'));

  test('that differ are told as edits that lead from one text to the other', () => {
    fc.assert(
      fc.property(texts, texts, (before, after) => {
        const edits = editsBetween('a.yaml', before, after);
        expect(applyEdits(one(before), edits)[0]!.text).toBe(after);
      }),
    );
  });

  test('say with which state they came', () => {
    const states = [
      { number: 4, text: 'a\nB\nc\nnew\n' },
      { number: 3, text: 'a\nB\nc\n' },
      { number: 2, text: 'a\nb\nc\n' },
      { number: 1, text: 'c\n' },
    ];
    // the last is what stands behind the last line break
    expect(lastChanged(states)).toEqual([2, 3, 1, 4]);
    expect(lastChanged(states.slice(0, 1))).toEqual([4, 4, 4, 4]);
    expect(lastChanged([])).toEqual([]);
  });

  test('of a text that changed whole are not followed one by one', () => {
    const lines = (mark: string) => Array.from({ length: 3000 }, (_, i) => `${mark}${i}\n`).join('');
    const edits = editsBetween('a.yaml', lines('a'), lines('b'));
    expect(edits).toEqual([{ doc: 'a.yaml', start: 0, end: lines('a').length, text: lines('b') }]);
    expect(
      new Set(
        lastChanged([
          { number: 2, text: lines('b') },
          { number: 1, text: lines('a') },
        ]),
      ),
    ).toEqual(new Set([2]));
    // and what both wrote is put together by keys then
    expect(clean('{}', lines('a').replaceAll('\n', ': 1\n'), '{}')).toBe(
      lines('a').replaceAll('\n', ': 1\n'),
    );
  });
});
