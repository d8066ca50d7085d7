import { applyEdits } from '../../base/edits.ts';
import { sameData } from './proof.ts';
import { asLines } from './lines.ts';
import { treesOf } from './proved.ts';
import { parseDocument } from '../parse.ts';

/** What becomes of a text at the place where it has a `^`. */
function lines(text: string): string {
  const offset = text.indexOf('^');
  const whole = text.replace('^', '');
  const documents = [{ name: 'a.yaml', text: whole }];
  const edited = asLines({ trees: treesOf(documents) }, 'a.yaml', offset);
  if (!edited.ok) return edited.message;
  const after = applyEdits(documents, edited.edits)[0]!.text;
  expect(sameData(parseDocument(whole).root, parseDocument(after).root)).toBe(true);
  return after;
}

test.each([
  [
    'queues:\n  a: { ttl: 5m,^ order: fifo }\n  b: {}\n',
    'queues:\n  a:\n    ttl: 5m\n    order: fifo\n  b: {}\n',
  ],
  [
    'bindings:\n  - { from: in, to:^ old, key: "a.#" } # as ever\n',
    'bindings:\n  - from: in\n    to: old\n    key: "a.#" # as ever\n',
  ],
  ['- a: {^ x: 1 }\n  b: 2\n', '- a:\n    x: 1\n  b: 2\n'],
  ['on: [m/old, ^"s/a, b"]\n', 'on:\n  - m/old\n  - "s/a, b"\n'],
  ['- - [1, ^2]\n', '- - - 1\n    - 2\n'],
  ['{ a: 1, b: { c: 2, ^d: 3 } }\n', 'a: 1\nb: { c: 2, d: 3 }\n'],
  ['^a: { b: null, c: , "d e": 1 }\n', 'a:\n  b: null\n  c:\n  "d e": 1\n'],
  ['a: {^ b: x#y, c: "# no" }', 'a:\n  b: x#y\n  c: "# no"'],
  ['a: { b: [1,\n    2],^ c: 3 }\n', 'a:\n  b: [1,\n    2]\n  c: 3\n'],
  ['a: &x { b: 1,^ c: 2 }\nd: *x\n', expect.any(String)],
])('%j is written as %j', (text, after) => {
  expect(lines(text)).toEqual(after);
});

test.each([
  ['a: 1^\n', 'nothing between brackets'],
  ['a: {^}\n', 'nothing between these brackets'],
  ['a: { b: 1, # one\n  ^c: 2 }\n', 'a comment'],
  ['a: { ^b: \n', 'syntax'],
])('%j is left as it is, and why is told', (text, words) => {
  expect(lines(text)).toContain(words);
});

test('with the line ends of the document', () => {
  expect(lines('a: { b: 1,^ c: 2 }\r\n')).toBe('a:\r\n  b: 1\r\n  c: 2\r\n');
});
