<script setup lang="ts">
import type { ChangedLines } from '../workers/views.ts';

/** What an edit changes, line by line: gone lines struck, new ones marked; read without colour too. */
defineProps<{ changes: readonly ChangedLines[] }>();
</script>

<template>
  <figure v-for="change in changes" :key="`${change.doc} ${change.line}`" data-testid="diff">
    <figcaption class="soft mono">{{ change.doc }} {{ change.line }}</figcaption>
    <!-- one line after another, so that nothing stands between them -->
    <pre
      class="mono"
    ><span v-for="(line, i) in change.lines" :key="i" :class="{ gone: line.mark === '−', come: line.mark === '+' }">{{ line.mark }} {{ line.text }}
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
