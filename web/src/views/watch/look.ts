/** How an environment stands, asked for again and again while somebody looks. */
import { onBeforeUnmount, ref, shallowRef, watch } from 'vue';
import { api, type LookSeen } from '../../api.ts';

const AGAIN_MS = 3000;

/**
 * @param at which topology, and which environment; undefined where nothing is to be asked for
 * @param then called after each look
 * @returns the newest look, what went wrong, and the time now as the looks go on
 */
export function useLook(
  at: () => { slug: string; environment: string } | undefined,
  then: () => void = () => {},
) {
  const look = shallowRef<LookSeen>();
  const trouble = ref('');
  const now = ref(Date.now());
  const same = (a: ReturnType<typeof at>, b: ReturnType<typeof at>) =>
    a?.slug === b?.slug && a?.environment === b?.environment;
  async function again() {
    now.value = Date.now();
    const asked = at();
    if (!asked) return;
    try {
      const found = await api.look(asked.slug, asked.environment);
      if (same(asked, at())) [look.value, trouble.value] = [found, ''];
    } catch (error) {
      if (same(asked, at())) trouble.value = (error as Error).message;
    }
  }
  watch(
    () => JSON.stringify(at()),
    () => {
      look.value = undefined;
      void again();
    },
    { immediate: true },
  );
  const timer = setInterval(() => {
    if (!document.hidden) void again().then(then);
  }, AGAIN_MS);
  onBeforeUnmount(() => clearInterval(timer));
  return { look, trouble, now };
}
