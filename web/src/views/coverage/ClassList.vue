<script setup lang="ts">
import type { Reaching } from '../../workers/views.ts';
import { useFollow } from './follow.ts';

/** Classes of messages of several types, one under the other. */
defineProps<{
  of: Reaching;
  /** What is said of them beside which they are; '' for nothing. */
  becomes: string;
}>();
const follow = useFollow();
</script>

<template>
  <table>
    <thead>
      <tr>
        <th scope="col">message</th>
        <th scope="col">from → to</th>
        <th scope="col">share</th>
        <th scope="col">which messages</th>
        <th v-if="becomes" scope="col" class="becomes">{{ becomes }}</th>
        <td></td>
      </tr>
    </thead>
    <tbody>
      <tr v-for="(row, i) in of.rows" :key="i" data-testid="class">
        <td class="mono">{{ row.type }}</td>
        <td class="mono">{{ row.from }} → {{ row.to }}{{ row.via ? ' over MQTT' : '' }}</td>
        <td class="share">{{ row.share }}</td>
        <td>{{ row.when }} <span v-if="!row.proved" class="warning">not proved</span></td>
        <td v-if="becomes">{{ row.becomes }}</td>
        <td class="acts">
          <button class="plain link" @click="follow('trace', row)">trace one</button>
          <button class="plain link" @click="follow('fan-out', row)">see its way</button>
        </td>
      </tr>
    </tbody>
  </table>
  <p v-if="of.more" class="soft">and {{ of.more.toLocaleString('en') }} classes more</p>
</template>

<style scoped>
table {
  border-collapse: collapse;
  width: 100%;
  table-layout: fixed;
  overflow-wrap: anywhere;
}
thead :nth-child(1) {
  width: 15%;
}
thead :nth-child(2) {
  width: 23%;
}
thead :nth-child(3) {
  width: 11%;
}
thead td {
  width: 150px;
}
th,
td {
  text-align: left;
  vertical-align: top;
  padding: 4px 14px 4px 0;
  border-bottom: 1px solid var(--hairline);
}
thead th {
  font-weight: 400;
  font-size: 13px;
  color: var(--soft);
}
.mono {
  font-size: 12px;
}
.share,
.acts {
  white-space: nowrap;
}
.link {
  color: var(--accent);
  text-decoration: underline;
  font-size: 13px;
  margin-right: 10px;
}
</style>
