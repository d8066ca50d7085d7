<script setup lang="ts">
import { ElButton } from 'element-plus';
import { useBench } from '../stores/bench.ts';
import Said from './Said.vue';
import type { FindingView, Spot } from '../workers/views.ts';

defineProps<{ findings: readonly FindingView[]; showPlace?: boolean }>();
const emit = defineEmits<{ show: [spot: Spot] }>();
const bench = useBench();

const WORDS = { error: 'Error', warning: 'Warning', advice: 'Advice' };
</script>

<template>
  <ul class="findings">
    <li
      v-for="finding in findings"
      :key="`${finding.check} ${finding.spot.doc} ${finding.spot.start}`"
      data-testid="finding"
    >
      <p>
        <b :class="finding.severity">{{ WORDS[finding.severity] }}.</b> <Said :text="finding.message" />
      </p>
      <template v-for="(each, index) in finding.mends" :key="each.title">
        <pre v-for="edit in each.edits" :key="edit.start" class="mono">{{ edit.text.trim() }}</pre>
        <el-button
          size="small"
          type="primary"
          plain
          :disabled="!bench.canWrite"
          @click="bench.mend(finding, index)"
          >{{ each.title }}</el-button
        >
      </template>
      <button class="plain place" @click="emit('show', finding.spot)">
        {{ showPlace ? `${finding.spot.doc} ${finding.spot.line}:${finding.spot.column}` : 'show in text' }}
      </button>
    </li>
  </ul>
</template>

<style scoped>
.findings {
  display: grid;
  gap: 14px;
}
pre {
  margin: 6px 0;
  padding: 6px 8px;
  background: var(--accent-sheet);
  white-space: pre-wrap;
  overflow-wrap: anywhere;
}
.place {
  color: var(--accent);
  text-decoration: underline;
  font-size: 13px;
  margin-left: 8px;
}
p + .place {
  margin-left: 0;
}
.advice {
  color: var(--soft);
}
</style>
