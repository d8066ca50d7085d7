<script setup lang="ts">
import { ElButton, ElDropdown, ElDropdownItem, ElDropdownMenu, ElInput, ElMessageBox } from 'element-plus';
import { computed, ref } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { useWorkspace } from '../../stores/workspace.ts';
import { saveFile } from '../save.ts';
import Said from '../../parts/Said.vue';

/** The documents of the topology: chosen, made, renamed, removed, taken in and out as a zip. */
const props = defineProps<{ shown: string }>();
const workspace = useWorkspace();
const route = useRoute();
const router = useRouter();
const fresh = ref('');
const renaming = ref<string>();
const trouble = ref('');
const file = ref<HTMLInputElement>();

/** Findings by document; the same object while they are the same, for each link here is dear to draw. */
const counts = computed<ReadonlyMap<string, number>>((before) => {
  const found = new Map<string, number>();
  for (const { spot } of workspace.findings) found.set(spot.doc, (found.get(spot.doc) ?? 0) + 1);
  const same = before?.size === found.size && [...found].every(([name, n]) => before.get(name) === n);
  return same ? before : found;
});
const withEnding = (name: string) =>
  /\.(ya?ml|json)$/.test(name.trim()) ? name.trim() : `${name.trim()}.yaml`;
const go = (doc: string) => void router.replace({ query: { ...route.query, doc, at: undefined } });

function add() {
  const name = withEnding(fresh.value);
  trouble.value = workspace.addDocument(name) ?? '';
  if (trouble.value) return;
  fresh.value = '';
  go(name);
}

function rename() {
  const name = withEnding(renaming.value ?? '');
  trouble.value = workspace.renameDocument(props.shown, name) ?? '';
  if (trouble.value) return;
  renaming.value = undefined;
  go(name);
}

async function remove() {
  const lines = workspace.documents.find(({ name }) => name === props.shown)?.text.split('\n').length ?? 0;
  const words = `${props.shown} with its ${lines} lines goes from the draft. Undo brings it back; revisions keep theirs.`;
  const sure = await ElMessageBox.confirm(words, 'Remove this document?', {
    confirmButtonText: 'Remove it',
    cancelButtonText: 'Keep it',
  }).catch(() => undefined);
  if (sure) workspace.removeDocument(props.shown);
}

async function exported() {
  const { writeZip } = await import('@vondle/core/formats/zip');
  saveFile(`${workspace.topology?.slug ?? 'topology'}.zip`, writeZip(workspace.documents));
}

async function imported(event: Event) {
  const input = event.target as HTMLInputElement;
  const chosen = input.files?.[0];
  input.value = '';
  if (!chosen) return;
  const { readZip } = await import('@vondle/core/formats/zip');
  const read = readZip(new Uint8Array(await chosen.arrayBuffer()));
  if (!read.ok) {
    trouble.value = read.message;
    return;
  }
  const present = new Set(workspace.documents.map(({ name }) => name));
  const replaced = read.documents.filter(({ name }) => present.has(name)).map(({ name }) => name);
  const words = `${read.documents.length} documents come in${replaced.length ? `; ${replaced.join(', ')} ${replaced.length === 1 ? 'is' : 'are'} replaced` : ''}. Undo takes it all back.`;
  const sure = await ElMessageBox.confirm(words, `Take in ${chosen.name}?`, {
    confirmButtonText: 'Take them in',
    cancelButtonText: 'Leave it',
  }).catch(() => undefined);
  if (!sure) return;
  workspace.putDocuments(read.documents);
  go(read.documents[0]!.name);
}

function act(command: 'rename' | 'remove' | 'export' | 'import') {
  trouble.value = '';
  if (command === 'rename') renaming.value = props.shown;
  if (command === 'remove') void remove();
  if (command === 'export') void exported();
  if (command === 'import') file.value?.click();
}
</script>

<template>
  <div class="documents">
    <h2>
      Documents
      <el-dropdown trigger="click" @command="act">
        <button class="plain soft" aria-label="more to do with documents">more</button>
        <template #dropdown>
          <el-dropdown-menu>
            <el-dropdown-item command="rename" :disabled="!workspace.canWrite || !shown">
              rename {{ shown }}
            </el-dropdown-item>
            <el-dropdown-item command="remove" :disabled="!workspace.canWrite || !shown">
              remove {{ shown }}
            </el-dropdown-item>
            <el-dropdown-item command="export" divided>save all as a zip</el-dropdown-item>
            <el-dropdown-item command="import" :disabled="!workspace.canWrite"
              >take in a zip …</el-dropdown-item
            >
          </el-dropdown-menu>
        </template>
      </el-dropdown>
    </h2>
    <input ref="file" type="file" accept=".zip" hidden data-testid="zip" @change="imported" />
    <ul>
      <li v-for="name in workspace.names" :key="name">
        <form v-if="renaming !== undefined && name === shown" class="row" @submit.prevent="rename">
          <el-input
            v-model="renaming"
            size="small"
            aria-label="new name of the document"
            autofocus
            @keydown.esc="renaming = undefined"
          />
          <el-button size="small" native-type="submit">rename</el-button>
        </form>
        <template v-else>
          <router-link
            :to="{ query: { ...route.query, doc: name, at: undefined } }"
            :class="{ current: name === shown }"
            class="mono"
            replace
            >{{ name }}</router-link
          >
          <span v-if="counts.get(name)" class="soft count">{{ counts.get(name) }}</span>
        </template>
      </li>
    </ul>
    <form v-if="workspace.canWrite" class="row" @submit.prevent="add">
      <el-input v-model="fresh" size="small" placeholder="new document" aria-label="name of a new document" />
      <el-button size="small" native-type="submit" :disabled="!fresh.trim()">add</el-button>
    </form>
    <p v-if="trouble" class="error" role="alert"><Said :text="trouble" /></p>
  </div>
</template>

<style scoped>
h2 button {
  font: inherit;
  font-weight: 400;
}
h2 {
  display: flex;
  justify-content: space-between;
  margin-bottom: 4px;
}
li {
  display: flex;
  justify-content: space-between;
  gap: 6px;
}
a {
  color: var(--ink);
  text-decoration: none;
  padding: 2px 6px;
  margin-left: -6px;
  overflow-wrap: anywhere;
}
a:hover {
  background: var(--band);
}
.current {
  background: var(--accent-sheet);
}
.count {
  font-size: 12px;
}
.row {
  display: flex;
  gap: 6px;
  margin-top: 6px;
  width: 100%;
}
</style>
