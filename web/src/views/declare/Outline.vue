<script setup lang="ts">
import { ElInput } from 'element-plus';
import { computed, ref } from 'vue';
import { useWorkspace } from '../../stores/workspace.ts';
import { useFocus } from '../../stores/focus.ts';
import NewMenu from '../../forms/NewMenu.vue';

/** Everything declared, by broker and kind; narrowed by typing. */
const workspace = useWorkspace();
const focus = useFocus();
const emit = defineEmits<{ pick: [id: string] }>();
const wanted = ref('');
const folded = ref(new Set<string>());

/** Longer groups open folded, and show so many at first. */
const MANY = 60;
const opened = ref(new Map<string, number>());

const groups = computed(() => {
  const words = wanted.value.trim().toLowerCase();
  return workspace.outline.flatMap(({ title, items }) => {
    const found = words ? items.filter(({ name }) => name.toLowerCase().includes(words)) : items;
    if (found.length === 0) return [];
    const most = opened.value.get(title) ?? MANY;
    return [{ title, count: found.length, items: folded.value.has(title) ? [] : found.slice(0, most) }];
  });
});

function fold(title: string) {
  const next = new Set(folded.value);
  if (!next.delete(title)) next.add(title);
  folded.value = next;
}
</script>

<template>
  <div class="list">
    <div class="top">
      <el-input
        v-model="wanted"
        size="small"
        placeholder="find by name"
        aria-label="find by name"
        clearable
      />
      <NewMenu />
    </div>
    <p v-if="workspace.outline.length === 0" class="soft">
      Nothing is declared yet. Declare a broker by <b>New …</b>, or begin to type <code>brokers:</code> in the
      text.
    </p>
    <p v-else-if="groups.length === 0" class="soft">Nothing of that name.</p>
    <template v-for="group in groups" :key="group.title">
      <h2>
        <button class="plain title" :aria-expanded="!folded.has(group.title)" @click="fold(group.title)">
          {{ group.title }} <span class="soft count">{{ group.count }}</span>
        </button>
      </h2>
      <ul>
        <li v-for="item in group.items" :key="item.id">
          <button
            class="plain item"
            :class="{ current: focus.shownThing === item.id }"
            :title="item.name"
            @click="emit('pick', item.id)"
          >
            <span class="mono">{{ item.name }}</span>
            <span class="soft kind" :class="item.worst">{{
              item.findings && item.findings > 1 ? `${item.findings} findings` : (item.worst ?? item.kind)
            }}</span>
          </button>
        </li>
      </ul>
      <button
        v-if="group.items.length && group.items.length < group.count"
        class="plain soft"
        @click="opened = new Map(opened).set(group.title, group.items.length + 500)"
      >
        {{ group.count - group.items.length }} more …
      </button>
    </template>
  </div>
</template>

<style scoped>
.top {
  display: flex;
  gap: 8px;
  align-items: baseline;
}
.link {
  flex: none;
  color: var(--accent);
  text-decoration: underline;
  font-size: 13px;
}
.list {
  margin-top: 12px;
}
h2 {
  margin: 10px 0 4px;
}
.title {
  font: inherit;
}
.count,
.kind {
  font-size: 12px;
  font-weight: 400;
  flex: none;
}
.item {
  display: flex;
  justify-content: space-between;
  gap: 6px;
  width: calc(100% + 12px);
  padding: 2px 6px;
  margin: 0 -6px;
}
.item .mono {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.item:hover {
  background: var(--band);
}
.current {
  background: var(--accent-sheet);
}
.kind.error {
  color: var(--error);
}
.kind.warning {
  color: var(--warning);
}
</style>
