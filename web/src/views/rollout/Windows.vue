<script setup lang="ts">
import { computed } from 'vue';
import type { Rollout } from '../../api.ts';

/** Messages that miss, or are too much, while steps are taken; and what could not be told. */
const { windows, unproved } = defineProps<{
  windows: Rollout['windows'];
  unproved: Rollout['unproved'];
}>();

/** Of a rollout with many, those with the same steps and message are told together. */
const told = computed(() => {
  const found = new Map<string, { first: Rollout['windows'][number]; stores: string[] }>();
  for (const each of windows) {
    const key = JSON.stringify([each.from, each.until, each.kind, each.message]);
    const known = found.get(key);
    if (known) known.stores.push(each.store);
    else found.set(key, { first: each, stores: [each.store] });
  }
  return [...found.values()];
});
const when = ({ from, until }: Rollout['windows'][number]) =>
  from === until ? `While step ${from} is taken` : `From step ${from} to step ${until}`;
const shown = (witness: object) => JSON.stringify(witness);
</script>

<template>
  <div v-if="windows.length" class="windows" data-testid="windows">
    <p class="warning">No order of these steps keeps every message on its way. Meanwhile, and only then:</p>
    <ul>
      <li
        v-for="{ first, stores } in told"
        :key="`${first.from} ${first.until} ${first.kind} ${first.message}`"
      >
        {{ when(first) }}, <strong>{{ first.message }}</strong>
        {{ first.kind === 'missing' ? 'does not come to' : 'comes to' }}
        <code>{{ stores.slice(0, 4).join(', ') }}</code>{{
          stores.length > 4 ? ` and ${stores.length - 4} more` : ''
        }}{{ first.kind === 'extra' ? ', where it does not before or after' : '' }}.
        <details>
          <summary>one of them, and what would close it</summary>
          <code class="witness">{{ shown(first.witness) }}</code>
          <p class="soft">To close it, {{ first.close }}.</p>
        </details>
      </li>
    </ul>
  </div>
  <details v-if="unproved.length" class="soft" data-testid="unproved">
    <summary>not told of messages on the way: {{ unproved.length }}</summary>
    <p v-for="each in unproved" :key="each">{{ each }}</p>
  </details>
</template>

<style scoped>
.windows {
  display: grid;
  gap: 6px;
}
ul {
  list-style: disc;
  padding-left: 20px;
}
summary {
  cursor: pointer;
  color: var(--accent);
}
.witness {
  overflow-wrap: anywhere;
}
</style>
