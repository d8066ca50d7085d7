/** With which revision the line under the cursor came. Asked for once a document rests, and is saved. */
import { watchDebounced } from '@vueuse/core';
import { computed, shallowRef, type Ref } from 'vue';
import { api, type RevisionEntry } from '../../api.ts';
import { useWorkspace } from '../../stores/workspace.ts';

/** A document that is read or typed into is not asked about before it rests this long. */
const RESTS_MS = 600;

/**
 * @param doc the document that is shown
 * @param text its text as it is now
 * @param line where the cursor is, from 1
 * @returns the revision; `draft` for a line that the draft changed; undefined while that is not known
 */
export function useOrigin(doc: Ref<string>, text: Ref<string>, line: Ref<number>) {
  const workspace = useWorkspace();
  const known = shallowRef<{ doc: string; text: string; lines: readonly number[] }>();
  watchDebounced(
    [doc, text, () => workspace.saveState, () => workspace.base] as const,
    async ([name, now, state]) => {
      const { topology, draft, base, looking } = workspace;
      if (!topology || topology.local || !base || !name || state !== 'saved' || looking !== undefined) return;
      try {
        const { lines } = await api.blame(topology.slug, draft?.main ? undefined : draft?.id, name);
        known.value = { doc: name, text: now, lines };
      } catch {
        // good to know, and nothing to be told of where it cannot be
      }
    },
    { debounce: RESTS_MS, immediate: true },
  );
  return computed((): RevisionEntry | 'draft' | undefined => {
    const it = known.value;
    // what was typed since moved the lines
    if (it?.doc !== doc.value || it.text !== text.value) return undefined;
    const number = it.lines[line.value - 1];
    return number === 0 ? 'draft' : workspace.revisions.find((each) => each.number === number);
  });
}
