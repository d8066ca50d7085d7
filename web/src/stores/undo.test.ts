import { applyEdits } from '@vondle/core/base';
import { createUndo } from './undo.ts';

const state = (text: string) => [{ name: 'a.yaml', text }];
/** What puts a text at the end of another. */
const typed = (before: string, text: string) => [
  { doc: 'a.yaml', start: before.length, end: before.length, text },
];
let time = 0;
const made = () => createUndo(() => time);
beforeEach(() => (time = 0));

test('key strokes close to each other are undone together, and pauses part them', () => {
  const undo = made();
  undo.note(state(''), typed('', 'x'), 'a.yaml');
  time = 300;
  undo.note(state('x'), typed('x', 'y'), 'a.yaml');
  time = 2000;
  undo.note(state('xy'), typed('xy', 'z'), 'a.yaml');
  expect(undo.back(state('xyz'))?.documents).toEqual(state('xy'));
  expect(undo.back(state('xy'))?.documents).toEqual(state(''));
  expect(undo.back(state(''))).toBeUndefined();
  expect(undo.on()?.documents).toEqual(state('xy'));
  expect(undo.on()?.documents).toEqual(state('xyz'));
  expect(undo.on()).toBeUndefined();
});

test('the edits of a step lead to where it leads', () => {
  const undo = made();
  undo.note(state(''), typed('', 'x'), 'a.yaml');
  undo.note(state('x'), typed('x', 'y'), 'a.yaml');
  const back = undo.back(state('xy'))!;
  expect(applyEdits(state('xy'), back.edits!)).toEqual(state(''));
  const on = undo.on()!;
  expect(applyEdits(state(''), on.edits!)).toEqual(state('xy'));
  // documents that come and go are no edits
  undo.note(state('xy'));
  expect(undo.back([])).toEqual({ documents: state('xy'), edits: undefined });
});

test('a form’s change stands alone, and one after an undo ends what could be redone', () => {
  const undo = made();
  undo.note(state('a'), typed('a', ''), 'a.yaml');
  undo.note(state('b'));
  undo.note(state('c'));
  expect(undo.back(state('d'))?.documents).toEqual(state('c'));
  expect(undo.canGoOn.value).toBe(true);
  undo.note(state('c'), [], 'b.yaml');
  expect(undo.canGoOn.value).toBe(false);
  expect(undo.back(state('e'))?.documents).toEqual(state('c'));
  expect(undo.back(state('c'))?.documents).toEqual(state('b'));
  undo.forget();
  expect(undo.canGoBack.value).toBe(false);
});
