import fc from 'fast-check';
import { type ChangeSet, type TextDocument, applyEdits, compose, undoOf } from './edits.ts';

const text = fc.string({ unit: fc.constantFrom('a', 'b', '\n', 'é', '⛴'), maxLength: 30 });
const documents: fc.Arbitrary<TextDocument[]> = fc
  .array(text, { minLength: 1, maxLength: 3 })
  .map((texts) => texts.map((each, i) => ({ name: `${i}.yaml`, text: each })));

/** Edits of documents, none inside another; several may stand at one offset. Made of numbers, so that they shrink. */
const numbers = fc.array(fc.tuple(fc.nat(), fc.nat(), fc.nat(4), fc.string({ maxLength: 3 })), {
  maxLength: 6,
});
function editsOf(all: readonly TextDocument[], made: readonly [number, number, number, string][]): ChangeSet {
  const edits: { doc: string; start: number; end: number; text: string }[] = [];
  for (const [which, at, cut, put] of made) {
    const { name, text: old } = all[which % all.length]!;
    const start = at % (old.length + 1);
    const end = Math.min(old.length, start + cut);
    const apart = edits
      .filter(({ doc }) => doc === name)
      .every((other) => other.end <= start || end <= other.start);
    // an edit that begins where an insertion stands would be in its way
    const ends = edits.some((other) => other.doc === name && other.start === start && other.end !== end);
    if (apart && !ends) edits.push({ doc: name, start, end, text: put });
  }
  return edits;
}

test('two change sets, one after the other, are one that does the same', () => {
  fc.assert(
    fc.property(documents, numbers, numbers, (before, one, other) => {
      const first = editsOf(before, one);
      const between = applyEdits(before, first);
      const second = editsOf(between, other);
      const after = applyEdits(between, second);
      const both = compose(first, second);
      expect(applyEdits(before, both)).toEqual(after);
      // and it is a change set like any other: in order, nothing inside anything
      for (const { name } of before) {
        const own = both.filter(({ doc }) => doc === name);
        own.forEach((edit, i) => expect(edit.start).toBeGreaterThanOrEqual(i ? own[i - 1]!.end : 0));
      }
      expect(applyEdits(applyEdits(before, both), undoOf(before, both))).toEqual(before);
    }),
    { numRuns: 2000 },
  );
});

test('what is undone gives the same bytes', () => {
  fc.assert(
    fc.property(documents, numbers, (before, made) => {
      const edits = editsOf(before, made);
      expect(applyEdits(applyEdits(before, edits), undoOf(before, edits))).toEqual(before);
    }),
  );
});

test('of several edits at one offset, the first is written first; untouched documents are the same objects', () => {
  const before = [
    { name: 'a', text: 'xy' },
    { name: 'b', text: 'z' },
  ];
  const at = (put: string) => ({ doc: 'a', start: 1, end: 1, text: put });
  const after = applyEdits(before, [at('1'), at('2')]);
  expect(after[0]!.text).toBe('x12y');
  expect(after[1]).toBe(before[1]);
  expect(compose([], [at('1')])).toEqual([at('1')]);
  expect(compose([at('1')], [])).toEqual([at('1')]);
});
