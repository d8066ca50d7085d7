<script setup lang="ts">
import { ElButton } from 'element-plus';
import { computed, onBeforeUnmount, ref, shallowRef } from 'vue';
import Said from '../../parts/Said.vue';
import { readLines } from '../../api.ts';
import { useWorkspace } from '../../stores/workspace.ts';

/** All messages of a very large topology, told by the server and saved as a file. */
const workspace = useWorkspace();
const so = shallowRef<{ told: number; of: number }>();
const trouble = ref('');
const stop = shallowRef<AbortController>();
const running = computed(() => stop.value !== undefined);

async function tell() {
  const ending = (stop.value = new AbortController());
  trouble.value = '';
  so.value = undefined;
  try {
    // what is told is the draft as it is saved
    await workspace.save();
    const { slug } = workspace.topology!;
    const query = workspace.environment ? `?environment=${encodeURIComponent(workspace.environment)}` : '';
    const file = await readLines(
      `/topologies/${encodeURIComponent(slug)}/classes${query}`,
      (line) => {
        if ('told' in line) so.value = line;
        else trouble.value = line.detail;
      },
      ending.signal,
    );
    if (!trouble.value) save(file);
  } catch (error) {
    if (!ending.signal.aborted) trouble.value = (error as Error).message;
  } finally {
    if (stop.value === ending) stop.value = undefined;
  }
}
function save(file: Blob) {
  const url = URL.createObjectURL(file);
  Object.assign(document.createElement('a'), { href: url, download: 'all-messages.ndjson' }).click();
  setTimeout(() => URL.revokeObjectURL(url), 10_000);
}
const end = () => {
  stop.value?.abort();
  stop.value = undefined;
};
onBeforeUnmount(end);
</script>

<template>
  <span class="server">
    <template v-if="running">
      <span class="soft" role="status"
        >the server tells
        {{ so ? `${so.told.toLocaleString('en')} of ${so.of.toLocaleString('en')} publishes` : 'them' }}
        …</span
      >
      <el-button size="small" @click="end">Stop</el-button>
    </template>
    <el-button
      v-else
      size="small"
      title="all classes of all types as lines of JSON, worked out by the server"
      data-testid="on-server"
      @click="tell"
      >Have the server tell them all</el-button
    >
    <span v-if="trouble" class="error" role="alert"><Said :text="trouble" /></span>
  </span>
</template>

<style scoped>
.server {
  display: flex;
  align-items: center;
  gap: 8px;
}
</style>
