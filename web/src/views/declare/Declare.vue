<script setup lang="ts">
import { useDebounceFn, useLocalStorage } from '@vueuse/core';
import { ElButton, ElCheckbox, ElDialog, ElInput } from 'element-plus';
import { LONG_LINE } from './long-line.ts';
import { computed, defineAsyncComponent, nextTick, onBeforeUnmount, onMounted, ref, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import Findings from '../../parts/Findings.vue';
import NextStep from '../../parts/NextStep.vue';
import Said from '../../parts/Said.vue';
import { useWorkspace } from '../../stores/workspace.ts';
import { useFocus } from '../../stores/focus.ts';
import type { NamedView, Spot } from '../../workers/views.ts';
import { core } from '../../workers/client.ts';
import Documents from './Documents.vue';
import { createEditor, type Editor } from './editor.ts';
import { useOrigins } from '../../parts/origin.ts';
import CameWith from '../../parts/CameWith.vue';
import Outline from './Outline.vue';

// nobody looks at one thing before all is there
const CloseUp = defineAsyncComponent(() => import('../../parts/CloseUp.vue'));

const workspace = useWorkspace();
const focus = useFocus();
const route = useRoute();
const router = useRouter();
const host = ref<HTMLElement>();
let editor: Editor | undefined;

const shown = computed(() => {
  const asked = route.query.doc;
  return typeof asked === 'string' && workspace.names.includes(asked) ? asked : (workspace.names[0] ?? '');
});
const text = computed(() => workspace.documents.find(({ name }) => name === shown.value)?.text ?? '');
/** More marks in one document than these are no help, and every key has to move them. */
const MOST_MARKED = 200;
const findings = computed(() =>
  workspace.findings.filter(({ spot }) => spot.doc === shown.value).slice(0, MOST_MARKED),
);
/** The findings that the close-up does not show already. */
const elsewhere = computed(() =>
  workspace.findings.filter(({ about }) => about === undefined || about !== focus.shownNode),
);
/** Whether the close-up shows findings of its own. */
const others = computed(() => (focus.closeUp?.findings.length ?? 0) > 0);
/** More than these are gone through in a view of their own. */
const MOST_LISTED = 12;
/** The uses of a name that were asked for. */
const uses = ref<NamedView>();
const renaming = ref<{ id: string; old: string; name: string; trouble: string }>();

/** Whether long lines are broken where the window ends: kept for this browser. */
const wraps = useLocalStorage('vondle wraps', true);
watch(wraps, (now) => editor?.wrap(now));
/** The line that the cursor is in, from 1, and the offset. */
const line = ref(1);
const at = ref(0);
/** With which revision that line came. */
const origins = useOrigins(shown, text);
const lineAt = (offset: number) => editor!.view.state.doc.lineAt(offset).number;
const settle = useDebounceFn(selectUnder, 120);
/** What is wrong in that line; without anything, the next that is. */
const here = computed(() => {
  const own = findings.value.filter(({ spot }) => spot.line === line.value);
  if (own.length) return { own, next: undefined };
  return { own, next: findings.value.find(({ spot }) => spot.line > line.value) ?? findings.value[0] };
});
/** Whether the line is so long that another way to write it is offered. */
const isLong = computed(() => {
  const written = text.value.split('\n', line.value)[line.value - 1] ?? '';
  return written.length > LONG_LINE && /[[{]/.test(written);
});

async function asLines(offset: number) {
  if (!workspace.canWrite) return;
  const edited = await workspace.edit(() => core.asLines(shown.value, offset));
  lineTrouble.value = edited.ok ? '' : edited.message;
}
const lineTrouble = ref('');
watch(line, () => (lineTrouble.value = ''));

onMounted(() => {
  editor = createEditor(host.value!, {
    readOnly: !workspace.canWrite,
    change: (edits) => workspace.typeIn(shown.value, edits),
    cursor: (offset) => {
      line.value = lineAt(offset);
      at.value = offset;
      void settle(offset);
    },
    complete: (now, offset) => core.complete(now, offset),
    nameAt: (offset) => core.nameAt(shown.value, offset),
    keyAt: (offset) => core.keyAt(shown.value, offset),
    asLines,
    wraps: wraps.value,
    undo: workspace.undo,
    redo: workspace.redo,
    toDeclaration: async (offset) => {
      const found = await core.nameAt(shown.value, offset);
      if (found?.spot) show(found.spot);
    },
    toUses: async (offset) => {
      const found = await core.nameAt(shown.value, offset);
      if (found) uses.value = found;
    },
    rename: async (offset) => {
      const found = await core.nameAt(shown.value, offset);
      if (found && workspace.canWrite)
        renaming.value = { id: found.id, old: found.name, name: found.name, trouble: '' };
    },
  });
  open();
});
onBeforeUnmount(() => editor?.destroy());

function open() {
  if (!editor || !shown.value) return;
  editor.show(shown.value, text.value);
  editor.value(workspace.analysis.environments.parameters);
  mark();
  goTo();
}
watch(shown, open);
watch(text, (now) => {
  const { before, edits } = workspace.changed ?? {};
  const then = before?.find(({ name }) => name === shown.value)?.text;
  editor?.update(
    now,
    then,
    edits?.filter(({ doc }) => doc === shown.value),
  );
});
watch(findings, mark);
watch(
  () => workspace.analysis.environments.parameters,
  (now) => editor?.value(now),
);
watch(
  () => route.query.at,
  () => void nextTick(goTo),
);

function mark() {
  editor?.mark(findings.value, (finding, index) => void workspace.mend(finding, index));
}

function goTo() {
  const at = /^(\d+)-(\d+)$/.exec(String(route.query.at ?? ''));
  if (at) editor?.select(Number(at[1]), Number(at[2]));
}

/** Selects the thing whose declaration the cursor is in: the last one that begins before it. */
async function selectUnder(offset: number) {
  const id = await core.thingAt(shown.value, offset);
  if (id && id !== focus.shownThing) focus.selected = id;
}

async function rename() {
  const { value: asked } = renaming;
  if (!asked) return;
  const edited = await workspace.edit(() => core.rename(asked.id, asked.name));
  if (!edited.ok) {
    renaming.value = { ...asked, trouble: edited.message };
    return;
  }
  renaming.value = undefined;
  editor?.view.focus();
}

function show(spot: Spot) {
  void router.replace({ query: { ...route.query, doc: spot.doc, at: `${spot.start}-${spot.end}` } });
  if (spot.doc === shown.value) editor?.select(spot.start, spot.end);
}

async function pick(id: string) {
  focus.selected = id;
  const spot = await core.whereIs(id);
  if (spot) void nextTick(() => show(spot));
}
</script>

<template>
  <div class="declare">
    <section class="outline" aria-label="documents and outline">
      <Documents :shown="shown" />
      <Outline @pick="pick" />
    </section>
    <section class="middle" aria-label="the text">
      <div ref="host" class="editor" data-testid="editor" />
      <div class="strip" data-testid="strip">
        <div class="said">
          <p v-for="finding in here.own" :key="finding.id" :class="finding.severity">
            <Said :text="finding.message" />
            <button
              v-for="(title, i) in finding.mends.slice(0, 3)"
              :key="title"
              class="plain link"
              :disabled="!workspace.canWrite"
              @click="workspace.mend(finding, i)"
            >
              <Said :text="title" />
            </button>
          </p>
          <p v-if="lineTrouble" class="error" role="alert"><Said :text="lineTrouble" /></p>
          <p v-else-if="isLong && workspace.canWrite" class="soft">
            A long line.
            <button class="plain link" aria-keyshortcuts="Alt+B" @click="asLines(at)">
              Write it on lines of its own
            </button>
          </p>
          <button v-if="here.next" class="plain soft next" @click="show(here.next.spot)">
            line {{ here.next.spot.line }}: <Said :text="here.next.message" />
          </button>
        </div>
        <span class="soft origin" data-testid="origin">
          <CameWith :origin="origins(line, line)" />
        </span>
        <span class="soft">line {{ line }}</span>
        <el-checkbox v-model="wraps" size="small">wrap</el-checkbox>
      </div>
    </section>
    <aside>
      <section v-if="uses" class="uses" aria-label="uses">
        <h2>
          Uses of <code>{{ uses.name }}</code>
          <button class="plain soft" aria-label="close the uses" @click="uses = undefined">×</button>
        </h2>
        <p v-if="uses.uses.length === 0" class="soft">Nothing else names it.</p>
        <ul>
          <li v-for="use in uses.uses" :key="`${use.doc} ${use.start}`">
            <button class="plain link" @click="show(use)">{{ use.doc }} {{ use.line }}</button>
          </li>
        </ul>
      </section>
      <CloseUp v-if="focus.closeUp" @show="show" />
      <section aria-label="all findings" class="all">
        <h2>{{ others ? 'Other findings' : 'Findings' }}</h2>
        <template v-if="workspace.analysis.empty">
          <p class="soft">Nothing to check yet.</p>
          <NextStep v-if="workspace.looked" />
        </template>
        <p v-else-if="workspace.findings.length === 0" class="good">
          None: everything named exists, and everything leads somewhere.
        </p>
        <Findings :findings="elsewhere.slice(0, MOST_LISTED)" show-place @show="show" />
        <router-link
          v-if="elsewhere.length > MOST_LISTED"
          class="link"
          :to="{ name: 'findings', params: route.params, query: route.query }"
          >{{ elsewhere.length - MOST_LISTED }} more, in Findings</router-link
        >
      </section>
    </aside>
    <el-dialog
      :model-value="renaming !== undefined"
      :title="`Rename ${renaming?.old ?? ''} everywhere`"
      width="400"
      @close="renaming = undefined"
    >
      <form v-if="renaming" class="rename" @submit.prevent="rename">
        <el-input v-model="renaming.name" class="mono" aria-label="new name" autofocus />
        <p v-if="renaming.trouble" class="error" role="alert"><Said :text="renaming.trouble" /></p>
        <el-button type="primary" native-type="submit">Rename</el-button>
      </form>
    </el-dialog>
  </div>
</template>

<style scoped>
.origin {
  max-width: 34%;
  overflow: hidden;
  white-space: nowrap;
  text-overflow: ellipsis;
}
.declare {
  display: grid;
  grid-template-columns: 210px 1fr 290px;
  min-height: 0;
}

/* each pane is laid out by itself: a key in one is no matter of the others */
.outline,
.middle,
aside {
  contain: content;
}
.middle {
  min-width: 0;
  min-height: 0;
  display: grid;
  grid-template-rows: minmax(0, 1fr) auto;
}
.strip {
  display: flex;
  align-items: center;
  gap: 14px;
  min-height: 30px;
  max-height: 96px;
  overflow: auto;
  padding: 2px 12px;
  background: var(--sheet);
  border-top: 1px solid var(--hairline);
  font-size: 13px;
}
.said {
  flex: 1;
  min-width: 0;
  display: grid;
  gap: 2px;
}
.said .link {
  margin-left: 8px;
}
.next {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.outline,
aside {
  overflow: auto;
  padding: 10px 12px;
}
.outline {
  border-right: 1px solid var(--hairline);
}
.uses h2 {
  display: flex;
  justify-content: space-between;
}
.link {
  color: var(--accent);
  text-decoration: underline;
  font-size: 13px;
}
.rename {
  display: grid;
  gap: 10px;
  justify-items: start;
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
