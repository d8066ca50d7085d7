import fc from 'fast-check';
import { evaluate } from './evaluate.ts';
import { explain } from './explain.ts';
import { message } from './message.ts';
import { parseSelector } from './selector.ts';

const of = (
  text: string,
  headers: Record<string, unknown> = {},
  properties: Record<string, unknown> = {},
) => {
  const result = parseSelector(text);
  if (!result.ok) throw new Error(`${result.problem.message} at ${result.problem.start}`);
  return evaluate(result.predicate, message({ headers, properties }));
};
const problem = (text: string) => {
  const result = parseSelector(text);
  if (result.ok) throw new Error('read without a problem');
  return result.problem;
};

describe('selectors', () => {
  test('three-valued logic', () => {
    expect(of('a > 1 OR TRUE')).toBe(true);
    expect(of('a > 1 AND FALSE')).toBe(false);
    expect(of('a > 1')).toBeUndefined();
    expect(of('NOT (a > 1)')).toBeUndefined();
    expect(of('NOT NOT (a > 1)')).toBeUndefined();
    expect(of('a IS NULL AND b IS NOT NULL', { b: 1 })).toBe(true);
  });

  test('numbers: every literal form, integer division, promotion', () => {
    expect(of('x = 31', { x: 0x1f })).toBe(true);
    expect(of('0x1F = 31 AND 017 = 15 AND 0b11 = 3 AND 1_000 = 1000 AND 7L = 7')).toBe(true);
    expect(of('7. = 7 AND .5 = 0.5 AND 1e3 = 1000 AND 2.5f = 2.5 AND 3d = 3')).toBe(true);
    expect(of('5 / 2 = 2 AND 5 / 2.0 = 2.5 AND -7 / 2 = -3')).toBe(true);
    expect(of('1 / 0 = 1')).toBeUndefined();
    expect(of('2 + 3 * 4 = 14 AND (2 + 3) * 4 = 20 AND - -2 = 2')).toBe(true);
  });

  test('unlike types compare false, and text only for equality', () => {
    expect(of("a <> 'x'", { a: 1 })).toBe(false);
    expect(of('a > b', { a: 'x', b: 1 })).toBe(false);
    expect(problem("a > 'x'").message).toContain('only `=`');
  });

  test('LIKE with wildcards and escape', () => {
    expect(of("a LIKE '12%3'", { a: '12993' })).toBe(true);
    expect(of("a LIKE 'l_se'", { a: 'lose' })).toBe(true);
    expect(of("a LIKE 'l_se'", { a: 'loose' })).toBe(false);
    expect(of("a LIKE '\\_%' ESCAPE '\\'", { a: '_foo' })).toBe(true);
    expect(of("a LIKE '\\_%' ESCAPE '\\'", { a: 'bar' })).toBe(false);
    expect(of("a LIKE '_'", { a: '⛴' })).toBe(true);
    expect(of("a NOT LIKE '%%b%'", { a: 'acb' })).toBe(false);
  });

  test('keywords in any case, names as written, header fields as properties', () => {
    expect(of("a in ('x') aNd not B is null", { a: 'x', B: 1 })).toBe(true);
    expect(of('JMSPriority > 4', {}, { priority: 5 })).toBe(true);
    expect(of('$a_1 = 1', { $a_1: 1 })).toBe(true);
    expect(of("a = 'it''s'", { a: "it's" })).toBe(true);
  });

  test.each([
    ['a >', 3, 'selector ends'],
    ['a = "x"', 4, 'single quotes'],
    ["a = 'x", 4, 'not closed'],
    ['a != 1', 2, '<>'],
    ['5', 0, 'no condition'],
    ['a IN ()', 6, 'single quotes'],
    ['a = 1 b', 6, 'follows'],
    ['NULL = a', 0, 'IS NULL'],
    ["'a' + 1 = 2", 0, 'numbers only'],
    ["a LIKE 'x' ESCAPE 'xy'", 18, 'one character'],
    ["a LIKE 'x!' ESCAPE '!'", 7, 'last'],
    ['1a = 2', 0, 'no number'],
    ['(a = 1', 6, '`)`'],
  ])('%s is told at column %i', (text, start, words) => {
    const found = problem(text);
    expect(found.message).toContain(words);
    expect(found.start).toBe(start);
  });

  test('never throws, whatever the text', () => {
    const piece = fc.constantFrom(
      'a',
      ' ',
      "'",
      'AND',
      'not',
      '(',
      ')',
      '1',
      '.5e',
      '%',
      'LIKE',
      'in',
      ',',
      '<',
      '=',
      '\u0000',
      '⛴',
    );
    fc.assert(
      fc.property(fc.array(piece, { maxLength: 40 }), (pieces) => void parseSelector(pieces.join(''))),
    );
    expect(problem('('.repeat(5000)).message).toContain('deep');
  });

  test('the reason names the operand that decided', () => {
    const result = parseSelector("delayMinutes >= 15 AND route = 'north'");
    if (!result.ok) throw new Error();
    const reason = explain(result.predicate, message({ headers: { delayMinutes: 5, route: 'north' } }));
    expect(reason.truth).toBe(false);
    expect(reason.text).toBe('`delayMinutes >= 15` is false: delayMinutes is 5');
    expect(reason.operands).toEqual([{ of: { in: 'header', name: 'delayMinutes' }, value: 5 }]);
    const missing = explain(result.predicate, message({ headers: { route: 'north' } }));
    expect(missing.text).toBe('`delayMinutes >= 15` is unknown: delayMinutes is missing');
  });
});

describe('numbers to the last bit', () => {
  test('integers are of 64 bits, and wrap round as they do', () => {
    expect(of('9223372036854775807 = 9223372036854775806')).toBe(false);
    expect(of('9007199254740993 - 9007199254740992 = 1')).toBe(true);
    expect(of('9223372036854775807 + 1 = -9223372036854775808')).toBe(true);
    expect(of('3037000500 * 3037000500 < 0')).toBe(true);
    expect(of('-9223372036854775808 / -1 = -9223372036854775808')).toBe(true);
    expect(of('n = 9007199254740993', { n: 9007199254740993n })).toBe(true);
    expect(of('n = 9007199254740993', { n: 9007199254740992n })).toBe(false);
    expect(problem('n = 9223372036854775808').message).toBe('This number is too large.');
    expect(problem('n = 1 - 9223372036854775808').message).toBe('This number is too large.');
    expect(problem('n = -(9223372036854775808)').message).toBe('This number is too large.');
  });

  test('an integer has no negative zero', () => {
    expect(of('1.0 / (0 * -1) = 1.0 / 0')).toBe(true);
    expect(of('1.0 / -n = 1.0 / n', { n: 0 })).toBe(true);
    expect(of('1.0 / -0.0 = 1.0 / 0.0')).toBe(false);
  });

  test('a float is one of 32 bits, and compared as a double it keeps what it is', () => {
    expect(of('0.1f = 0.1')).toBe(false);
    expect(of('0.1f = x', { x: Math.fround(0.1) })).toBe(true);
    expect(of('0.5f = 0.5')).toBe(true);
    expect(of('16777216f + 1 = 16777216f')).toBe(true);
    expect(of('16777216d + 1 = 16777216d')).toBe(false);
    expect(of('16777217 = 16777216f')).toBe(true);
  });

  test('white space is what it is in Java', () => {
    expect(of('\ta\f=\r\n1 ', { a: 1 })).toBe(true);
    expect(problem('a\u00a0= 1').message).toContain('has no meaning here');
    expect(parseSelector('\u00a0').ok).toBe(false);
    expect(parseSelector(' \f\r\n\t').ok).toBe(true);
  });

  test('a hundred thousand alternatives or terms are read, explained and evaluated', () => {
    const many = 100_000;
    const alternatives = Array.from({ length: many }, (_, i) => `a = ${i}`).join(' OR ');
    expect(of(alternatives, { a: many - 1 })).toBe(true);
    expect(of(alternatives.replaceAll('OR', 'AND').replaceAll('=', '<'), { a: -1 })).toBe(true);
    const sum = `${Array.from({ length: many }, () => 'a').join(' + ')} = ${many}`;
    expect(of(sum, { a: 1 })).toBe(true);
    const read = parseSelector(sum);
    expect(read.ok && explain(read.predicate, message({ headers: { a: 1 } })).text.length).toBeGreaterThan(
      many,
    );
  });
});
