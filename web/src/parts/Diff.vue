<script setup lang="ts">
import type { ChangedLines } from '../workers/views.ts';

/** What an edit changes, line by line: gone lines struck, new ones marked; read without colour too. */
defineProps<{ changes: readonly ChangedLines[] }>();

interface Line {
  mark: ' ' | '−' | '+';
  text: string;
}

/** Lines that stay are told once; they frame what goes and comes. */
function lines({ before, after }: ChangedLines): Line[] {
  let head = 0;
  while (head < Math.min(before.length, after.length) && before[head] === after[head]) head++;
  let tail = 0;
  while (tail < Math.min(before.length, after.length) - head && before.at(-1 - tail) === after.at(-1 - tail))
    tail++;
  const as =
    (mark: Line['mark']) =>
    (text: string): Line => ({ mark, text });
  return [
    ...before.slice(0, head).map(as(' ')),
    ...before.slice(head, before.length - tail).map(as('−')),
    ...after.slice(head, after.length - tail).map(as('+')),
    ...before.slice(before.length - tail).map(as(' ')),
  ];
}
</script>

<template>
  <figure v-for="change in changes" :key="`${change.doc} ${change.line}`" data-testid="diff">
    <figcaption class="soft mono">{{ change.doc }} {{ change.line }}</figcaption>
    <!-- one line after another, so that nothing stands between them -->
    <pre
      class="mono"
    ><span v-for="(line, i) in lines(change)" :key="i" :class="{ gone: line.mark === '−', come: line.mark === '+' }">{{ line.mark }} {{ line.text }}
</span></pre>
  </figure>
</template>

<style scoped>
figure {
  margin: 4px 0;
}
pre {
  margin: 2px 0 0;
  padding: 6px 8px;
  background: var(--band);
  white-space: pre-wrap;
  overflow-wrap: anywhere;
}
.gone {
  color: var(--error);
  text-decoration: line-through;
}
.come {
  color: var(--good);
  font-weight: 600;
}
</style>
