import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import fc from 'fast-check';
import { parseFast } from './parse-fast.ts';
import { parseFull } from './parse-full.ts';
import type { Entry } from './tree.ts';

/** FUZZ=20 tries twenty times as many texts. */
const MORE = Number(process.env['FUZZ'] ?? 1);
const ROOT = join(__dirname, '../../demo');
const demo = ['r1', 'r2', 'draft'].flatMap((folder) =>
  readdirSync(join(ROOT, folder)).map((name) => readFileSync(join(ROOT, folder, name), 'utf8')),
);

/** A tree without the way from its nodes to what is around them, the keys of its entries made into nodes. */
const told = (root: unknown): unknown =>
  JSON.parse(
    JSON.stringify(root ?? null, (key, value: unknown) =>
      key === 'within'
        ? undefined
        : key === 'entries'
          ? (value as Entry[]).map(({ name, key, value }) => ({ name, key, value }))
          : value,
    ),
  );

/** Whatever the fast parser reads, the full one must read the same, without a problem. @returns whether it read */
function agrees(text: string): boolean {
  const fast = parseFast(text);
  if (!fast) return false;
  const full = parseFull(text);
  expect({ text, problems: full.problems }).toEqual({ text, problems: [] });
  expect({ text, root: told(fast.root) }).toEqual({ text, root: told(full.root) });
  return true;
}

test('the demo is read the fast way', () => {
  for (const text of demo) expect(agrees(text)).toBe(true);
});

test.each([
  ['a list in its key’s column', 'a:\n- x\n- y: 1\n  z: 2\nb: 3\n'],
  ['empty values', 'a:\nb: {}\nc: []\nd:\n  - \n  -\n  - x\n'],
  ['lists in lists', 'a:\n  - - 1\n    - 2\n  - - 3\n'],
  ['comments everywhere', '# one\na: 1 # two\n# three\nb:   # four\n  # five\n  - x # six\n  # seven\n'],
  ['flow over lines', 'a: { b: 1,\n  c: [x,\n    y], # note\n  "d":e }\n'],
  [
    'numbers and words',
    'a: [1, -2, 0x1F, 0o17, 1.5, 1e3, .5, 5., true, False, ~, null, yes, 007, 1_000, +3]\n',
  ],
  ['quotes', `a: "x\\ny\\u0041"\nb: 'it''s'\n"c d": 'e: f'\n'g': "# no comment"\n`],
  ['colons and hashes inside words', 'a: b:c\nd: x#y\ne: http://x/y\nf: [a:b, c#d]\n'],
  ['no line end at the end', 'a:\n  b: c'],
  ['nothing', ''],
  ['JSON', '{"a": {"b": [1, true, null, "x"]}, "c": "d\\n"}\n'],
  ['JSON over lines', '{\n  "a": [\n    1,\n    2\n  ]\n}\n# end\n'],
  ['only comments', '# a\n\n  # b\n'],
  [
    'line ends of two characters',
    'a: 1 # one\r\n\r\nb:\r\n  - x\r\n  - { c: "d",\r\n      e: f }\r\n# end\r\n',
  ],
])('reads %s the fast way', (_, text) => expect(agrees(text)).toBe(true));

test.each([
  ['anchors', 'a: &x 1\nb: *x\n'],
  ['tags', 'a: !!str 1\n'],
  ['two documents', 'a: 1\n---\nb: 2\n'],
  ['scalars over lines', 'a: b\n  c\n'],
  ['block scalars', 'a: |\n  b\n'],
  ['tabs', 'a:\tb\n'],
  ['a colon too many', 'a: b: c\n'],
  ['a flow that is not closed', 'a: { b: 1\n'],
  ['a flow that is not deeper', 'a:\n  b: {\n  c: 1 }\n'],
  ['a word after a flow', 'a: {} b\n'],
  ['a key alone', 'a\nb: 1\n'],
  ['a line that is too deep', 'a: 1\n  b: 2\n'],
  ['a map in a list’s column', 'a:\n  - b\n  c: d\n'],
  ['complex keys', '? a\n: b\n'],
  ['pairs in lists', 'a: [b: c]\n'],
])('leaves %s to the full parser', (_, text) => expect(parseFast(text)).toBeUndefined());

test('agrees on texts that were tampered with', () => {
  const piece = fc.constantFrom(
    ...'-:#{}[],"\' \n\n\n&*!|>%@`?~1.x'.split(''),
    ': ',
    '- ',
    ' #',
    '\n  ',
    '\n    ',
    '---',
    '...',
    "''",
    '\\n',
    'é',
    '⛴',
    '<<: ',
  );
  const change = fc.record({
    at: fc.nat({ max: 3000 }),
    drop: fc.nat({ max: 4 }),
    put: fc.array(piece, { maxLength: 3 }),
  });
  let read = 0;
  fc.assert(
    fc.property(
      fc.constantFrom(...demo),
      fc.array(change, { minLength: 1, maxLength: 3 }),
      (text, changes) => {
        for (const { at, drop, put } of changes) {
          const where = at % (text.length + 1);
          text = text.slice(0, where) + put.join('') + text.slice(where + drop);
        }
        if (agrees(text)) read++;
      },
    ),
    { numRuns: 1500 * MORE },
  );
  expect(read).toBeGreaterThan(100);
});

test('agrees on texts made of pieces', () => {
  const piece = fc.constantFrom(
    'a',
    'b: ',
    'c:',
    '- ',
    '-',
    '\n',
    '\n',
    '\n  ',
    '\n    ',
    '{ ',
    ' }',
    '[',
    ']',
    ', ',
    '"x"',
    "'y'",
    ' # z',
    '#',
    '1',
    'true',
    '~',
    ' ',
    '?',
    '&',
    ':',
    '"',
    "'",
  );
  let read = 0;
  fc.assert(
    fc.property(fc.array(piece, { maxLength: 14 }), (pieces) => {
      if (agrees(pieces.join(''))) read++;
    }),
    { numRuns: 6000 * MORE },
  );
  expect(read).toBeGreaterThan(100);
});
