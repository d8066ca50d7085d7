/** What goes on in the topology that is open, as the server tells it: who is there, which drafts moved. */
import { defineStore } from 'pinia';
import { computed, shallowRef } from 'vue';
import { api, type LiveState } from '../api.ts';
import { useSession } from './session.ts';
import { useWorkspace } from './workspace.ts';

/** A connection that the server refused is tried again after this. */
const AGAIN_MS = 3000;

/** Tells this tab from others of the same person. */
const TAB = [...crypto.getRandomValues(new Uint8Array(12))].map((byte) => byte.toString(36)).join('');

export const useLive = defineStore('live', () => {
  const state = shallowRef<LiveState>();
  let source: EventSource | undefined;
  let timer: ReturnType<typeof setTimeout> | undefined;

  /** Who else has the same draft open, by name. */
  const others = computed(() => {
    const { person } = useSession();
    const { draft } = useWorkspace();
    const here = state.value?.people.filter((each) => each.draft === draft?.id) ?? [];
    return here.filter(({ handle }) => handle !== person?.handle).map(({ name }) => name);
  });
  /** The newest revision, where the draft does not go on from it. */
  const newer = computed(() => {
    const { base, draft, looking } = useWorkspace();
    const newest = state.value?.revision ?? 0;
    return draft && looking === undefined && newest > base ? newest : undefined;
  });

  /** Listens to the topology that is open, until another is, or nothing is. */
  function listen(slug: string, draft: number | undefined): void {
    stop();
    const workspace = useWorkspace();
    let applied = -1;
    source = new EventSource(api.live(slug, draft, TAB));
    source.onmessage = ({ data }) => {
      const now = JSON.parse(String(data)) as LiveState;
      state.value = now;
      void workspace.hear(now).catch(() => undefined);
      if (applied >= 0 && applied !== now.applied) void workspace.standAgain().catch(() => undefined);
      ({ applied } = now);
    };
    // what breaks off is taken up again by itself; what is refused is not
    source.onerror = () => {
      if (source?.readyState === EventSource.CLOSED) timer = setTimeout(() => listen(slug, draft), AGAIN_MS);
    };
  }

  function stop(): void {
    clearTimeout(timer);
    source?.close();
    source = undefined;
    state.value = undefined;
  }

  return { state, others, newer, listen, stop };
});
