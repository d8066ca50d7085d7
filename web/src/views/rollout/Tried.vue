<script setup lang="ts">
import type { Tried } from '../../api.ts';
import Said from '../../parts/Said.vue';

/** What was tried of a connection, and how that went. */
defineProps<{ tried: readonly Tried[] }>();
</script>

<template>
  <ul class="tried" role="status" data-testid="tried">
    <li v-for="each in tried" :key="each.what" :class="each.ok ? 'soft' : 'error'">
      {{ each.ok ? '✓' : '✕' }} <b>{{ each.what }}</b> <Said :text="each.said" />
    </li>
  </ul>
</template>

<style scoped>
.tried {
  font-size: 13px;
  overflow-wrap: anywhere;
}
</style>
