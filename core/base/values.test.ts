import fc from 'fast-check';
import { nearest } from './similar.ts';
import { Lines } from './span.ts';
import { byteLength, formatDuration, parseDuration, parseRate, parseSize } from './values.ts';

describe('durations', () => {
  test.each([
    ['250ms', 250],
    ['30s', 30_000],
    ['10m', 600_000],
    ['2h', 7_200_000],
    ['7d', 604_800_000],
    ['1.5s', 1500],
    ['0s', 0],
    ['PT10M', 600_000],
    ['P1D', 86_400_000],
    ['P2W', 1_209_600_000],
    ['P1DT2H3M4.5S', 93_784_500],
  ])('%s is %d ms', (text, ms) => expect(parseDuration(text)).toBe(ms));

  test.each(['', 'ten', '10', '10 m', '-1s', 'P', 'PT', 'P1Y', 'P1M', '1m30s', 'm'])('%j is none', (text) =>
    expect(parseDuration(text)).toBeUndefined(),
  );

  test('what is written reads back the same', () => {
    fc.assert(fc.property(fc.nat({ max: 1e10 }), (ms) => expect(parseDuration(formatDuration(ms))).toBe(ms)));
    expect(formatDuration(90_000)).toBe('90s');
    expect(formatDuration(120_000)).toBe('2m');
    expect(formatDuration(0)).toBe('0ms');
  });
});

describe('sizes and rates', () => {
  test.each([
    ['800', 800],
    ['64KiB', 65_536],
    ['1MiB', 1_048_576],
    ['1.5KiB', 1536],
    ['5MB', 5_000_000],
    ['2GiB', 2_147_483_648],
    ['10 kB', 10_000],
    ['8.2MB', 8_200_000],
    ['1.1kB', 1100],
    ['0.5KiB', 512],
  ])('%s is %d bytes', (text, bytes) => expect(parseSize(text)).toBe(bytes));
  test.each(['', 'KiB', '1.3', '1 mb', '-1', '1e99MiB'])('%j is no size', (text) =>
    expect(parseSize(text)).toBeUndefined(),
  );

  test.each([
    ['40/s', 40],
    ['30/min', 0.5],
    ['1800/h', 0.5],
    ['0.5/s', 0.5],
    ['1 / s', 1],
  ])('%s is %d a second', (text, rate) => expect(parseRate(text)).toBe(rate));
  test.each(['40', '/s', '40/day', '-1/s'])('%j is no rate', (text) =>
    expect(parseRate(text)).toBeUndefined(),
  );
});

describe('names', () => {
  test('lengths are those of UTF-8', () => {
    fc.assert(
      fc.property(fc.string({ unit: 'grapheme' }), (text) => {
        expect(byteLength(text)).toBe(Buffer.byteLength(text, 'utf8'));
      }),
    );
    expect(byteLength('⛴')).toBe(3);
    expect(byteLength('🛳')).toBe(4);
  });

  test.each([
    ['bords', 'boards'],
    ['Boards', 'boards'],
    ['baords', 'boards'],
    ['durabel', 'durable'],
  ])('%s was meant as %s', (word, meant) => {
    expect(nearest(word, ['customs', 'boards', 'durable', 'desk'])).toBe(meant);
  });

  test('nothing is meant by what is far from all', () => {
    expect(nearest('xyz', ['customs', 'boards'])).toBeUndefined();
    expect(nearest('', [])).toBeUndefined();
    expect(nearest('abcdefgh', ['abcd'])).toBeUndefined();
  });
});

describe('lines', () => {
  test('offsets become lines and columns', () => {
    const lines = new Lines('ab\n\ncd\r\ne');
    expect(lines.position(0)).toEqual({ line: 1, column: 1 });
    expect(lines.position(2)).toEqual({ line: 1, column: 3 });
    expect(lines.position(3)).toEqual({ line: 2, column: 1 });
    expect(lines.position(5)).toEqual({ line: 3, column: 2 });
    expect(lines.position(8)).toEqual({ line: 4, column: 1 });
    expect(lines.position(999)).toEqual({ line: 4, column: 2 });
  });

  test('as counting by hand has it', () => {
    fc.assert(
      fc.property(
        fc.array(fc.constantFrom('a', '\n', 'bc'), { maxLength: 30 }),
        fc.nat({ max: 60 }),
        (parts, at) => {
          const text = parts.join('');
          const offset = Math.min(at, text.length);
          const before = text.slice(0, offset).split('\n');
          expect(new Lines(text).position(offset)).toEqual({
            line: before.length,
            column: before.at(-1)!.length + 1,
          });
        },
      ),
    );
  });
});
