import { linesBetween, newestOf } from './lines.ts';

test('what a draft changed is newer than any revision', () => {
  expect(newestOf([1, 3, 2])).toBe(3);
  expect(newestOf([1, 0, 2])).toBe(0);
  expect(newestOf([])).toBeUndefined();
});

test('the lines of what stands between two offsets', () => {
  const text = 'a:\n  b: 1\n  c: |\n    long\n    text\nd: 2\n';
  const at = (part: string) => text.indexOf(part);
  expect(linesBetween(text, at('b:'), at('b:') + 4)).toEqual([2, 2]);
  expect(linesBetween(text, at('a:'), at('text') + 4)).toEqual([1, 5]);
  expect(linesBetween(text, at('d:'), 0)).toEqual([6, 6]);
});
