import { lineBreak } from './enter.ts';

/** Presses Enter where `|` stands. @returns the text, with `|` where the cursor is then */
function pressed(text: string): string {
  const at = text.indexOf('|');
  const plain = text.replace('|', '');
  const { start, end, text: put } = lineBreak(plain, at);
  return `${plain.slice(0, start)}${put}|${plain.slice(end)}`;
}

test.each([
  ['behind a value, the next key stands under the key', '  a: 1|', '  a: 1\n  |'],
  ['behind a key, what belongs to it stands deeper', 'queues:|', 'queues:\n  |'],
  ['behind a key with a comment too', '  queues: # all|', '  queues: # all\n    |'],
  ['behind a block text’s sign', 'note: >-|', 'note: >-\n  |'],
  ['behind an open brace', '  q: {|', '  q: {\n    |'],
  ['in an item, the next key stands under its first', '  - name: x|', '  - name: x\n    |'],
  ['in an item whose key opens', '  - given:|', '  - given:\n      |'],
  ['behind a comment', '    # why|', '    # why\n    |'],
  ['in front of a line, that line stays where it is', 'a:\n  |b: 1', 'a:\n  \n  |b: 1'],
  ['at the very beginning of a line too', 'a:\n|  b: 1', 'a:\n\n|  b: 1'],
  ['between two keys on one line', '  a: 1| b: 2', '  a: 1\n  |b: 2'],
  ['in a time of day no key ends', '  at: 12:30|', '  at: 12:30\n  |'],
  ['in an empty document', '|', '\n|'],
])('%s', (_, before, after) => expect(pressed(before)).toBe(after));

test('comments typed one after the other in front of a key leave it alone', () => {
  let text = 'm:\n    |exchanges: {}';
  for (const comment of ['# one', '# two']) text = pressed(text.replace('|', `${comment}|`));
  expect(text).toBe('m:\n    # one\n    # two\n    |exchanges: {}');
});

test('what is selected is replaced', () => {
  expect(lineBreak('  a: 1 2', 5, 7)).toEqual({ start: 5, end: 7, text: '\n    ' });
});
