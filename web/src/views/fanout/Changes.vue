<script setup lang="ts">
import { computed } from 'vue';
import Said from '../../parts/Said.vue';
import { useWorkspace } from '../../stores/workspace.ts';
import { useFocus } from '../../stores/focus.ts';

/** What the draft changes against the revision compared with, to step through. */
const workspace = useWorkspace();
const focus = useFocus();
const changes = computed(() => workspace.drawing?.changes ?? []);
const counts = computed(() => {
  const found = new Map<string, number>();
  for (const { kind } of changes.value) found.set(kind, (found.get(kind) ?? 0) + 1);
  return [...found].map(([kind, count]) => `${count} ${kind}`).join(', ');
});
</script>

<template>
  <section aria-label="changes" data-testid="changes">
    <h2>Against r{{ workspace.compared }}</h2>
    <p v-if="changes.length === 0" class="soft">Nothing differs: no node, no way, no condition.</p>
    <p v-else class="soft">{{ counts }}</p>
    <ol>
      <li v-for="change in changes" :key="`${change.of} ${change.id} ${change.kind}`">
        <button class="plain" :class="change.kind" @click="focus.selected = change.at">
          <b>{{ change.kind }}</b> <Said :text="change.text" />
        </button>
      </li>
    </ol>
  </section>
</template>

<style scoped>
section {
  display: grid;
  gap: 6px;
  overflow-wrap: anywhere;
}
ol {
  display: grid;
  gap: 8px;
}
button {
  text-align: left;
}
button:hover {
  background: var(--band);
}
.added b {
  color: var(--good);
}
.removed b {
  color: var(--error);
}
.re-routed b,
.changed b {
  color: var(--warning);
}
</style>
