<script setup lang="ts">
import { computed } from 'vue';
import type { LookSeen } from '../api.ts';
import type { EdgeView, PlacedEdge, PlacedNode } from '../workers/views.ts';
import {
  type Counted,
  countsById,
  flowsOn,
  linesIn,
  onlyWays,
  tagsIn,
  type View,
  widthOf,
} from '../views/watch/in-picture.ts';
import { linePath } from './graph-lines.ts';

/** Over the picture: how many wait at each store and come to each entry now, and what flows on lines. Nothing is moved by it. */
const props = defineProps<{
  /** Asked for rather than given, as the view: who shows this is not to be made anew with every look. */
  look: () => LookSeen | undefined;
  nodes: readonly PlacedNode[];
  edges: readonly (PlacedEdge & { view: EdgeView })[];
  plate: { readonly width: number; readonly height: number };
  /** The part that is shown, once it is not moved any more. */
  view: () => View;
}>();
const counts = computed(() => {
  const look = props.look();
  return look ? countsById(look) : new Map<string, Counted>();
});
const tags = computed(() => tagsIn(props.nodes, counts.value, props.view(), props.plate));
const ways = computed(() =>
  onlyWays(props.edges.map(({ id, view: { from, to, kind } }) => ({ id, from, to, kind }))),
);
const known = computed(() => flowsOn(ways.value, counts.value));
const flows = computed(() =>
  linesIn(props.edges, known.value, props.view()).map(({ line, aSecond }) => ({
    id: line.id,
    path: linePath(line.points),
    width: widthOf(aSecond),
  })),
);
/** So wide a letter of the small face is. */
const LETTER = 6.1;
</script>

<template>
  <g v-if="look()" class="live" data-testid="live-counts">
    <path v-for="each in flows" :key="each.id" class="flow" :d="each.path" :stroke-width="each.width" />
    <g
      v-for="each in tags"
      :key="each.id"
      :class="['tag', each.tone]"
      :transform="`translate(${each.x + plate.width - 4} ${each.y + plate.height + 4})`"
    >
      <rect
        v-if="each.words === ''"
        class="mark"
        :x="-plate.width"
        :y="-plate.height - 8"
        :width="plate.width + 8"
        :height="plate.height + 8"
      />
      <rect
        v-else
        :x="-each.words.length * LETTER - 8"
        y="-7"
        :width="each.words.length * LETTER + 12"
        height="15"
        rx="3"
      />
      <text v-if="each.words" text-anchor="end" x="-2" y="4">{{ each.words }}</text>
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
.tag .mark {
  fill-opacity: 0.6;
  stroke-width: 8;
}
.tag text {
  font: 10px var(--mono);
  fill: var(--ink);
}
.tag {
  pointer-events: none;
}
</style>
