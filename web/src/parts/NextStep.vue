<script setup lang="ts">
import { ElButton } from 'element-plus';
import { computed } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import type { FormKind } from '@vondle/core/assist/forms';
import { useForms } from '../forms/store.ts';
import { useWorkspace } from '../stores/workspace.ts';

/** What to do next where a view has nothing to show yet: what is missing first, with its button. */
const workspace = useWorkspace();
const forms = useForms();
const route = useRoute();
const router = useRouter();

const next = computed<{ words: string; title: string; kind: FormKind }>(() => {
  const { brokers, messages, apps, publishes } = workspace.analysis.has;
  if (!brokers)
    return {
      words: 'Nothing is declared yet. It begins with a broker: where messages are routed and kept.',
      title: 'Declare a broker',
      kind: 'broker',
    };
  if (!messages)
    return {
      words: 'There is no message type yet: what travels.',
      title: 'Declare a message type',
      kind: 'message',
    };
  if (!apps)
    return { words: 'There is no app yet: who sends, and who takes.', title: 'Declare an app', kind: 'app' };
  if (!publishes)
    return { words: 'No app publishes anything yet.', title: 'Let an app publish', kind: 'publish' };
  return { words: 'Nothing stands here yet.', title: 'Declare a queue', kind: 'queue' };
});
</script>

<template>
  <div class="next" data-testid="next-step">
    <p class="soft">{{ next.words }}</p>
    <template v-if="workspace.canWrite">
      <el-button type="primary" @click="forms.open({ kind: next.kind })">{{ next.title }}</el-button>
      <button
        v-if="route.name !== 'declare'"
        class="plain link"
        @click="router.push({ name: 'declare', params: route.params, query: route.query })"
      >
        or write it in the text
      </button>
    </template>
  </div>
</template>

<style scoped>
.next {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px 14px;
}
.next p {
  flex-basis: 100%;
}
.link {
  color: var(--accent);
  text-decoration: underline;
  font-size: 13px;
}
</style>
