<script setup lang="ts">
import { ElButton, ElInput, ElOption, ElSelect } from 'element-plus';
import { computed } from 'vue';
import type { FieldOfForm } from '../workers/views.ts';

/** One field of a form: a choice, a name of the topology or a new word, several of them, or rows of them. */
type Row = Record<string, string>;
const props = defineProps<{ field: FieldOfForm; called: string; autofocus?: boolean }>();
const value = defineModel<string | string[] | Row[]>({ required: true });

const placeholder = computed(() => props.field.otherwise.replaceAll('`', ''));
const choices = computed(() => props.field.values ?? props.field.suggest ?? []);
const rows = computed(() => value.value as Row[]);

function add() {
  value.value = [...rows.value, {}];
}
function remove(index: number) {
  value.value = rows.value.filter((_, i) => i !== index);
}
function set(index: number, column: string, text: string | string[] | Row[]) {
  const cell = Array.isArray(text) ? text.join(', ') : text;
  value.value = rows.value.map((row, i) => (i === index ? { ...row, [column]: cell } : row));
}
</script>

<template>
  <div v-if="field.kind === 'rows'" class="rows" role="group" :aria-label="called">
    <div v-for="(row, i) in rows" :key="i" class="row" role="group" :aria-label="`${called} ${i + 1}`">
      <label v-for="column in field.columns" :key="column.name" class="cell">
        <span class="soft" :title="column.about">{{ column.name }}</span>
        <Field
          :field="column"
          :called="`${called} ${i + 1} ${column.name}`"
          :model-value="row[column.name] ?? ''"
          @update:model-value="set(i, column.name, $event)"
        />
      </label>
      <button
        class="plain soft away"
        :aria-label="`take away ${called} ${i + 1}`"
        type="button"
        @click="remove(i)"
      >
        take away
      </button>
    </div>
    <el-button size="small" @click="add">{{ rows.length ? 'one more' : `add to ${field.name}` }}</el-button>
  </div>
  <el-select
    v-else-if="field.kind === 'many'"
    :model-value="value as string[]"
    multiple
    filterable
    default-first-option
    :allow-create="!field.values"
    :reserve-keyword="false"
    :placeholder="placeholder"
    :aria-label="called"
    class="mono"
    @update:model-value="value = $event"
  >
    <el-option v-for="each in choices" :key="each" :value="each" :label="each" />
  </el-select>
  <el-select
    v-else-if="choices.length"
    :model-value="(value as string) || undefined"
    filterable
    clearable
    default-first-option
    :allow-create="!field.values"
    :placeholder="placeholder"
    :aria-label="called"
    class="mono"
    @update:model-value="value = $event ?? ''"
  >
    <el-option v-for="each in choices" :key="each" :value="each" :label="each" />
  </el-select>
  <el-input
    v-else
    :model-value="value as string"
    :type="field.kind === 'data' ? 'textarea' : 'text'"
    :autosize="{ minRows: 1, maxRows: 8 }"
    :placeholder="placeholder"
    :aria-label="called"
    :autofocus="autofocus"
    class="mono"
    @update:model-value="value = $event"
  />
</template>

<style scoped>
.rows {
  display: grid;
  gap: 8px;
  justify-items: start;
}
.row {
  width: 100%;
  display: flex;
  flex-wrap: wrap;
  gap: 4px 8px;
  align-items: end;
  padding: 6px 8px;
  background: var(--band);
}
.cell {
  flex: 1 1 104px;
  min-width: 0;
  display: grid;
  gap: 1px;
  font-size: 12px;
}
.away {
  font-size: 12px;
  text-decoration: underline;
}
.mono :deep(.el-select__placeholder),
.mono :deep(.el-select__tags-text),
.mono :deep(input),
.mono :deep(textarea) {
  font-family: var(--mono);
  font-size: 12.5px;
}
</style>
