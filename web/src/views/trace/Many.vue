<script setup lang="ts">
import Said from '../../parts/Said.vue';
import * as Comlink from 'comlink';
import { ElButton, ElCheckbox, ElInputNumber, ElProgress } from 'element-plus';
import { computed, onBeforeUnmount, ref, shallowRef } from 'vue';
import { useWorkspace } from '../../stores/workspace.ts';
import { useFocus } from '../../stores/focus.ts';
import { core } from '../../workers/client.ts';
import type { FileView, ManyRow, ManyView } from '../../workers/views.ts';
import { saveFile } from '../save.ts';
import Split from './Split.vue';

/** Many messages at once: repeated, spread over a type's values, or from a file. */
const workspace = useWorkspace();
const focus = useFocus();
const emit = defineEmits<{ follow: [] }>();

const count = ref(1000);
const vary = ref(true);
const file = shallowRef<FileView & { name: string }>();
const fromFile = ref(false);
const so = shallowRef<ManyView>();
const rows = shallowRef<ManyRow[]>([]);
const page = ref(0);
const trouble = ref('');
const running = computed(() => so.value?.state === 'running');
const PAGE = 50;
const MOST_BYTES = 200 * 1024 * 1024;

async function take(event: Event) {
  const input = event.target as HTMLInputElement;
  const [chosen] = input.files ?? [];
  input.value = '';
  if (!chosen) return;
  if (chosen.size > MOST_BYTES) {
    trouble.value = `${chosen.name} has ${Math.round(chosen.size / 1e6)} MB; up to 200 MB can be taken in at once. Split it.`;
    return;
  }
  trouble.value = '';
  file.value = { ...(await core.takeMessages(await chosen.text())), name: chosen.name };
  fromFile.value = true;
}

async function run() {
  trouble.value = '';
  const tell = Comlink.proxy((now: ManyView) => void (so.value = now));
  so.value = { all: 0, state: 'running', messages: 0, copies: 0, stores: [], outcomes: [], spreads: [] };
  rows.value = [];
  try {
    so.value = fromFile.value
      ? await core.manyOfFile(tell)
      : await core.manyTimes(focus.sendings, count.value, vary.value, tell);
    await turnTo(0);
  } catch (error) {
    so.value = undefined;
    trouble.value = `The messages could not be followed: ${(error as Error).message}`;
  }
}
onBeforeUnmount(() => running.value && void core.stopMany());

async function turnTo(next: number) {
  page.value = next;
  rows.value = await core.manyRows(next * PAGE, (next + 1) * PAGE);
}

const pages = computed(() => Math.ceil((so.value?.messages ?? 0) / PAGE));
const plural = (n: number, word: string) => `${n.toLocaleString('en')} ${word}${n === 1 ? '' : 's'}`;
const sentence = computed(() => {
  const now = so.value;
  if (!now || now.state === 'running') return '';
  const ends = now.outcomes.map(({ outcome, count: n }) => `${n.toLocaleString('en')} ${outcome}`);
  const copies = now.copies === 1 ? '1 copy' : `${now.copies.toLocaleString('en')} copies`;
  const text = `${plural(now.messages, 'message')} became ${copies} in ${plural(now.stores.length, 'store')}`;
  return ends.length ? `${text}; ${ends.join(', ')}` : text;
});

async function save(format: 'csv' | 'ndjson') {
  const blob = await core.manyAs(format);
  saveFile(
    `${workspace.topology?.slug ?? 'topology'}-messages.${format}`,
    new Uint8Array(await blob.arrayBuffer()),
    blob.type,
  );
}

function follow(row: ManyRow) {
  if (focus.typeId !== row.type) focus.follow(row.type, 0, '');
  focus.edited = row.message;
  emit('follow');
}
const known = (row: ManyRow) =>
  workspace.messages.some(({ id, publishes }) => id === row.type && publishes.length);
</script>

<template>
  <section class="many" aria-label="many messages">
    <form class="source" @submit.prevent="run">
      <fieldset>
        <legend class="visually-hidden">which messages</legend>
        <label class="pick">
          <input v-model="fromFile" type="radio" :value="false" name="which" />
          <span v-if="focus.type">
            <code>{{ focus.type.id }}</code> from <code>{{ focus.publishes[0]?.app }}</code>
          </span>
          <span v-else class="soft">a message type chosen above</span>
        </label>
        <label class="times">
          <el-input-number
            v-model="count"
            :min="1"
            :max="100000"
            :controls="false"
            size="small"
            aria-label="how many"
            :disabled="fromFile"
          />
          times
        </label>
        <el-checkbox v-model="vary" :disabled="fromFile">with values from all over its fields</el-checkbox>
        <label class="pick">
          <input v-model="fromFile" type="radio" :value="true" name="which" :disabled="!file" />
          <span v-if="file"
            >{{ file.name }}: {{ plural(file.messages, 'message')
            }}<span
              v-if="file.problems.length"
              class="warning"
              v-text="`, ${file.problems.length + file.more} not understood`" /><span
              v-if="file.remarks"
              class="soft"
              v-text="`, ${file.remarks} not quite of ${file.remarks === 1 ? 'its type' : 'their types'}`"
          /></span>
          <span v-else class="soft">a file</span>
        </label>
        <label class="choose">
          choose a file…
          <input type="file" accept=".json,.ndjson,.jsonl,application/json" @change="take" />
        </label>
      </fieldset>
      <el-button
        v-if="!running"
        type="primary"
        native-type="submit"
        :disabled="fromFile ? !file?.messages : focus.sendings.length === 0"
        >send them through</el-button
      >
      <el-button v-else @click="core.stopMany()">stop</el-button>
    </form>
    <ul v-if="file && fromFile && file.problems.length" class="problems">
      <li v-for="problem in file.problems" :key="problem.line">
        line {{ problem.line }}: <Said :text="problem.text" />
      </li>
      <li v-if="file.more">and {{ file.more }} more</li>
    </ul>
    <p v-if="trouble" class="error" role="alert"><Said :text="trouble" /></p>
    <div v-if="running" class="progress" role="status">
      <el-progress
        :percentage="so!.all ? Math.floor((100 * so!.messages) / so!.all) : 0"
        :show-text="false"
      />
      {{ so!.messages.toLocaleString('en') }} of {{ (so!.all || count).toLocaleString('en') }}
    </div>
    <div v-if="sentence" class="told">
      <p v-if="sentence" data-testid="many-sentence">
        <b>{{ sentence }}.</b>
        <span v-if="so!.state === 'stopped'" class="warning">
          Stopped; {{ so!.all.toLocaleString('en') }} were to go.</span
        >
        <span v-if="so!.state === 'outrun'" class="warning">
          The topology changed meanwhile: send them again.</span
        >
      </p>
      <span class="saves">
        <el-button :disabled="!so?.messages" @click="save('csv')">save CSV</el-button>
        <el-button :disabled="!so?.messages" @click="save('ndjson')">save NDJSON</el-button>
      </span>
    </div>
    <p v-if="!so && !trouble" class="soft empty">
      A file holds one JSON message, a list of them, or one a line; CloudEvents are understood. Where a
      message does not say <code>to</code>, it goes where its type is published.
    </p>
    <div v-if="so && so.messages" class="results">
      <div class="table">
        <table data-testid="many-rows">
          <thead>
            <tr>
              <th class="number">no.</th>
              <th>key</th>
              <th>headers</th>
              <th class="number">copies</th>
              <th>rests in, or ends</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="(row, i) in rows" :key="i">
              <td class="number">
                <button
                  v-if="known(row)"
                  class="plain link"
                  :aria-label="`follow message ${page * PAGE + i + 1}`"
                  @click="follow(row)"
                >
                  {{ page * PAGE + i + 1 }}
                </button>
                <template v-else>{{ page * PAGE + i + 1 }}</template>
              </td>
              <td class="mono key">{{ row.key }}</td>
              <td>{{ row.headers }}</td>
              <td class="number">{{ row.copies }}</td>
              <td>
                <span class="mono">{{ row.stores.join(', ') }}</span>
                <span v-for="(end, j) in row.ends" :key="j" class="error ended" :title="end.why">
                  {{ end.outcome }} at <code>{{ end.at }}</code></span
                >
              </td>
            </tr>
          </tbody>
        </table>
        <nav v-if="pages > 1" aria-label="pages">
          <button class="plain link" :disabled="page === 0" @click="turnTo(page - 1)">earlier</button>
          {{ page * PAGE + 1 }} to {{ Math.min((page + 1) * PAGE, so.messages) }} of
          {{ so.messages.toLocaleString('en') }}
          <button class="plain link" :disabled="page + 1 >= pages" @click="turnTo(page + 1)">later</button>
        </nav>
      </div>
      <Split v-if="!running" :so="so" />
    </div>
  </section>
</template>

<style scoped>
.many {
  display: grid;
  grid-template-rows: auto;
  gap: 10px;
  align-content: start;
  padding: 12px;
  overflow: auto;
  min-height: 0;
}
.source,
fieldset {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px 14px;
}
fieldset {
  border: 0;
  padding: 0;
  margin: 0;
}
.pick,
.times {
  display: flex;
  gap: 6px;
  align-items: center;
}
.times :deep(.el-input-number) {
  width: 84px;
}
.choose {
  color: var(--accent);
  text-decoration: underline;
  cursor: pointer;
}
.choose:focus-within {
  outline: 2px solid var(--accent);
}
.choose input {
  position: absolute;
  opacity: 0;
  width: 1px;
  height: 1px;
}
.told {
  display: flex;
  justify-content: space-between;
  align-items: center;
  gap: 12px;
}
.saves {
  flex: none;
}
.ended {
  display: block;
}
.key {
  min-width: 130px;
}
.progress {
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 12px;
  align-items: center;
}
.results {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 460px;
  gap: 18px;
  min-height: 0;
}
.table {
  overflow: auto;
}
table {
  border-collapse: collapse;
  width: 100%;
}
th,
td {
  text-align: left;
  padding: 3px 10px 3px 0;
  border-bottom: 1px solid var(--hairline);
  vertical-align: top;
  overflow-wrap: anywhere;
  font-size: 13px;
}
th {
  font-weight: 600;
}
.number {
  text-align: right;
  white-space: nowrap;
}
nav {
  display: flex;
  gap: 12px;
  padding: 8px 0;
}
.link {
  color: var(--accent);
  text-decoration: underline;
}
.link:disabled {
  color: var(--soft);
  text-decoration: none;
}
.problems {
  color: var(--warning);
  font-size: 13px;
}
.empty {
  max-width: 560px;
}
</style>
