/** Something that talks to the server: while it goes on nothing else is begun, and what goes wrong is told. */
import { ref } from 'vue';

/** @returns whether something goes on, what went wrong last, and what runs such work */
export function useAttempt() {
  const busy = ref(false);
  const trouble = ref('');
  async function attempt(work: () => Promise<unknown>): Promise<void> {
    busy.value = true;
    trouble.value = '';
    try {
      await work();
    } catch (error) {
      trouble.value = (error as Error).message;
    } finally {
      busy.value = false;
    }
  }
  return { busy, trouble, attempt };
}
