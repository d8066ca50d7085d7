import type { TopologyDocument } from '@vondle/core';
import { computed, shallowRef } from 'vue';

type Documents = readonly TopologyDocument[];

/** Key strokes in one document nearer to each other than this are undone together. */
const TOGETHER_MS = 700;
const MOST = 300;

/** One undo for everything: typing, forms, mends, documents made and removed. States share what did not change. */
export function createUndo(now: () => number = () => Date.now()) {
  const past = shallowRef<readonly Documents[]>([]);
  const future = shallowRef<readonly Documents[]>([]);
  let typing = '';
  let last = 0;

  return {
    /**
     * Notes the state before a change.
     * @param typedIn the document, for a key stroke
     */
    note(before: Documents, typedIn = ''): void {
      const goesOn = typedIn !== '' && typedIn === typing && now() - last < TOGETHER_MS;
      typing = typedIn;
      last = now();
      future.value = [];
      if (!goesOn) past.value = [...past.value, before].slice(-MOST);
    },
    /** @returns the state before, if there is one */
    back(present: Documents): Documents | undefined {
      const before = past.value.at(-1);
      if (!before) return undefined;
      past.value = past.value.slice(0, -1);
      future.value = [...future.value, present];
      typing = '';
      return before;
    },
    /** @returns the state that was undone, if there is one */
    on(present: Documents): Documents | undefined {
      const next = future.value.at(-1);
      if (!next) return undefined;
      future.value = future.value.slice(0, -1);
      past.value = [...past.value, present];
      typing = '';
      return next;
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
