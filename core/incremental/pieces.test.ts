import { type Keeps, type Wholes, PuttingTogether, keptOf, madeOf } from './pieces.ts';

const [INTO, OTHER] = [{}, {}];

describe('one piece', () => {
  test('is made again only for another purpose or with something else', () => {
    const piece: Keeps = {};
    let times = 0;
    const make = () => ({ value: ++times, told: ['t'], keep: true });
    expect(madeOf(piece, INTO, 'x', make)).toMatchObject({ value: 1, told: ['t'] });
    expect(madeOf(piece, INTO, 'x', make)).toMatchObject({ value: 1, told: ['t'] });
    expect(keptOf(piece, INTO)).toBe(1);
    expect(keptOf(piece, OTHER)).toBeUndefined();
    expect(madeOf(piece, INTO, 'y', make).value).toBe(2);
    expect(madeOf(piece, OTHER, 'y', make).value).toBe(3);
  });

  test('what may not be kept is made again each time, and what was kept before is forgotten', () => {
    const piece: Keeps = {};
    madeOf(piece, INTO, 1, () => ({ value: 'right', told: [], keep: true }));
    expect(madeOf(piece, INTO, 2, () => ({ value: 'wrong', told: [], keep: false })).value).toBe('wrong');
    expect(keptOf(piece, INTO)).toBeUndefined();
    expect(keptOf({}, undefined)).toBeUndefined();
  });
});

describe('pieces put together', () => {
  const same = (a: object, b: object) => a === b;
  const sum = (pieces: readonly { n: number }[]) => pieces.reduce((all, { n }) => all + n, 0);
  const [one, two, three] = [{ n: 1 }, { n: 2 }, { n: 3 }];

  /** Puts two sections together inside one whole. @returns what came of them, and what was made for it */
  function run(earlier: Wholes<{ n: number }>, a: { n: number }[], b: { n: number }[], keep = true) {
    const made: string[] = [];
    const putting = new PuttingTogether<{ n: number }>(earlier, same);
    const { value, told } = putting.of(INTO, [...a, ...b], 'with', () => {
      made.push('all');
      const section = (name: string, pieces: { n: number }[]) =>
        putting.under(name, () =>
          putting.of(OTHER, pieces, 'with', (before) => {
            made.push(before ? `${name} after ${String(before.value)}` : name);
            return { value: sum(pieces), told: [name], keep: true };
          }),
        ).value;
      return { value: [section('a', a), section('b', b)], told: ['all'], keep };
    });
    return { value, told, made, wholes: putting.wholes };
  }

  test('the very same pieces give the very same whole, and tell again what it told', () => {
    const first = run(new Map(), [one], [two]);
    expect(first).toMatchObject({ value: [1, 2], made: ['all', 'a', 'b'] });
    const second = run(first.wholes, [one], [two]);
    expect(second).toMatchObject({ made: [], told: ['all'] });
    expect(second.value).toBe(first.value);
  });

  test('only the section with other pieces is made anew, and is given what it was', () => {
    const { wholes } = run(new Map(), [one], [two]);
    expect(run(wholes, [one], [three])).toMatchObject({ value: [1, 3], made: ['all', 'b after 2'] });
    // that run left nothing behind in the one before
    expect(run(wholes, [one], [two]).made).toEqual([]);
  });

  test('a whole that may not be kept is made anew, its sections are not', () => {
    const { wholes } = run(new Map(), [one], [two], false);
    const again = run(wholes, [one], [two], false);
    expect(again.made).toEqual(['all']);
    // and so on: what was inside goes along
    expect(run(again.wholes, [one], [two], false).made).toEqual(['all']);
  });

  test('names that join to the same text are told apart', () => {
    const putting = new PuttingTogether<{ n: number }>(new Map(), same);
    const at = (a: string, b: string, n: number) =>
      putting.under(a, () =>
        putting.under(b, () =>
          putting.of(INTO, [], 'with', () => ({ value: n, told: undefined, keep: true })),
        ),
      );
    at('x/1:y', 'z', 1);
    at('x', 'y/1:z', 2);
    expect(putting.wholes.get(INTO)!.size).toBe(2);
  });
});
