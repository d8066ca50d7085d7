import { shallowRef, watch, type ShallowRef, type WatchSource } from 'vue';
import { useWorkspace } from '../../stores/workspace.ts';

/** @returns what the worker answers, asked again whenever the topology or one of the sources changes */
export function useFresh<T>(
  ask: () => Promise<T>,
  ...sources: WatchSource[]
): Readonly<ShallowRef<T | undefined>> {
  const workspace = useWorkspace();
  const answer = shallowRef<T>();
  let turn = 0;
  watch(
    [() => workspace.analysis, ...sources],
    async () => {
      const now = ++turn;
      const found = await ask();
      if (now === turn) answer.value = found;
    },
    { immediate: true },
  );
  return answer;
}
