<script setup lang="ts">
import { useDebounceFn } from '@vueuse/core';
import { ElButton, ElInput } from 'element-plus';
import { computed, nextTick, onBeforeUnmount, onMounted, ref, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import CloseUp from '../../parts/CloseUp.vue';
import Findings from '../../parts/Findings.vue';
import { useBench } from '../../stores/bench.ts';
import { useFocus } from '../../stores/focus.ts';
import type { Spot } from '../../workers/views.ts';
import { createEditor, type Editor } from './editor.ts';

const bench = useBench();
const focus = useFocus();
const route = useRoute();
const router = useRouter();
const host = ref<HTMLElement>();
let editor: Editor | undefined;

const names = computed(() => bench.documents.map(({ name }) => name));
const shown = computed(() => {
  const asked = route.query.doc;
  return typeof asked === 'string' && names.value.includes(asked) ? asked : (names.value[0] ?? '');
});
const text = computed(() => bench.documents.find(({ name }) => name === shown.value)?.text ?? '');
const findings = computed(() => bench.analysis.findings.filter(({ spot }) => spot.doc === shown.value));
/** The findings that the close-up does not show already. */
const elsewhere = computed(() =>
  bench.analysis.findings.filter(({ about }) => about === undefined || about !== focus.closeUp?.id),
);
const fresh = ref('');
const freshTrouble = ref('');

onMounted(() => {
  editor = createEditor(host.value!, {
    readOnly: !bench.canWrite,
    change: (changed) => bench.setText(shown.value, changed),
    cursor: useDebounceFn(selectUnder, 120),
  });
  open();
});
onBeforeUnmount(() => editor?.destroy());

function open() {
  if (!editor || !shown.value) return;
  editor.show(shown.value, text.value);
  mark();
  goTo();
}
watch(shown, open);
watch(text, (changed) => editor?.update(changed));
watch(findings, mark);
watch(
  () => route.query.at,
  () => void nextTick(goTo),
);

function mark() {
  editor?.mark(findings.value, (finding, index) => bench.applyEdits(finding.mends[index]!.edits));
}

function goTo() {
  const at = /^(\d+)-(\d+)$/.exec(String(route.query.at ?? ''));
  if (at) editor?.select(Number(at[1]), Number(at[2]));
}

/** Selects the thing whose declaration the cursor is in: the last one that begins before it. */
function selectUnder(offset: number) {
  const before = bench.analysis.outline
    .flatMap((group) => group.items)
    .filter(({ spot }) => spot.doc === shown.value && spot.start <= offset)
    .sort((a, b) => b.spot.start - a.spot.start)[0];
  if (before && before.id !== focus.selected) focus.selected = before.id;
}

function show(spot: Spot) {
  void router.replace({ query: { ...route.query, doc: spot.doc, at: `${spot.start}-${spot.end}` } });
  if (spot.doc === shown.value) editor?.select(spot.start, spot.end);
}

function pick(item: { id: string; spot: Spot }) {
  focus.selected = item.id;
  void nextTick(() => show(item.spot));
}

function add() {
  const name = /\.(ya?ml|json)$/.test(fresh.value) ? fresh.value : `${fresh.value}.yaml`;
  if (names.value.includes(name)) {
    freshTrouble.value = `There is a document ${name} already.`;
    return;
  }
  bench.addDocument(name);
  fresh.value = '';
  freshTrouble.value = '';
  void router.replace({ query: { ...route.query, doc: name, at: undefined } });
}
</script>

<template>
  <div class="declare">
    <section class="outline" aria-label="documents and outline">
      <h2>Documents</h2>
      <ul>
        <li v-for="name in names" :key="name">
          <router-link
            :to="{ query: { ...route.query, doc: name, at: undefined } }"
            :class="{ current: name === shown }"
            class="mono"
            replace
            >{{ name }}</router-link
          >
          <span v-if="bench.analysis.findings.some((f) => f.spot.doc === name)" class="soft count">{{
            bench.analysis.findings.filter((f) => f.spot.doc === name).length
          }}</span>
        </li>
      </ul>
      <form v-if="bench.canWrite" class="add" @submit.prevent="add">
        <el-input
          v-model="fresh"
          size="small"
          placeholder="new document"
          aria-label="name of a new document"
        />
        <el-button size="small" native-type="submit" :disabled="!fresh.trim()">add</el-button>
      </form>
      <p v-if="freshTrouble" class="error" role="alert">{{ freshTrouble }}</p>
      <template v-for="group in bench.analysis.outline" :key="group.title">
        <h2>
          {{ group.title }} <span class="soft count">{{ group.items.length }}</span>
        </h2>
        <ul>
          <li v-for="item in group.items" :key="item.id">
            <button class="plain item" :class="{ current: focus.selected === item.id }" @click="pick(item)">
              <span class="mono">{{ item.name }}</span>
              <span class="soft kind" :class="item.worst">{{ item.worst ?? item.kind }}</span>
            </button>
          </li>
        </ul>
      </template>
    </section>
    <div ref="host" class="editor" data-testid="editor" />
    <aside>
      <CloseUp @show="show" />
      <section aria-label="all findings" class="all">
        <h2>{{ focus.closeUp?.findings.length ? 'Other findings' : 'Findings' }}</h2>
        <p v-if="bench.analysis.findings.length === 0" class="good">
          None: everything named exists, and everything leads somewhere.
        </p>
        <Findings :findings="elsewhere" show-place @show="show" />
      </section>
    </aside>
  </div>
</template>

<style scoped>
.declare {
  display: grid;
  grid-template-columns: 210px 1fr 290px;
  min-height: 0;
}
.outline,
aside {
  overflow: auto;
  padding: 10px 12px;
}
.outline {
  border-right: 1px solid var(--hairline);
}
.outline h2 {
  margin: 12px 0 4px;
}
.outline h2:first-child {
  margin-top: 0;
}
.outline li {
  display: flex;
  justify-content: space-between;
  gap: 6px;
}
.outline a {
  color: var(--ink);
  text-decoration: none;
  padding: 2px 6px;
  margin-left: -6px;
  overflow-wrap: anywhere;
}
.current {
  background: var(--accent-sheet);
}
.item {
  display: flex;
  justify-content: space-between;
  gap: 6px;
  width: 100%;
  padding: 2px 6px;
  margin: 0 -6px;
}
.item .mono {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.item:hover,
.outline a:hover {
  background: var(--band);
}
.kind,
.count {
  font-size: 12px;
  font-weight: 400;
  flex: none;
}
.kind.error {
  color: var(--error);
}
.kind.warning {
  color: var(--warning);
}
.add {
  display: flex;
  gap: 6px;
  margin-top: 6px;
}
.editor {
  min-width: 0;
  min-height: 0;
  overflow: hidden;
}
aside {
  background: var(--sheet);
  border-left: 1px solid var(--hairline);
  display: grid;
  gap: 18px;
  align-content: start;
}
.all h2 {
  padding-bottom: 3px;
  margin-bottom: 8px;
  border-bottom: 1px solid var(--hairline);
}
</style>
