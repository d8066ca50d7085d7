<script setup lang="ts">
import { computed } from 'vue';
import type { CloseUp, Ways } from '../workers/views.ts';
import { linePath, platePath } from './graph-lines.ts';

/** A thing with what leads to it and what it leads to, drawn small. */
const props = defineProps<{ of: CloseUp }>();
const emit = defineEmits<{ pick: [id: string] }>();

const WIDTH = 262;
const PLATE = { width: 80, height: 20 };
const ROW = 26;
const MOST = 6;

interface Small {
  id: string;
  text: string;
  title: string;
  y: number;
  role?: Ways['list'][number]['role'];
}

function column(ways: Ways): Small[] {
  const seen = new Map<string, Ways['list'][number]>();
  for (const way of ways.list) if (!seen.has(way.id)) seen.set(way.id, way);
  const all = [...seen.values()];
  const shown = all.length > MOST ? all.slice(0, MOST - 1) : all;
  const rows: Small[] = shown.map((way, i) => ({
    id: way.id,
    text: clip(way.name.replace(/^[^/]*\//, '')),
    title: `${way.name}: ${way.by}`,
    y: i * ROW,
    role: way.role,
  }));
  const more = ways.count - shown.length;
  if (all.length > MOST) rows.push({ id: '', text: `${more} more`, title: '', y: rows.length * ROW });
  return rows;
}

const clip = (text: string) => ([...text].length > 10 ? `${[...text].slice(0, 9).join('')}…` : text);
const left = computed(() => column(props.of.upstream));
const right = computed(() => column(props.of.downstream));
const height = computed(() => Math.max(left.value.length, right.value.length, 1) * ROW - 4);
const middle = computed(() => (height.value - PLATE.height) / 2);
const offset = (rows: readonly Small[]) => (height.value - (rows.length * ROW - 6)) / 2;
const half = PLATE.height / 2;

const lines = computed(() => {
  const y = middle.value + half;
  const from = (rows: readonly Small[]) => rows.map((row) => row.y + offset(rows) + half);
  const x = (WIDTH - PLATE.width) / 2;
  return [
    ...from(left.value).map((at) =>
      linePath([
        { x: PLATE.width, y: at },
        { x, y },
      ]),
    ),
    ...from(right.value).map((at) =>
      linePath([
        { x: x + PLATE.width, y },
        { x: WIDTH - PLATE.width, y: at },
      ]),
    ),
  ];
});
const sides = computed(() => [
  ...left.value.map((row) => ({ ...row, x: 0, y: row.y + offset(left.value) })),
  ...right.value.map((row) => ({ ...row, x: WIDTH - PLATE.width, y: row.y + offset(right.value) })),
]);
</script>

<template>
  <svg
    :viewBox="`-1 -1 ${WIDTH + 2} ${height + 2}`"
    role="group"
    aria-label="what leads here and where it leads"
  >
    <path v-for="(line, i) in lines" :key="i" class="line" :d="line" />
    <g
      v-for="(row, i) in sides"
      :key="i"
      :class="{ node: row.id }"
      :transform="`translate(${row.x} ${row.y})`"
      :role="row.id ? 'button' : undefined"
      :tabindex="row.id ? 0 : undefined"
      :aria-label="row.id ? `${row.text} ${row.title}` : undefined"
      @click="row.id && emit('pick', row.id)"
      @keydown.enter="row.id && emit('pick', row.id)"
    >
      <path v-if="row.role" class="plate" :d="platePath(row.role, PLATE)" />
      <text
        :x="PLATE.width / 2 + (row.role === 'taker' ? 4 : 0)"
        y="14"
        text-anchor="middle"
        :class="{ soft: !row.id }"
      >
        {{ row.text + ' ' }}
      </text>
      <title v-if="row.title">{{ row.title }}</title>
    </g>
    <g :transform="`translate(${(WIDTH - PLATE.width) / 2} ${middle})`">
      <rect class="self" :width="PLATE.width" :height="PLATE.height" rx="3" />
      <text :x="PLATE.width / 2" y="14" text-anchor="middle">{{ clip(of.name) }}</text>
    </g>
  </svg>
</template>

<style scoped>
svg {
  width: 100%;
  overflow: visible;
}
text {
  font: 11px var(--mono);
  fill: var(--ink);
}
text.soft {
  fill: var(--soft);
}
.line {
  fill: none;
  stroke: var(--edge);
}
.plate {
  fill: var(--sheet);
  stroke: var(--edge);
}
.self {
  fill: var(--accent-sheet);
  stroke: var(--accent);
}
.node {
  cursor: pointer;
  outline: none;
}
.node:hover .plate,
.node:focus-visible .plate {
  stroke: var(--ink);
  stroke-width: 2;
}
</style>
