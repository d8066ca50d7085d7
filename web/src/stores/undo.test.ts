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
  expect(undo.on(state(''))?.documents).toEqual(state('xy'));
  expect(undo.on(state('xy'))?.documents).toEqual(state('xyz'));
  expect(undo.on(state('xyz'))).toBeUndefined();
});

test('the edits of a step lead to where it leads', () => {
  const undo = made();
  undo.note(state(''), typed('', 'x'), 'a.yaml');
  undo.note(state('x'), typed('x', 'y'), 'a.yaml');
  const back = undo.back(state('xy'))!;
  expect(applyEdits(state('xy'), back.edits!)).toEqual(state(''));
  const on = undo.on(state(''))!;
  expect(applyEdits(state(''), on.edits!)).toEqual(state('xy'));
  // documents that come and go are no edits
  undo.note(state('xy'));
  expect(undo.back([])).toEqual({ documents: state('xy'), edits: undefined });
});

test('a form’s change stands alone, and one after an undo ends what could be redone', () => {
  const undo = made();
  undo.note(state('a'), [{ doc: 'a.yaml', start: 0, end: 1, text: 'b' }]);
  undo.note(state('b'));
  undo.note(state('c'));
  expect(undo.back(state('d'))?.documents).toEqual(state('c'));
  expect(undo.canGoOn.value).toBe(true);
  undo.note(state('c'), [], 'b.yaml');
  expect(undo.canGoOn.value).toBe(false);
  expect(undo.back(state('c'))?.documents).toEqual(state('c'));
  expect(undo.back(state('c'))?.documents).toEqual(state('b'));
  expect(undo.back(state('b'))?.documents).toEqual(state('a'));
  undo.forget();
  expect(undo.canGoBack.value).toBe(false);
});

describe('what somebody else did', () => {
  const edit = (start: number, end: number, text: string) => [{ doc: 'a.yaml', start, end, text }];

  test('stays when one’s own is undone and made again', () => {
    const undo = made();
    undo.note(state('ac'), edit(1, 1, 'b'));
    undo.note(state('abc'), edit(3, 3, 'd'));
    // they write at the beginning and at the end
    undo.others([...edit(0, 0, '>'), ...edit(4, 4, '<')]);
    const first = undo.back(state('>abcd<'))!;
    expect(first.documents).toEqual(state('>abc<'));
    const second = undo.back(first.documents)!;
    expect(second.documents).toEqual(state('>ac<'));
    // and once more while something is undone
    undo.others(edit(0, 1, '>>'));
    const third = undo.on(state('>>ac<'))!;
    expect(third.documents).toEqual(state('>>abc<'));
    expect(undo.on(third.documents)!.documents).toEqual(state('>>abcd<'));
  });

  test('to what one wrote oneself ends the undo there', () => {
    const undo = made();
    undo.note(state(''), edit(0, 0, 'first '));
    undo.note(state('first '), edit(6, 6, 'second '));
    undo.note(state('first second '), edit(13, 13, 'third'));
    undo.others(edit(7, 9, '---'));
    expect(undo.back(state('first s---ond third'))!.documents).toEqual(state('first s---ond '));
    expect(undo.canGoBack.value).toBe(false);
  });

  test('with documents that come or go forgets all', () => {
    const undo = made();
    undo.note(state(''), edit(0, 0, 'x'));
    undo.others(undefined);
    expect(undo.canGoBack.value).toBe(false);
  });

  test('whatever both do, undoing all of one’s own leaves theirs alone', () => {
    // both write into one text of two halves, each into a half of their own: nothing of it is tangled up
    for (let seed = 1; seed < 200; seed++) {
      let random = seed * 2654435761;
      const next = (below: number) =>
        (random = Math.imul(random ^ (random >>> 15), 2246822519) >>> 0) % below;
      const undo = made();
      let [own, other] = ['mine', 'theirs'];
      const whole = () => state(`${own}|${other}`);
      for (let i = 0; i < 12; i++) {
        const text = 'xyz'.slice(0, next(4));
        if (next(2)) {
          const start = next(own.length + 1);
          const end = start + next(own.length - start + 1);
          undo.note(whole(), edit(start, end, text));
          own = own.slice(0, start) + text + own.slice(end);
        } else {
          const start = next(other.length + 1);
          const end = start + next(other.length - start + 1);
          const by = own.length + 1;
          undo.others(edit(by + start, by + end, text));
          other = other.slice(0, start) + text + other.slice(end);
        }
      }
      let now = whole() as ReturnType<typeof state>;
      for (let step = undo.back(now); step; step = undo.back(now)) now = step.documents as typeof now;
      expect(now).toEqual(state(`mine|${other}`));
      for (let step = undo.on(now); step; step = undo.on(now)) now = step.documents as typeof now;
      expect(now).toEqual(whole());
    }
  });
});
