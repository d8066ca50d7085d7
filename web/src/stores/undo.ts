import { compose, undoOf, type ChangeSet, type TextDocument } from '@vondle/core/base';
import { computed, shallowRef } from 'vue';

type Documents = readonly TextDocument[];

/** Key strokes in one document nearer to each other than this are undone together. */
const TOGETHER_MS = 700;
const MOST = 300;

/** A change that was made: what was before it, and the edits where it is known which. */
interface Change {
  readonly before: Documents;
  readonly edits: ChangeSet | undefined;
}

/** Where an undo or redo leads, and by which edits, where that is known. */
export interface Step {
  readonly documents: Documents;
  readonly edits: ChangeSet | undefined;
}

/** One undo for everything: typing, forms, mends, documents made and removed. States share what did not change. */
export function createUndo(now: () => number = () => Date.now()) {
  const past = shallowRef<readonly Change[]>([]);
  const future = shallowRef<readonly (Change & { readonly after: Documents })[]>([]);
  let typing = '';
  let last = 0;

  return {
    /**
     * Notes a change.
     * @param before the state before it
     * @param edits what it did, in the offsets of that state
     * @param typedIn the document, for a key stroke
     */
    note(before: Documents, edits?: ChangeSet, typedIn = ''): void {
      const goesOn = typedIn !== '' && typedIn === typing && now() - last < TOGETHER_MS;
      typing = typedIn;
      last = now();
      future.value = [];
      const whole = past.value.at(-1);
      if (!goesOn || !whole) past.value = [...past.value, { before, edits }].slice(-MOST);
      else {
        const all = whole.edits && edits && compose(whole.edits, edits);
        past.value = [...past.value.slice(0, -1), { before: whole.before, edits: all }];
      }
    },
    /** @returns the way to the state before, if there is one */
    back(present: Documents): Step | undefined {
      const change = past.value.at(-1);
      if (!change) return undefined;
      past.value = past.value.slice(0, -1);
      future.value = [...future.value, { ...change, after: present }];
      typing = '';
      const { before, edits } = change;
      return { documents: before, edits: edits && undoOf(before, edits) };
    },
    /** @returns the way to the state that was undone, if there is one */
    on(): Step | undefined {
      const change = future.value.at(-1);
      if (!change) return undefined;
      future.value = future.value.slice(0, -1);
      past.value = [...past.value, { before: change.before, edits: change.edits }];
      typing = '';
      return { documents: change.after, edits: change.edits };
    },
    forget(): void {
      past.value = [];
      future.value = [];
      typing = '';
    },
    canGoBack: computed(() => past.value.length > 0),
    canGoOn: computed(() => future.value.length > 0),
  };
}
