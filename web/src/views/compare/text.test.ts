import { someOf } from './some.ts';
import { textDifferences } from './text.ts';

const doc = (text: string, name = 'a.yaml') => ({ name, text });
const lines = (from: number, to: number) =>
  Array.from({ length: to - from }, (_, i) => `line ${from + i}\n`).join('');

test('lines stand beside each other, and what is the same for long is folded', () => {
  const [found] = textDifferences([doc(`${lines(0, 20)}x\n`)], [doc(`${lines(0, 20)}y\nz\n`)]);
  expect(found).toMatchObject({ name: 'a.yaml', kind: 'changed', came: 2, went: 1 });
  const [first, second] = found!.parts;
  expect(first).toMatchObject({ folded: 17 });
  expect(second!.rows.filter(({ same }) => !same)).toEqual([
    { before: { number: 21, text: 'x' }, after: { number: 21, text: 'y' }, same: false },
    { before: undefined, after: { number: 22, text: 'z' }, same: false },
  ]);
});

test('documents that came, went and are the same', () => {
  const found = textDifferences([doc('a\n'), doc('b\n', 'b.yaml')], [doc('a\n'), doc('c\n', 'c.yaml')]);
  expect(found.map(({ name, kind }) => [name, kind])).toEqual([
    ['c.yaml', 'added'],
    ['b.yaml', 'removed'],
  ]);
});

test('a very long document is named and not gone through', () => {
  const [found] = textDifferences([doc('x'.repeat(500_000))], [doc('y')]);
  expect(found).toMatchObject({ kind: 'changed', parts: [] });
});

test('of many things some are named, and the rest counted', () => {
  expect(someOf(['a', 'b'])).toBe('a, b');
  expect(someOf([...'abcdef'])).toBe('a, b, c, d, e, f');
  expect(someOf([...'abcdefg'])).toBe('a, b, c, d, e and 2 more');
});
