<script setup lang="ts">
import { computed } from 'vue';

/** A sentence of the core, in which what stands between backticks is text of the topology. */
const props = defineProps<{ text: string }>();
const parts = computed(() => props.text.split('`').map((text, i) => ({ text, code: i % 2 === 1 })));
</script>

<template>
  <template v-for="(part, i) in parts" :key="i"
    ><code v-if="part.code">{{ part.text }}</code
    ><template v-else>{{ part.text }}</template></template
  >
</template>
