<script setup lang="ts">
import { ElButton, ElCheckbox, ElDialog, ElInput, ElOption, ElSelect } from 'element-plus';
import { computed, ref, shallowRef, watch } from 'vue';
import { useWorkspace } from '../../stores/workspace.ts';
import { useFocus } from '../../stores/focus.ts';
import { core } from '../../workers/client.ts';
import type { Beginnings, Edits } from '../../workers/views.ts';

/** Makes a queue with what feeds it, who takes from it and the permission for both, shown as the text it becomes. */
const open = defineModel<boolean>({ required: true });
const workspace = useWorkspace();
const focus = useFocus();
const there = shallowRef<Beginnings>({ brokers: [], apps: [] });
const wanted = ref({ broker: '', name: '', from: '', condition: '', taker: '', permission: true });
const becomes = shallowRef<Edits>();
const trouble = ref('');

const broker = computed(() => there.value.brokers.find(({ name }) => name === wanted.value.broker));
const feed = computed(() => broker.value?.feeds.find(({ name }) => name === wanted.value.from));
const asks = computed(() => {
  if (!feed.value || feed.value.type === 'fanout' || feed.value.type === 'headers') return '';
  return broker.value?.condition ?? 'binding key';
});

watch(open, async (now) => {
  if (!now) return;
  there.value = await core.beginnings();
  const home = /^[a-z]+:([^/]+)\//.exec(focus.selected)?.[1];
  const first = there.value.brokers.find(({ name }) => name === home) ?? there.value.brokers[0];
  wanted.value = {
    broker: first?.name ?? '',
    name: '',
    from: '',
    condition: '',
    taker: '',
    permission: true,
  };
  trouble.value = '';
});
watch(
  () => wanted.value.broker,
  () => Object.assign(wanted.value, { from: '', condition: '' }),
);

function order() {
  const { name, from, condition, taker, permission, broker: on } = wanted.value;
  return {
    broker: on,
    name: name.trim(),
    permission,
    ...(from ? { from } : {}),
    ...(asks.value && condition.trim() ? { condition: condition.trim() } : {}),
    ...(taker ? { taker } : {}),
  };
}

let turn = 0;
watch(
  [wanted, () => workspace.analysis],
  async () => {
    const now = ++turn;
    const result = open.value && wanted.value.name.trim() ? await core.beginQueue(order()) : undefined;
    if (now === turn) becomes.value = result;
  },
  { deep: true },
);

async function make() {
  const asked = order();
  const edited = await workspace.edit(() => core.beginQueue(asked));
  trouble.value = edited.ok ? '' : edited.message;
  if (!edited.ok) return;
  open.value = false;
  focus.selected = `queue:${asked.broker}/${asked.name}`;
}
</script>

<template>
  <el-dialog v-model="open" title="A new queue" width="620" append-to-body>
    <p v-if="there.brokers.length === 0">
      There is no broker yet. Declare one in the text first: under <code>brokers:</code>, a name with
      <code>kind: amqp</code> or <code>kind: pubsub</code>.
    </p>
    <form v-else class="new" @submit.prevent="make">
      <label for="new on">on</label>
      <el-select id="new on" v-model="wanted.broker" aria-label="broker of the queue">
        <el-option v-for="each in there.brokers" :key="each.name" :value="each.name" :label="each.name" />
      </el-select>
      <label for="new name">called</label>
      <el-input id="new name" v-model="wanted.name" class="mono" autofocus />
      <label for="new from">fed by</label>
      <el-select
        id="new from"
        v-model="wanted.from"
        filterable
        clearable
        placeholder="nothing yet"
        aria-label="what feeds the queue"
      >
        <el-option
          v-for="each in broker?.feeds"
          :key="each.name"
          :value="each.name"
          :label="each.type && each.type !== broker?.feed ? `${each.name} (${each.type})` : each.name"
        />
      </el-select>
      <template v-if="asks">
        <label for="new condition">{{ asks }}</label>
        <el-input
          id="new condition"
          v-model="wanted.condition"
          class="mono"
          :placeholder="
            asks === 'selector' ? 'none: everything' : feed?.type === 'topic' ? '#: everything' : ''
          "
        />
      </template>
      <label for="new taker">taken by</label>
      <el-select
        id="new taker"
        v-model="wanted.taker"
        filterable
        clearable
        placeholder="nobody yet"
        aria-label="who takes from the queue"
      >
        <el-option v-for="app in there.apps" :key="app" :value="app" :label="app" />
      </el-select>
      <el-checkbox v-model="wanted.permission" class="wide"
        >with a statement for whoever has no permission yet</el-checkbox
      >
      <div class="wide becomes" data-testid="becomes">
        <template v-if="becomes?.ok">
          <template v-for="edit in becomes.edits" :key="`${edit.doc} ${edit.start}`">
            <span class="soft">{{ edit.doc }}</span>
            <pre class="mono">{{ edit.text.replace(/^\n+|\n+$/g, '').replace(/^ +/gm, '') }}</pre>
          </template>
        </template>
        <p v-else-if="becomes" class="error">{{ becomes.message }}</p>
        <p v-else class="soft">Name it, and the text it becomes is shown here.</p>
      </div>
      <p v-if="trouble" class="error wide" role="alert">{{ trouble }}</p>
      <el-button class="wide" type="primary" native-type="submit" :disabled="!becomes?.ok"
        >write it</el-button
      >
    </form>
  </el-dialog>
</template>

<style scoped>
.new {
  display: grid;
  grid-template-columns: 90px 1fr;
  gap: 8px 12px;
  align-items: center;
}
.wide {
  grid-column: 1 / 3;
  justify-self: start;
}
.becomes {
  justify-self: stretch;
  display: grid;
  gap: 2px;
  max-height: 220px;
  overflow: auto;
}
.becomes pre {
  margin: 0 0 6px;
  padding: 4px 8px;
  background: var(--accent-sheet);
  white-space: pre-wrap;
  overflow-wrap: anywhere;
}
</style>
