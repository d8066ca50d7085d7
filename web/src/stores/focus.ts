/** What every view is about: the selection and the message followed, all in the address bar. */
import type { Message } from '@vondle/core/conditions';
import { defineStore } from 'pinia';
import { computed, shallowRef, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { destination } from '../router.ts';
import { core } from '../workers/client.ts';
import type { CloseUp, FollowView, MessageView, PublishView, Sending, WhyNotView } from '../workers/views.ts';
import { useWorkspace } from './workspace.ts';

export const useFocus = defineStore('focus', () => {
  const workspace = useWorkspace();
  const route = useRoute();
  const router = useRouter();

  const set = (query: Record<string, string | undefined>) => {
    const { path, query: before } = destination();
    void router.replace({ path, query: { ...before, ...query } });
  };
  const asked = (name: string) => {
    const value = route.query[name];
    return typeof value === 'string' ? value : '';
  };

  const selected = computed({
    get: () => asked('sel'),
    set: (id: string) => set({ sel: id || undefined }),
  });
  const typeId = computed({
    get: () => asked('type'),
    set: (id: string) => {
      edited.value = undefined;
      set({ type: id || undefined, sample: undefined, from: undefined });
    },
  });
  const type = computed<MessageView | undefined>(() =>
    workspace.messages.find(({ id }) => id === typeId.value),
  );
  const sampleIndex = computed({
    get: () => Number(asked('sample')) || 0,
    set: (index: number) => {
      edited.value = undefined;
      set({ sample: index ? String(index) : undefined });
    },
  });
  const from = computed({
    get: () => asked('from'),
    set: (app: string) => set({ from: app || undefined }),
  });
  /** A message changed by hand, in place of the sample. */
  const edited = shallowRef<Message>();

  /** Follows a sample of a type, from one of its publishers or the first. */
  function follow(type: string, index: number, app: string): void {
    edited.value = undefined;
    set({ type, sample: index ? String(index) : undefined, from: app || undefined });
  }

  const sample = computed(() => type.value?.samples[sampleIndex.value] ?? type.value?.samples[0]);
  const message = computed<Message | undefined>(() => edited.value ?? sample.value?.message);
  const publishers = computed(() => [...new Set(type.value?.publishes.map(({ app }) => app) ?? [])]);
  /** The publishes followed: those of the chosen app, or of the first that sends the type. */
  const publishes = computed<PublishView[]>(() => {
    const app = publishers.value.includes(from.value) ? from.value : publishers.value[0];
    return type.value?.publishes.filter((publish) => publish.app === app) ?? [];
  });

  /** What is sent, as the worker wants it: plain data. */
  const sendings = computed<Sending[]>(() => {
    if (!message.value) return [];
    const plain = JSON.parse(JSON.stringify(message.value)) as Message;
    return publishes.value.map(({ app, to, via }) => ({ message: plain, to, via, from: app }));
  });

  const followed = shallowRef<FollowView>();
  const closeUp = shallowRef<CloseUp>();
  /** What the close-up is of, as a thing and as a node: most of the screen only wants to know that. */
  const shownThing = computed(() => closeUp.value?.thing);
  const shownNode = computed(() => closeUp.value?.id);

  let asking = 0;
  watch(
    [sendings, () => workspace.analysis],
    async () => {
      const turn = ++asking;
      if (sendings.value.length === 0) {
        followed.value = undefined;
        return;
      }
      const result = await core.follow(sendings.value);
      if (turn === asking) followed.value = result;
    },
    { immediate: true },
  );
  /** What the message lit up in the revision compared with; undefined where nothing is compared. */
  const before = shallowRef<FollowView['lit']>();
  let comparing = 0;
  watch(
    [message, from, () => workspace.compared, () => workspace.analysis],
    async () => {
      const turn = ++comparing;
      const plain = message.value && (JSON.parse(JSON.stringify(message.value)) as Message);
      const app = from.value || publishers.value[0];
      const lit =
        plain && app && workspace.compared !== undefined ? await core.followBefore(plain, app) : undefined;
      if (turn === comparing) before.value = lit;
    },
    { immediate: true },
  );
  /** Why the selected store gets no copy of the followed message; undefined where that is no question. */
  const whyNot = shallowRef<WhyNotView[]>();
  let wondering = 0;
  watch(
    [selected, followed],
    async () => {
      const turn = ++wondering;
      const store = selected.value;
      const question =
        followed.value &&
        /^(queue|subscription):/.test(store) &&
        !followed.value.rests.some(({ node }) => node === store);
      const result = question ? await core.whyNot(sendings.value, store) : undefined;
      if (turn === wondering) whyNot.value = result?.some(({ reached }) => reached) ? undefined : result;
    },
    { immediate: true },
  );
  let looking = 0;
  let shown: string | undefined;
  watch(
    [selected, () => workspace.analysis],
    async () => {
      const turn = ++looking;
      const result = selected.value ? await core.closeUp(selected.value) : undefined;
      if (turn !== looking) return;
      // what stays the same is not drawn anew: forms are dear
      const sign = JSON.stringify(result);
      if (sign !== shown) closeUp.value = result;
      shown = sign;
      // those who measure hear when the screen is about to say what the text says
      dispatchEvent(new Event('vondle:answered'));
    },
    { immediate: true },
  );

  return {
    selected,
    typeId,
    type,
    sampleIndex,
    sample,
    from,
    edited,
    follow,
    message,
    publishers,
    publishes,
    sendings,
    followed,
    before,
    whyNot,
    closeUp,
    shownThing,
    shownNode,
  };
});
