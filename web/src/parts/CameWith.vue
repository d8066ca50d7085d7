<script setup lang="ts">
import { useRoute } from 'vue-router';
import type { Origin } from './origin.ts';

/** With which revision something came, and a way there. */
defineProps<{ origin: Origin }>();
const route = useRoute();
</script>

<template>
  <template v-if="origin === 'draft'">changed in this draft</template>
  <router-link
    v-else-if="origin"
    :to="{ name: 'revisions', params: route.params, query: { revision: String(origin.number) } }"
    :title="`${origin.author}: ${origin.words}`"
    >r{{ origin.number }} {{ origin.words }}</router-link
  >
</template>
