<script setup lang="ts">
import { computed } from 'vue';
import type { Glance } from '../../api.ts';

/** The shape of a topology, small: who publishes on the left, who takes on the right, brokers below each other. */
const props = defineProps<{ shape: Glance['shape'] }>();
const WIDTH = 132;
const HEIGHT = 62;
const GAP = 3;

const placed = computed(() => {
  const { nodes } = props.shape;
  const lanes = new Map<number, number[]>();
  // within a lane in the order of their brokers
  nodes
    .map(([lane, band], i) => ({ lane, band, i }))
    .sort((a, b) => a.band - b.band || a.i - b.i)
    .forEach(({ lane, i }) => lanes.set(lane, [...(lanes.get(lane) ?? []), i]));
  const at: { x: number; y: number; lane: number }[] = [];
  for (const [lane, own] of lanes)
    own.forEach((i, k) => {
      at[i] = {
        x: 6 + (lane * (WIDTH - 12)) / 3,
        y: GAP + ((k + 0.5) * (HEIGHT - 2 * GAP)) / own.length,
        lane,
      };
    });
  return at;
});
const size = computed(() => Math.max(1.4, Math.min(3.4, 40 / Math.sqrt(placed.value.length + 1) / 2)));
</script>

<template>
  <svg :viewBox="`0 0 ${WIDTH} ${HEIGHT}`" :width="WIDTH" :height="HEIGHT" aria-hidden="true">
    <line
      v-for="([from, to], i) in shape.ways"
      :key="i"
      :x1="placed[from]?.x"
      :y1="placed[from]?.y"
      :x2="placed[to]?.x"
      :y2="placed[to]?.y"
    />
    <template v-for="(node, i) in placed" :key="`n${i}`">
      <rect
        v-if="node.lane === 2"
        :x="node.x - size"
        :y="node.y - size"
        :width="2 * size"
        :height="2 * size"
      />
      <circle v-else :cx="node.x" :cy="node.y" :r="size" :class="{ app: node.lane !== 1 }" />
    </template>
  </svg>
</template>

<style scoped>
line {
  stroke: var(--hairline);
  stroke-width: 0.8;
}
circle,
rect {
  fill: var(--accent);
}
.app {
  fill: var(--soft);
}
</style>
