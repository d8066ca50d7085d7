<script setup lang="ts">
import { computed, ref } from 'vue';
import type { Layout } from '../workers/views.ts';

/** The whole graph drawn small, and which part of it is in view. Press or drag to go elsewhere. */
const props = defineProps<{
  layout: Layout;
  /** The part in view, in the graph's units; asked here, since it changes with every step of a move. */
  inView: () => { x: number; y: number; width: number; height: number };
  lit: ReadonlySet<string>;
}>();
const open = defineModel<boolean>({ required: true });
const emit = defineEmits<{ go: [to: { x: number; y: number }] }>();
const frame = ref<SVGSVGElement>();
const MOST = { width: 110, height: 116 };

const view = computed(() => props.inView());
const scale = computed(() => Math.min(MOST.width / props.layout.width, MOST.height / props.layout.height));
const plates = (of: boolean) => {
  const { width, height } = props.layout.plate;
  return props.layout.nodes
    .filter(({ id }) => props.lit.has(id) === of)
    .map(({ x, y }) => `M${x} ${y}h${width}v${height}h${-width}z`)
    .join('');
};
const plain = computed(() => plates(false));
const marked = computed(() => plates(true));

function go(event: PointerEvent) {
  if (!(event.buttons & 1)) return;
  const box = frame.value!.getBoundingClientRect();
  emit('go', { x: (event.clientX - box.x) / scale.value, y: (event.clientY - box.y) / scale.value });
}
function press(event: PointerEvent) {
  (event.currentTarget as Element).setPointerCapture(event.pointerId);
  go(event);
}
</script>

<template>
  <div class="corner">
    <button class="plain" :aria-expanded="open" @click="open = !open">
      overview<span v-if="open" aria-hidden="true"> ×</span>
    </button>
    <svg
      v-if="open"
      ref="frame"
      class="overview"
      data-testid="overview"
      aria-hidden="true"
      :width="layout.width * scale"
      :height="layout.height * scale"
      :viewBox="`0 0 ${layout.width} ${layout.height}`"
      @pointerdown.stop="press"
      @pointermove="go"
      @mousedown.stop
    >
      <rect
        v-for="band in layout.bands"
        :key="band.broker"
        class="band"
        :x="band.x"
        :y="band.y"
        :width="band.width"
        :height="band.height"
      />
      <path class="plain-plates" :d="plain" />
      <path class="lit-plates" :d="marked" />
      <rect
        class="view"
        :x="view.x"
        :y="view.y"
        :width="view.width"
        :height="view.height"
        vector-effect="non-scaling-stroke"
      />
    </svg>
  </div>
</template>

<style scoped>
.corner {
  position: absolute;
  left: 8px;
  bottom: 8px;
  display: grid;
  justify-items: start;
  gap: 3px;
}
.corner button {
  padding: 0 8px;
  border: 1px solid var(--hairline);
  border-radius: 3px;
  background: var(--sheet);
  font-size: 12px;
}
.overview {
  background: var(--paper);
  border: 1px solid var(--edge);
  cursor: pointer;
  touch-action: none;
}
.band {
  fill: var(--band);
}
.plain-plates {
  fill: var(--edge);
}
.lit-plates {
  fill: var(--accent);
}
.view {
  fill: var(--accent);
  fill-opacity: 0.1;
  stroke: var(--ink);
  stroke-width: 1.5px;
}
</style>
