<script setup lang="ts">
import { ref } from 'vue';
import type { DocumentDifference, Part } from './text.ts';

/** The texts that differ, document by document; what is the same for long is folded and can be opened. */
const { documents, beside, sayable } = defineProps<{
  documents: readonly DocumentDifference[];
  beside: boolean;
  /** Whether something can be said to a line, by its number. */
  sayable?: boolean;
}>();
const emit = defineEmits<{ say: [doc: string, line: number, text: string] }>();
const opened = ref(new Set<Part>());
const isFolded = (part: Part) => 'folded' in part && !opened.value.has(part);
const open = (part: Part) => (opened.value = new Set([...opened.value, part]));
</script>

<template>
  <section v-for="document in documents" :key="document.name" data-testid="document-differs">
    <h3>
      <span class="mono">{{ document.name }}</span>{{ ' ' }}
      <span class="soft"
        >{{ document.kind === 'changed' ? '' : `${document.kind}, ` }}+{{ document.came }} −{{
          document.went
        }}</span
      >
    </h3>
    <p v-if="document.parts.length === 0" class="soft">It is too long to be shown line by line.</p>
    <table class="mono">
      <colgroup>
        <col class="number" />
        <col :class="{ number: !beside }" />
        <col :class="{ number: beside }" />
        <col v-if="beside" />
      </colgroup>
      <tbody>
        <template v-for="(part, i) in document.parts" :key="i">
          <tr v-if="isFolded(part)">
            <td :colspan="beside ? 4 : 3" class="fold">
              <button class="plain link" @click="open(part)">
                {{ part.rows.length }} lines that are the same
              </button>
            </td>
          </tr>
          <template v-else>
            <template v-for="(row, k) in part.rows" :key="k">
              <tr v-if="beside">
                <td class="number">{{ row.before?.number }}</td>
                <td :class="{ gone: !row.same && row.before }">{{ row.before?.text }}</td>
                <td class="number">{{ row.after?.number }}</td>
                <td :class="{ come: !row.same && row.after }">{{ row.after?.text }}</td>
              </tr>
              <template v-else>
                <tr v-if="row.before && !row.same">
                  <td class="number">{{ row.before.number }}</td>
                  <td class="number"></td>
                  <td class="gone">− {{ row.before.text }}</td>
                </tr>
                <tr v-if="row.after">
                  <td class="number">{{ row.same ? row.before?.number : '' }}</td>
                  <td class="number">
                    <button
                      v-if="sayable"
                      class="plain"
                      :title="`say something to line ${row.after.number}`"
                      data-testid="say-to-line"
                      @click="emit('say', document.name, row.after.number, row.after.text)"
                    >
                      {{ row.after.number }}
                    </button>
                    <template v-else>{{ row.after.number }}</template>
                  </td>
                  <td :class="{ come: !row.same }">{{ row.same ? '  ' : '+ ' }}{{ row.after.text }}</td>
                </tr>
              </template>
            </template>
          </template>
        </template>
      </tbody>
    </table>
  </section>
  <p v-if="documents.length === 0" class="good">The texts are the same.</p>
</template>

<style scoped>
h3 {
  margin: 14px 0 4px;
  font-size: 13px;
  font-weight: 600;
}
table {
  width: 100%;
  table-layout: fixed;
  border-collapse: collapse;
  background: var(--sheet);
  border: 1px solid var(--hairline);
}
td {
  padding: 0 6px;
  white-space: pre-wrap;
  overflow-wrap: anywhere;
  vertical-align: top;
}
.number {
  width: 44px;
  text-align: right;
  color: var(--soft);
  user-select: none;
}
.gone {
  color: var(--error);
  text-decoration: line-through;
}
.come {
  color: var(--good);
  font-weight: 600;
}
.fold {
  padding: 3px 10px;
  background: var(--band);
}
</style>
