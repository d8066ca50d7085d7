<script setup lang="ts">
import { ElDialog, ElInput } from 'element-plus';
import { computed, nextTick, ref, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { useWorkspace } from '../stores/workspace.ts';
import { useFocus } from '../stores/focus.ts';
import { VIEWS } from '../views/list.ts';

/** Goes to anything by name: a thing, a message type, a document, a view. */
const open = defineModel<boolean>({ required: true });
const workspace = useWorkspace();
const focus = useFocus();
const route = useRoute();
const router = useRouter();
const wanted = ref('');
const chosen = ref(0);
const field = ref<InstanceType<typeof ElInput>>();
const MOST = 12;

interface Goal {
  name: string;
  kind: string;
  go: () => void;
}

/** Everything there is, listed only while it is looked through: it would be made anew at each key typed elsewhere. */
const goals = computed<Goal[]>(() => (open.value ? everything() : []));

const everything = (): Goal[] => [
  ...VIEWS.map(({ name, title }) => ({
    name: title,
    kind: 'view',
    go: () => void router.push({ name, params: route.params, query: route.query }),
  })),
  ...workspace.outline.flatMap(({ title, items }) =>
    items.map(({ id, name, kind }) => ({
      name: /^(?:links|spreads|messages|apps|tenants)$/.test(title) ? name : `${title}/${name}`,
      kind,
      go: () => {
        if (kind === 'message') focus.typeId = name;
        else focus.selected = id;
      },
    })),
  ),
  ...workspace.names.map((name) => ({
    name,
    kind: 'document',
    go: () =>
      void router.push({
        name: 'declare',
        params: route.params,
        query: { ...route.query, doc: name, at: undefined },
      }),
  })),
];

/** Names that begin so first, then those with a word that does, then those that hold it anywhere. */
const found = computed(() => {
  const words = wanted.value.trim().toLowerCase();
  if (!words) return goals.value.slice(0, MOST);
  const ranked = goals.value.flatMap((goal) => {
    const name = goal.name.toLowerCase();
    const at = name.indexOf(words);
    if (at < 0) return [];
    return [{ goal, rank: at === 0 ? 0 : /[/. -]/.test(name[at - 1]!) ? 1 : 2 }];
  });
  return ranked
    .sort((a, b) => a.rank - b.rank || a.goal.name.length - b.goal.name.length)
    .slice(0, MOST)
    .map(({ goal }) => goal);
});
watch(found, () => (chosen.value = 0));
watch(open, (now) => now && (wanted.value = ''));

/** The field keeps a role for itself, so the list's owner is told to the reader here. */
function begin() {
  field.value?.input?.setAttribute('role', 'combobox');
  field.value?.focus();
}

function go(goal: Goal | undefined) {
  if (!goal) return;
  open.value = false;
  void nextTick(goal.go);
}

function move(by: number) {
  const { length } = found.value;
  if (length) chosen.value = (chosen.value + by + length) % length;
}
</script>

<template>
  <el-dialog v-model="open" title="Go to" width="440" align-center class="jump" @opened="begin">
    <el-input
      v-model="wanted"
      ref="field"
      placeholder="a name"
      aria-label="name of what to go to"
      aria-expanded="true"
      aria-controls="jump-list"
      :aria-activedescendant="`jump-${chosen}`"
      @keydown.down.prevent="move(1)"
      @keydown.up.prevent="move(-1)"
      @keydown.enter.prevent="go(found[chosen])"
    />
    <ul id="jump-list" role="listbox" aria-label="what there is of that name">
      <li
        v-for="(goal, i) in found"
        :id="`jump-${i}`"
        :key="`${goal.kind} ${goal.name}`"
        role="option"
        :aria-selected="i === chosen"
        @click="go(goal)"
        @pointermove="chosen = i"
      >
        <span class="mono">{{ goal.name }}</span> <span class="soft">{{ goal.kind }}</span>
      </li>
    </ul>
    <p v-if="found.length === 0" class="soft">Nothing of that name.</p>
  </el-dialog>
</template>

<style scoped>
ul {
  margin-top: 8px;
}
li {
  display: flex;
  justify-content: space-between;
  gap: 12px;
  padding: 3px 8px;
  cursor: pointer;
}
li .mono {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
li[aria-selected='true'] {
  background: var(--accent-sheet);
}
</style>
