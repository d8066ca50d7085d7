<script setup lang="ts">
import { ElButton, ElInput } from 'element-plus';
import { ref } from 'vue';
import type { About, Thread } from '../../api.ts';
import { ago } from '../entrance/ago.ts';

/** What is said: threads about one thing each, answered, resolved, opened again. */
const { threads, places, closed } = defineProps<{
  threads: readonly Thread[];
  /** What a thread is about, in words, and where that is now. */
  places: ReadonlyMap<number, string>;
  closed: boolean;
}>();
const emit = defineEmits<{
  answer: [thread: number, words: string];
  resolve: [thread: number, resolved: boolean];
  go: [about: About];
}>();
const answering = ref<number>();
const words = ref('');
function answer(thread: number) {
  emit('answer', thread, words.value.trim());
  words.value = '';
  answering.value = undefined;
}
</script>

<template>
  <article
    v-for="thread in threads"
    :key="thread.id"
    :class="{ resolved: thread.resolved }"
    data-testid="thread"
  >
    <header>
      <button class="plain link" :disabled="thread.about.kind === 'all'" @click="emit('go', thread.about)">
        {{ places.get(thread.id) }}
      </button>
      <span v-if="thread.resolved" class="good">resolved by {{ thread.resolved }}</span>
    </header>
    <p v-for="(comment, i) in thread.comments" :key="i">
      <b>{{ comment.name }}</b> <span class="soft">{{ ago(comment.at) }}</span>
      <span class="words">{{ comment.words }}</span>
    </p>
    <footer v-if="!closed">
      <form v-if="answering === thread.id" class="answer" @submit.prevent="answer(thread.id)">
        <el-input v-model="words" size="small" maxlength="4000" aria-label="your answer" autofocus />
        <el-button native-type="submit" size="small" :disabled="!words.trim()">Say it</el-button>
      </form>
      <template v-else>
        <button class="plain link" @click="answering = thread.id">answer</button>
        <button class="plain link" @click="emit('resolve', thread.id, !thread.resolved)">
          {{ thread.resolved ? 'open again' : 'resolve' }}
        </button>
      </template>
    </footer>
  </article>
</template>

<style scoped>
article {
  padding: 8px 0;
  border-bottom: 1px solid var(--hairline);
  display: grid;
  gap: 4px;
}
.resolved > p {
  color: var(--soft);
}
header {
  display: flex;
  justify-content: space-between;
  gap: 10px;
  overflow-wrap: anywhere;
}
.words {
  display: block;
  white-space: pre-wrap;
  overflow-wrap: anywhere;
}
.link {
  color: var(--accent);
  text-decoration: underline;
}
.link:disabled {
  color: var(--soft);
  text-decoration: none;
  cursor: default;
}
footer {
  display: flex;
  gap: 12px;
  font-size: 13px;
}
.answer {
  display: flex;
  gap: 6px;
  flex: 1;
}
</style>
