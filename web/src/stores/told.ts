import { computed, onScopeDispose, ref, shallowRef, watch } from 'vue';
import { useWorkspace } from './workspace.ts';

/** What is worked out in pieces. */
interface InPieces {
  /** How many pieces are done, and how many there are. */
  told: number;
  of: number;
}

/** @returns what the worker tells in pieces, told again whenever the topology changes, with a stop */
export function useTold<T extends InPieces>(ask: () => Promise<T>, when: () => unknown = () => true) {
  const workspace = useWorkspace();
  const so = shallowRef<T>();
  const stopped = ref(false);
  let turn = 0;
  async function goOn() {
    const now = ++turn;
    stopped.value = false;
    let last: T | undefined;
    while (now === turn && !stopped.value && (!last || last.told < last.of)) {
      try {
        last = await ask();
      } catch (error) {
        stopped.value = true;
        workspace.trouble = `All messages could not be followed: ${(error as Error).message}`;
        return;
      }
      if (now === turn) so.value = last;
    }
  }
  watch([() => workspace.analysis, when], () => (when() ? void goOn() : undefined), { immediate: true });
  onScopeDispose(() => turn++);
  return {
    so,
    stopped,
    goOn,
    stop: () => (stopped.value = true),
    running: computed(() => !stopped.value && (!so.value || so.value.told < so.value.of)),
  };
}
