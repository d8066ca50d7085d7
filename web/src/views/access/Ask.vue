<script setup lang="ts">
import { ElInput, ElOption, ElSelect } from 'element-plus';
import type { Action } from '@vondle/core/topology';
import { computed, reactive } from 'vue';
import { useRouter } from 'vue-router';
import { useWorkspace } from '../../stores/workspace.ts';
import { core } from '../../workers/client.ts';
import { showInText } from '../show.ts';
import { useFresh } from './fresh.ts';

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
    <label>
      May
      <el-select
        v-model="asked.who"
        filterable
        allow-create
        default-first-option
        placeholder="app:x or tenant:x"
        aria-label="who"
      >
        <el-option v-for="id in callers" :key="id" :value="id" :label="id" />
      </el-select>
    </label>
    <label>
      do this
      <el-select v-model="asked.action" aria-label="action">
        <el-option v-for="each in ACTIONS" :key="each" :value="each" :label="each" />
      </el-select>
    </label>
    <label>
      to
      <el-select v-model="asked.on" filterable placeholder="broker/name" aria-label="on what">
        <el-option v-for="id in targets" :key="id" :value="id" :label="plain(id)" />
      </el-select>
    </label>
    <label>
      over a connection that is
      <el-select v-model="asked.over" aria-label="connection">
        <el-option value="" label="as the broker asks" />
        <el-option value="encrypted" label="encrypted" />
        <el-option value="plain" label="plain" />
      </el-select>
    </label>
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
      {{ answer.words }}
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
