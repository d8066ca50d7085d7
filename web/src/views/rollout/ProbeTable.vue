<script setup lang="ts">
import { computed } from 'vue';
import type { Probe } from '../../api.ts';

/** All probes of a rollout, a line a message: what was predicted and what came of it, before and after. */
const props = defineProps<{ probes: readonly Probe[] }>();

type Cell = { sign: string; kind: 'good' | 'error' | 'warning'; text: string };
interface Row {
  readonly id: string;
  readonly what: string;
  readonly more: string;
  before?: Cell;
  after?: Cell;
}

function landed(queues: Readonly<Record<string, number>>): string {
  const all = Object.entries(queues).filter(([, copies]) => copies > 0);
  return all.length
    ? all
        .map(([name, copies]) => (copies === 1 ? name : `${name} × ${copies}`))
        .sort()
        .join(', ')
    : 'nowhere';
}
function cellOf({ agrees, predicted, observed }: Probe): Cell {
  const [said, seen] = [landed(predicted.queues), landed(observed.queues)];
  if (agrees === false) return { sign: '≠', kind: 'error', text: `${seen}; predicted ${said}` };
  const unseen = observed.unseen.map(({ queue }) => queue);
  return agrees
    ? { sign: '=', kind: 'good', text: seen }
    : { sign: '?', kind: 'warning', text: `${seen}; not seen: ${unseen.join(', ')}` };
}

const rows = computed(() => {
  const found = new Map<string, Row>();
  for (const probe of props.probes) {
    const { type, to, key, headers, app } = probe.sent;
    const id = JSON.stringify([type, to, key, headers, app]);
    const values = Object.entries(headers).map(([name, value]) => `${name} ${String(value)}`);
    const row = found.get(id) ?? { id, what: `${type} to ${to}`, more: values.join(', ') };
    // the newest are the first
    if (probe.before) row.before ??= cellOf(probe);
    else row.after ??= cellOf(probe);
    found.set(id, row);
  }
  return [...found.values()];
});
const both = computed(() => rows.value.some(({ before }) => before));
const differing = computed(
  () => rows.value.filter(({ before, after }) => (after ?? before)?.kind === 'error').length,
);
</script>

<template>
  <div class="all" role="region" aria-label="all probes">
    <p :class="differing ? 'error' : 'good'" data-testid="probes-in-all">
      {{ rows.length }} {{ rows.length === 1 ? 'message' : 'messages' }} probed:
      {{
        differing
          ? `${differing} did not land where the trace says.`
          : 'none landed elsewhere than the trace says.'
      }}
    </p>
    <table>
      <thead>
        <tr>
          <th>message</th>
          <th v-if="both">before</th>
          <th>{{ both ? 'after' : 'landed in' }}</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="row in rows" :key="row.id" data-testid="probe-row">
          <td>
            {{ row.what }}
            <div class="soft">{{ row.more }}</div>
          </td>
          <td v-if="both">
            <span v-if="row.before" :class="row.before.kind"
              >{{ row.before.sign }} {{ row.before.text }}</span
            >
          </td>
          <td>
            <span v-if="row.after" :class="row.after.kind">{{ row.after.sign }} {{ row.after.text }}</span>
          </td>
        </tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.all {
  width: 100%;
}
table {
  width: 100%;
  border-collapse: collapse;
  font-size: 13px;
}
th,
td {
  text-align: left;
  vertical-align: top;
  padding: 3px 8px 3px 0;
  border-bottom: 1px solid var(--hairline);
  overflow-wrap: anywhere;
}
</style>
