<script setup lang="ts">
import { computed, ref } from 'vue';
import type { Rollout } from '../../api.ts';
import Said from '../../parts/Said.vue';

/** Steps to be read from first to last, each with its number. */
const { steps } = defineProps<{ steps: Rollout['steps'] }>();
const undoing = ref(false);
const canUndo = computed(() => steps.some(({ inverse }) => inverse));

const SIGNS = { pending: '', running: '›', done: '✓', failed: '✕', unknown: '?' } as const;
const RISKS = {
  none: '',
  interrupts: 'stops what comes this way now',
  loses: 'messages may be lost',
  'widens access': 'lets somebody do more',
} as const;
</script>

<template>
  <label v-if="canUndo" class="soft"><input v-model="undoing" type="checkbox" /> how each is undone</label>
  <ol>
    <li v-for="each in steps" :key="each.position" :class="each.state" data-testid="step">
      <span class="state" :aria-label="each.state">{{ SIGNS[each.state] || each.position + 1 }}</span>
      <div>
        <span class="title"><Said :text="each.title" /></span>
        <span v-if="RISKS[each.risk]" class="warning">{{ RISKS[each.risk] }}</span>
        <span v-if="each.destroys && each.state !== 'done'" class="soft">{{ each.destroys }}</span>
        <span v-if="each.said" class="soft">{{ each.said }}</span>
        <span v-if="each.error" class="error">{{ each.error }}</span>
        <span v-if="undoing && each.inverse" class="undo">to undo it: {{ each.inverse }}</span>
      </div>
    </li>
  </ol>
</template>

<style scoped>
li {
  display: grid;
  grid-template-columns: 30px 1fr;
  padding: 3px 0;
  border-bottom: 1px solid var(--hairline);
  font: 12px/1.6 var(--mono);
}
li > div {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 10px;
}
.done {
  color: var(--soft);
}
.state {
  color: var(--soft);
  text-align: right;
  padding-right: 8px;
}
.done .state {
  color: var(--good);
}
.failed .state {
  color: var(--error);
}
.title {
  overflow-wrap: anywhere;
}
.undo {
  flex-basis: 100%;
  color: var(--soft);
}
</style>
