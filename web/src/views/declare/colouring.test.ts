import { EditorState } from '@codemirror/state';
import { insertNewlineAndIndent } from '@codemirror/commands';
import { ensureSyntaxTree } from '@codemirror/language';
import { readFileSync, readdirSync } from 'node:fs';
import { join } from 'node:path';
import { topologyText } from './colouring.ts';

const stateOf = (doc: string) => EditorState.create({ doc, extensions: [topologyText] });

/** What is coloured, and as what. */
function coloured(text: string): string[] {
  const found: string[] = [];
  ensureSyntaxTree(stateOf(text), text.length, 5000)!.iterate({
    enter: ({ name, from, to }) => {
      if (name !== 'Document' && name !== 'topology') found.push(`${name} ${text.slice(from, to)}`);
    },
  });
  return found;
}

test.each([
  ['a key and a word', 'ttl: 5m', ['propertyName ttl', 'punctuation :', 'string 5m']],
  ['a key that is quoted', '"a: b": c', ['propertyName "a: b"', 'punctuation :', 'string c']],
  ['a key of several words', 'our apps: x', ['propertyName our apps', 'punctuation :', 'string x']],
  [
    'words with colons in them',
    'on: topic:shore/x',
    ['propertyName on', 'punctuation :', 'string topic:shore/x'],
  ],
  [
    'a map on one line',
    '{ from: in, to: "a # b" } # why',
    [
      'punctuation {',
      'propertyName from',
      'punctuation :',
      'string in',
      'punctuation ,',
      'propertyName to',
      'punctuation :',
      'string "a # b"',
      'punctuation }',
      'comment # why',
    ],
  ],
  ['a list', '- x # y', ['punctuation -', 'string x', 'comment # y']],
  ['a sign inside a word', 'key: a.#', ['propertyName key', 'punctuation :', 'string a.#']],
  ['a parameter', 'ttl: ${wait}', ['propertyName ttl', 'punctuation :', 'labelName ${wait}']],
  [
    'a parameter in quotes',
    'x: "a ${b} c"',
    ['propertyName x', 'punctuation :', 'string "a ', 'labelName ${b}', 'string  c"'],
  ],
  [
    'a quote left open goes on in the next line',
    'x: "a\n  b" # c',
    ['propertyName x', 'punctuation :', 'string "a', 'string   b"', 'comment # c'],
  ],
  [
    'a text of several lines',
    'x: |\n  a: b # c\n\n  d\ny: z',
    [
      'propertyName x',
      'punctuation :',
      'punctuation |',
      'string   a: b # c',
      'string   d',
      'propertyName y',
      'punctuation :',
      'string z',
    ],
  ],
])('%s', (_, text, expected) => {
  expect(coloured(text).map((each) => each.trimEnd())).toEqual(expected.map((each) => each.trimEnd()));
});

test('every name declared in the demo is coloured as a key, and every comment as one', () => {
  const folder = join(__dirname, '../../../../demo/r3');
  for (const file of readdirSync(folder)) {
    const text = readFileSync(join(folder, file), 'utf8');
    const found = new Set(coloured(text));
    for (const [, name] of text.matchAll(/^ *(?:- )?([a-zA-Z][\w-]*):(?= |$)/gm))
      expect([file, name, found.has(`propertyName ${name}`)]).toEqual([file, name, true]);
    for (const [, comment] of text.matchAll(/^ *(#.*)$/gm)) expect(found).toContain(`comment ${comment}`);
  }
});

test.each([
  ['after a value, under it', '  ttl: 5m', 2],
  ['after what begins something, further in', '  queues:', 4],
  ['after what begins something in a list item', '  - consumes:', 6],
  ['after what begins something, with a comment', 'queues: # ours', 2],
  ['after a list item', '  - x', 2],
  ['after nothing', '', 0],
])('a new line stands %s', (_, before, depth) => {
  let state = EditorState.create({
    doc: before,
    selection: { anchor: before.length },
    extensions: topologyText,
  });
  insertNewlineAndIndent({ state, dispatch: (transaction) => (state = transaction.state) });
  expect(state.doc.toString()).toBe(`${before}\n${' '.repeat(depth)}`);
});
