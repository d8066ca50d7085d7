<script setup lang="ts">
import { ElButton, ElRadioButton, ElRadioGroup } from 'element-plus';
import { computed, ref, shallowRef, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import type { TextDocument } from '@vondle/core/base';
import { api } from '../../api.ts';
import Said from '../../parts/Said.vue';
import { useWorkspace } from '../../stores/workspace.ts';
import { core } from '../../workers/client.ts';
import type { ComparedView, RouteView } from '../../workers/views.ts';
import { readFolder } from '../entrance/folder.ts';
import Side from './Side.vue';
import { someOf } from './some.ts';
import { textDifferences, type DocumentDifference } from './text.ts';
import TextParts from './TextParts.vue';

/** Two states of the topology beside each other: what is declared, what messages do, who may what, what is wrong. */
const workspace = useWorkspace();
const route = useRoute();
const router = useRouter();

const PARTS = {
  things: 'Things',
  routes: 'Messages',
  access: 'Access',
  findings: 'Findings and promises',
  text: 'Text',
} as const;
type Part = keyof typeof PARTS;
const inQuery = (name: string, otherwise: () => string) =>
  computed({
    get: () => String(route.query[name] ?? otherwise()),
    set: (next: string) => void router.replace({ query: { ...route.query, [name]: next } }),
  });
const newest = () => (workspace.base ? `r${workspace.base}` : 'nothing');
const from = inQuery('before', newest);
const to = inQuery('after', () => 'draft');
const part = inQuery('part', () => 'things');
const beside = ref(true);

/** Folders that were chosen, by side; they are not in the address. */
const files = shallowRef<Partial<Record<'from' | 'to', { name: string; documents: TextDocument[] }>>>({});
const found = shallowRef<ComparedView>();
const routes = shallowRef<RouteView[]>();
const texts = shallowRef<DocumentDifference[]>([]);
const trouble = ref('');
const working = ref(false);
const copied = ref(false);

async function take(side: 'from' | 'to', chosen: File[]) {
  try {
    files.value = { ...files.value, [side]: await readFolder(chosen) };
    if ((side === 'from' ? from : to).value === 'files') await compare();
    else (side === 'from' ? from : to).value = 'files';
  } catch (error) {
    trouble.value = (error as Error).message;
  }
}

/** The documents of a side, and what it is called. */
async function stateOf(side: 'from' | 'to'): Promise<{ name: string; documents: readonly TextDocument[] }> {
  const asked = (side === 'from' ? from : to).value;
  const { slug } = workspace.topology!;
  const revision = async (number: number) => ({
    name: `r${number}`,
    documents: (await api.revision(slug, number)).documents,
  });
  if (asked === 'nothing') return { name: 'nothing', documents: [] };
  if (asked === 'files') {
    const chosen = files.value[side];
    if (!chosen)
      throw new Error(
        'Choose the folder again: what a page may read of this computer is not in its address.',
      );
    return chosen;
  }
  if (/^r\d+$/.test(asked)) return revision(Number(asked.slice(1)));
  if (asked.startsWith('env:')) {
    const environment = asked.slice(4);
    const standing = workspace.standings.find((each) => each.environment === environment);
    if (standing?.revisions.length !== 1) throw new Error(`${environment} does not run one revision.`);
    const state = await revision(standing.revisions[0]!);
    return { ...state, name: `${environment} (${state.name})` };
  }
  if (asked.startsWith('draft:')) {
    const { draft } = await api.topology(slug, Number(asked.slice(6)));
    return { name: `draft ${draft.name}`, documents: draft.documents };
  }
  return { name: 'the draft', documents: workspace.documents };
}

let asked = 0;
async function compare() {
  const turn = ++asked;
  trouble.value = '';
  working.value = true;
  try {
    const [before, after] = await Promise.all([stateOf('from'), stateOf('to')]);
    const plain = (all: readonly TextDocument[]) => all.map(({ name, text }) => ({ name, text }));
    const [was, is] = [plain(before.documents), plain(after.documents)];
    texts.value = textDifferences(was, is);
    const names = { from: before.name, to: after.name };
    const compared = await core.compared(was, is, workspace.environment, names);
    if (turn !== asked) return;
    found.value = compared;
    const beside = await core.routesBetween(was, is);
    if (turn === asked) routes.value = beside;
  } catch (error) {
    if (turn === asked) trouble.value = (error as Error).message;
  } finally {
    if (turn === asked) working.value = false;
  }
}
/** What runs where counts only where it is compared with. */
const running = computed(() =>
  [from.value, to.value].some((side) => side.startsWith('env:')) ? workspace.standings : undefined,
);
watch([from, to, () => workspace.environment, running], () => void compare(), { immediate: true });
// what is typed elsewhere is compared once it is saved
watch(
  () => [workspace.saveState, workspace.documents] as const,
  ([state]) => state === 'saved' && (from.value === 'draft' || to.value === 'draft') && void compare(),
);

async function copy() {
  await navigator.clipboard.writeText(found.value!.markdown);
  copied.value = true;
  setTimeout(() => (copied.value = false), 2000);
}
const counts = computed<Partial<Record<Part, number>>>(() => ({
  things: found.value?.declared.length ?? 0,
  routes: routes.value?.length ?? found.value?.messages.length ?? 0,
  access: found.value?.access?.length ?? 0,
  findings: (found.value?.findings.length ?? 0) + (found.value?.promises.length ?? 0),
  text: texts.value.length,
}));
const PROMISES = {
  broken: 'is broken now',
  kept: 'is kept now',
  added: 'is new, and kept',
  removed: 'is gone',
};
</script>

<template>
  <div class="compare">
    <header>
      <Side v-model="from" label="from" @files="take('from', $event)" />
      <Side v-model="to" label="to" @files="take('to', $event)" />
      <el-button size="small" @click="router.replace({ query: { ...route.query, before: to, after: from } })"
        >the other way round</el-button
      >
      <span class="fill" />
      <el-button size="small" :disabled="!found" @click="copy">{{
        copied ? 'copied' : 'Copy as Markdown'
      }}</el-button>
      <el-radio-group v-model="part" size="small" aria-label="part">
        <el-radio-button v-for="(title, id) in PARTS" :key="id" :value="id"
          >{{ title }} <span v-if="counts[id]" class="count">{{ counts[id] }}</span></el-radio-button
        >
      </el-radio-group>
    </header>
    <p v-if="trouble" class="error told" role="alert"><Said :text="trouble" /></p>
    <p v-else-if="!found" class="soft told">comparing …</p>
    <main v-else :aria-busy="working" data-testid="compared">
      <template v-if="part === 'things'">
        <p v-if="found.declared.length === 0" class="good">Nothing is declared otherwise.</p>
        <p v-else class="soft">{{ found.counts }}.</p>
        <table class="listing">
          <tbody>
            <tr v-for="(each, i) in found.declared" :key="i" data-testid="declared-change">
              <td class="kind" :class="each.kind">
                <b>{{ each.kind }}</b>
              </td>
              <th scope="row">
                {{ each.what }} <span class="mono">{{ each.name }}</span>
                <span v-if="each.was" class="soft">
                  was <span class="mono">{{ each.was }}</span></span
                >
              </th>
              <td class="settings">
                <div
                  v-for="setting in each.settings.filter(
                    ({ name }) => name !== 'name' || each.kind !== 'renamed',
                  )"
                  :key="setting.name"
                  class="mono"
                >
                  {{ setting.name }}
                  <template v-if="each.kind === 'added'">{{ setting.after }}</template>
                  <template v-else-if="each.kind === 'removed'">{{ setting.before }}</template>
                  <template v-else>
                    <s v-if="setting.before !== undefined" class="gone">{{ setting.before }}</s>
                    <b v-if="setting.after !== undefined" class="come">{{ setting.after }}</b>
                    <span v-else class="soft">taken away</span>
                  </template>
                </div>
              </td>
              <td class="soft">{{ each.documents.join(', ') }}</td>
            </tr>
          </tbody>
        </table>
      </template>
      <template v-else-if="part === 'routes'">
        <p v-if="found.messages.length === 0" class="good">No message goes elsewhere.</p>
        <table v-else-if="routes" class="listing routes">
          <thead>
            <tr>
              <th>messages</th>
              <th>before</th>
              <th>after</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="(each, i) in routes" :key="i" data-testid="route-change">
              <th scope="row">
                <b>{{ each.message }}</b> from {{ each.from }} to <span class="mono">{{ each.to }}</span>
                <div class="soft">
                  {{ each.share
                  }}{{ each.when === 'always' ? '' : `${each.share ? ': ' : ''}where ${each.when}` }}
                </div>
                <div>{{ each.what }}</div>
              </th>
              <td class="mono">{{ each.before }}</td>
              <td class="mono">{{ each.after }}</td>
            </tr>
          </tbody>
        </table>
        <ul v-else>
          <li v-for="sentence in found.messages" :key="sentence">{{ sentence }}</li>
        </ul>
      </template>
      <template v-else-if="part === 'access'">
        <p v-if="!found.access" class="warning">Too many could do too much to tell each of them.</p>
        <p v-else-if="found.access.length === 0" class="good">
          Everybody may what they could before, and no more.
        </p>
        <table v-else class="listing">
          <tbody>
            <tr v-for="(each, i) in found.access" :key="i" data-testid="access-change">
              <td class="kind" :class="each.kind === 'gained' ? 'added' : 'removed'">
                <b>{{ each.kind }}</b>
              </td>
              <th scope="row" class="mono">{{ each.who }}</th>
              <td>
                {{ each.action }} <span class="mono" :title="each.on.join('\n')">{{ someOf(each.on) }}</span>
              </td>
              <td class="soft"><Said :text="each.why" /></td>
            </tr>
          </tbody>
        </table>
      </template>
      <template v-else-if="part === 'findings'">
        <p v-if="found.findings.length + found.promises.length === 0" class="good">
          Nothing is wrong now that was not, and nothing is cured.
        </p>
        <ul class="findings">
          <li
            v-for="(each, i) in found.promises"
            :key="`p${i}`"
            :class="each.kind === 'broken' ? 'error' : 'good'"
          >
            promise <b>{{ each.name }}</b> {{ PROMISES[each.kind] }}
          </li>
          <li v-for="(each, i) in found.findings" :key="i" data-testid="finding-change">
            <b :class="each.kind === 'cured' ? 'good' : each.severity">{{
              each.kind === 'cured' ? 'cured' : `new ${each.severity}`
            }}</b>
            <Said :text="each.message" />
          </li>
        </ul>
      </template>
      <template v-else>
        <label class="beside"><input v-model="beside" type="checkbox" /> side by side</label>
        <TextParts :documents="texts" :beside="beside" />
      </template>
      <p v-if="found.more && part !== 'text'" class="soft">
        and {{ found.more.toLocaleString('en') }} changes more
      </p>
    </main>
  </div>
</template>

<style scoped>
.compare {
  display: grid;
  grid-template-rows: auto minmax(0, 1fr);
}
header {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px 14px;
  padding: 8px 14px;
  border-bottom: 1px solid var(--hairline);
}
.fill {
  flex: 1;
}
main,
.told {
  overflow: auto;
  padding: 12px 18px 30px;
}
ul {
  display: grid;
  gap: 6px;
}
td,
th {
  overflow-wrap: anywhere;
}
.added,
.come {
  color: var(--good);
}
.removed,
.gone {
  color: var(--error);
}
.changed,
.renamed {
  color: var(--warning);
}
.count {
  opacity: 0.75;
}
.kind {
  white-space: nowrap;
}
.routes {
  table-layout: fixed;
}
.routes th:first-child {
  width: 44%;
}
.settings b {
  font-weight: 600;
}
.beside {
  display: inline-flex;
  gap: 6px;
}
</style>
