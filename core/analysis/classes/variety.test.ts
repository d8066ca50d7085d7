import fc from 'fast-check';
import { arrivalOf, messageAmong, verdictOn } from './verdicts.ts';
import { domainAt, keyWords } from './variety.ts';
import { complete } from '../samples/samples.ts';
import { directKey, headersMatch, topicKey } from '../../conditions/amqp.ts';
import { evaluate } from '../../conditions/evaluate.ts';
import type { Predicate } from '../../conditions/predicate.ts';
import { parseSelector } from '../../conditions/selector.ts';
import { readTopology } from '../../topology/read.ts';

const TYPE = `messages:
  sailing:
    key: "sailing.{route}.{ship}.late"
    headers:
      route: { type: string, enum: [north, south] }
      ship: { type: string }
      delay: { type: integer, minimum: 0, maximum: 600 }
      swell: { type: number, minimum: 0, maximum: 9 }
      hot: { type: boolean }
      name: { type: string }
    properties: { type: { const: late }, subject: { enum: [drill, real] } }
    required: [route, delay]
`;
const type = readTopology([{ name: 'a.yaml', text: TYPE }]).messages.get('sailing')!;
const plain = arrivalOf(type, type.key!.value, false);

const selector = (text: string): Predicate => {
  const read = parseSelector(text);
  if (!read.ok) throw new Error(`${text}: ${read.problem.message}`);
  return read.predicate;
};

/** Any message of the type: what may be left out is, now and then. */
const anyMessage = fc
  .record(
    {
      route: fc.constantFrom('north', 'south'),
      ship: fc.constantFrom('auk', 'razorbill', 'b', ''),
      delay: fc.integer({ min: 0, max: 600 }),
      swell: fc.double({ min: 0, max: 9, noNaN: true }),
      hot: fc.boolean(),
      name: fc.constantFrom('auk', 'auklet', 'au', 'k', 'pauk', '', 'zz'),
      subject: fc.constantFrom('drill', 'real'),
    },
    { requiredKeys: ['route', 'delay'] },
  )
  .map(({ subject, ...headers }) =>
    complete(type, {
      headers,
      properties: subject === undefined ? {} : { subject },
      key: `sailing.${headers.route}.${headers.ship ?? 'x'}.late`,
    }),
  );

const comparison = fc.oneof(
  fc
    .tuple(
      fc.constantFrom('delay', 'swell'),
      fc.constantFrom('<', '<=', '=', '<>', '>', '>='),
      fc.integer({ min: -2, max: 602 }),
    )
    .map(([name, relation, value]) => `${name} ${relation} ${value}`),
  fc
    .tuple(
      fc.constantFrom('route', 'name', 'type', 'subject'),
      fc.constantFrom('=', '<>'),
      fc.constantFrom('north', 'auk', 'late', 'drill', 'never'),
    )
    .map(([name, relation, value]) => `${name} ${relation} '${value}'`),
  fc.constantFrom(
    'hot',
    'hot = TRUE',
    'hot IS NULL',
    'swell IS NOT NULL',
    "name LIKE 'au%'",
    "name LIKE '_uk'",
    'delay BETWEEN 30 AND 45',
    "route IN ('north', 'outer')",
    'delay + 1 > 601',
    'nobody > 3',
    'nobody IS NULL',
    "JMSType = 'late'",
  ),
);
const condition: fc.Arbitrary<string> = fc.letrec<{ all: string }>((tie) => ({
  all: fc.oneof(
    { maxDepth: 3 },
    comparison,
    fc.tuple(tie('all'), fc.constantFrom('AND', 'OR'), tie('all')).map(([a, op, b]) => `(${a} ${op} ${b})`),
    tie('all').map((a) => `NOT (${a})`),
  ),
})).all;

describe('what a condition does to all messages of a type', () => {
  test('is never claimed against a message there is', () => {
    fc.assert(
      fc.property(condition, fc.array(anyMessage, { minLength: 1, maxLength: 25 }), (text, messages) => {
        const predicate = selector(text);
        const { some, every } = verdictOn(predicate, plain);
        for (const message of messages) {
          const passes = evaluate(predicate, message) === true;
          if (passes) expect([text, message, some]).toEqual([text, message, true]);
          else expect([text, message, every]).toEqual([text, message, false]);
        }
      }),
      { numRuns: 600 },
    );
  });

  test('is found out for keys and headers as well', () => {
    const key = fc
      .array(fc.constantFrom('sailing', 'north', 'late', 'auk', '*', '#'), { maxLength: 5 })
      .map((words) => words.join('.'));
    fc.assert(
      fc.property(key, anyMessage, (pattern, message) => {
        for (const predicate of [topicKey(pattern), directKey(pattern)]) {
          const { some, every } = verdictOn(predicate, plain);
          const passes = evaluate(predicate, message) === true;
          if (passes) expect([pattern, some]).toEqual([pattern, true]);
          else expect([pattern, every]).toEqual([pattern, false]);
        }
      }),
      { numRuns: 400 },
    );
  });

  test.each([
    ['delay > 600', false, false],
    ['delay >= 600', true, false],
    ['delay >= 0', true, true],
    ['delay < 30 AND delay > 29', false, false],
    ['swell < 0.5 AND swell > 0.4', true, false],
    ["route = 'outer'", false, false],
    ["route = 'north' OR route = 'south'", true, true],
    ["JMSType = 'late'", true, true],
    ['nobody > 3', false, false],
    ['nobody IS NULL', true, true],
    ['hot OR NOT hot', true, false],
    ["name LIKE 'au%'", true, false],
    ["hot = TRUE AND route = 'north'", true, false],
    // arithmetic is beyond it: nothing is claimed
    ['delay + 1 > 10000', true, false],
    ['swell + delay > 10000', true, false],
  ])('%s: some %p, every %p', (text, some, every) => {
    expect(verdictOn(selector(text), plain)).toEqual({ some, every });
  });

  test.each([
    ['sailing.*.*.late', true, true],
    ['sailing.north.#', true, false],
    ['sailing.outer.#', false, false],
    ['#.late', true, true],
    ['*.late', false, false],
  ])('key %s: some %p, every %p', (pattern, some, every) => {
    expect(verdictOn(topicKey(pattern), plain)).toEqual({ some, every });
  });

  test('inside an envelope there are no headers, and no key', () => {
    const wrapped = arrivalOf(type, '', true);
    expect(verdictOn(selector('delay >= 0'), wrapped)).toEqual({ some: false, every: false });
    expect(verdictOn(topicKey('#'), wrapped)).toEqual({ some: true, every: true });
    expect(verdictOn(topicKey('sailing.#'), wrapped)).toEqual({ some: false, every: false });
    expect(domainAt(wrapped, { in: 'either', name: 'subject' })).toMatchObject({ optional: true });
  });

  test('a headers exchange asks by type and value', () => {
    const asks = (value: string | number | boolean | null) =>
      verdictOn(headersMatch('all', new Map([['hot', value]])), plain);
    expect([asks(true), asks('true'), asks(null)]).toEqual([
      { some: true, every: false },
      { some: false, every: false },
      { some: true, every: false },
    ]);
  });

  test('many values are no hindrance', () => {
    const many = Array.from({ length: 400 }, (_, i) => `delay = ${i * 2}`).join(' OR ');
    const more = Array.from({ length: 40 }, (_, i) => `swell = ${i}`).join(' OR ');
    const verdict = (text: string) => verdictOn(selector(text), plain);
    expect(verdict(`(${many}) AND (${more})`)).toEqual({ some: true, every: false });
    expect(verdict(`(${many}) AND delay = 3`)).toEqual({ some: false, every: false });
  });

  test('a message that is asked for is there, and none that is not known for sure', () => {
    const among = (texts: string[]) =>
      messageAmong(texts.map(selector), plain, (passing, diagrams) =>
        diagrams.all(diagrams.and, passing, diagrams.yes),
      );
    fc.assert(
      fc.property(fc.array(condition, { minLength: 1, maxLength: 3 }), (texts) => {
        const found = among(texts);
        for (const text of texts)
          expect([text, found === undefined || evaluate(selector(text), found)]).toEqual([text, true]);
      }),
      { numRuns: 300 },
    );
    expect(among(["name LIKE 'a%'", "name LIKE '%b'", 'delay > 3'])).toBeDefined();
    expect(among(["name LIKE 'a%'", "name LIKE 'b%'"])).toBeUndefined();
    // whether these are the same nobody declared
    expect(among(['ship = name'])).toBeUndefined();
  });

  test('the words of keys are those of the template', () => {
    expect(keyWords(plain)).toEqual([
      { one: ['sailing'] },
      { one: ['north', 'south'] },
      { any: 'one' },
      { one: ['late'] },
    ]);
    expect(keyWords(arrivalOf(type, undefined, false))).toBeUndefined();
    expect(keyWords(arrivalOf(type, 'a.{x...}.b-{route}', false))).toEqual([
      { one: ['a'] },
      { any: 'many' },
      { one: ['b-north', 'b-south'] },
    ]);
  });
});

test.each([
  ["name <> 'x' AND name <> ''", true, false],
  ["name <> 'x' AND name <> '' AND name <> 'y' AND name <> 'z'", true, false],
  ["name LIKE '__' AND name <> 'xx'", true, false],
  ["name LIKE '_' AND name <> 'x' AND name <> 'y'", true, false],
  ["name NOT LIKE '_%' AND name <> ''", false, false],
  ["name = 'x' OR name <> 'x'", true, false],
  ["name = 'x' AND name <> 'x'", false, false],
])('no stand-in is a constant by chance: %s', (text, some, every) =>
  expect(verdictOn(selector(text), plain)).toEqual({ some, every }),
);
