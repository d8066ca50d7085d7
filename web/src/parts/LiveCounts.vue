<script setup lang="ts">
import { computed } from 'vue';
import type { LookSeen } from '../api.ts';
import type { EdgeView, PlacedEdge, PlacedNode } from '../workers/views.ts';
import { countsById, flowsOn, inFewWords, widthOf } from '../views/watch/in-picture.ts';
import { linePath } from './graph-lines.ts';

/** Over the picture: how many wait at each store and come to each entry now, and what flows on lines. Nothing is moved by it. */
const props = defineProps<{
  look: LookSeen;
  nodes: readonly PlacedNode[];
  edges: readonly (PlacedEdge & { view: EdgeView })[];
  plate: { readonly width: number; readonly height: number };
}>();
const counts = computed(() => countsById(props.look));
const tags = computed(() =>
  props.nodes.flatMap((node) => {
    const counted = counts.value.get(node.id);
    const words = counted && inFewWords(counted);
    return words ? [{ id: node.id, x: node.x, y: node.y, words, tone: counted.tone }] : [];
  }),
);
const flows = computed(() => {
  const known = flowsOn(
    props.edges.map(({ id, view }) => ({ id, from: view.from, to: view.to, kind: view.kind })),
    counts.value,
  );
  return props.edges.flatMap(({ id, points }) => {
    const aSecond = known.get(id);
    return aSecond === undefined ? [] : [{ id, path: linePath(points), width: widthOf(aSecond), aSecond }];
  });
});
/** So wide a letter of the small face is. */
const LETTER = 6.1;
</script>

<template>
  <g class="live" data-testid="live-counts">
    <path v-for="each in flows" :key="each.id" class="flow" :d="each.path" :stroke-width="each.width">
      <title>{{ each.aSecond.toFixed(1) }} a second</title>
    </path>
    <g
      v-for="each in tags"
      :key="each.id"
      :class="['tag', each.tone]"
      :transform="`translate(${each.x + plate.width - 4} ${each.y + plate.height + 4})`"
    >
      <rect
        :x="-each.words.length * LETTER - 8"
        y="-7"
        :width="each.words.length * LETTER + 12"
        height="15"
        rx="3"
      />
      <text text-anchor="end" x="-2" y="4">{{ each.words }}</text>
    </g>
  </g>
</template>

<style scoped>
.flow {
  fill: none;
  stroke: var(--accent);
  stroke-opacity: 0.35;
  stroke-linecap: round;
  pointer-events: none;
}
.tag rect {
  fill: var(--sheet);
  stroke: var(--edge);
}
.tag.warning rect {
  stroke: var(--warning);
}
.tag.error rect {
  stroke: var(--error);
  fill: var(--error-sheet);
}
.tag text {
  font: 10px var(--mono);
  fill: var(--ink);
}
.tag {
  pointer-events: none;
}
</style>
