<script setup lang="ts">
import { ElButton, ElCheckbox } from 'element-plus';
import { computed, ref, shallowRef, watch } from 'vue';
import { useFocus } from '../../stores/focus.ts';
import { core } from '../../workers/client.ts';
import type { ClassRow, CoverageView, DistinctionView, TypeCoverage } from '../../workers/views.ts';
import { useFollow } from './follow.ts';

/** The classes of one type's messages as rows, the stores they come to as columns. */
const { type, told } = defineProps<{ type: string; told: CoverageView }>();
const focus = useFocus();
const follow = useFollow();

const coverage = shallowRef<TypeCoverage>();
let asked = 0;
watch(
  () => told,
  async () => {
    const turn = ++asked;
    const found = await core.coverageOf(type);
    if (turn === asked) coverage.value = found;
  },
  { immediate: true },
);

type Publish = TypeCoverage['publishes'][number];

/** Rows of groups that were opened, by publish and group. */
const opened = shallowRef(new Map<string, ClassRow[]>());
watch(coverage, () => (opened.value = new Map()));
async function open({ id }: Publish, group: string) {
  const key = `${id} ${group}`;
  const before = opened.value.get(key) ?? [];
  const more = await core.classRows(id, group, before.length);
  opened.value = new Map(opened.value).set(key, [...before, ...more]);
}

/** Two rows of one publish that are to be told apart. */
const picked = ref<{ publish: string; rows: number[] }>({ publish: '', rows: [] });
const distinction = shallowRef<DistinctionView>();
watch(coverage, () => (picked.value = { publish: '', rows: [] }));
function pick(publish: string, n: number, on: boolean) {
  const before = picked.value.publish === publish ? picked.value.rows : [];
  const rows = on ? [...before, n].slice(-2) : before.filter((each) => each !== n);
  picked.value = { publish, rows };
}
watch(picked, async ({ publish, rows }) => {
  const [first, second] = rows;
  distinction.value =
    first === undefined || second === undefined ? undefined : await core.distinguish(publish, first, second);
});

const columns = computed(() => coverage.value?.stores ?? []);
const ALL = { id: '', classes: 0, part: null, kind: 'reached' as const };
const groupsIn = (publish: Publish) => (publish.groups.length ? publish.groups : [ALL]);
function howMany({ total, classes, tooMany }: Publish): string {
  if (tooMany) return `classes too many to tell apart: ${tooMany}`;
  const messages =
    total === '' ? 'messages without number' : total === '1' ? '1 message' : `${total} messages`;
  return `${messages} in ${classes.toLocaleString('en')} ${classes === 1 ? 'class' : 'classes'}`;
}
const title = (row: ClassRow, i: number) => {
  const copies = row.cells[i]!;
  const { at } = columns.value[i]!;
  if (row.fails[i]) return `${row.fails[i]} at ${at}`;
  const rests = row.taken[i] ? 'is taken' : 'rests';
  if (copies === 'one of') return `one of several gets it: it ${rests} at ${at} when its turn comes`;
  return copies === '1' ? `one copy ${rests} at ${at}` : `${copies} copies: ${rests} at ${at}`;
};
const sign = (row: ClassRow, i: number) => {
  const copies = row.cells[i]!;
  if (copies === '') return '✕';
  if (copies === 'one of') return '½';
  return copies === '1' ? (row.taken[i] ? '●' : '○') : copies;
};
const percent = (part: number | null) =>
  part === null ? '' : part > 0 && part < 0.001 ? '< 0.1 %' : `${Math.round(part * 1000) / 10} %`;
</script>

<template>
  <div class="classes">
    <p class="legend soft">
      <span><b class="mono">●</b> a copy that is taken</span>
      <span><b class="mono">○</b> a copy that rests and nobody takes</span>
      <span><b class="mono">6</b> so many copies</span>
      <span><b class="mono">½</b> one of several gets it</span>
      <span><b class="mono error">✕</b> refused or lost there</span>
      <span
        >Press a row to light its way in the picture, a copy to trace it; pick two rows to hear what tells
        them apart.</span
      >
    </p>
    <div v-if="coverage" class="scroll">
      <table>
        <caption class="hidden">
          messages of type
          {{
            type
          }}
          by what becomes of them
        </caption>
        <thead>
          <tr>
            <td></td>
            <th scope="col" class="share">share</th>
            <th scope="col">which messages</th>
            <th v-for="store in columns" :key="store.at" scope="col" class="store">
              <button class="plain" :title="store.at" @click="focus.selected = store.node">
                <span class="mono">{{ store.at }}</span>
              </button>
            </th>
            <th scope="col" class="ends">otherwise</th>
          </tr>
        </thead>
        <tbody v-for="publish in coverage.publishes" :key="publish.id" data-testid="publish">
          <tr class="publish">
            <th :colspan="columns.length + 4" scope="rowgroup">
              <span class="mono">{{ publish.from }} → {{ publish.to }}</span>
              <span class="soft"
                ><template v-if="publish.via">over MQTT, </template>{{ howMany(publish) }}</span
              >
            </th>
          </tr>
          <tr v-if="publish.tooMany">
            <td></td>
            <td></td>
            <td :colspan="columns.length + 2" class="some">
              Some come to be, and nothing else:
              <template v-for="(each, i) in publish.reached" :key="`${each.at} ${each.outcome}`"
                >{{ i ? ', ' : ''
                }}<button
                  class="plain link"
                  @click="follow('trace', { type, from: publish.from, message: each.message })"
                >
                  {{ each.outcome }} at {{ each.at }}</button
                ><span v-if="!each.proved" class="warning"> (not proved)</span></template
              >.
            </td>
          </tr>
          <template v-for="group in groupsIn(publish)" :key="group.id">
            <tr v-if="group.id" class="group">
              <td></td>
              <td class="share">{{ percent(group.part) }}</td>
              <td :colspan="columns.length + 2">
                {{ group.classes.toLocaleString('en') }} {{ group.classes === 1 ? 'class' : 'classes' }}:
                {{ group.id }}
                <button
                  v-if="(opened.get(`${publish.id} ${group.id}`)?.length ?? 0) < group.classes"
                  class="plain link"
                  @click="open(publish, group.id)"
                >
                  {{ opened.has(`${publish.id} ${group.id}`) ? 'show more' : 'show them' }}
                </button>
              </td>
            </tr>
            <tr
              v-for="row in group.id ? opened.get(`${publish.id} ${group.id}`) : publish.rows"
              :key="row.n"
              :class="row.kind.replace(' ', '-')"
              data-testid="class"
            >
              <td>
                <el-checkbox
                  :model-value="picked.publish === publish.id && picked.rows.includes(row.n)"
                  size="small"
                  :aria-label="`tell apart: ${row.when}`"
                  title="pick two of one publish to hear what tells them apart"
                  @update:model-value="pick(publish.id, row.n, $event === true)"
                />
              </td>
              <td class="share">
                <span v-if="publish.total" class="of"
                  ><i :style="{ width: `${100 * (row.part ?? 0)}%` }" /></span
                ><span>{{ row.share }}</span>
              </td>
              <th scope="row">
                <button
                  class="plain when"
                  title="light their way in the picture"
                  @click="follow('fan-out', { type, from: publish.from, message: row.message })"
                >
                  {{ row.when }}
                </button>
                <span v-if="row.unless" class="warning unless" :title="row.unless">not proved</span>
              </th>
              <td v-for="(store, i) in columns" :key="store.at" class="cell">
                <button
                  v-if="row.cells[i] || row.fails[i]"
                  class="plain mono"
                  :class="{ error: row.fails[i] }"
                  :title="title(row, i)"
                  :aria-label="title(row, i)"
                  data-testid="copy"
                  @click="follow('trace', { type, from: publish.from, message: row.message, at: store.node })"
                >
                  {{ sign(row, i) }}
                </button>
              </td>
              <td class="ends">
                <span v-if="row.elsewhere.length" class="soft"
                  >and {{ row.elsewhere.length }} more {{ row.elsewhere.length === 1 ? 'store' : 'stores' }};
                </span>
                <span v-for="(end, i) in row.ends" :key="`${end.outcome} ${end.at}`" class="error"
                  >{{ i ? '; ' : '' }}{{ end.outcome }} at <span class="mono">{{ end.at }}</span></span
                >
              </td>
            </tr>
          </template>
        </tbody>
      </table>
    </div>
    <p v-if="coverage?.moreStores" class="soft">
      {{ coverage.moreStores }} more stores are not columns here; the files that are saved have them all.
    </p>
    <aside v-if="picked.rows.length" class="apart" aria-live="polite" data-testid="apart">
      <p v-if="!distinction" class="soft">
        Pick one more of the same publish to hear what tells the two apart.
      </p>
      <template v-else>
        <p v-if="!distinction.by.some(({ alone }) => alone)" class="soft">
          No header or word tells them apart by itself; together these do:
        </p>
        <table>
          <tbody>
            <tr v-for="each in distinction.by" :key="`${each.first} ${each.second}`">
              <td>{{ each.first }}</td>
              <td class="soft">{{ each.alone ? 'against' : 'or' }}</td>
              <td>{{ each.second }}</td>
            </tr>
            <tr>
              <td class="mono">{{ distinction.outcomes[0] }}</td>
              <td></td>
              <td class="mono">{{ distinction.outcomes[1] }}</td>
            </tr>
          </tbody>
        </table>
        <el-button size="small" @click="picked = { publish: '', rows: [] }">Close</el-button>
      </template>
    </aside>
  </div>
</template>

<style scoped>
.classes {
  padding: 8px 14px 0;
  display: grid;
  grid-template-rows: auto minmax(0, 1fr);
  gap: 8px;
  min-height: 0;
}
.legend {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 14px;
  font-size: 13px;
}
.scroll {
  overflow: auto;
  min-height: 0;
}
.publish th {
  padding: 12px 0 4px;
  border: 0;
  font-weight: 600;
  max-width: none;
}
.publish .soft {
  font-weight: 400;
  margin-left: 12px;
}
.some {
  padding: 4px 0;
}
table {
  border-collapse: collapse;
}
thead th,
thead td {
  position: sticky;
  top: 0;
  background: var(--sheet);
  z-index: 1;
}
thead th {
  vertical-align: bottom;
  text-align: left;
  font-weight: 400;
  font-size: 13px;
  color: var(--soft);
  padding: 0 10px 4px 0;
}
.store {
  padding: 0 0 4px;
}
.store button {
  writing-mode: vertical-rl;
  transform: rotate(180deg);
  max-height: 170px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  color: var(--ink);
  font-size: 12px;
}
tbody th {
  text-align: left;
  font-weight: 400;
  padding: 3px 14px 3px 0;
  min-width: 220px;
  max-width: 420px;
  border-top: 1px solid var(--hairline);
}
tbody td {
  border-top: 1px solid var(--hairline);
  padding: 0;
}
tbody tr:hover:not(.group) {
  background: var(--band);
}
tbody td:first-child {
  padding-right: 6px;
}
.group td {
  background: var(--band);
  padding: 4px 0;
}
.share {
  white-space: nowrap;
  padding-right: 14px;
  text-align: left;
  font-size: 13px;
}
.of {
  display: inline-block;
  width: 44px;
  height: 6px;
  margin-right: 8px;
  background: var(--band);
}
.of i {
  display: block;
  height: 100%;
  min-width: 1px;
  background: var(--edge);
}
.nobody .of i,
.refused .of i {
  background: var(--error);
}
.some-lost .of i,
.some-refused .of i {
  background: var(--warning);
}
.when {
  text-align: left;
}
.when:hover {
  text-decoration: underline;
}
.unless {
  margin-left: 8px;
  font-size: 12px;
}
.cell {
  border-left: 1px solid var(--hairline);
  border-right: 1px solid var(--hairline);
  min-width: 30px;
  text-align: center;
}
.cell button {
  width: 100%;
  height: 26px;
}
.cell .error {
  color: var(--error);
}
.cell button:hover {
  background: var(--accent-sheet);
}
.ends {
  padding-left: 10px;
  font-size: 13px;
}
.apart {
  background: var(--accent-sheet);
  padding: 8px 14px;
  margin: 0 -14px;
  max-height: 220px;
  overflow: auto;
  display: grid;
  gap: 6px;
  justify-items: start;
}
.apart td {
  border: 0;
  padding: 1px 14px 1px 0;
  vertical-align: top;
}
.link {
  color: var(--accent);
  text-decoration: underline;
  font-size: 13px;
}
.hidden {
  position: absolute;
  width: 1px;
  height: 1px;
  overflow: hidden;
  clip-path: inset(50%);
}
</style>
