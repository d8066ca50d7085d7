import fc from 'fast-check';
import { type Diagram, Diagrams, TooManyClasses } from './diagram.ts';

/** Three variables of four, three and five cells. */
const CELLS = [4, 3, 5];

/** Functions of the three as tables of all their values, and as diagrams. */
type Table = readonly boolean[];
const tables = fc.array(fc.boolean(), { minLength: 60, maxLength: 60 });
const at = (table: Table, cells: readonly number[]) => table[cells[0]! * 15 + cells[1]! * 5 + cells[2]!]!;

function diagramOf(diagrams: Diagrams, table: Table): Diagram {
  const build = (cells: readonly number[]): Diagram => {
    if (cells.length === 3) return at(table, cells) ? diagrams.yes : diagrams.no;
    const next = Array.from({ length: CELLS[cells.length]! }, (_, cell) => build([...cells, cell]));
    return diagrams.node(
      cells.length,
      next.map((__, i) => i),
      next,
    );
  };
  return build([]);
}

function valueAt(diagram: Diagram, cells: readonly number[]): unknown {
  let here = diagram;
  while (here.variable !== Infinity) {
    const cell = cells[here.variable]!;
    here = here.next[here.starts.findLastIndex((start) => start <= cell)]!;
  }
  return here.value;
}

const everywhere = (run: (cells: readonly number[]) => void) => {
  for (let i = 0; i < 60; i++) run([Math.floor(i / 15), Math.floor(i / 5) % 3, i % 5]);
};

test('what diagrams come to together is what their tables do, and what is the same is one node', () => {
  fc.assert(
    fc.property(tables, tables, (a, b) => {
      const diagrams = new Diagrams();
      const [x, y] = [diagramOf(diagrams, a), diagramOf(diagrams, b)];
      const [both, some, only, not] = [
        diagrams.apply(diagrams.and, x, y),
        diagrams.apply(diagrams.or, x, y),
        diagrams.apply(diagrams.without, x, y),
        diagrams.not(x),
      ];
      everywhere((cells) => {
        const [p, q] = [at(a, cells), at(b, cells)];
        expect([both, some, only, not].map((each) => valueAt(each, cells))).toEqual([
          p && q,
          p || q,
          p && !q,
          !p,
        ]);
      });
      expect(diagramOf(diagrams, a)).toBe(x);
      expect(diagrams.not(not)).toBe(x);
      expect(diagrams.apply(diagrams.or, both, only)).toBe(x);
    }),
  );
});

test('cells are told by runs', () => {
  const diagrams = new Diagrams();
  for (const cells of [[], [0], [3], [1, 2], [0, 1, 2, 3], [0, 2]]) {
    const made = diagrams.oneOf(
      0,
      cells.map((cell) => [cell, cell + 1] as const),
      4,
    );
    for (let cell = 0; cell < 4; cell++) expect(valueAt(made, [cell, 0, 0])).toBe(cells.includes(cell));
  }
  expect(diagrams.oneOf(0, [[5_000, 5_001]], 10_000).starts).toEqual([0, 5_000, 5_001]);
  expect(diagrams.oneOf(0, [[0, 4]], 4)).toBe(diagrams.yes);
});

test('many come together pair by pair, whichever values they have', () => {
  const diagrams = new Diagrams();
  const sum = {
    values: (a: Diagram, b: Diagram) => diagrams.leaf((a.value as number) + (b.value as number)),
    either: true,
  };
  const one = diagrams.leaf(1);
  const none = diagrams.leaf(0);
  // each of the first three cells by itself, and the last always with it
  const each = [0, 1, 2, 3].map((cell) =>
    diagrams.byRuns(
      0,
      cell === 3
        ? [[3, 4, one]]
        : cell === 2
          ? [[2, 4, one]]
          : [
              [cell, cell + 1, one],
              [3, 4, one],
            ],
      4,
      none,
    ),
  );
  const all = diagrams.all(sum, each, none);
  expect([0, 1, 2, 3].map((cell) => valueAt(all, [cell]))).toEqual([1, 1, 1, 4]);
  expect(diagrams.leavesOf(all).map(({ value }) => value)).toEqual([1, 4]);
  expect(
    valueAt(
      diagrams.map(all, ({ value }) => diagrams.leaf(value === 4)),
      [3],
    ),
  ).toBe(true);
});

test('where there is no room it is said', () => {
  const diagrams = new Diagrams(10);
  expect(() => {
    for (let i = 0; i < 20; i++) diagrams.leaf(i);
  }).toThrow(TooManyClasses);
});
