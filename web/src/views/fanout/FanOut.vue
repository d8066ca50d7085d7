<script setup lang="ts">
import { useLocalStorage } from '@vueuse/core';
import { computed, ref, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import CloseUp from '../../parts/CloseUp.vue';
import FollowBar from '../../parts/FollowBar.vue';
import Graph from '../../parts/Graph.vue';
import Said from '../../parts/Said.vue';
import { useWorkspace } from '../../stores/workspace.ts';
import { useFocus } from '../../stores/focus.ts';
import { showInText } from '../show.ts';
import { useLook } from '../watch/look.ts';
import Changes from './Changes.vue';
import Legend from './Legend.vue';
import ShowBar from './ShowBar.vue';

const workspace = useWorkspace();
/** Whether counts of the environment as it is now are drawn over the picture. */
const live = useLocalStorage('vondle live counts', true);
/** The environment that is looked at, where something stands in it. */
const standsIn = computed(() => {
  const there = workspace.standings
    .filter(({ revisions }) => revisions.length)
    .map(({ environment }) => environment);
  const asked = route.query.env;
  return typeof asked === 'string' ? there.find((each) => each === asked) : undefined;
});

const focus = useFocus();
const graph = ref<InstanceType<typeof Graph>>();
const beside = computed(() => focus.shownNode !== undefined || workspace.showing.compared);
const router = useRouter();
const route = useRoute();
const { look } = useLook(() =>
  live.value && standsIn.value ? { slug: String(route.params.slug), environment: standsIn.value } : undefined,
);
/** One function for all looks, so that the picture is not made anew with each. */
const newest = () => look.value;
// a link may ask for a revision to be compared with
watch(
  () => Number(route.query.against) || undefined,
  (number) => {
    if (number !== undefined && number !== workspace.compared)
      void workspace.compareWith(number).catch(() => {});
  },
  { immediate: true },
);
// the way of the message, now and before, is seen whole also where all that did not change is folded away
const way = computed(() => {
  const { compared, unchanged } = workspace.showing;
  if (!compared || unchanged) return [];
  return [...Object.keys(focus.followed?.lit.nodes ?? {}), ...Object.keys(focus.before?.nodes ?? {})];
});
watch(way, (now) => {
  if (now.join(' ') !== workspace.showing.way.join(' ')) workspace.show({ way: now });
});
</script>

<template>
  <div class="fan-out" :class="{ beside }">
    <div class="bar">
      <FollowBar />
      <div class="show">
        <label v-if="standsIn" class="soft" :title="`counts of ${standsIn} now`">
          <input v-model="live" type="checkbox" data-testid="live" /> live
        </label>
        <ShowBar :scene="graph?.scene" />
      </div>
    </div>
    <Graph ref="graph" class="drawing" :look="live ? newest : undefined" />
    <aside v-if="focus.shownNode" class="side">
      <button class="plain close" aria-label="close the close-up" @click="focus.selected = ''">×</button>
      <CloseUp @show="showInText(router, $event)" />
    </aside>
    <aside v-else-if="beside" class="side"><Changes /></aside>
    <footer>
      <template v-if="focus.followed">
        <p data-testid="sentence">
          <b>{{ focus.followed.sentence }}.</b>
        </p>
        <p v-for="(trouble, i) in focus.followed.trouble" :key="i" class="error" data-testid="trouble">
          <Said :text="trouble.text" />
          <button v-if="trouble.spot" class="plain link" @click="showInText(router, trouble.spot)">
            show in text
          </button>
        </p>
      </template>
      <p v-else class="soft">
        Follow a message to see its way and its copies, or pick a store to see what can reach it.
      </p>
      <Legend />
    </footer>
  </div>
</template>

<style scoped>
.fan-out {
  display: grid;
  grid-template: 40px minmax(0, 1fr) auto / minmax(0, 1fr);
}
.fan-out.beside {
  grid-template: 40px minmax(0, 1fr) auto / minmax(0, 1fr) 284px;
}
.bar {
  grid-column: 1 / -1;
  display: flex;
  justify-content: space-between;
  gap: 12px;
  min-width: 0;
  padding: 0 12px;
  border-bottom: 1px solid var(--hairline);
}
.show {
  display: flex;
  align-items: center;
  gap: 10px;
}
.side {
  grid-row: 2 / 4;
  grid-column: 2;
  position: relative;
  background: var(--sheet);
  border-left: 1px solid var(--hairline);
  padding: 12px 14px;
  overflow: auto;
}
.close {
  position: absolute;
  top: 8px;
  right: 12px;
  font-size: 18px;
  color: var(--soft);
}
footer {
  grid-column: 1;
  padding: 8px 14px;
  background: var(--sheet);
  border-top: 1px solid var(--hairline);
  max-height: 120px;
  overflow: auto;
}
.link {
  text-decoration: underline;
  margin-left: 6px;
}
</style>
