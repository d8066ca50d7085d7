import { useRoute, useRouter } from 'vue-router';
import type { Message } from '@vondle/core/conditions';
import { useFocus } from '../../stores/focus.ts';

/** @returns takes one message of a class to another view, to be followed there */
export function useFollow() {
  const focus = useFocus();
  const route = useRoute();
  const router = useRouter();
  return async (
    view: 'trace' | 'fan-out',
    { type, from, message, at }: { type: string; from: string; message: Message; at?: string },
  ) => {
    const { env } = route.query;
    const query = { type, from, ...(at ? { sel: at } : {}), ...(env ? { env } : {}) };
    await router.push({ name: view, params: route.params, query });
    focus.edited = message;
  };
}
