/** With which revision lines and things came. Asked for once a document rests, and is saved. */
import { watchDebounced } from '@vueuse/core';
import { computed, shallowRef, type Ref } from 'vue';
import { api, type RevisionEntry } from '../api.ts';
import { newestOf } from './lines.ts';
import { useWorkspace } from '../stores/workspace.ts';

/** A document that is read or typed into is not asked about before it rests this long. */
const RESTS_MS = 600;

/** A revision; `draft` for what the draft changed; undefined while that is not known. */
export type Origin = RevisionEntry | 'draft' | undefined;

/**
 * @param doc the document that is shown; empty for none
 * @param text its text as it is now
 * @returns what says with which revision lines came, from the first to the last of some, counted from 1: the newest
 */
export function useOrigins(doc: Ref<string>, text: Ref<string>) {
  const workspace = useWorkspace();
  const known = shallowRef<{ doc: string; text: string; lines: readonly number[] }>();
  watchDebounced(
    [doc, text, () => workspace.saveState, () => workspace.base] as const,
    async ([name, now, state]) => {
      const { topology, draft, base, looking } = workspace;
      if (!topology || topology.local || !base || !name || state !== 'saved' || looking !== undefined) return;
      if (known.value?.doc === name && known.value.text === now) return;
      try {
        const { lines } = await api.blame(topology.slug, draft?.main ? undefined : draft?.id, name);
        known.value = { doc: name, text: now, lines };
      } catch {
        // good to know, and nothing to be told of where it cannot be
      }
    },
    { debounce: RESTS_MS, immediate: true },
  );
  return computed(() => (from: number, to: number): Origin => {
    const it = known.value;
    // what was typed since moved the lines
    if (it?.doc !== doc.value || it.text !== text.value) return undefined;
    const newest = newestOf(it.lines.slice(from - 1, to));
    return newest === 0 ? 'draft' : workspace.revisions.find(({ number }) => number === newest);
  });
}
