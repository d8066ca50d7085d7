<script setup lang="ts">
import { computed, onBeforeUnmount, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import FollowBar from '../../parts/FollowBar.vue';
import Graph from '../../parts/Graph.vue';
import { useFocus } from '../../stores/focus.ts';
import { useWorkspace } from '../../stores/workspace.ts';
import Compose from '../../parts/Compose.vue';
import Kept from './Kept.vue';
import Many from './Many.vue';
import Outcome from './Outcome.vue';

const workspace = useWorkspace();
const focus = useFocus();
const route = useRoute();
const router = useRouter();
const WAYS = [
  { id: 'one', title: 'one message' },
  { id: 'many', title: 'many' },
  { id: 'kept', title: 'kept' },
] as const;
const way = computed({
  get: () => WAYS.find(({ id }) => id === route.query.of)?.id ?? 'one',
  set: (id) => void router.replace({ query: { ...route.query, of: id === 'one' ? undefined : id } }),
});

/** Beside the words there is room for the followed way and what is next to it, not for everything. */
watch(
  () =>
    Object.keys(focus.followed?.lit.nodes ?? {})
      .sort()
      .join('\n'),
  (ids) => workspace.show({ only: ids ? ids.split('\n') : [] }),
  { immediate: true },
);
onBeforeUnmount(() => workspace.show({ only: [] }));
</script>

<template>
  <div class="trace" :class="way">
    <div class="bar">
      <FollowBar />
      <span class="ways" role="group" aria-label="what is followed">
        <button
          v-for="each in WAYS"
          :key="each.id"
          class="plain"
          :aria-pressed="way === each.id"
          @click="way = each.id"
        >
          {{ each.title }}
        </button>
      </span>
    </div>
    <Many v-if="way === 'many'" class="whole" @follow="way = 'one'" />
    <template v-else>
      <div class="side">
        <Kept v-if="way === 'kept'" @follow="way = 'one'" />
        <template v-else>
          <Compose />
          <Outcome />
        </template>
      </div>
      <Graph class="drawing" :least="0.96" />
    </template>
  </div>
</template>

<style scoped>
.trace {
  display: grid;
  grid-template: 40px minmax(0, 1fr) / 404px minmax(0, 1fr);
  min-height: 0;
}
.bar {
  grid-column: 1 / 3;
  display: flex;
  justify-content: space-between;
  align-items: center;
  padding: 0 12px;
  border-bottom: 1px solid var(--hairline);
}
.ways {
  display: flex;
  gap: 14px;
}
.ways button {
  padding: 8px 2px;
  color: var(--soft);
  border-bottom: 2px solid transparent;
}
.ways button[aria-pressed='true'] {
  color: var(--ink);
  font-weight: 600;
  border-color: var(--accent);
}
.whole {
  grid-column: 1 / 3;
}
.side {
  overflow: auto;
  padding: 12px;
  min-height: 0;
  background: var(--sheet);
  border-right: 1px solid var(--hairline);
  display: grid;
  gap: 16px;
  align-content: start;
}
</style>
