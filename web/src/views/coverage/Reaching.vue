<script setup lang="ts">
import { computed, shallowRef, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import Choice from '../../parts/Choice.vue';
import { useWorkspace } from '../../stores/workspace.ts';
import { core } from '../../workers/client.ts';
import type { CoverageView, Reaching } from '../../workers/views.ts';
import ClassList from './ClassList.vue';

/** Which messages, of whatever type, come to a store. */
const { told } = defineProps<{ told: CoverageView | undefined }>();
const workspace = useWorkspace();
const route = useRoute();
const router = useRouter();

const stores = shallowRef<string[]>([]);
watch(
  () => workspace.analysis,
  async () => (stores.value = await core.stores()),
  { immediate: true },
);
const store = computed({
  get: () => {
    const asked = String(route.query.store ?? '');
    return stores.value.includes(asked) ? asked : (stores.value[0] ?? '');
  },
  set: (next: string) => void router.replace({ query: { ...route.query, store: next } }),
});
const found = shallowRef<Reaching>();
let asked = 0;
watch(
  [store, () => told],
  async () => {
    const turn = ++asked;
    const now = await core.reaching(store.value);
    if (turn === asked) found.value = now;
  },
  { immediate: true },
);
</script>

<template>
  <div class="reaching">
    <p>
      <Choice
        v-model="store"
        class="soft"
        words="messages that come to"
        called="store"
        size="small"
        filterable
        :options="stores.map((each) => ({ value: each, label: each }))"
      />
    </p>
    <ClassList v-if="found?.rows.length" :of="found" becomes="" />
    <p v-else-if="found && told && told.told === told.of" class="soft">
      No message that is declared comes to <code>{{ store }}</code>: neither by a binding or subscription, nor
      over a link.
    </p>
  </div>
</template>

<style scoped>
.reaching {
  overflow: auto;
  padding: 10px 14px;
  display: grid;
  gap: 10px;
  align-content: start;
}
.reaching :deep(label) {
  display: flex;
  align-items: center;
  gap: 8px;
}
.reaching :deep(.el-select) {
  width: 320px;
}
</style>
