<script setup lang="ts">
import { shallowRef, watch } from 'vue';
import { api } from '../../api.ts';
import { useAttempt } from '../../stores/attempt.ts';
import { useWorkspace } from '../../stores/workspace.ts';

/** Lets the apps of the environment run, made up, where all that stands is on brokers that came with the installation. */
const props = defineProps<{ slug: string; environment: string }>();
const workspace = useWorkspace();
const { busy, trouble, attempt } = useAttempt();
const apps = shallowRef<{ may: boolean; run: boolean }>();

watch(
  () => [props.slug, props.environment] as const,
  async ([slug, environment]) => {
    apps.value = undefined;
    const found = await api.madeUp(slug, environment).catch(() => undefined);
    if (slug === props.slug && environment === props.environment) apps.value = found;
  },
  { immediate: true },
);
const put = (run: boolean) =>
  attempt(async () => {
    apps.value = await api.runMadeUp(props.slug, props.environment, run);
  });
</script>

<template>
  <span v-if="apps?.run || apps?.may" class="made-up soft" data-testid="made-up">
    <span v-if="trouble" class="error" role="alert">{{ trouble }}</span>
    <template v-if="apps.run">its apps run, made up</template>
    <button
      v-if="workspace.canOperate"
      class="plain link"
      :disabled="busy"
      title="They send examples at the rates that are declared, and take as is declared"
      @click="put(!apps.run)"
    >
      {{ apps.run ? 'end them' : 'let its apps run, made up' }}
    </button>
  </span>
</template>

<style scoped>
.made-up {
  display: flex;
  gap: 8px;
  margin-left: auto;
}
.link {
  color: var(--accent);
  text-decoration: underline;
}
</style>
