import { createUndo } from './undo.ts';

const state = (text: string) => [{ name: 'a.yaml', text }];
let time = 0;
const made = () => createUndo(() => time);
beforeEach(() => (time = 0));

test('key strokes close to each other are undone together, and pauses part them', () => {
  const undo = made();
  undo.note(state(''), 'a.yaml');
  time = 300;
  undo.note(state('x'), 'a.yaml');
  time = 2000;
  undo.note(state('xy'), 'a.yaml');
  expect(undo.back(state('xyz'))).toEqual(state('xy'));
  expect(undo.back(state('xy'))).toEqual(state(''));
  expect(undo.back(state(''))).toBeUndefined();
  expect(undo.on(state(''))).toEqual(state('xy'));
  expect(undo.on(state('xy'))).toEqual(state('xyz'));
  expect(undo.on(state('xyz'))).toBeUndefined();
});

test('a form’s change stands alone, and one after an undo ends what could be redone', () => {
  const undo = made();
  undo.note(state('a'), 'a.yaml');
  undo.note(state('b'));
  undo.note(state('c'));
  expect(undo.back(state('d'))).toEqual(state('c'));
  expect(undo.canGoOn.value).toBe(true);
  undo.note(state('c'), 'b.yaml');
  expect(undo.canGoOn.value).toBe(false);
  expect(undo.back(state('e'))).toEqual(state('c'));
  expect(undo.back(state('c'))).toEqual(state('b'));
  undo.forget();
  expect(undo.canGoBack.value).toBe(false);
});
