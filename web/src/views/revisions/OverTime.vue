<script setup lang="ts">
import { computed } from 'vue';

/** Size and findings over the revisions: two small lines, one above the other. */
const { points, picked } = defineProps<{
  points: readonly { number: number; error: number; warning: number; queues: number }[];
  picked: number;
}>();
defineEmits<{ pick: [number: number] }>();

const WIDTH = 350;
const HEIGHT = 34;
const x = (i: number) => 4 + ((WIDTH - 8) * i) / Math.max(1, points.length - 1);
/** A line of values, the largest at the top. */
function line(values: readonly number[]) {
  const most = Math.max(...values);
  const y = (value: number) => HEIGHT - 3 - ((HEIGHT - 8) * value) / Math.max(1, most);
  return { most, path: values.map((value, i) => `${i ? 'L' : 'M'}${x(i)} ${y(value)}`).join(''), y };
}
const size = computed(() => line(points.map(({ queues }) => queues)));
const findings = computed(() => line(points.map(({ error, warning }) => error + warning)));
const at = computed(() => points.findIndex(({ number }) => number === picked));
</script>

<template>
  <figure>
    <figcaption class="soft">
      <span><i class="size" /> stores, {{ size.most }} at most</span>
      <span><i class="findings" /> errors and warnings, {{ findings.most }} at most</span>
    </figcaption>
    <svg
      :viewBox="`0 0 ${WIDTH} ${HEIGHT}`"
      role="img"
      :aria-label="`stores and findings over ${points.length} revisions`"
    >
      <line v-if="at >= 0" class="now" :x1="x(at)" :x2="x(at)" y1="0" :y2="HEIGHT" />
      <path class="size" :d="size.path" />
      <path class="findings" :d="findings.path" />
      <rect
        v-for="(point, i) in points"
        :key="point.number"
        :x="x(i) - WIDTH / points.length / 2"
        y="0"
        :width="WIDTH / points.length"
        :height="HEIGHT"
        @click="$emit('pick', point.number)"
      >
        <title>
          r{{ point.number }}: {{ point.queues }} stores, {{ point.error }} errors,
          {{ point.warning }} warnings
        </title>
      </rect>
    </svg>
  </figure>
</template>

<style scoped>
figure {
  margin: 0;
  padding: 0 14px 8px;
}
figcaption {
  display: flex;
  gap: 14px;
  font-size: 12px;
}
i {
  display: inline-block;
  width: 14px;
  height: 0;
  border-top: 2px solid var(--edge);
  vertical-align: middle;
}
i.findings {
  border-color: var(--error);
}
svg {
  width: 100%;
  display: block;
  border-bottom: 1px solid var(--hairline);
}
path {
  fill: none;
  stroke-width: 1.6;
}
path.size {
  stroke: var(--edge);
}
path.findings {
  stroke: var(--error);
}
.now {
  stroke: var(--accent);
  stroke-dasharray: 2 2;
}
rect {
  fill: transparent;
  cursor: pointer;
}
</style>
