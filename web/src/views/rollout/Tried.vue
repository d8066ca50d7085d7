<script setup lang="ts">
import { computed } from 'vue';
import type { Tried } from '../../api.ts';
import Said from '../../parts/Said.vue';

/** What was tried of a connection, and how that went. */
const props = defineProps<{ tried: readonly Tried[] }>();
/** Where all is well, what was tried is enough to know. */
const well = computed(() => props.tried.every(({ ok }) => ok));
</script>

<template>
  <ul class="tried" role="status" data-testid="tried">
    <li v-if="well" class="good">✓ all is well: {{ tried.map(({ what }) => what).join(', ') }}</li>
    <template v-else>
      <li v-for="each in tried" :key="each.what" :class="each.ok ? 'soft' : 'error'">
        {{ each.ok ? '✓' : '✕' }} <b>{{ each.what }}</b> <Said :text="each.said" />
      </li>
    </template>
  </ul>
</template>

<style scoped>
.tried {
  font-size: 13px;
  overflow-wrap: anywhere;
}
</style>
