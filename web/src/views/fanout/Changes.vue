<script setup lang="ts">
import { ElButton } from 'element-plus';
import { computed } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import Said from '../../parts/Said.vue';
import { useWorkspace } from '../../stores/workspace.ts';
import { useFocus } from '../../stores/focus.ts';
import { useTold } from '../../stores/told.ts';
import { core } from '../../workers/client.ts';
import type { DifferenceView } from '../../workers/views.ts';

/** What the draft changes against the revision compared with, to step through. */
const workspace = useWorkspace();
const focus = useFocus();
const changes = computed(() => workspace.drawing?.changes ?? []);
const counts = computed(() => {
  const found = new Map<string, number>();
  for (const { kind } of changes.value) found.set(kind, (found.get(kind) ?? 0) + 1);
  return [...found].map(([kind, count]) => `${count} ${kind}`).join(', ');
});

/** What it does to messages: all of them, not examples. */
const { so, stopped, stop, goOn, running } = useTold(
  () => core.differing(),
  () => workspace.compared,
);
const route = useRoute();
const router = useRouter();
/** Lights the way of one of the messages, and the way it went before. */
async function light({ type, from, message }: DifferenceView['changes'][number]) {
  if (!message) return;
  await router.replace({ query: { ...route.query, type, from, sample: undefined, sel: undefined } });
  focus.edited = message;
}
</script>

<template>
  <section aria-label="changes" data-testid="changes">
    <h2>Against r{{ workspace.compared }}</h2>
    <section v-if="so && so.of" aria-label="what messages do otherwise" data-testid="messages-differ">
      <h3>What messages do otherwise</h3>
      <p v-if="so.told < so.of" class="soft" role="status">
        {{ so.told.toLocaleString('en') }} of {{ so.of.toLocaleString('en') }} publishes compared
        <el-button v-if="running" size="small" @click="stop">Stop</el-button>
        <el-button v-else-if="stopped" size="small" @click="goOn">Go on</el-button>
      </p>
      <p v-else-if="so.changes.length === 0" class="good">No message goes elsewhere.</p>
      <ol>
        <li v-for="(change, i) in so.changes" :key="i">
          <button
            class="plain"
            :disabled="!change.message"
            title="light the way of one of them, and the way it went before"
            data-testid="messages-change"
            @click="light(change)"
          >
            {{ change.sentence }}
          </button>
          <span v-if="change.unless" class="warning" :title="change.unless">not proved</span>
        </li>
      </ol>
    </section>
    <h3>What is declared otherwise</h3>
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
h3 {
  font-size: 14px;
  font-weight: 600;
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
