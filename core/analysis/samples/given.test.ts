import { asGiven, remarksOn } from './given.ts';
import { readTopology } from '../../topology/read.ts';

const type = readTopology([
  {
    name: 'a.yaml',
    text: `messages:
  late:
    key: "sailing.{route}.{ship}-{no}.{rest...}"
    headers:
      route: { type: string, enum: [north, south] }
      minutes: { type: integer, minimum: 0, maximum: 600 }
      fixed: { const: yes }
    required: [route, minutes]
    properties: { type: { const: late } }
    body: { type: object, required: [why] }
  plain: { key: a.b }
  topic: { key: "deck/{ship}/wind" }
`,
  },
]).messages;
const late = type.get('late')!;

describe('a message as it was given', () => {
  test('has the constants of its type, the key its headers make, and nothing made up', () => {
    const { message, missing } = asGiven(late, {
      headers: { route: 'north', ship: 'auk', no: 7, rest: 'x.y' },
    });
    expect(missing).toEqual([]);
    expect(message).toEqual({
      type: 'late',
      key: 'sailing.north.auk-7.x.y',
      headers: { route: 'north', ship: 'auk', no: 7, rest: 'x.y', fixed: 'yes' },
      properties: { type: 'late' },
    });
  });

  test('says which headers its key lacks, unless its key is given', () => {
    expect(asGiven(late, { headers: { route: 'north' } }).missing).toEqual(['ship', 'no', 'rest']);
    expect(asGiven(late, { key: 'k' })).toMatchObject({ missing: [], message: { key: 'k' } });
  });
});

describe('remarks', () => {
  const on = (parts: Parameters<typeof asGiven>[1]) => remarksOn(late, asGiven(late, parts).message);
  const right = {
    headers: { route: 'north', minutes: 5, ship: 'auk', no: 7, rest: 'x' },
    body: { why: 'fog' },
  };

  test('none on what is of its type', () => expect(on(right)).toEqual([]));

  test.each([
    [
      'what is missing',
      { headers: { route: 'north', ship: 'a', no: 1, rest: '' } },
      ['`minutes` is missing, which every late has'],
    ],
    ['a value outside its domain', { headers: { ...right.headers, minutes: 601 } }, [/`minutes` is 601: /]],
    ['a value of the wrong type', { headers: { ...right.headers, minutes: '5' } }, [/`minutes` is "5": /]],
    [
      'an integer past what a double holds',
      { headers: { ...right.headers, minutes: 9007199254740993n } },
      [/`minutes` is 9007199254740993: /],
    ],
    ['a constant that is another', { headers: { ...right.headers, fixed: 'no' } }, [/`fixed` is "no": /]],
    ['a body', { ...right, body: {} }, [/^the body: /]],
    [
      'a key of other headers',
      { ...right, key: 'sailing.south.auk-7.x' },
      [/^the key `sailing.south.auk-7.x` does not fit `sailing\.\{route\}/],
    ],
    ['a key that is too short', { ...right, key: 'sailing.north' }, [/does not fit/]],
  ])('on %s', (_, parts, wanted) =>
    expect(on(parts)).toEqual(
      wanted.map((each) => (typeof each === 'string' ? each : expect.stringMatching(each))),
    ),
  );

  test('on keys: placeholders without a header, several words, levels of a topic', () => {
    const fits = (of: string, key: string, headers = {}) =>
      !remarksOn(type.get(of)!, { key, headers, properties: {} }).some((each) =>
        each.includes('does not fit'),
      );
    expect(fits('late', 'sailing.north.auk-7.a.b.c')).toBe(true);
    expect(fits('late', 'sailing.north.auk-7')).toBe(true);
    expect(fits('late', 'sailing.north.auk.a')).toBe(false);
    expect(fits('plain', 'a.b')).toBe(true);
    expect(fits('plain', 'a.b.c')).toBe(false);
    expect(fits('topic', 'deck/auk/wind')).toBe(true);
    expect(fits('topic', 'deck/auk/wind', { ship: 'razorbill' })).toBe(false);
  });
});
