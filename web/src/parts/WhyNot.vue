<script setup lang="ts">
import { ElButton } from 'element-plus';
import { useWorkspace } from '../stores/workspace.ts';
import { useFocus } from '../stores/focus.ts';
import type { Spot, WhyNotView } from '../workers/views.ts';
import Said from './Said.vue';

/** Why the selected store gets no copy of the followed message, and changes that were tried and work. */
const workspace = useWorkspace();
const focus = useFocus();
const emit = defineEmits<{ show: [spot: Spot] }>();

function make(change: WhyNotView['changes'][number]) {
  if (change.of === 'message') focus.edited = change.message;
  else workspace.make(change.edits);
}
</script>

<template>
  <section v-if="focus.whyNot" class="why-not" aria-label="why not" data-testid="why-not">
    <h2>Why no copy comes here</h2>
    <article v-for="each in focus.whyNot" :key="each.to">
      <p>
        Sent to <code>{{ each.to }}</code>: <Said :text="each.text" />
        <button v-if="each.spot" class="plain link" @click="emit('show', each.spot)">
          {{ each.spot.doc }} {{ each.spot.line }}
        </button>
      </p>
      <p v-if="each.changes.length" class="soft">Tried, and it would arrive:</p>
      <ul>
        <li v-for="change in each.changes" :key="change.title">
          <el-button
            size="small"
            :disabled="change.of === 'topology' && !workspace.canWrite"
            @click="make(change)"
            >{{ change.of === 'message' ? 'try' : 'edit' }}</el-button
          >
          <Said :text="change.title" />
          <template v-if="change.of === 'topology'">
            <pre v-for="edit in change.edits" :key="edit.start" class="mono">{{
              edit.text.trim() || 'takes text away'
            }}</pre>
          </template>
        </li>
      </ul>
    </article>
  </section>
</template>

<style scoped>
.why-not,
article,
ul {
  display: grid;
  gap: 6px;
}
h2 {
  padding-bottom: 3px;
  border-bottom: 1px solid var(--hairline);
}
.link {
  color: var(--accent);
  text-decoration: underline;
  font-size: 13px;
  margin-left: 6px;
}
li :deep(.el-button) {
  margin-right: 8px;
}
pre {
  margin: 4px 0 0;
  padding: 5px 8px;
  background: var(--accent-sheet);
  white-space: pre-wrap;
  overflow-wrap: anywhere;
}
li {
  overflow-wrap: anywhere;
}
</style>
