import { lineNow } from './line.ts';

const TEXT = 'a: 1\nb: 2\n\nc: 3\nb: 2\r\n';

test('a line is where it stood, or the nearest that says the same', () => {
  expect(lineNow(TEXT, 2, 'b: 2')).toBe(2);
  expect(lineNow(`# new\n# lines\n${TEXT}`, 2, 'b: 2')).toBe(4);
  expect(lineNow(TEXT, 4, 'b: 2')).toBe(5);
  // another indentation is the same line
  expect(lineNow('x:\n    b: 2\n', 1, '  b: 2')).toBe(2);
  expect(lineNow(TEXT, 99, 'c: 3')).toBe(4);
  expect(lineNow(TEXT, 3, 'gone: 1')).toBeUndefined();
  expect(lineNow(TEXT, 3, '')).toBeUndefined();
});
