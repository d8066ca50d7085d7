<script setup lang="ts">
import { ElInput } from 'element-plus';
import type { Action } from '@vondle/core/topology';
import { computed, reactive } from 'vue';
import { useRouter } from 'vue-router';
import Choice from '../../parts/Choice.vue';
import { useWorkspace } from '../../stores/workspace.ts';
import { core } from '../../workers/client.ts';
import { showInText } from '../show.ts';
import { useFresh } from './fresh.ts';
import Said from '../../parts/Said.vue';

/** One question: may somebody do something to something, so connected, with such a key? */
const workspace = useWorkspace();
const router = useRouter();
const ACTIONS: Action[] = ['publish', 'consume', 'browse', 'declare', 'bind', 'subscribe'];
const asked = reactive({ who: '', action: 'consume' as Action, on: '', over: '', key: '' });

const things = computed(() => workspace.outline.flatMap(({ items }) => items));
const callers = computed(() =>
  things.value.filter(({ id }) => /^(app|tenant|topic|link):/.test(id)).map(({ id }) => id),
);
const targets = computed(() =>
  things.value.filter(({ id }) => /^(queue|exchange|topic|subscription|alias):/.test(id)).map(({ id }) => id),
);
const answer = useFresh(
  () =>
    asked.who && asked.on
      ? core.ask({
          who: asked.who,
          action: asked.action,
          on: asked.on,
          ...(asked.over ? { encrypted: asked.over === 'encrypted' } : {}),
          ...(asked.key ? { key: asked.key } : {}),
        })
      : Promise.resolve(undefined),
  () => ({ ...asked }),
);
const plain = (id: string) => id.replace(/^(queue|exchange|subscription|alias):/, '');
</script>

<template>
  <form class="ask" @submit.prevent>
    <Choice
      v-model="asked.who"
      words="May"
      called="who"
      :options="callers.map((id) => ({ value: id, label: id }))"
      filterable
      allow-create
      default-first-option
      placeholder="app:x or tenant:x"
    />
    <Choice
      v-model="asked.action"
      words="do this"
      called="action"
      :options="ACTIONS.map((each) => ({ value: each, label: each }))"
    />
    <Choice
      v-model="asked.on"
      words="to"
      called="on what"
      :options="targets.map((id) => ({ value: id, label: plain(id) }))"
      filterable
      placeholder="broker/name"
    />
    <Choice
      v-model="asked.over"
      words="over a connection that is"
      called="connection"
      :options="[
        { value: '', label: 'as the broker asks' },
        { value: 'encrypted', label: 'encrypted' },
        { value: 'plain', label: 'plain' },
      ]"
    />
    <label>
      with the key
      <el-input
        v-model="asked.key"
        class="mono"
        placeholder="any, where it does not matter"
        aria-label="key"
      />
    </label>
    <p
      v-if="answer"
      class="answer"
      :class="answer.allowed ? 'good' : 'error'"
      role="status"
      data-testid="answer"
    >
      <Said :text="answer.words" />
      <button v-if="answer.spot" class="plain link" @click="showInText(router, answer.spot)">
        {{ answer.spot.doc }} {{ answer.spot.line }}
      </button>
    </p>
    <p v-else class="soft">Say who and to what; the answer names the statement that decides.</p>
  </form>
</template>

<style scoped>
.ask {
  padding: 14px;
  display: grid;
  gap: 10px;
  align-content: start;
  max-width: 560px;
}
label {
  display: grid;
  grid-template-columns: 170px 1fr;
  align-items: center;
  color: var(--soft);
}
.answer {
  font-size: 16px;
  padding-top: 8px;
}
.link {
  color: var(--accent);
  text-decoration: underline;
  font-size: 13px;
}
</style>
