<script setup lang="ts">
import { ElButton, ElInput } from 'element-plus';
import { computed, ref, shallowRef, watch } from 'vue';
import { useWorkspace } from '../stores/workspace.ts';
import { core } from '../workers/client.ts';
import type { ConditionView } from '../workers/views.ts';
import Said from './Said.vue';

/** A way's condition: written here, tried at each key stroke on the samples that come there, then put into the text. */
const props = defineProps<{ way: { edge: string; node: string; title: string } }>();
const workspace = useWorkspace();
const text = ref('');
const so = shallowRef<ConditionView>();
const trouble = ref('');
const changed = computed(() => so.value !== undefined && text.value !== so.value.written);
const passing = computed(() => so.value?.trials.filter(({ passes }) => passes).length ?? 0);

let turn = 0;
async function look(written?: string) {
  const now = ++turn;
  const found = await core.condition(props.way.node, props.way.edge, written);
  if (now !== turn) return;
  if (found && written === undefined && (!changed.value || !so.value)) text.value = found.written;
  so.value = found;
}
watch(
  () => [props.way.edge, workspace.analysis] as const,
  ([edge], before) => {
    if (before && before[0] !== edge) so.value = undefined;
    void look(changed.value ? text.value : undefined);
  },
  { immediate: true },
);

async function write() {
  const { node, edge } = props.way;
  const edited = await workspace.edit(() => core.writeCondition(node, edge, text.value));
  trouble.value = edited.ok ? '' : edited.message;
  // it is what stands in the text from now on, whenever that is looked at next
  if (edited.ok && so.value) so.value = { ...so.value, written: text.value };
}
function typed() {
  trouble.value = '';
  void look(text.value);
}
function back() {
  text.value = so.value?.written ?? '';
  trouble.value = '';
  void look();
}
</script>

<template>
  <section v-if="so" class="condition" :aria-label="way.title">
    <form @submit.prevent="write" @keydown.esc.stop="back">
      <el-input
        v-model="text"
        size="small"
        class="mono"
        :type="text.length > 30 ? 'textarea' : 'text'"
        :autosize="{ minRows: 1, maxRows: 6 }"
        :aria-label="`${so.kind} of ${way.title}`"
        :placeholder="so.kind === 'filter' ? 'none: lets everything through' : 'empty'"
        :disabled="!workspace.canWrite"
        @input="typed"
        @keydown.ctrl.enter.prevent="write"
      />
      <div v-if="changed" class="acts">
        <el-button size="small" type="primary" native-type="submit" :disabled="so.trouble !== undefined"
          >write it</el-button
        >
        <el-button size="small" @click="back">leave it</el-button>
      </div>
    </form>
    <p v-if="trouble || so.trouble" class="error" role="alert"><Said :text="trouble || so.trouble!" /></p>
    <template v-else>
      <p class="soft" data-testid="passing">
        {{ passing }} of {{ so.trials.length }} samples that come here pass{{
          changed ? ', as written above' : ''
        }}
      </p>
      <ul>
        <li
          v-for="trial in so.trials"
          :key="`${trial.type} ${trial.sample}`"
          :class="{ passes: trial.passes }"
        >
          <b>{{ trial.passes ? 'passes' : 'not' }}</b>
          <span :title="trial.type">{{ trial.type }}: {{ trial.sample }}</span>
          <span class="why"><Said :text="trial.why" /></span>
        </li>
      </ul>
    </template>
  </section>
</template>

<style scoped>
.condition {
  display: grid;
  gap: 6px;
}
form {
  display: grid;
  gap: 6px;
}
.acts {
  display: flex;
}
.condition :deep(input),
.condition :deep(textarea) {
  font-family: var(--mono);
  font-size: 12px;
}
li {
  display: grid;
  grid-template-columns: 48px 1fr;
  gap: 0 6px;
  padding: 3px 0;
  border-bottom: 1px solid var(--hairline);
  font-size: 13px;
  overflow-wrap: anywhere;
}
li b {
  font-weight: 600;
  color: var(--soft);
}
li.passes b {
  color: var(--good);
}
.why {
  grid-column: 2;
  color: var(--soft);
}
</style>
