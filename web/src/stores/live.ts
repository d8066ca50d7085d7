/** What goes on in the topology that is open, as the server tells it: who is there, which drafts moved. */
import { defineStore } from 'pinia';
import { computed, shallowRef } from 'vue';
import { api, type LiveState } from '../api.ts';
import { useSession } from './session.ts';
import { useWorkspace } from './workspace.ts';

/** A connection that the server refused is tried again after this. */
const AGAIN_MS = 3000;

/**
 * A tab that nobody looks at listens on for so long, then no more until it is looked at: a browser keeps but a few
 * connections to one server, and tabs in the background would take them all.
 */
const UNSEEN_MS = 60_000;

/** Tells this tab from others of the same person. */
const TAB = [...crypto.getRandomValues(new Uint8Array(12))].map((byte) => byte.toString(36)).join('');

export const useLive = defineStore('live', () => {
  const state = shallowRef<LiveState>();
  let source: EventSource | undefined;
  let timer: ReturnType<typeof setTimeout> | undefined;
  let unseen: ReturnType<typeof setTimeout> | undefined;
  /** What is listened to, while it is. */
  let of: { readonly slug: string; readonly draft: number | undefined } | undefined;
  document.addEventListener('visibilitychange', () => {
    clearTimeout(unseen);
    if (document.hidden) unseen = setTimeout(pause, UNSEEN_MS);
    else if (of && !source) listen(of.slug, of.draft);
  });
  // a page that is left is kept by the browser for the way back, its connections with it
  window.addEventListener('pagehide', pause);
  window.addEventListener('pageshow', ({ persisted }) => persisted && of && listen(of.slug, of.draft));

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
    of = { slug, draft };
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

  function pause(): void {
    clearTimeout(timer);
    source?.close();
    source = undefined;
  }

  function stop(): void {
    pause();
    of = undefined;
    state.value = undefined;
  }

  return { state, others, newer, listen, stop };
});
