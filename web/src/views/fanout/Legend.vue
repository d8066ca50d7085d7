<script setup lang="ts">
import { computed } from 'vue';
import { platePath } from '../../parts/graph-lines.ts';
import { useWorkspace } from '../../stores/workspace.ts';
import { useFocus } from '../../stores/focus.ts';
import type { EdgeView, NodeView } from '../../workers/views.ts';

/** What the shapes and lines mean, of those that are on the screen. */
const workspace = useWorkspace();
const focus = useFocus();
const SMALL = { width: 34, height: 14 };
const ROLES: [NodeView['role'][], NodeView['role'], string][] = [
  [['publisher'], 'publisher', 'publisher'],
  [['exchange', 'topic', 'alias', 'spread'], 'exchange', 'entry, inner routing'],
  [['queue', 'subscription'], 'queue', 'store'],
  [['taker'], 'taker', 'taker'],
  [['broker'], 'broker', 'a broker, folded'],
];
const LINES: [EdgeView['kind'], string, string][] = [
  ['deadLetter', '2 4', 'dead letters'],
  ['unrouted', '9 3', 'unrouted'],
  ['link', '5 4', 'link'],
  ['follows', '1 3', 'because of it'],
  ['hands', '1 3', 'handed on, outside of brokers'],
];
const roles = computed(() => {
  const present = new Set(workspace.drawing?.nodes.map(({ role }) => role));
  return ROLES.filter(([of]) => of.some((role) => present.has(role)));
});
const lines = computed(() => {
  const present = new Set(workspace.drawing?.edges.map(({ kind }) => kind));
  return LINES.filter(([kind]) => present.has(kind));
});
const went = computed(() =>
  Object.entries(focus.before?.edges ?? {}).some(
    ([id, state]) => state === 'passed' && focus.followed?.lit.edges[id] !== 'passed',
  ),
);
const marks = computed(() => {
  const present = new Set(
    [...(workspace.drawing?.nodes ?? []), ...(workspace.drawing?.edges ?? [])].map(({ change }) => change),
  );
  return [
    ['+', 'added', present.has('added')],
    ['−', 'removed', present.has('removed')],
    ['~', 'changed, re-routed', present.has('changed') || present.has('re-routed')],
  ].filter(([, , shown]) => shown);
});
</script>

<template>
  <ul class="legend" aria-label="what the shapes and lines mean">
    <li v-for="[, shape, words] in roles" :key="words">
      <svg :width="SMALL.width + 2" :height="SMALL.height + 2" viewBox="-1 -1 36 16" aria-hidden="true">
        <path :d="platePath(shape, SMALL)" />
        <path v-if="shape === 'queue'" d="M29 2v10m-3 0v-10" />
      </svg>
      {{ words }}
    </li>
    <li v-for="[kind, dashes, words] in lines" :key="kind">
      <svg width="30" height="6" aria-hidden="true"><path d="M0 3h30" :stroke-dasharray="dashes" /></svg
      >{{ words }}
    </li>
    <li v-if="focus.before && went">
      <svg width="30" height="6" aria-hidden="true">
        <path class="went" d="M1 3h29" stroke-dasharray="1 4" stroke-linecap="round" /></svg
      >its way in r{{ workspace.compared }}, not now
    </li>
    <li v-for="[mark, words] in marks" :key="String(words)">
      <b class="mono">{{ mark }}</b> {{ words }}
    </li>
    <li v-if="focus.followed"><b class="count">3</b> copies that go on</li>
  </ul>
</template>

<style scoped>
.legend {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 14px;
  font-size: 12px;
  color: var(--soft);
}
li {
  display: flex;
  align-items: center;
  gap: 5px;
}
path {
  fill: none;
  stroke: var(--edge);
  stroke-width: 1.4;
}
.count {
  background: var(--accent);
  color: var(--on-accent);
  border-radius: 50%;
  width: 16px;
  text-align: center;
  font-size: 11px;
}
.went {
  stroke: var(--error);
  stroke-width: 2;
}
</style>
