<script setup lang="ts">
import type { FindingView, Spot } from '../workers/views.ts';
import Mends from './Mends.vue';
import Said from './Said.vue';

defineProps<{ findings: readonly FindingView[]; showPlace?: boolean }>();
const emit = defineEmits<{ show: [spot: Spot] }>();

const WORDS = { error: 'Error', warning: 'Warning', advice: 'Advice' };
</script>

<template>
  <ul class="findings">
    <li
      v-for="finding in findings"
      :key="`${finding.check} ${finding.spot.doc} ${finding.spot.start} ${finding.message}`"
      data-testid="finding"
    >
      <p>
        <b :class="finding.severity">{{ WORDS[finding.severity] }}.</b> <Said :text="finding.message" />
        <button class="plain place" @click="emit('show', finding.spot)">
          {{ showPlace ? `${finding.spot.doc} ${finding.spot.line}:${finding.spot.column}` : 'show in text' }}
        </button>
      </p>
      <Mends :finding="finding" />
    </li>
  </ul>
</template>

<style scoped>
.findings {
  display: grid;
  gap: 14px;
}
.place {
  color: var(--accent);
  text-decoration: underline;
  font-size: 13px;
  margin-left: 6px;
}
.advice {
  color: var(--soft);
}
</style>
