import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import fc from 'fast-check';
import { parse } from 'yaml';
import { type Edited, type TextDocument, applyEdits, undoOf } from '../base/edits.ts';
import { rename } from './rename.ts';
import { thing } from '../language/thing.ts';
import { addItem, removeAt, setAt } from '../syntax/edit/edit.ts';
import { moveTo } from '../syntax/edit/move.ts';
import { treesOf } from '../syntax/edit/proved.ts';
import type { Path } from '../syntax/edit/source.ts';
import { parseDocument } from '../syntax/parse.ts';
import type { Placed } from '../syntax/place.ts';
import { type Json, plainOrQuoted, renderFlow } from '../syntax/render.ts';
import { toJson } from '../syntax/tree.ts';
import { readTopology } from '../topology/read.ts';

const doc = (text: string): TextDocument[] => [{ name: 'a.yaml', text }];
const done = (documents: readonly TextDocument[], edited: Edited): TextDocument[] => {
  if (!edited.ok) throw new Error(edited.message);
  return applyEdits(documents, edited.edits);
};
const placed = (documents: readonly TextDocument[]): Placed => ({ trees: treesOf(documents) });
const one = (text: string, edit: (placed: Placed) => Edited) =>
  done(doc(text), edit(placed(doc(text))))[0]!.text;

const HARBOUR = `# the harbour
brokers:
  mainland: # the core
    kind: amqp
    exchanges: { sailings: { type: topic } }

    queues:
      # six of these
      boards: { ttl: 10m } # short
      'desk': {}
    bindings:
      - { from: sailings, to: boards, key: "sailing.#" }
      - from: sailings
        to: desk
`;
const Q = ['brokers', 'mainland', 'queues'];

describe('edits', () => {
  test.each<[string, (d: Placed) => Edited, string, string]>([
    ['sets a scalar', (d) => setAt(d, [...Q, 'boards', 'ttl'], '5m'), 'ttl: 10m', 'ttl: 5m'],
    [
      'adds to a flow map',
      (d) => setAt(d, [...Q, 'boards', 'durable'], true),
      'ttl: 10m }',
      'ttl: 10m, durable: true }',
    ],
    [
      'adds to an empty flow map',
      (d) => setAt(d, [...Q, 'desk', 'ttl'], '1h'),
      "'desk': {}",
      "'desk': { ttl: 1h }",
    ],
    [
      'adds to a block map',
      (d) => setAt(d, [...Q, 'new'], { ttl: '1h' }),
      "'desk': {}\n",
      "'desk': {}\n      new: { ttl: 1h }\n",
    ],
    [
      'adds maps on the way',
      (d) => setAt(d, ['brokers', 'islet', 'queues', 'q'], {}),
      '        to: desk\n',
      '        to: desk\n  islet:\n    queues:\n      q: {}\n',
    ],
    [
      'adds an item',
      (d) => addItem(d, ['brokers', 'mainland', 'bindings'], { from: 'sailings', to: 'desk', key: '#' }),
      '        to: desk\n',
      '        to: desk\n      - { from: sailings, to: desk, key: "#" }\n',
    ],
    [
      'makes a list',
      (d) => addItem(d, ['access'], { allow: ['publish'], who: 'any', on: 'mainland/*' }),
      '        to: desk\n',
      '        to: desk\naccess:\n  - { allow: [publish], who: any, on: mainland/* }\n',
    ],
    [
      'removes a block entry, its comment stays',
      (d) => removeAt(d, [...Q, 'boards']),
      '      boards: { ttl: 10m } # short\n',
      '',
    ],
    [
      'removes a flow entry, the braces stay',
      (d) => removeAt(d, [...Q, 'boards', 'ttl']),
      '{ ttl: 10m }',
      '{}',
    ],
    [
      'removes an item',
      (d) => removeAt(d, ['brokers', 'mainland', 'bindings', 0]),
      '      - { from: sailings, to: boards, key: "sailing.#" }\n',
      '',
    ],
    [
      'removes the last item',
      (d) => removeAt(d, ['brokers', 'mainland', 'bindings', 1]),
      '      - from: sailings\n        to: desk\n',
      '',
    ],
    [
      'keeps the quotes there are',
      (d) => setAt(d, ['brokers', 'mainland', 'bindings', 0, 'key'], 'a.*'),
      '"sailing.#"',
      '"a.*"',
    ],
    [
      'sets inside a block item',
      (d) => setAt(d, ['brokers', 'mainland', 'bindings', 1, 'key'], 'x'),
      '        to: desk\n',
      '        to: desk\n        key: x\n',
    ],
  ])('%s', (_, edit, old, fresh) => {
    expect(one(HARBOUR, edit)).toBe(HARBOUR.replace(old, fresh));
  });

  test('an empty document, an empty value and a missing line end are begun well', () => {
    expect(one('', (d) => setAt(d, ['apps', 'a', 'instances'], 2))).toBe('apps:\n  a:\n    instances: 2\n');
    expect(one('apps:\n', (d) => setAt(d, ['apps', 'a'], { instances: 2 }))).toBe(
      'apps:\n  a: { instances: 2 }\n',
    );
    expect(one('apps:\n  a: {}', (d) => setAt(d, ['apps', 'b'], {}))).toBe('apps:\n  a: {}\n  b: {}');
    expect(one('apps: # none yet\n', (d) => setAt(d, ['apps', 'a'], {}))).toContain('# none yet');
  });

  test('says why not', () => {
    expect(setAt(placed(doc('a: [}')), ['x'], 1)).toMatchObject({ ok: false });
    expect(removeAt(placed(doc(HARBOUR)), ['apps'])).toMatchObject({
      ok: false,
      message: 'There is nothing at apps.',
    });
    expect(setAt(placed(doc(HARBOUR)), ['brokers', 'mainland', 'bindings', 7], 1)).toMatchObject({
      ok: false,
    });
  });

  test('renames in every document, with every use', () => {
    const documents = [
      { name: 'a.yaml', text: HARBOUR },
      {
        name: 'b.yaml',
        text: `brokers:\n  mainland:\n    bindings:\n      - { from: sailings, to: "queue:boards" }\naccess:\n  - { allow: [consume], who: any, on: [mainland/boards, "mainland/*"] } # boards\napps:\n  board: { consumes: [ { from: mainland/boards } ] }\n`,
      },
    ];
    const renamed = done(
      documents,
      rename(readTopology(documents), thing('queue', 'boards', 'mainland'), 'panels: 6'),
    );
    expect(renamed[0]!.text).toBe(
      HARBOUR.replace('      boards:', '      "panels: 6":').replace('to: boards', 'to: "panels: 6"'),
    );
    expect(renamed[1]!.text).toBe(
      documents[1]!.text
        .replace('"queue:boards"', '"queue:panels: 6"')
        .replace('[mainland/boards,', '["mainland/panels: 6",')
        .replace('from: mainland/boards', 'from: "mainland/panels: 6"'),
    );
    expect(readTopology(renamed).findings).toEqual([]);
  });

  test('renames brokers and apps with all that names them', () => {
    const text = `apps:\n  crew: { home: m, publishes: [ { message: n, to: m/q } ] }\nmessages: { n: {} }\nbrokers:\n  m: { kind: amqp, queues: { q: { perInstanceOf: crew } } }\naccess: [ { allow: [publish], who: app:crew, on: m/q } ]\n`;
    const named = (of: ReturnType<typeof thing>, to: string) =>
      done(doc(text), rename(readTopology(doc(text)), of, to))[0]!.text;
    expect(named(thing('broker', 'm'), 'main')).toBe(
      text.replace('home: m,', 'home: main,').replaceAll('m/q', 'main/q').replace('  m: {', '  main: {'),
    );
    expect(named(thing('app', 'crew'), 'hands')).toBe(text.replaceAll('crew', 'hands'));
  });

  test('refuses a name that is taken or not allowed', () => {
    const topology = readTopology(doc(HARBOUR));
    const queue = thing('queue', 'boards', 'mainland');
    expect(rename(topology, queue, 'desk')).toMatchObject({
      ok: false,
      message: 'There is a queue `desk` already.',
    });
    expect(rename(topology, queue, 'x'.repeat(256))).toMatchObject({ ok: false });
    expect(rename(topology, thing('broker', 'mainland'), 'Main Land')).toMatchObject({ ok: false });
  });

  test('moves an entry with its text to another document', () => {
    const documents = [
      { name: 'a.yaml', text: HARBOUR },
      { name: 'b.yaml', text: 'brokers:\n    mainland:\n        queues:\n            q: {}\n' },
    ];
    const moved = done(documents, moveTo(placed(documents), [...Q, 'boards'], 'b.yaml'));
    expect(moved[0]!.text).toBe(HARBOUR.replace('      boards: { ttl: 10m } # short\n', ''));
    expect(moved[1]!.text).toBe(`${documents[1]!.text}            boards: { ttl: 10m }\n`);
    const before = readTopology(documents);
    const after = readTopology(moved);
    expect(after.findings).toEqual(before.findings);
  });
});

describe('whatever is edited', () => {
  const folder = join(__dirname, '../../demo/draft');
  const documents = readdirSync(folder).map((name) => ({
    name,
    text: readFileSync(join(folder, name), 'utf8'),
  }));

  /** Every path in a value, outermost first. */
  function paths(value: unknown, at: Path = []): Path[] {
    if (typeof value !== 'object' || value === null) return [at];
    const inner = Array.isArray(value) ? value.map((each, i) => [i, each] as const) : Object.entries(value);
    return [...(at.length ? [at] : []), ...inner.flatMap(([key, each]) => paths(each, [...at, key]))];
  }
  const get = (value: unknown, path: Path): unknown =>
    path.reduce<unknown>(
      (each, key) => (each as Record<string, unknown> | undefined)?.[key as string],
      value,
    );
  const places = documents.flatMap((document) =>
    paths(parse(document.text)).map((path) => ({ document, path })),
  );
  const place = fc.constantFrom(...places);
  const name = fc.oneof(
    fc.stringMatching(/^[a-z][a-z0-9-]{0,8}$/),
    fc.string({ minLength: 1, maxLength: 12, unit: 'grapheme' }),
  );
  const value: fc.Arbitrary<Json> = fc.letrec<{ json: Json }>((tie) => ({
    json: fc.oneof(
      { maxDepth: 2 },
      fc.string({ maxLength: 12, unit: 'grapheme' }),
      fc.integer({ min: -1000, max: 1000 }),
      fc.boolean(),
      fc.array(tie('json'), { maxLength: 3 }),
      fc.dictionary(name, tie('json'), { maxKeys: 3 }),
    ),
  })).json;

  /** Lines of the text before that no edit touched must all be there after, in order. */
  function untouchedStay(
    before: string,
    after: string,
    edits: readonly { start: number; end: number }[],
  ): void {
    let offset = 0;
    const kept: string[] = [];
    for (const line of before.split('\n')) {
      const end = offset + line.length;
      if (!edits.some((edit) => edit.start <= end && edit.end >= offset)) kept.push(line);
      offset = end + 1;
    }
    const lines = after.split('\n');
    let at = 0;
    for (const line of kept) {
      at = lines.indexOf(line, at);
      expect(at).toBeGreaterThanOrEqual(0);
      at++;
    }
  }

  const check = (
    document: TextDocument,
    edited: Edited,
    expected: (after: unknown, before: unknown) => void,
  ) => {
    if (!edited.ok) return;
    const [after] = applyEdits([document], edited.edits);
    expect(parseDocument(after!.text).problems).toEqual([]);
    untouchedStay(document.text, after!.text, edited.edits);
    expected(parse(after!.text, { uniqueKeys: false }), parse(document.text));
    const [undone] = applyEdits([after!], undoOf([document], edited.edits));
    expect(undone!.text).toBe(document.text);
  };

  test('setting gives that value there and changes nothing else', () => {
    fc.assert(
      fc.property(place, value, ({ document, path }, fresh) => {
        check(document, setAt(placed([document]), path, fresh), (after, before) => {
          expect(get(after, path) ?? null).toEqual(fresh);
          const same = structuredClone(before) as Record<string, unknown>;
          (get(same, path.slice(0, -1)) as Record<string, unknown>)[path.at(-1) as string] = fresh;
          expect(after).toEqual(same);
        });
      }),
      { numRuns: 100 },
    );
  });

  test('adding a key gives that key there and changes nothing else', () => {
    fc.assert(
      fc.property(place, name, value, ({ document, path }, key, fresh) => {
        const parent = get(parse(document.text), path);
        if (typeof parent !== 'object' || parent === null || Array.isArray(parent) || key in parent) return;
        check(document, setAt(placed([document]), [...path, key], fresh), (after, before) => {
          expect(get(after, [...path, key]) ?? null).toEqual(fresh);
          const same = structuredClone(before);
          (get(same, path) as Record<string, unknown>)[key] = fresh;
          expect(after).toEqual(same);
        });
      }),
      { numRuns: 100 },
    );
  });

  test('removing takes that away and nothing else', () => {
    fc.assert(
      fc.property(place, ({ document, path }) => {
        check(document, removeAt(placed([document]), path), (after, before) => {
          const same = structuredClone(before);
          const parent = get(same, path.slice(0, -1));
          if (Array.isArray(parent)) parent.splice(Number(path.at(-1)), 1);
          else delete (parent as Record<string, unknown>)[path.at(-1) as string];
          expect(after).toEqual(same);
        });
      }),
      { numRuns: 100 },
    );
  });

  test('a text written as a scalar reads back the same', () => {
    fc.assert(
      fc.property(
        fc.oneof(
          fc.string({ unit: 'binary' }),
          fc.string({ unit: 'grapheme' }),
          fc.constantFrom('~', '-', '- a', 'a #b', 'a: b', '0o7', '.5', '---', 'yes', 'null', '=', '!x'),
        ),
        (text) => {
          const round = (yaml: string) => {
            const { root, problems } = parseDocument(yaml);
            expect(problems).toEqual([]);
            return toJson(root!);
          };
          expect(round(`k: ${plainOrQuoted(text)}\n`)).toEqual({ k: text });
          expect(round(`k: ${renderFlow({ [text]: [text] })}\n`)).toEqual({ k: { [text]: [text] } });
        },
      ),
      { numRuns: 250 },
    );
  });
});
