/** Edits of documents in every style there is: what is meant comes about, and nothing else does. */
import fc from 'fast-check';
import { load } from 'js-yaml';
import { applyEdits, undoOf } from '../../base/edits.ts';
import { addItem, removeAt, renameKey, setAt, setText } from './edit.ts';
import { type Proved, treesOf } from './proved.ts';
import type { Path } from './source.ts';
import { parseDocument } from '../parse.ts';
import type { Placed } from '../place.ts';
import type { Json } from '../render.ts';
import { type Entry, type Node, entryOf, startIn, toJson } from '../tree.ts';
import { pickerOf, uglyYaml } from '../../testing/ugly-yaml.ts';

const RUNS = Number(process.env['FUZZ'] ?? 1) * 200;

const NAMES = [
  'a',
  'b-c',
  'kind',
  'x: y',
  'a # b',
  '${zulu}',
  'it’s "so"',
  "don't",
  '{brace',
  'co,mma]',
  '- dash',
  '*star',
  '&amp',
  '?',
  '007',
  'true',
  'null',
  ' lead',
  'é⛴',
  'm/q*',
  '%x',
  '@x',
  '`x',
  '!x',
  '|x',
  'a\tb',
  '1.5',
];
const TEXTS = [
  ...NAMES,
  '',
  ' ',
  'two words',
  'one\ntwo\n',
  'one\n\n  two',
  '  in\nout',
  'end\n\n\n',
  '#no: comment\n- no list\n',
  "levle > 2 AND s = 'levle'",
  'a long text with a good many words in it',
  '~',
  '.inf',
  '0x1F',
  'x'.repeat(120),
];
const text = fc.constantFrom(...TEXTS);
const json: fc.Arbitrary<Json> = fc.letrec<{ json: Json }>((tie) => ({
  json: fc.oneof(
    { maxDepth: 3, depthSize: 'small' },
    text,
    fc.constantFrom<Json>(null, true, false, 0, -3, 1.5, 1e21),
    fc.array(tie('json'), { maxLength: 4 }),
    fc.dictionary(fc.constantFrom(...NAMES), tie('json'), { maxKeys: 4 }),
  ),
})).json;
const root = fc.dictionary(fc.constantFrom(...NAMES), json, { minKeys: 1, maxKeys: 5 }) as fc.Arbitrary<Json>;

const placed = (yaml: string): Placed => ({ trees: treesOf([{ name: 'a.yaml', text: yaml }]) });
/** Read by a parser that is not ours. */
const read = (yaml: string): unknown => load(yaml);

/** Every path in a value, outermost first. */
function paths(value: unknown, at: Path = []): Path[] {
  if (typeof value !== 'object' || value === null) return [at];
  const inner = Array.isArray(value) ? value.map((each, i) => [i, each] as const) : Object.entries(value);
  return [...(at.length ? [at] : []), ...inner.flatMap(([key, each]) => paths(each, [...at, key]))];
}
const get = (value: unknown, path: Path): unknown =>
  path.reduce<unknown>((each, key) => (each as Record<string, unknown> | undefined)?.[key as string], value);

/** The comments of a text; each is one of a kind. */
const commentsIn = (yaml: string) => [...yaml.matchAll(/# c(\d+);/g)].map(([, number]) => Number(number));

interface Tried {
  ok: number;
  refused: number;
}

/** From where to where a comment belongs to what stands at a path: from its key or dash to the end of its last line. */
function ownOf(yaml: string, path: Path): readonly [number, number] {
  const tree = parseDocument(yaml);
  let node: Node | undefined = tree.root;
  let head = 0;
  for (const step of path) {
    if (node?.kind === 'map') {
      const entry: Entry | undefined = entryOf(node, String(step));
      if (entry) head = startIn(tree, entry.key)! - entry.key.lead;
      node = entry?.value;
    } else if (node?.kind === 'list') {
      node = node.items[step as number];
      if (node) head = startIn(tree, node)! - node.lead;
    }
  }
  const end = node ? startIn(tree, node)! + node.length : 0;
  const line = yaml[end - 1] === '\n' ? end : yaml.indexOf('\n', end);
  return [head, line < 0 ? yaml.length : line];
}

/** Makes an edit, and looks at all of what came of it. */
function expectEdit(
  yaml: string,
  edited: Proved,
  expected: unknown,
  tried: Tried,
  [from, to]: readonly [number, number] = [0, 0],
): void {
  if (!edited.ok) {
    tried.refused++;
    return;
  }
  tried.ok++;
  const before = [{ name: 'a.yaml', text: yaml }];
  const [after] = applyEdits(before, edited.edits);
  expect({ yaml, after: after!.text, is: read(after!.text) }).toEqual({
    yaml,
    after: after!.text,
    is: expected,
  });
  expect(applyEdits([after!], undoOf(before, edited.edits))[0]!.text).toBe(yaml);
  // of the comments, only those go that are about what goes
  const gone = new Set(commentsIn(yaml.slice(from, to)));
  const left = new Set(commentsIn(after!.text));
  const lost = commentsIn(yaml).filter((number) => !gone.has(number) && !left.has(number));
  expect({ yaml, after: after!.text, lost }).toEqual({ yaml, after: after!.text, lost: [] });
  // a JSON document stays one
  if (/^\s*[{[]\s*["\]}]/.test(yaml) && !/#/.test(yaml) && isJson(yaml))
    expect(isJson(after!.text)).toBe(true);
}

function isJson(yaml: string): boolean {
  try {
    JSON.parse(yaml);
    return true;
  } catch {
    return false;
  }
}

const cases = fc.tuple(root, fc.integer({ min: 1, max: 2 ** 31 - 1 }), fc.nat());

test('what the generator writes says what it was given, to us and to another parser', () => {
  fc.assert(
    fc.property(cases, ([data, seed]) => {
      const yaml = uglyYaml(data, seed);
      expect({ yaml, is: read(yaml) }).toEqual({ yaml, is: data });
      const { root: node, problems } = parseDocument(yaml);
      expect({ yaml, problems, is: toJson(node!) }).toEqual({ yaml, problems: [], is: data });
    }),
    { numRuns: RUNS },
  );
});

test('a value is set, and nothing else changes', () => {
  const tried: Tried = { ok: 0, refused: 0 };
  fc.assert(
    fc.property(cases, json, ([data, seed, which], value) => {
      const yaml = uglyYaml(data, seed);
      const all = paths(data);
      const path = all[which % all.length]!;
      const expected = structuredClone(data) as Record<string, unknown>;
      (get(expected, path.slice(0, -1)) as Record<string, unknown>)[path.at(-1) as string] = value;
      expectEdit(
        yaml,
        setAt(placed(yaml), path, value, { withParameters: true }),
        expected,
        tried,
        ownOf(yaml, path),
      );
    }),
    { numRuns: RUNS },
  );
  expect(tried.refused / (tried.ok + tried.refused)).toBeLessThan(0.03);
});

test('a text is set as a form has it', () => {
  const tried: Tried = { ok: 0, refused: 0 };
  fc.assert(
    fc.property(cases, text, ([data, seed, which], written) => {
      const yaml = uglyYaml(data, seed);
      const all = paths(data);
      const path = all[which % all.length]!;
      const edited = setText(placed(yaml), path, written);
      if (!edited.ok) return void tried.refused++;
      const [after] = applyEdits([{ name: 'a.yaml', text: yaml }], edited.edits);
      expect([yaml, after!.text, String(get(read(after!.text), path) ?? 'null')]).toEqual([
        yaml,
        after!.text,
        String(get(read(after!.text), path) ?? 'null'),
      ]);
      // all but that place says what it said
      const [was, is] = [structuredClone(data), structuredClone(read(after!.text))];
      for (const each of [was, is])
        (get(each, path.slice(0, -1)) as Record<string, unknown>)[path.at(-1) as string] = 'x';
      expect([yaml, after!.text, is]).toEqual([yaml, after!.text, was]);
      tried.ok++;
    }),
    { numRuns: RUNS },
  );
  expect(tried.refused / (tried.ok + tried.refused)).toBeLessThan(0.03);
});

test('an entry is added to a map, and nothing else changes', () => {
  const tried: Tried = { ok: 0, refused: 0 };
  fc.assert(
    fc.property(cases, json, fc.constantFrom(...NAMES), ([data, seed, which], value, key) => {
      const yaml = uglyYaml(data, seed);
      const maps = [[] as Path, ...paths(data)].filter((path) => {
        const at = get(data, path);
        return typeof at === 'object' && at !== null && !Array.isArray(at) && !(key in at);
      });
      const path = maps[which % maps.length];
      if (!path) return;
      const expected = structuredClone(data) as Record<string, unknown>;
      (get(expected, path) as Record<string, unknown>)[key] = value;
      expectEdit(yaml, setAt(placed(yaml), [...path, key], value, { withParameters: true }), expected, tried);
    }),
    { numRuns: RUNS },
  );
  expect(tried.refused / (tried.ok + tried.refused)).toBeLessThan(0.03);
});

test('an item is added to a list, and nothing else changes', () => {
  const tried: Tried = { ok: 0, refused: 0 };
  fc.assert(
    fc.property(cases, json, ([data, seed, which], value) => {
      const yaml = uglyYaml(data, seed);
      const lists = paths(data).filter((path) => Array.isArray(get(data, path)));
      const path = lists[which % lists.length];
      if (!path) return;
      const edited = addItem(placed(yaml), path, value, { withParameters: true });
      const list = get(data, path) as Json[];
      const [after] = edited.ok ? applyEdits([{ name: 'a.yaml', text: yaml }], edited.edits) : [];
      const first =
        after &&
        list.length &&
        JSON.stringify((get(read(after.text), path) as Json[])[0]) === JSON.stringify(value);
      const expected = structuredClone(data);
      const grown = get(expected, path) as Json[];
      // at the end, or where that cannot be written, at the beginning
      if (first && JSON.stringify([...list, value]) !== JSON.stringify(get(read(after.text), path)))
        grown.unshift(value);
      else grown.push(value);
      expectEdit(yaml, edited, expected, tried);
    }),
    { numRuns: RUNS },
  );
  expect(tried.refused / (tried.ok + tried.refused)).toBeLessThan(0.03);
});

test('what is taken away is gone, and nothing else is', () => {
  const tried: Tried = { ok: 0, refused: 0 };
  fc.assert(
    fc.property(cases, ([data, seed, which]) => {
      const yaml = uglyYaml(data, seed);
      const all = paths(data);
      const path = all[which % all.length]!;
      const expected = structuredClone(data);
      const parent = get(expected, path.slice(0, -1));
      if (Array.isArray(parent)) parent.splice(Number(path.at(-1)), 1);
      else delete (parent as Record<string, unknown>)[path.at(-1) as string];
      expectEdit(yaml, removeAt(placed(yaml), path), expected, tried, ownOf(yaml, path));
    }),
    { numRuns: RUNS },
  );
  expect(tried.refused / (tried.ok + tried.refused)).toBeLessThan(0.03);
});

test('a key is named otherwise, and nothing else changes', () => {
  const tried: Tried = { ok: 0, refused: 0 };
  fc.assert(
    fc.property(cases, fc.constantFrom(...NAMES), ([data, seed, which], name) => {
      const yaml = uglyYaml(data, seed);
      const all = paths(data).filter(
        (path) => typeof path.at(-1) === 'string' && !(name in (get(data, path.slice(0, -1)) as object)),
      );
      const path = all[which % all.length];
      if (!path) return;
      const rename = (value: unknown, at: Path): unknown => {
        if (Array.isArray(value))
          return value.map((each, i) => (i === at[0] ? rename(each, at.slice(1)) : each));
        return Object.fromEntries(
          Object.entries(value as object).map(([key, each]) =>
            key !== at[0] ? [key, each] : at.length === 1 ? [name, each] : [key, rename(each, at.slice(1))],
          ),
        );
      };
      expectEdit(yaml, renameKey(placed(yaml), path, name), rename(data, path), tried);
    }),
    { numRuns: RUNS },
  );
  expect(tried.refused / (tried.ok + tried.refused)).toBeLessThan(0.03);
});

test('the same seed writes the same', () => {
  const pick = pickerOf(5);
  const again = pickerOf(5);
  for (let i = 0; i < 20; i++) expect(pick(1, 2, 3)).toBe(again(1, 2, 3));
});
