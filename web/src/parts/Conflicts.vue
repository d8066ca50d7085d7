<script setup lang="ts">
import { ElButton } from 'element-plus';
import { computed } from 'vue';
import { useWorkspace } from '../stores/workspace.ts';
import type { ConflictView } from '../workers/views.ts';

/** What two people changed otherwise, side by side; each is decided, and what is typed meanwhile is not lost. */
const workspace = useWorkspace();
const by = computed(() => workspace.coming?.by ?? 'Somebody');
const left = computed(() => workspace.conflicts.filter(({ id }) => !workspace.choices.has(id)).length);
const where = ({ doc, way }: ConflictView) => (way.length ? way.join(' › ') : `some lines of ${doc}`);
const said = (text: string | undefined) => text ?? 'not there';
</script>

<template>
  <section class="conflicts" role="alert" aria-label="conflicts" data-testid="conflicts">
    <p>
      {{ by }} and you changed
      {{ workspace.conflicts.length === 1 ? 'one value' : `${workspace.conflicts.length} values` }} otherwise.
      All else is together already. Nothing is saved until
      {{ left === 1 ? 'this one is' : `these ${left} are` }} decided; what you type meanwhile stays.
    </p>
    <table>
      <thead>
        <tr>
          <th>what</th>
          <th>was</th>
          <th>yours</th>
          <th>{{ by }}’s</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="conflict in workspace.conflicts" :key="conflict.id" data-testid="conflict">
          <th scope="row">
            <span class="mono">{{ where(conflict) }}</span>
            <span v-if="conflict.way.length" class="soft"> in {{ conflict.doc }}</span>
          </th>
          <td>
            <pre class="mono soft">{{ said(conflict.base) }}</pre>
          </td>
          <td v-for="side in ['mine', 'theirs'] as const" :key="side">
            <pre class="mono">{{ said(conflict[side]) }}</pre>
            <el-button
              size="small"
              :type="workspace.choices.get(conflict.id) === side ? 'primary' : undefined"
              :aria-pressed="workspace.choices.get(conflict.id) === side"
              :data-testid="`take-${side}`"
              @click="workspace.choose(side, conflict.id)"
              >{{ side === 'mine' ? 'keep yours' : `take ${by}’s` }}</el-button
            >
          </td>
        </tr>
      </tbody>
    </table>
    <p v-if="left > 1">
      <button class="plain link" @click="workspace.choose('mine')">keep yours in all</button> ·
      <button class="plain link" @click="workspace.choose('theirs')">take {{ by }}’s in all</button>
    </p>
  </section>
</template>

<style scoped>
.conflicts {
  max-height: 55vh;
  overflow: auto;
  padding: 10px 16px;
  border-bottom: 2px solid var(--warning);
  background: var(--sheet);
}
table {
  width: 100%;
  border-collapse: collapse;
  table-layout: fixed;
}
th,
td {
  padding: 4px 12px 6px 0;
  text-align: left;
  vertical-align: top;
  font-weight: 400;
  border-top: 1px solid var(--hairline);
}
thead th {
  color: var(--soft);
  border-top: 0;
}
pre {
  margin: 0 0 4px;
  max-height: 9em;
  overflow: auto;
  white-space: pre-wrap;
  overflow-wrap: anywhere;
}
th .mono {
  overflow-wrap: anywhere;
}
p {
  margin: 4px 0;
}
</style>
