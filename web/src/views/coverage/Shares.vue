<script setup lang="ts">
import { computed } from 'vue';
import type { ClassKind, PublishCoverage } from '../../workers/views.ts';

/** What becomes of all messages of a publish, as a bar: by their shares, or by their classes where they cannot be counted. */
const { publish } = defineProps<{ publish: PublishCoverage }>();

const ORDER: readonly ClassKind[] = ['reached', 'some lost', 'some refused', 'refused', 'nobody'];
const WORDS: Record<ClassKind, string> = {
  reached: 'reach every store they should',
  'some lost': 'reach a store, and a copy is lost',
  'some refused': 'reach a store, and a copy is refused',
  refused: 'are refused',
  nobody: 'reach nobody',
};
const parts = computed(() =>
  ORDER.flatMap((kind) => {
    const own = publish.kinds.find((each) => each.kind === kind);
    if (!own) return [];
    const part = own.part ?? own.classes / publish.classes;
    return [{ kind, part, words: `${Math.round(part * 1000) / 10} % ${WORDS[kind]}` }];
  }),
);
const say = computed(() => parts.value.map(({ words }) => words).join(', '));
</script>

<template>
  <span v-if="publish.tooMany" class="too-many warning">too many classes to tell apart</span>
  <span v-else class="bar" role="img" :aria-label="say" :title="say">
    <i
      v-for="{ kind, part } in parts"
      :key="kind"
      :class="kind.replace(' ', '-')"
      :style="{ flexGrow: part }"
    />
  </span>
</template>

<style scoped>
.bar {
  display: flex;
  gap: 1px;
  height: 6px;
  width: 100%;
}
i {
  min-width: 3px;
  flex-basis: 0;
}
.reached {
  background: var(--edge);
}
.some-lost,
.some-refused {
  background: var(--warning);
}
.refused,
.nobody {
  background: var(--error);
}
.too-many {
  font-size: 12px;
}
</style>
