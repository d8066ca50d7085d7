<script setup lang="ts">
import { computed } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import Choice from '../../parts/Choice.vue';
import { useFocus } from '../../stores/focus.ts';
import { core } from '../../workers/client.ts';
import { useFresh } from './fresh.ts';
import Said from '../../parts/Said.vue';

/** Who takes, or may take, data of a label. */
const focus = useFocus();
const route = useRoute();
const router = useRouter();
const labels = useFresh(() => core.labels());
const label = computed({
  get: () => {
    const asked = String(route.query.label ?? '');
    if (labels.value?.includes(asked)) return asked;
    return labels.value?.find((each) => each === 'personal') ?? labels.value?.[0] ?? '';
  },
  set: (next: string) => void router.replace({ query: { ...route.query, label: next } }),
});
const reach = useFresh(() => core.labelReach(label.value), label);
const takes = computed(() => reach.value?.filter((each) => each.takes) ?? []);
const may = computed(() => reach.value?.filter((each) => !each.takes) ?? []);
</script>

<template>
  <div class="labels">
    <p class="bar">
      <Choice
        v-model="label"
        class="soft"
        words="data labelled"
        called="label"
        size="small"
        no-data-text="No message type has a label"
        :options="(labels ?? []).map((each) => ({ value: each, label: each }))"
      />
    </p>
    <p v-if="reach && reach.length === 0" class="soft">No app takes it, and none may.</p>
    <template
      v-for="[title, list] in [
        ['These apps take it', takes],
        ['These may, though none of their ways does', may],
      ] as const"
      :key="title"
    >
      <h2 v-if="list.length">{{ title }}</h2>
      <table v-if="list.length">
        <thead>
          <tr>
            <th>app</th>
            <th>tenant</th>
            <th>from</th>
            <th>message types</th>
            <th>permission</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="each in list" :key="`${each.app} ${each.store}`" data-testid="label-reach">
            <td class="mono">{{ each.app }}</td>
            <td :class="{ error: !each.cleared }">
              {{ each.tenant }}{{ each.cleared ? '' : ': not cleared' }}
            </td>
            <td>
              <button class="plain link mono" @click="focus.selected = each.node">{{ each.store }}</button>
            </td>
            <td class="mono">{{ each.types.join(', ') }}</td>
            <td :class="{ error: !each.allowed }"><Said :text="each.why" /></td>
          </tr>
        </tbody>
      </table>
    </template>
  </div>
</template>

<style scoped>
.labels {
  padding: 12px 14px;
  overflow: auto;
  display: grid;
  gap: 10px;
  align-content: start;
}
.bar label {
  display: flex;
  gap: 8px;
  align-items: center;
}
.bar :deep(.el-select) {
  width: 180px;
}
th,
td {
  text-align: left;
  vertical-align: top;
  padding: 4px 14px 4px 0;
  border-bottom: 1px solid var(--hairline);
  overflow-wrap: anywhere;
}
th {
  font-weight: 600;
}
.link {
  color: var(--accent);
  text-decoration: underline;
}
</style>
