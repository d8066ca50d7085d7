<script setup lang="ts">
import { useDebounceFn, useEventListener } from '@vueuse/core';
import { ElButton, ElInput, ElOption, ElSelect } from 'element-plus';
import { computed, nextTick, ref, shallowRef, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import type { FormKind, TableKind } from '@vondle/core/assist/forms';
import CloseUp from '../../parts/CloseUp.vue';
import Said from '../../parts/Said.vue';
import { useForms } from '../../forms/store.ts';
import { useFocus } from '../../stores/focus.ts';
import { useWorkspace } from '../../stores/workspace.ts';
import { core } from '../../workers/client.ts';
import type { TableAsked, TableView } from '../../workers/views.ts';
import { saveFile } from '../save.ts';
import { showInText } from '../show.ts';

/** Everything declared as tables by kind: looked through, sorted, edited in place and in many rows at once. */
const workspace = useWorkspace();
const focus = useFocus();
const forms = useForms();
const route = useRoute();
const router = useRouter();

const TITLES: readonly (readonly [TableKind, string])[] = [
  ['queue', 'Queues'],
  ['subscription', 'Subscriptions'],
  ['binding', 'Bindings'],
  ['exchange', 'Exchanges'],
  ['topic', 'Topics'],
  ['message', 'Message types'],
  ['app', 'Apps'],
  ['permission', 'Permissions'],
  ['link', 'Links'],
  ['alias', 'Aliases'],
  ['spread', 'Spreads'],
  ['expectation', 'Expectations'],
  ['alert', 'Alerts'],
  ['tap', 'Taps'],
  ['tenant', 'Tenants'],
  ['parameter', 'Parameters'],
];
const sizes = shallowRef<Partial<Record<TableKind, number>>>({});
const kind = computed<TableKind>({
  get: () => {
    const asked = TITLES.find(([id]) => id === route.query.table)?.[0];
    return asked ?? TITLES.find(([id]) => sizes.value[id])?.[0] ?? 'queue';
  },
  set: (table) => void router.replace({ query: { ...route.query, table } }),
});
const words = ref('');
const sort = ref('');
const down = ref(false);
const table = shallowRef<TableView>();
const most = ref(0);
const all = ref(false);
const picked = ref(new Set<string>());
const column = ref('');
const text = ref('');
const trouble = ref('');
const said = ref('');

const asked = (from = 0): TableAsked => ({
  kind: kind.value,
  words: words.value,
  sort: sort.value,
  down: down.value,
  from,
});

let turn = 0;
async function look() {
  const now = ++turn;
  const [found, counts] = [await core.table(asked()), await core.tableSizes()];
  if (now !== turn) return;
  table.value = found;
  sizes.value = counts;
  most.value = found.rows.length;
  const there = new Set(await core.tableIds(asked()));
  if (now === turn) picked.value = new Set([...picked.value].filter((id) => there.has(id)));
}
const soon = useDebounceFn(look, 40);
watch([words, sort, down, () => workspace.analysis, kind], () => void soon(), { immediate: true });
watch(kind, () => {
  picked.value = new Set();
  sort.value = '';
  column.value = '';
  cell.value = undefined;
  trouble.value = '';
  said.value = '';
});

async function more() {
  const before = table.value!;
  const next = await core.table(asked(before.rows.length));
  table.value = { ...before, rows: [...before.rows, ...next.rows] };
}

/** Columns in which nothing is stated are shown when asked for: their defaults hold. */
const columns = computed(() =>
  (table.value?.columns ?? []).flatMap((each, at) =>
    all.value || !each.editable || table.value!.stated[at] ? [{ ...each, at }] : [],
  ),
);
const quiet = computed(() => (table.value?.columns.length ?? 0) - columns.value.length);
const editable = computed(() => table.value?.columns.filter(({ editable: can }) => can) ?? []);
const chosen = computed(() => editable.value.find(({ name }) => name === column.value));

/** What is wrong with a row, by what it is about or where it stands. */
const findings = computed(() => {
  const found = new Map<string, { count: number; worst: string; words: string }>();
  const weight = { error: 3, warning: 2, advice: 1 } as Record<string, number>;
  for (const row of table.value?.rows ?? []) {
    const { id, thing, at } = row;
    const own = workspace.findings.filter(({ about, also, spot }) =>
      thing
        ? [about, ...also].some((each) => each?.replace(/^(?:publisher|taker):/, 'app:') === thing)
        : spot.doc === at.doc && spot.start >= at.start && spot.end <= at.end,
    );
    if (!own.length) continue;
    const worst = own.reduce((a, b) => (weight[b.severity]! > weight[a.severity]! ? b : a));
    found.set(id, {
      count: own.length,
      worst: worst.severity,
      words: own.map(({ message }) => message).join('\n'),
    });
  }
  return found;
});

function by(name: string) {
  if (sort.value !== name) [sort.value, down.value] = [name, false];
  else if (!down.value) down.value = true;
  else [sort.value, down.value] = ['', false];
}

/** A cell with the values of its parameters put in, as in the environment looked at; '' where it has none. */
function resolved(text: string): string {
  const values = workspace.analysis.environments.parameters;
  const made = text.replace(/(?<!\$)\$\{([^}]+)\}/g, (whole, name: string) => values[name] ?? whole);
  return made === text ? '' : made;
}

function pick(id: string, on: boolean) {
  const next = new Set(picked.value);
  if (on) next.add(id);
  else next.delete(id);
  picked.value = next;
}
async function pickAll(on: boolean) {
  picked.value = new Set(on ? await core.tableIds(asked()) : []);
}

function open(row: TableView['rows'][number]) {
  if (row.thing) focus.selected = row.thing;
  else showInText(router, { ...row.at, line: 0, column: 0 });
}

/** The cell that is being written. */
const cell = ref<{ row: string; column: string; text: string }>();
async function edit(row: TableView['rows'][number], name: string, now: string) {
  if (!workspace.canWrite || !editable.value.some((each) => each.name === name)) return;
  cell.value = { row: row.id, column: name, text: now };
  await nextTick();
  document.querySelector<HTMLInputElement>('.writing input')?.select();
}
async function write(rows: string[], name: string, value: string) {
  said.value = '';
  const edited = await workspace.edit(() => core.changeCells(kind.value, rows, name, value));
  trouble.value = edited.ok ? '' : edited.message;
  return edited.ok;
}
async function writeCell() {
  const { value } = cell;
  if (!value) return;
  if (await write([value.row], value.column, value.text)) cell.value = undefined;
}
async function writeMany() {
  const rows = [...picked.value];
  if (await write(rows, column.value, text.value))
    said.value = `${column.value} is written in ${rows.length} ${rows.length === 1 ? 'row' : 'rows'}; undo takes all of it back.`;
}

async function save() {
  saveFile(`${kind.value}s.csv`, await core.tableText(asked()), 'text/csv');
}

/** Each table is of what there is a form for, called the same. */
const formOf = computed<FormKind>(() => kind.value);
useEventListener('keydown', (event: KeyboardEvent) => {
  if (event.key === 'Escape' && cell.value) cell.value = undefined;
});
</script>

<template>
  <div class="declared" :class="{ beside: focus.shownThing }">
    <nav aria-label="tables">
      <button
        v-for="[id, title] in TITLES"
        :key="id"
        class="plain"
        :class="{ none: !sizes[id] }"
        :aria-pressed="kind === id"
        @click="kind = id"
      >
        {{ title }} <span class="soft">{{ sizes[id] ?? '' }}</span>
      </button>
    </nav>
    <section class="main" :aria-label="TITLES.find(([id]) => id === kind)?.[1]">
      <header>
        <el-input
          v-model="words"
          size="small"
          placeholder="find in this table"
          aria-label="find in this table"
          clearable
        />
        <span class="soft count">{{ table?.count ?? 0 }} {{ table?.count === 1 ? 'row' : 'rows' }}</span>
        <button v-if="quiet || all" class="plain link" :aria-expanded="all" @click="all = !all">
          {{ all ? 'only what is stated' : `${quiet} more settings, not stated` }}
        </button>
        <span class="fill" />
        <el-button v-if="workspace.canWrite" size="small" @click="forms.open({ kind: formOf })"
          >New …</el-button
        >
        <el-button size="small" :disabled="!table?.count" @click="save">Save as CSV</el-button>
      </header>
      <form
        v-if="picked.size && workspace.canWrite"
        class="many"
        aria-label="write in the picked rows"
        @submit.prevent="writeMany"
      >
        <span>in {{ picked.size }} picked {{ picked.size === 1 ? 'row' : 'rows' }}</span>
        <el-select
          v-model="column"
          size="small"
          filterable
          placeholder="which setting"
          aria-label="which setting"
        >
          <el-option v-for="each in editable" :key="each.name" :value="each.name" :label="each.name" />
        </el-select>
        <el-select
          v-if="chosen?.values"
          v-model="text"
          size="small"
          clearable
          placeholder="not stated"
          aria-label="its value"
        >
          <el-option v-for="each in chosen.values" :key="each" :value="each" :label="each" />
        </el-select>
        <el-input
          v-else
          v-model="text"
          size="small"
          class="mono"
          placeholder="empty: not stated"
          aria-label="its value"
        />
        <el-button size="small" type="primary" native-type="submit" :disabled="!column"
          >write it in all</el-button
        >
      </form>
      <p v-if="trouble" class="error" role="alert"><Said :text="trouble" /></p>
      <p v-if="said" class="good" role="status">{{ said }}</p>
      <p v-if="table && table.count === 0" class="soft empty">
        <template v-if="words">No row holds these words.</template>
        <template v-else>
          Nothing of this kind is declared yet.
          <button v-if="workspace.canWrite" class="plain link" @click="forms.open({ kind: formOf })">
            Declare the first
          </button>
        </template>
      </p>
      <div v-else class="scroll" tabindex="0">
        <table>
          <thead>
            <tr>
              <th v-if="workspace.canWrite" class="tick">
                <input
                  type="checkbox"
                  aria-label="pick all rows"
                  :checked="picked.size > 0 && picked.size === table?.count"
                  @change="pickAll(($event.target as HTMLInputElement).checked)"
                />
              </th>
              <th
                v-for="each in columns"
                :key="each.name"
                :aria-sort="sort === each.name ? (down ? 'descending' : 'ascending') : 'none'"
              >
                <button class="plain" :title="each.about" @click="by(each.name)">
                  {{ each.name }} <span v-if="sort === each.name">{{ down ? '↓' : '↑' }}</span>
                </button>
              </th>
            </tr>
          </thead>
          <tbody>
            <tr
              v-for="row in table?.rows"
              :key="row.id"
              :class="{ current: row.thing !== '' && row.thing === focus.shownThing }"
              data-testid="row"
            >
              <td v-if="workspace.canWrite" class="tick">
                <input
                  type="checkbox"
                  :aria-label="`pick ${row.cells[0]}`"
                  :checked="picked.has(row.id)"
                  @change="pick(row.id, ($event.target as HTMLInputElement).checked)"
                />
              </td>
              <td
                v-for="(each, i) in columns"
                :key="each.name"
                :class="{ writing: cell?.row === row.id && cell.column === each.name }"
              >
                <form v-if="cell?.row === row.id && cell.column === each.name" @submit.prevent="writeCell">
                  <input
                    v-model="cell.text"
                    :list="each.values || each.suggest ? `values ${each.name}` : undefined"
                    :aria-label="`${each.name} of ${row.cells[0]}`"
                    @blur="writeCell"
                  />
                  <datalist v-if="each.values || each.suggest" :id="`values ${each.name}`">
                    <option v-for="value in each.values ?? each.suggest" :key="value" :value="value" />
                  </datalist>
                </form>
                <button v-else-if="i === 0" class="plain first" @click="open(row)">
                  <span class="mono">{{ row.cells[each.at] || '(no name)' }}</span>
                  <span
                    v-if="findings.get(row.id)"
                    class="found"
                    :class="findings.get(row.id)!.worst"
                    :title="findings.get(row.id)!.words"
                    >{{ findings.get(row.id)!.count }}
                    {{ findings.get(row.id)!.count === 1 ? 'finding' : 'findings' }}</span
                  >
                </button>
                <span
                  v-else-if="row.cells[each.at] === null"
                  class="cell"
                  title="its kind of broker has no such thing"
                />
                <button
                  v-else-if="each.editable"
                  class="plain mono cell"
                  :title="
                    row.cells[each.at] ||
                    `${each.about}${each.otherwise ? `; without it: ${each.otherwise.replaceAll('`', '')}` : ''}`
                  "
                  @click="edit(row, each.name, row.cells[each.at] ?? '')"
                >
                  <template v-if="row.cells[each.at]"
                    >{{ row.cells[each.at] }}
                    <span v-if="resolved(row.cells[each.at]!)" class="faint">{{
                      resolved(row.cells[each.at]!)
                    }}</span></template
                  >
                  <span v-else class="faint">{{ each.otherwise.replaceAll('`', '') || '·' }}</span>
                </button>
                <span v-else class="mono cell" :title="row.cells[each.at] ?? ''">{{
                  row.cells[each.at]
                }}</span>
              </td>
            </tr>
          </tbody>
        </table>
        <button v-if="table && table.rows.length < table.count" class="plain link" @click="more">
          {{ table.count - table.rows.length }} more rows
        </button>
      </div>
    </section>
    <aside v-if="focus.shownThing" class="side">
      <button class="plain close" aria-label="close the close-up" @click="focus.selected = ''">×</button>
      <CloseUp @show="showInText(router, $event)" />
    </aside>
  </div>
</template>

<style scoped>
.declared {
  display: grid;
  grid-template-columns: 138px minmax(0, 1fr);
  min-height: 0;
}
.declared.beside {
  grid-template-columns: 138px minmax(0, 1fr) 290px;
}
nav {
  border-right: 1px solid var(--hairline);
  padding: 10px 0;
  overflow: auto;
}
nav button {
  display: flex;
  justify-content: space-between;
  width: 100%;
  padding: 4px 12px;
}
nav button.none {
  color: var(--soft);
}
nav button:hover {
  background: var(--band);
}
nav button[aria-pressed='true'] {
  background: var(--accent-sheet);
  font-weight: 600;
}
.main {
  display: flex;
  flex-direction: column;
  gap: 8px;
  padding: 10px 0 0;
  min-height: 0;
  background: var(--sheet);
}
.main > :not(.scroll) {
  margin: 0 12px;
}
header,
.many {
  display: flex;
  align-items: center;
  gap: 12px;
}
header .el-input {
  width: 190px;
}
.many .el-select {
  width: 190px;
}
.many .el-input {
  width: 190px;
}
.count {
  white-space: nowrap;
}
.fill {
  flex: 1;
}
.link {
  color: var(--accent);
  text-decoration: underline;
  font-size: 13px;
}
.scroll {
  flex: 1;
  overflow: auto;
  min-height: 0;
}
table {
  border-collapse: collapse;
  font-size: 13px;
}
th,
td {
  text-align: left;
  padding: 0 10px;
  height: 27px;
  border-bottom: 1px solid var(--hairline);
  white-space: nowrap;
}
th {
  position: sticky;
  top: 0;
  z-index: 1;
  background: var(--sheet);
  font-weight: 600;
}
td:nth-child(2),
th:nth-child(2) {
  position: sticky;
  left: 0;
  background: var(--sheet);
}
th:nth-child(2) {
  z-index: 2;
}
tr.current .faint {
  color: var(--soft);
}
tr.current td {
  background: var(--accent-sheet);
}
.tick {
  width: 20px;
  padding-right: 0;
}
.cell,
.first .mono {
  display: block;
  max-width: 210px;
  min-width: 30px;
  overflow: hidden;
  text-overflow: ellipsis;
}
.first {
  display: flex;
  justify-content: space-between;
  align-items: baseline;
  gap: 12px;
  width: 100%;
  font-weight: 600;
}
.found {
  font-weight: 400;
  font-size: 12px;
}
.faint {
  font-style: italic;
}
.writing input {
  font: 12px var(--mono);
  width: 170px;
  padding: 2px 4px;
  color: var(--ink);
  background: var(--sheet);
  border: 1px solid var(--accent);
}
.side {
  position: relative;
  background: var(--sheet);
  border-left: 1px solid var(--hairline);
  padding: 12px 14px;
  overflow: auto;
}
.close {
  position: absolute;
  right: 10px;
  top: 8px;
  font-size: 16px;
  color: var(--soft);
}
</style>
