<script setup lang="ts">
import { ElButton } from 'element-plus';
import { ref, shallowRef, watch } from 'vue';
import { api, type AuditLine, type Member } from '../../api.ts';

/** What everybody did, the newest first, page by page. */
const { slug, people, mark } = defineProps<{
  slug: string;
  people: readonly Member[];
  /** Another value whenever something may have been done. */
  mark: unknown;
}>();
const who = ref('');
const action = ref('');
const lines = shallowRef<AuditLine[]>([]);
const actions = shallowRef<string[]>([]);
const more = ref(false);
const trouble = ref('');
/** Lines of a page, as the server sends them. */
const PAGE = 100;
const when = new Intl.DateTimeFormat('en', { dateStyle: 'medium', timeStyle: 'medium' });

async function look(before?: number) {
  trouble.value = '';
  try {
    const page = await api.audit(slug, { who: who.value, action: action.value, before });
    lines.value = before === undefined ? page.lines : [...lines.value, ...page.lines];
    actions.value = page.actions;
    more.value = page.more;
  } catch (error) {
    trouble.value = (error as Error).message;
  }
}
watch([who, action, () => slug], () => void look(), { immediate: true });
// who reads on in older pages is not thrown back to the first
watch(
  () => mark,
  () => lines.value.length <= PAGE && void look(),
);

const detailed = ({ details }: AuditLine) =>
  Object.entries(details)
    .map(([name, value]) => `${name} ${typeof value === 'string' ? value : JSON.stringify(value)}`)
    .join(', ');
</script>

<template>
  <section aria-label="what was done">
    <h2>What was done</h2>
    <div class="inline-form">
      <label
        >by
        <select v-model="who" aria-label="by whom">
          <option value="">anybody</option>
          <option v-for="each in people" :key="each.handle" :value="each.handle">{{ each.name }}</option>
        </select>
      </label>
      <label
        >what
        <select v-model="action" aria-label="what">
          <option value="">anything</option>
          <option v-for="each in actions" :key="each">{{ each }}</option>
        </select>
      </label>
      <a :href="api.auditFile(slug, { who, action })" download>all of it as NDJSON</a>
    </div>
    <p v-if="trouble" class="error" role="alert">{{ trouble }}</p>
    <table class="listing">
      <tbody>
        <tr v-for="line in lines" :key="line.id" data-testid="done">
          <td class="soft when">{{ when.format(new Date(line.at)) }}</td>
          <td>{{ people.find(({ handle }) => handle === line.who)?.name ?? line.who ?? 'the server' }}</td>
          <td>
            {{ line.action }} <span class="soft">{{ detailed(line) }}</span>
          </td>
        </tr>
      </tbody>
    </table>
    <p v-if="lines.length === 0 && !trouble" class="soft">Nothing that fits.</p>
    <el-button v-if="more" size="small" @click="look(lines.at(-1)?.id)">older</el-button>
  </section>
</template>

<style scoped>
.when {
  white-space: nowrap;
}
td {
  overflow-wrap: anywhere;
}
</style>
