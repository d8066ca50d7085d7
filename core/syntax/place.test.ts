import { parseAgain } from './parse-again.ts';
import { parseDocument } from './parse.ts';
import { placeOf, spanOf, writtenAt } from './place.ts';
import { type Node, entryOf, stepsIn } from './tree.ts';

const TEXT = 'a:\n  - one\n  - { b: two }\nc: three # why\n';
const placed = (tree: ReturnType<typeof parseDocument>) => ({ trees: new Map([['x', tree]]) });

test('a place is told by its node, in every tree that shares the node', () => {
  const before = parseDocument(TEXT);
  const three = placeOf('x', entryOf(before.root, 'c')!.value);
  expect(writtenAt(placed(before), three)).toBe('three');
  const after = parseAgain(before, [{ start: 3, end: 3, text: '  - zero\n' }]);
  expect(writtenAt(placed(after), three)).toBe('three');
  expect(spanOf(placed(after), three).start).toBe(TEXT.indexOf('three') + '  - zero\n'.length);
  // and where it was, it still is
  expect(spanOf(placed(before), three).start).toBe(TEXT.indexOf('three'));
});

test('a node that is in no tree stands nowhere', () => {
  const before = parseDocument(TEXT);
  const one = (entryOf(before.root, 'a')!.value as Node & { items: Node[] }).items[0]!;
  const after = parseAgain(before, [
    { start: TEXT.indexOf('one'), end: TEXT.indexOf('one') + 3, text: 'ONE' },
  ]);
  expect(stepsIn(after, one)).toBeUndefined();
  expect(spanOf(placed(after), placeOf('x', one))).toEqual({ doc: 'x', start: 0, end: 0 });
  expect(spanOf(placed(after), { doc: 'x', from: 3, to: 5 })).toEqual({ doc: 'x', start: 3, end: 5 });
});

test('the way to a node is its keys and items, each with where it begins', () => {
  const tree = parseDocument(TEXT);
  const list = entryOf(tree.root, 'a')!.value as Node & { items: Node[] };
  const two = entryOf(list.items[1], 'b')!.value;
  const steps = stepsIn(tree, two)!;
  expect(steps.map(({ index }) => index)).toEqual([0, 1, 0]);
  expect(steps.map(({ start }) => TEXT.slice(start, start + 3))).toEqual(['- o', '{ b', 'two']);
});
