import { applyEdits, compose, over, undoOf, type ChangeSet, type TextDocument } from '@vondle/core/base';
import { computed, shallowRef } from 'vue';

type Documents = readonly TextDocument[];

/** Key strokes in one document nearer to each other than this are undone together. */
const TOGETHER_MS = 700;
const MOST = 300;

/** The way to another state: edits in the offsets of the present one, or the documents as they are to be. */
type Way = { readonly edits: ChangeSet } | { readonly documents: Documents };

/** Where an undo or redo leads, and by which edits, where that is known. */
export interface Step {
  readonly documents: Documents;
  readonly edits: ChangeSet | undefined;
}

const stepOf = (way: Way, present: Documents): Step =>
  'edits' in way
    ? { documents: applyEdits(present, way.edits), edits: way.edits }
    : { documents: way.documents, edits: undefined };

/** The way back from where another leads. */
const backFrom = (way: Way, present: Documents): Way =>
  'edits' in way ? { edits: undoOf(present, way.edits) } : { documents: present };

/**
 * One undo for everything one did oneself: typing, forms, mends, documents made and removed. What somebody else
 * did meanwhile stays (`others`).
 */
export function createUndo(now: () => number = () => Date.now()) {
  const past = shallowRef<readonly Way[]>([]);
  const future = shallowRef<readonly Way[]>([]);
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
      const back: Way = edits ? { edits: undoOf(before, edits) } : { documents: before };
      if (!goesOn || !whole) past.value = [...past.value, back].slice(-MOST);
      else if ('edits' in whole && 'edits' in back)
        past.value = [...past.value.slice(0, -1), { edits: compose(back.edits, whole.edits) }];
    },
    /** @returns the way to the state before, if there is one */
    back(present: Documents): Step | undefined {
      const way = past.value.at(-1);
      if (!way) return undefined;
      past.value = past.value.slice(0, -1);
      future.value = [...future.value, backFrom(way, present)];
      typing = '';
      return stepOf(way, present);
    },
    /** @returns the way to the state that was undone, if there is one */
    on(present: Documents): Step | undefined {
      const way = future.value.at(-1);
      if (!way) return undefined;
      future.value = future.value.slice(0, -1);
      past.value = [...past.value, backFrom(way, present)];
      typing = '';
      return stepOf(way, present);
    },
    /**
     * Takes in what somebody else did, which no undo of one's own takes back. One's own that is tangled up with it,
     * and what came before that, cannot be undone any more.
     * @param edits theirs, in the offsets of the present state; undefined where documents came or went
     */
    others(edits: ChangeSet | undefined): void {
      typing = '';
      past.value = edits ? moved(past.value, edits) : [];
      future.value = edits ? moved(future.value, edits) : [];
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

/** Ways one after the other, the last first, as they are once others' edits were made of the present state. */
function moved(ways: readonly Way[], edits: ChangeSet): Way[] {
  const kept: Way[] = [];
  let theirs = edits;
  for (const way of [...ways].reverse()) {
    const own = 'edits' in way ? over(way.edits, theirs) : undefined;
    const next = 'edits' in way ? over(theirs, way.edits, true) : undefined;
    if (!own || !next) break;
    kept.unshift({ edits: own });
    theirs = next;
  }
  return kept;
}
