<script setup lang="ts">
import type { Glance } from '../../api.ts';

/** How a draft stands, in a few words. */
defineProps<{ glance: Glance | 'unknown' | undefined }>();
const count = (n: number, word: string) => `${n} ${word}${n === 1 ? '' : 's'}`;
</script>

<template>
  <span v-if="!glance" class="soft">looking …</span>
  <span v-else-if="glance === 'unknown'" class="soft">not looked through</span>
  <span v-else-if="glance.large" class="soft">very large: open it to see</span>
  <template v-else>
    <span v-if="glance.findings.error" class="error">{{ count(glance.findings.error, 'error') }}</span>
    <span v-if="glance.findings.warning" class="warning">{{
      count(glance.findings.warning, 'warning')
    }}</span>
    <span v-if="!glance.counts.brokers && !glance.counts.messages" class="soft">nothing declared yet</span>
    <span v-else-if="!glance.findings.error && !glance.findings.warning" class="good">no findings</span>
    <span v-if="glance.expectations.broken" class="error"
      >{{ count(glance.expectations.broken, 'expectation') }} broken</span
    >
    <span v-else-if="glance.expectations.kept" class="good"
      >{{ count(glance.expectations.kept, 'expectation') }} kept</span
    >
    <span v-if="glance.counts.brokers" class="soft"
      >{{ count(glance.counts.brokers, 'broker') }}, {{ count(glance.counts.queues, 'store') }},
      {{ count(glance.counts.apps, 'app') }}</span
    >
    <span v-if="glance.environments.length" class="soft">for {{ glance.environments.join(', ') }}</span>
  </template>
</template>

<style scoped>
.soft {
  font-weight: 400;
}
</style>
